"""The shell: one clear line and exit 2 on bad input, a reading and exit 0 otherwise, silence
included.
"""

import json
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
import soundfile
from typer.testing import CliRunner

from thrumble.cli import app
from thrumble.demo import riff_texts

RIFF = riff_texts()["6-stop-planks"]


def run(*arguments: object, **env: str) -> subprocess.CompletedProcess[str]:
    command = [sys.executable, "-m", "thrumble.cli", *map(str, arguments)]
    return subprocess.run(
        command, capture_output=True, text=True, env={"PATH": "/usr/bin:/bin", **env}
    )


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A riff and a simulated take of it."""
    place = tmp_path_factory.mktemp("cli")
    (place / "riff.txt").write_text(RIFF)
    made = run(
        "simulate",
        place / "riff.txt",
        "--out",
        place / "take.wav",
        "--truth",
        place / "truth.json",
        "--seed",
        3,
        "--tone",
        "clean",
        "--flaw",
        "timing=9",
    )
    assert made.returncode == 0, made.stderr
    return place


def test_analyze_agrees_with_the_truth_of_simulate(folder: Path) -> None:
    truth = json.loads((folder / "truth.json").read_text())
    done = run(
        "analyze",
        folder / "riff.txt",
        folder / "take.wav",
        "--start",
        truth["start_s"],
        "--json",
        "-",
    )
    reading = json.loads(done.stdout)
    assert (
        done.returncode == 0
        and reading["format"] == "thrumble.reading/1"
        and reading["start_source"] == "given"
    )
    real = {hit["index"]: hit for hit in truth["hits"]}
    assert all(
        abs(hit["onset_s"] - real[hit["index"]]["onset_s"]) < 0.005 for hit in reading["hits"]
    )


def test_analyze_finds_the_start_and_prints_words(folder: Path) -> None:
    done = run("analyze", folder / "riff.txt", folder / "take.wav", "--json", folder / "out.json")
    assert done.returncode == 0 and "Stop Planks: 25 of 25 hits heard" in done.stdout
    assert json.loads((folder / "out.json").read_text())["start_source"] == "fitted"


def test_silence_is_a_reading(folder: Path) -> None:
    soundfile.write(folder / "silence.wav", np.zeros(48000), 48000)
    done = run("analyze", folder / "riff.txt", folder / "silence.wav")
    assert done.returncode == 0 and "We heard nothing" in done.stdout


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (("analyze", "no.txt", "take.wav"), "cannot be read"),
        (("analyze", "riff.txt", "no.wav"), "cannot be read"),
        (("analyze", "riff.txt", "riff.txt"), "no audio file"),
        (("analyze", "take.wav", "take.wav"), "none of them"),
        (("analyze", "riff.txt", "take.wav", "--tempo", "900"), "20 to 400"),
        (("analyze", "bad.txt", "take.wav"), "line 4, column 3"),
        (("simulate", "riff.txt", "--out", "x.wav", "--flaw", "nerves=1"), "is no flaw"),
        (("simulate", "riff.txt", "--out", "x.wav", "--tone", "warm"), "is no tone"),
        (("simulate", "riff.txt", "--out", "/nowhere/x.wav"), "cannot be written"),
    ],
)
def test_bad_input_is_one_clear_line_and_exit_2(
    folder: Path, arguments: tuple[str, ...], words: str
) -> None:
    (folder / "bad.txt").write_text("title: T\ntempo: 100\n[A]\n| q |\n")
    paths = [
        folder / a if a.endswith((".txt", ".wav")) and not a.startswith("/") else a
        for a in arguments
    ]
    done = run(*paths)
    assert (
        done.returncode == 2
        and words in done.stderr
        and len(done.stderr.strip().splitlines()) == 1
        and done.stdout == ""
    )


@pytest.mark.parametrize(
    ("address", "words"),
    [
        ("nonsense", "no address of a PostgreSQL database"),
        ("mysql://a:b@127.0.0.1/x", "no address of a PostgreSQL database"),
        ("postgresql://a:b@127.0.0.1:9/x", "pg_dump failed"),
    ],
)
def test_a_database_that_is_not_there_is_one_clear_line(
    tmp_path: Path, address: str, words: str
) -> None:
    done = run("backup", tmp_path / "x.dump", DATABASE_URL=address)
    assert done.returncode == 2 and words in done.stderr
    assert len(done.stderr.strip().splitlines()) == 1 and not list(tmp_path.iterdir())


def test_the_causes_leave_with_the_reading(folder: Path) -> None:
    """Each with its sentence, the hits it names and its figures; the same that the page shows."""
    late = folder / "late.wav"
    flaws = ("--flaw", "timing=4", "--flaw", "stop=150", "--seed", 5)
    run("simulate", folder / "riff.txt", "--out", late, "--truth", folder / "l.json", *flaws)
    start = json.loads((folder / "l.json").read_text())["start_s"]
    done = run("analyze", folder / "riff.txt", late, "--start", start, "--json", "-")
    first = json.loads(done.stdout)["causes"][0]
    assert first["kind"] == "stops" and first["text"].startswith("Your stops ring on")
    assert len(first["hits"]) == first["figures"]["late"] and first["figures"]["late_ms"] > 100
    words = run("analyze", folder / "riff.txt", late, "--start", start).stdout
    assert first["text"] in words


runner = CliRunner()


@pytest.mark.parametrize("first", [".riff.json", ".musicxml", ".mid", ".tab.txt"])
def test_convert_goes_from_every_format_to_every_other(first: str, tmp_path: Path) -> None:
    source = tmp_path / "gate.riff.txt"
    source.write_text(riff_texts()["1-sluice-gate"])
    middle = tmp_path / f"gate{first}"
    assert runner.invoke(app, ["convert", str(source), str(middle)]).exit_code == 0
    for suffix in (".riff.json", ".riff.txt", ".musicxml", ".mid", ".tab.txt"):
        out = tmp_path / f"back{suffix}"
        done = runner.invoke(app, ["convert", str(middle), str(out)])
        assert done.exit_code == 0 and out.stat().st_size > 100, done.stderr


def test_convert_says_what_it_guessed_and_takes_the_answer(tmp_path: Path) -> None:
    tab, out = tmp_path / "a.tab.txt", tmp_path / "a.riff.json"
    tab.write_text("\n".join([*["|-------------|"] * 5, "|-0-0-3-3-5-5-|"]))
    done = runner.invoke(app, ["convert", str(tab), str(out)])
    assert done.exit_code == 0 and "no rhythm is written" in done.stderr
    done = runner.invoke(app, ["convert", str(tab), str(out), "--grid", "1/16"])
    assert done.exit_code == 0 and done.stderr == ""
    assert json.loads(out.read_text())["sections"][0]["bars"][0]["hits"][1]["at"] == "1/16"
    assert runner.invoke(app, ["convert", str(tab), str(out), "--grid", "3/4"]).exit_code == 2


def test_click_writes_click_or_drums_alone(tmp_path: Path) -> None:
    riff, out = tmp_path / "gate.riff.txt", tmp_path / "click.wav"
    riff.write_text(riff_texts()["1-sluice-gate"])
    asked = ["click", "--riff", str(riff), "--out", str(out), "--tempo", "236"]
    assert runner.invoke(app, asked).exit_code == 0
    click, rate = soundfile.read(out)
    beat = 60 / 236
    begins = np.flatnonzero(np.abs(click) > 0.3)[0] / rate
    assert begins == pytest.approx(0, abs=1e-3) and click.size / rate > 15 * 4 * beat
    assert runner.invoke(app, [*asked, "--groove", "backbeat", "--rounds", "2"]).exit_code == 0
    drums, _ = soundfile.read(out)
    assert drums.size > 1.8 * click.size
    assert np.array_equal(drums[: int(3 * beat * rate)], click[: int(3 * beat * rate)])
    done = runner.invoke(app, [*asked, "--groove", "polka"])
    assert done.exit_code == 2 and "backbeat" in done.stderr


def test_route_prints_the_ways_and_writes_them(tmp_path: Path) -> None:
    source, out = tmp_path / "gate.riff.txt", tmp_path / "routes.json"
    source.write_text(riff_texts()["1-sluice-gate"])
    done = runner.invoke(app, ["route", str(source), "--json", str(out)])
    assert done.exit_code == 0 and done.stdout.startswith("as written: ")
    document = json.loads(out.read_text())
    assert document["format"] == "thrumble.routes/1" and document["scale_mm"] == 648
    first = document["routes"][0]
    assert len(first["places"]) == 98 and set(first["places"][0]["notes"][0]) == {
        "string",
        "fret",
        "finger",
    }
    costs = [route["cost"] for route in document["routes"]]
    assert costs == sorted(costs)
    asked = ["route", str(source), "--strict", "--school", "1-3", "--reach", "100", "--json", "-"]
    strict = json.loads(runner.invoke(app, asked).stdout)
    assert strict["school"] == "1-3" and strict["reach_mm"] == 100
    fingers = {n["finger"] for p in strict["routes"][0]["places"] for n in p["notes"]}
    assert fingers == {0, 1, 3} and strict["routes"][0]["moves"]
    assert {m["kind"] for m in strict["routes"][0]["moves"]} <= {"pivot", "travel"}
    for wrong in (["--school", "5"], ["--reach", "5"], ["--scale", "100"], ["--tempo", "5"]):
        bad = runner.invoke(app, ["route", str(source), *wrong])
        assert bad.exit_code == 2 and bad.stderr.count("\n") == 1


def test_drills_are_listed_and_written(folder: Path) -> None:
    listed = run("drill", folder / "riff.txt", "--list")
    assert listed.returncode == 0 and "stops alone: hands that come down" in listed.stdout
    out = folder / "stops.riff.json"
    made = run("drill", folder / "riff.txt", "--kind", "stops", "--bars", "1-4", "--out", out)
    assert made.returncode == 0, made.stderr
    document = json.loads(out.read_text())
    hits = [hit for bar in document["sections"][0]["bars"] for hit in bar["hits"]]
    assert hits and all(hit["stop"] and "section" in hit["from"] for hit in hits)
    text = run("drill", folder / "riff.txt", "--kind", "loop", "--out", folder / "l.riff.txt")
    assert text.returncode == 0 and "only .riff.json keeps that" in text.stderr
    for bad in (
        ["--kind", "nope", "--out", out],
        ["--kind", "slides", "--out", out],
        ["--kind", "loop", "--bars", "7-90", "--out", out],
        ["--kind", "loop", "--bars", "x", "--out", out],
        ["--kind", "loop", "--tempo", "4000", "--out", out],
        [],
    ):
        done = run("drill", folder / "riff.txt", *bad)
        assert done.returncode == 2 and len(done.stderr.splitlines()) == 1


def test_progress_tells_clean_speed_from_readings(folder: Path) -> None:
    reading = folder / "reading.json"
    read = run("analyze", folder / "riff.txt", folder / "take.wav", "--json", reading)
    assert read.returncode == 0
    told = run("progress", folder / "riff.txt", reading, "--json", "-")
    document = json.loads(told.stdout)
    assert document["format"] == "thrumble.progress/1" and document["rounds"] == 1
    low, high = document["interval_bpm"]
    assert low < document["clean_speed_bpm"] < high and document["probability"] == 0.8
    assert document["by_day"][0]["day"] is None and "no day is known" in document["cautions"][0]
    dated = run("progress", folder / "riff.txt", reading, "--day", "reading.json=2026-09-01")
    assert dated.returncode == 0 and "next:" in dated.stdout and "no day" not in dated.stdout
    other = folder / "other.txt"
    other.write_text("title: O\ntempo: 90\n[Q]\n| E5@6/0 o |\n")
    foreign = json.loads(run("progress", other, reading, "--json", "-").stdout)
    assert foreign["clean_speed_bpm"] is None and "another riff" in foreign["cautions"][0]
    for bad in (
        [folder / "riff.txt", folder / "take.wav"],
        [folder / "riff.txt", reading, "--day", "reading.json=soon"],
    ):
        done = run("progress", *bad)
        assert done.returncode == 2 and len(done.stderr.splitlines()) == 1


def test_readings_are_compared_with_and_without_their_riff(folder: Path) -> None:
    reading, other = folder / "one.json", folder / "two.json"
    for out in (reading, other):
        read = run("analyze", folder / "riff.txt", folder / "take.wav", "--json", out)
        assert read.returncode == 0
    out = folder / "comparison.json"
    done = run("compare", reading, "--with", other, "--riff", folder / "riff.txt", "--json", out)
    assert done.returncode == 0, done.stderr
    document = json.loads(out.read_text())
    assert document["format"] == "thrumble.comparison/1" and document["b"]["rounds"] == 1
    told = {one["name"]: one for one in document["figures"]}
    assert told["spread_ms"]["difference"] == 0 and told["spread_ms"]["clear"] is False
    assert not any(one["clear"] for one in document["hits"])
    lines = run("compare", reading, reading, "--with", other).stdout
    assert "A: 2 passes, B: 1 pass" in lines and "late after moves: not compared" in lines
    foreign = folder / "other.txt"
    foreign.write_text("title: O\ntempo: 90\n[Q]\n| E5@6/0 o |\n")
    for bad in (
        [reading, other],
        [reading, "--with"],
        ["--with", reading],
        [reading, "--with", folder / "take.wav"],
        [reading, "--with", other, "--wth", "x"],
        [reading, "--with", other, "--riff", foreign],
        [reading, "--with", folder / "none.json"],
    ):
        done = run("compare", *bad)
        assert done.returncode == 2 and len(done.stderr.splitlines()) == 1, bad

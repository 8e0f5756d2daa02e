"""The larger measuring sticks: rewritten plans, worsened recordings, swing runs, moved palms, and
the tables they end in.
"""

import json
from dataclasses import replace

import numpy as np
import pytest
from benchmarks.cases import Case, Score, Take, strays_apart
from benchmarks.conditions import CONDITIONS, worsened
from benchmarks.corpus import draw_take
from benchmarks.everything import cells, headline, timing
from benchmarks.finer_tables import chord_table, strum_table
from benchmarks.palms import drawn_guitar, sweep, with_profile
from benchmarks.plans import rewritten
from benchmarks.swings import swing_run
from benchmarks.tables import groups, onset_table, start_lines, table

from benchmarks import everything
from thrumble.core.player.guitars import ModelGuitar
from thrumble.core.riff.expand import expand
from thrumble.core.riff.notation.text import parse_riff
from thrumble.formats.truth_json import truth_document
from thrumble.web.certainty.views import certainty_view, figures


def a_case(**values: object) -> Case:
    return Case(
        **{
            "take": "1",
            "tone": "clean",
            "source": "modelled",
            "slot_ms": 200,
            "strings": 2,
            "planned": "open",
            "played": True,
            "real": "open",
            "heard": "open",
            "error_ms": 1.0,
        }
        | values
    )  # type: ignore[arg-type]


@pytest.fixture(scope="module")
def drawn() -> Take:
    riff, performance, _ = draw_take(31)
    truth = json.loads(json.dumps(truth_document(performance, riff="", audio="")))
    return Take("31", "modelled", truth, expand(riff), performance.samples, performance.rate_hz)


def test_rewriting_changes_the_chosen_hits_alone_and_never_to_what_they_were(drawn: Take) -> None:
    other = rewritten(drawn.expanded, [0, 3, 5], np.random.default_rng(1))
    changed = [
        k for k, (a, b) in enumerate(zip(drawn.expanded.hits, other.hits, strict=True)) if a != b
    ]
    assert changed == [0, 3, 5]
    assert all(
        replace(other.hits[k].hit, articulation=drawn.expanded.hits[k].hit.articulation)
        == drawn.expanded.hits[k].hit
        for k in changed
    )


@pytest.mark.parametrize("name", list(CONDITIONS))
def test_a_condition_changes_the_sound_and_neither_truth_nor_length(drawn: Take, name: str) -> None:
    worse = worsened(drawn, name)
    assert (
        worse.truth is drawn.truth
        and worse.samples.dtype == np.float32
        and np.isfinite(worse.samples).all()
    )
    assert len(worse.samples) / worse.rate_hz == pytest.approx(
        len(drawn.samples) / drawn.rate_hz, abs=0.1
    )
    same = worse.samples.shape == drawn.samples.shape and np.array_equal(
        worse.samples, drawn.samples
    )
    assert same is (name == "as recorded") and np.array_equal(
        worsened(drawn, name).samples, worse.samples
    )


def test_flaws_can_be_set_for_a_drawn_take() -> None:
    _, plain, _ = draw_take(40)
    _, wild, _ = draw_take(40, stray=1.0, fret=1.0)
    assert sum(bool(h.stray_strings) for h in wild.hits) > 5 * sum(
        bool(h.stray_strings) for h in plain.hits
    )
    assert any(h.fret_error for h in wild.hits)


def test_a_swing_run_knows_its_ratio_and_that_of_its_true_onsets() -> None:
    asked, true, heard, low, high = swing_run(3)
    assert 1.4 <= asked <= 2.8 and true is not None and heard is not None and low < heard < high
    assert abs(heard - true) < 0.1 and swing_run(3) == (asked, true, heard, low, high)


def test_a_moved_palm_ranks_and_a_guitar_is_the_same_for_its_seed() -> None:
    rank, said = sweep(2, sampled=False)
    assert rank > 0.6 and {kind for kind, _ in said} >= {"back", "forward"}
    one, other = drawn_guitar(5, sampled=False)[0], drawn_guitar(5, sampled=False)[0]
    assert (
        isinstance(one, ModelGuitar) and isinstance(other, ModelGuitar) and one.hands == other.hands
    )


def test_a_take_with_examples_is_the_take_without_them() -> None:
    without, kept = with_profile(1, sampled=False)
    assert [c.real for c in without.cases] == [c.real for c in kept.cases] and len(kept.cases) > 20
    assert [c.chances for c in without.cases] != [c.chances for c in kept.cases], (
        "the examples have a say"
    )


def test_tables_count_what_they_say() -> None:
    cases = [
        a_case(
            fret_error=int(k == 0),
            chord_ok=k > 1,
            strays=(1,) if k == 2 else (),
            said_strays=(1,) if k in (2, 3) else (),
            stray_apart=k == 2,
            strum_ms=4.0,
            said_strum_ms=5.0,
        )
        for k in range(8)
    ]
    row = chord_table(cases)[2].split("|")
    assert row[4].strip().startswith("0.50") and row[5].strip().startswith("1.00"), (
        "two said wrong, one was"
    )
    assert row[7].strip().startswith("0.50") and row[8].strip().startswith("1.00")
    assert row[9].strip() == "1" and row[10].strip().startswith("1.00")
    assert strum_table(cases)[2].split("|")[4].strip() == "1.00"
    score = Score(
        cases=[*cases, a_case(heard=None, played=False, real=None, error_ms=None)],
        f25=[1.0],
        f10=[0.5],
        extras=[(4, 2, 1)],
        tones=["clean"],
        sources=["modelled"],
    )
    text = "\n".join(onset_table(score))
    assert (
        "| all | 9 | 1.00" in text
        and "Extra hits: precision 0.50" in text
        and "recall 0.25" in text
    )
    score.starts_ms, score.tempo_off, score.cautioned = (
        [1.0, 40.0, 60.0],
        [0.0, 0.0, 0.01],
        [False, True, False],
    )
    assert "without a caution 1 of 3" in start_lines(score)[0]
    assert [name for name, _ in groups([a_case(), a_case(source="sampled")])][
        -1
    ] == "source sampled"
    assert table(("a", "b"), [("1", "2")]) == ["| a | b |", "| --- | --- |", "| 1 | 2 |", ""]


def test_a_stray_string_that_a_note_covers_is_told_from_one_that_stands_apart() -> None:
    riff = parse_riff("title: Strays\ntempo: 100\n[A]\n| A5@5/0 o E5@6/0 o G5@6/3 o - - - - - |\n")
    apart = [
        [n for n in (1, 2, 3) if strays_apart(riff, due.hit, [n])] for due in expand(riff).hits
    ]
    assert apart == [[2, 3], [3], [1, 2]], "e is in A and in E, b in E, g in G"


def test_the_page_and_the_headline_show_the_share_that_was_right() -> None:
    cases = [
        a_case(heard="palm" if k < 10 else "open", planned="palm" if k % 2 else "open")
        for k in range(200)
    ]
    score = Score(cases=cases, f25=[0.99], f10=[0.9])
    (cell,) = cells(score)
    assert (cell["tone"], cell["n"], cell["muted"], cell["unlike_n"]) == (
        "clean",
        200,
        0.95,
        100,
    ) and cell["unlike"] == 0.95
    assert headline(score)["two"] == "0.950" and headline(score)["f25"] == "0.990"
    view = certainty_view([], [("open", "palm"), ("open", "palm"), ("dead", "dead")])
    assert (
        "3 hits yourself and agreed on 1: 2 called open that you say were palm" in view.corrections
    )
    late = Score(cases=[a_case(tone="crunch", error_ms=float(k)) for k in range(-50, 51)])
    assert timing(late) == {"crunch": {"middle_ms": 25.0, "tail_ms": 48.0}}
    for tone, middle, tail in view.timing:
        measured = figures()["timing"][tone]
        said = [float(words.split()[-2]) for words in (middle, tail)]
        assert all(
            0 <= s - measured[key] <= 0.1
            for s, key in zip(said, ("middle_ms", "tail_ms"), strict=True)
        ), "never better than measured"
    assert (
        len(view.rows) == len({(c["from_ms"], c["to_ms"]) for c in figures()["cells"]})
        and not view.stale
    )


def test_the_blocks_of_summary_and_readme_are_replaced_and_nothing_else(
    tmp_path, monkeypatch: pytest.MonkeyPatch
) -> None:  # type: ignore[no-untyped-def]
    page, readme = tmp_path / "summary.md", tmp_path / "README.md"
    page.write_text(f"before\n{everything.BEGIN}\nstale words\n{everything.END}\nafter\n")
    readme.write_text(f"a\n{everything.SHORT_BEGIN}\nstale\n{everything.SHORT_END}\nb\n")
    monkeypatch.setattr(everything, "SUMMARY", page)
    monkeypatch.setattr(everything, "README", readme)
    keys = ("found", "f25", "f10", "median", "p95", "two", "three", "unlike", "unsure")
    stops = Score(cases=[a_case(late_ms=10, said_late_ms=14)])
    everything._write_summaries(
        {"simulated": dict.fromkeys(keys, "0.5")}, ("0", "0"), ("1", "0.95"), "0.9", stops
    )
    text = page.read_text()
    assert (
        text.startswith("before\n")
        and text.endswith("\nafter\n")
        and "stale words" not in text
        and "| stop time, clean and crunch, median, ms | 15 | 4 |" in text
    )
    short = readme.read_text()
    assert short.startswith("a\n") and short.endswith("\nb\n") and "stale" not in short
    assert "| hits found | 0.5 |" in short

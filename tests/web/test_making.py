"""Riffs made from patterns, and moved to other keys and tunings, over HTTP."""

import html
import re
from io import BytesIO

import numpy as np
import pytest
import soundfile

from tests.web.conftest import Browser
from thrumble.core.riff.notation.text import parse_riff
from thrumble.core.riff.patterns import FORMS, PATTERNS
from thrumble.demo import riff_texts

SLUICE = riff_texts()["1-sluice-gate"]


def source_of(page: str) -> str:
    found = re.search(r'name="source" value="([^"]*)"', page)
    assert found
    return html.unescape(found[1])


def test_a_riff_is_made_from_a_pattern_and_kept(visitor: Browser) -> None:
    page = visitor.get("/riffs/pattern").text
    assert all(html.escape(p.title, quote=False) in page for p in PATTERNS.values())
    assert all(form.title in page for form in FORMS.values())
    asked = {"pattern": "shuffle", "form": "12", "key": "F#", "tempo": "112"}
    made = visitor.post("/riffs/pattern", data=asked).text
    assert "12 bars, 96 hits" in made and made.count("<svg") == 12
    riff = parse_riff(source_of(made))
    assert riff.title == "Root and fifth, root and sixth in F#" and riff.tempo_bpm == 112
    kept = visitor.post("/riffs", data={"source": source_of(made)})
    assert riff.title in visitor.get(kept.headers["hx-redirect"]).text


def test_ones_own_chords_and_settings_are_used(visitor: Browser) -> None:
    own = {"pattern": "chug", "form": "own", "degrees": "I bVII", "key": "E", "mutes": "7"}
    riff = parse_riff(source_of(visitor.post("/riffs/pattern", data=own).text))
    assert [bar.hits[0].label for bar in riff.sections[0].bars] == ["E5", "D5"]
    assert sum(hit.articulation == "open" for hit in riff.sections[0].bars[0].hits) == 1
    beats = {"pattern": "backbeat", "form": "8", "beats": ["1", "4"]}
    loud = parse_riff(source_of(visitor.post("/riffs/pattern", data=beats).text))
    assert [hit.at for hit in loud.sections[0].bars[0].hits if hit.accent][1] * 4 == 3


@pytest.mark.parametrize(
    ("asked", "words"),
    [
        ({"pattern": "waltz"}, "Unknown pattern"),
        ({"form": "13"}, "Unknown form"),
        ({"form": "own", "degrees": ""}, "1 to 64 bars"),
        ({"form": "own", "degrees": "I IX"}, "no degree"),
        ({"key": "H"}, "no note name"),
        ({"pattern": "chug", "mutes": "0"}, "1 to 7 mutes"),
        ({"beats": ["9"]}, "1 to 7"),
        ({"meter": "4/3"}, "Choose a meter"),
        ({"meter": "7/8"}, "whole beats"),
        ({"ratio": "lots"}, "Long to short"),
        ({"root": "3"}, "lowest strings"),
        ({"tempo": "5"}, "20"),
        ({"tempo": "quick"}, "number"),
    ],
)
def test_a_choice_that_cannot_be_says_what_can(
    visitor: Browser, asked: dict[str, object], words: str
) -> None:
    answer = visitor.post("/riffs/pattern", data=asked)
    assert answer.status_code in (400, 422) and words in answer.text


def test_a_riff_is_moved_as_its_text_stands_and_nothing_is_saved_yet(
    visitor: Browser, riff_id: int
) -> None:
    before = visitor.get(f"/riffs/{riff_id}/riff.txt").text
    up = visitor.post("/riffs/move", data={"source": SLUICE, "riff": riff_id, "semitones": "1"})
    assert "the open pedal string becomes a fretted note" in up.text
    assert "Save over this riff" in up.text and "Save as a new riff" in up.text
    moved = parse_riff(source_of(up.text))
    assert moved.sections[0].bars[0].hits[0].label == "G5"
    assert visitor.get(f"/riffs/{riff_id}/riff.txt").text == before
    fresh = visitor.post("/riffs/move", data={"source": SLUICE, "semitones": "0"}).text
    assert "Nothing gets lost." in fresh and "Save over this riff" not in fresh


def test_another_tuning_keeps_sound_or_fingering(visitor: Browser) -> None:
    half = "D#2 G#2 C#3 F#3 A#3 D#4"
    asked = {"source": SLUICE, "tuning": half, "keep": "fingering"}
    same_hand = parse_riff(source_of(visitor.post("/riffs/move", data=asked).text))
    assert same_hand.sections[0].bars[0].hits[0].notes[0].fret == 2
    assert same_hand.sections[0].bars[0].hits[0].label == "F5"
    same_sound = parse_riff(
        source_of(visitor.post("/riffs/move", data=asked | {"keep": "sound"}).text)
    )
    assert same_sound.sections[0].bars[0].hits[0].notes[0].fret == 3


@pytest.mark.parametrize(
    ("changed", "words"),
    [
        ({"source": "title: T\n"}, "tempo"),
        ({"semitones": "99"}, "two octaves"),
        ({"semitones": "far"}, "number"),
        ({"tuning": "H9"}, "no pitch"),
        ({"tuning": "E2", "keep": "fingering"}, "keep the sound"),
        ({"keep": "nothing"}, "sound"),
    ],
)
def test_a_move_that_cannot_be_says_why(
    visitor: Browser, changed: dict[str, str], words: str
) -> None:
    answer = visitor.post("/riffs/move", data={"source": SLUICE} | changed)
    assert words in answer.text and answer.status_code in (200, 400, 422)


def test_a_riff_is_heard_as_its_text_stands_and_goes_round(visitor: Browser) -> None:
    asked = {"source": SLUICE, "tone": "clean", "tempo": "236", "first": "1", "last": "2"}
    answer = visitor.post("/riffs/listen", data=asked)
    assert answer.status_code == 200 and answer.headers["content-type"] == "audio/wav"
    sound, rate = soundfile.read(BytesIO(answer.content))
    begin, end = (float(answer.headers[f"x-round-{word}"]) for word in ("begins", "ends"))
    assert end - begin == pytest.approx(2 * 4 * 60 / 236, abs=1e-3), "two bars at twice the tempo"
    assert sound.size / rate > end and 0.1 < np.abs(sound).max() <= 1
    silent, loud = sound[: int(begin * rate * 0.6)], sound[int(begin * rate) :][: rate // 10]
    assert np.abs(silent).max() * 8 < np.abs(loud).max(), "the first hit is where a round begins"
    clicked = visitor.post("/riffs/listen", data=asked | {"beat": "click"}).content
    drummed = visitor.post("/riffs/listen", data=asked | {"beat": "backbeat"}).content
    assert len({answer.content, clicked, drummed}) == 3
    assert visitor.post("/riffs/listen", data=asked | {"beat": "polka"}).status_code == 422
    whole = visitor.post("/riffs/listen", data={"source": SLUICE, "first": "", "tempo": ""})
    assert float(whole.headers["x-round-ends"]) == pytest.approx(0.05 + 14 * 4 * 60 / 118, abs=1e-2)


@pytest.mark.parametrize(
    ("changed", "words"),
    [
        ({"source": "title: T\n"}, "tempo"),
        ({"first": "40"}, "bars 1 to 14"),
        ({"tempo": "9"}, "cannot be played"),
        ({"tempo": "20"}, "choose bars"),
        ({"tone": "velvet"}, "clean"),
    ],
)
def test_what_cannot_be_heard_says_why(
    visitor: Browser, changed: dict[str, str], words: str
) -> None:
    answer = visitor.post("/riffs/listen", data={"source": SLUICE} | changed)
    assert answer.status_code in (400, 422) and words in answer.text


def test_a_sheet_to_print_and_tablature_to_take_along(visitor: Browser, riff_id: int) -> None:
    sheet = visitor.get(f"/riffs/{riff_id}/print").text
    assert "Stop Planks" in sheet and "As played" in sheet and "E|" in sheet
    tablature = visitor.get(f"/riffs/{riff_id}/riff.tab")
    assert tablature.headers["content-disposition"].endswith("Stop%20Planks.tab.txt")
    assert tablature.text.startswith("Stop Planks\n108 bpm")
    assert visitor.get(f"/riffs/{riff_id}/riff.docx").status_code in (404, 422)


def test_a_piece_of_a_riff_opens_as_one_of_its_own(visitor: Browser) -> None:
    two = (
        "title: Weir\ntempo: 100\npedal: 6:0\n[A]\n| m m m m |\n[lead over A]\n| . 2:5 o . 3:4 o |\n"
        "[B]\n| E5@5/7 o - - - |\n"
    )
    shown = visitor.post("/riffs/played", data={"source": two}).text
    assert shown.count('class="stacked"') == 2 and shown.count("<svg") == 3
    for what in ("rhythm", "signature", "both"):
        piece = visitor.post("/riffs/piece", data={"source": two, "what": what}).text
        assert "Save as a new riff" in piece and f"title: Weir, {what}" in html.unescape(piece)
    way = visitor.post(
        "/riffs/piece",
        data={"source": two, "what": "way", "first": "A", "second": "B", "bars": "1"},
    ).text
    assert "Weir, A to B" in way and way.count("<svg") == 2
    wrong = {"source": two, "what": "way", "first": "A", "second": "Z"}
    assert visitor.post("/riffs/piece", data=wrong).status_code == 422
    assert visitor.post("/riffs/piece", data={"source": two, "what": "drums"}).status_code == 422

"""Riff and reading JSON: bad input is named by its place, and readings come back as they were."""

import json
from copy import deepcopy
from typing import Any

import pytest

from thrumble.core.coach.verdict.judgement import judge
from thrumble.core.ear.take import TakeInfo, read_take
from thrumble.core.errors import RiffError
from thrumble.core.player.flaws import Flaws
from thrumble.core.player.perform import perform
from thrumble.core.riff.expand import expand
from thrumble.core.riff.notation.text import parse_riff
from thrumble.demo import riff_texts
from thrumble.formats.reading_json import reading_csv, reading_document, reading_from_document
from thrumble.formats.riff_json import read_riff_json, riff_document
from thrumble.formats.truth_json import truth_document
from thrumble.trained import EAR

GOOD: dict[str, Any] = {
    "format": "thrumble.riff/1",
    "title": "Sluice Gate",
    "tempo_bpm": 118,
    "tuning": ["E2", "A2", "D3", "G3", "B3", "E4"],
    "capo": 0,
    "feel": {"kind": "straight"},
    "sections": [
        {
            "name": "A",
            "bars": [
                {
                    "meter": "4/4",
                    "hits": [
                        {
                            "at": "0",
                            "length": "1/8",
                            "notes": [{"string": 6, "fret": 2}, {"string": 5, "fret": 4}],
                            "articulation": "open",
                            "stroke": "down",
                            "accent": True,
                            "stop": False,
                        },
                        {
                            "at": "1/8",
                            "length": "1/8",
                            "notes": [{"string": 6, "fret": 2}],
                            "articulation": "palm",
                            "stroke": "down",
                        },
                    ],
                }
            ],
        }
    ],
    "play": ["A", "A"],
}


def test_the_documented_example_reads() -> None:
    riff = read_riff_json(json.dumps(GOOD))
    assert (
        riff.sections[0].bars[0].hits[1].depth is not None
        and float(riff.sections[0].bars[0].hits[1].depth) == 0.6
    )
    assert riff_document(riff)["format"] == "thrumble.riff/1"


HIT = ("sections", 0, "bars", 0, "hits", 1)


@pytest.mark.parametrize(
    ("path", "value", "place", "words"),
    [
        (("tempo_bpm",), 10, "tempo", "20 to 400"),
        (("tempo_bpm",), "fast", "tempo_bpm", "number"),
        (("title",), "", "title", "1 to 120"),
        (("tuning",), ["E"] * 6, "tuning", "no pitch"),
        (("format",), "other/1", "format", "thrumble.riff/1"),
        (("play",), ["B"], "play", "not a section"),
        (("surprise",), 1, "surprise", "xtra"),
        (("capo",), 99, "capo", "fret 0"),
        ((*HIT, "at"), 0.125, "section 'A', bar 1, hit 2, at", "fraction"),
        ((*HIT, "at"), "0", "section 'A', bar 1, hit 1, at", "one to a place"),
        ((*HIT, "at"), "9/8", "section 'A', bar 1, hit 2, at", "before the bar's end"),
        ((*HIT, "length"), "2", "section 'A', bar 1, hit 2, length", "at most 7/8"),
        ((*HIT, "articulation"), "loud", "section 'A', bar 1, hit 2, articulation", "open"),
        ((*HIT, "notes"), [], "section 'A', bar 1, hit 2, notes", "at least one"),
        ((*HIT, "depth"), 2, "section 'A', bar 1, hit 2, depth", "between 0"),
        (
            (*HIT, "notes"),
            [{"string": 9, "fret": 1}],
            "section 'A', bar 1, hit 2, string 9",
            "numbered 1",
        ),
        (
            (*HIT, "notes"),
            [{"string": 6, "fret": None}],
            "section 'A', bar 1, hit 2, string 6, fret",
            "only a dead hit",
        ),
        ((*HIT, "slide_from"), -4, "section 'A', bar 1, hit 2, slide_from", "off the neck"),
        ((*HIT, "legato"), "hammer", "section 'A', bar 1, hit 2, stroke", "no stroke"),
        ((*HIT, "stop"), "yes please", "section 'A', bar 1, hit 2, stop", "bool"),
        (("sections", 0, "bars", 0, "meter"), "4/5", "section 'A', bar 1, meter", "power of two"),
        (("sections",), [], "sections", "at least one"),
        (("feel",), {"kind": "shuffle"}, "feel, ratio", "ratio"),
        (("sections", 0, "bars", 0, "hits"), [], "riff", "no hit"),
        ((*HIT, "label"), "two words", "section 'A', bar 1, hit 2, label", "chord name"),
    ],
)
def test_bad_riffs_name_section_bar_hit_and_field(
    path: tuple[Any, ...], value: Any, place: str, words: str
) -> None:
    document = deepcopy(GOOD)
    here: Any = document
    for step in path[:-1]:
        here = here[step]
    here[path[-1]] = value
    with pytest.raises(RiffError) as caught:
        read_riff_json(json.dumps(document))
    assert caught.value.place == place
    assert words in caught.value.expected


def test_a_stop_without_silence_after_it_is_an_error() -> None:
    document = deepcopy(GOOD)
    document["sections"][0]["bars"][0]["hits"][0]["stop"] = True
    with pytest.raises(RiffError, match="silence after it"):
        read_riff_json(json.dumps(document))


@pytest.mark.parametrize(
    "text",
    ["", "{", "[]", "null", "42", '{"a":', "\x00", '{"format": "thrumble.riff/1"}', "[" * 100_000],
)
def test_what_is_no_riff_at_all_is_refused(text: str) -> None:
    with pytest.raises(RiffError):
        read_riff_json(text)


def test_readings_truths_and_csv_hold_what_was_heard() -> None:
    riff = parse_riff(riff_texts()["6-stop-planks"])
    take = perform(riff, seed=1, flaws=Flaws(missed=0.1, extra=0.1))
    reading = read_take(
        take.samples, take.rate_hz, expand(riff), TakeInfo(start_s=take.start_s), ear=EAR
    )
    document = json.loads(json.dumps(reading_document(reading), allow_nan=False))
    assert reading_from_document(document) == reading
    assert list(document)[:2] == ["format", "engine"]
    rows = reading_csv(judge(reading, expand(riff))).splitlines()
    assert len(rows) == len(reading.hits) + 1 and "deviation_ms" in rows[0]
    truth = json.loads(json.dumps(truth_document(take, riff="r", audio="a"), allow_nan=False))
    needed = {
        "index",
        "onset_s",
        "expected_s",
        "slot_ms",
        "planned",
        "played",
        "articulation",
        "ring_s",
        "ring_end",
        "level_db",
    }
    assert all(needed <= set(hit) for hit in truth["hits"]) and truth["start_s"] == pytest.approx(
        take.start_s
    )

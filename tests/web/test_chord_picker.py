"""Choosing a chord at the desk: shapes near the hand, in the riff's tuning, and every root."""

import re

import pytest

from tests.web.conftest import Browser

RIFF = "title: T\ntempo: 100\ntuning: {}\n[A]\n| 6:7,5:9 o . . . |\n"
STANDARD = "E2 A2 D3 G3 B3 E4"


def picked(visitor: Browser, chord: str, tuning: str = STANDARD) -> str:
    body = {"source": RIFF.format(tuning), "chord": chord}
    answer = visitor.post("/riffs/chords", json=body)
    assert answer.status_code == 200, answer.text
    return str(answer.text)


def test_shapes_come_nearest_first_with_the_fingers_of_a_power_chord(visitor: Browser) -> None:
    page = picked(visitor, "A5")
    texts = re.findall(r'data-chord="([^"]+)"', page)
    assert texts[0] == "A5@4/7", "the hand is at fret 7"
    assert texts[1] == "A5@6/5" and texts[-1] in ("A5@3/2", "A5@2/10"), "thin strings come last"
    assert {"A5@6/5", "A5@5/0", "A5@4/7"} <= set(texts) and len(texts) == len(set(texts)) <= 6
    assert "fingers 1 3" in page.split('data-chord="A5@6/5"')[1].split("</button>")[0]


def test_a_drop_tuning_has_its_own_shapes(visitor: Browser) -> None:
    page = picked(visitor, "D5", "D2 A2 D3 G3 B3 E4")
    assert 'data-chord="D5@6/0"' in page and 'data-chord="D5@6/12"' in page


def test_without_a_name_every_root_of_the_low_strings_is_there(visitor: Browser) -> None:
    texts = re.findall(r'data-chord="([^"]+)"', picked(visitor, ""))
    assert len(texts) == 39 and texts[0].endswith("@4/0")
    assert {"E5@6/0", "F#5@6/2", "A5@5/0", "D5@4/0"} <= set(texts)


@pytest.mark.parametrize("name", ["H5", "no such", "A5@99/99", "@", "5" * 60])
def test_what_is_no_chord_is_a_sentence_or_roots(visitor: Browser, name: str) -> None:
    page = picked(visitor, name)
    assert "a chord name: try F#5" in page or "data-chord" in page


def test_a_text_with_an_error_is_answered_with_its_place(visitor: Browser) -> None:
    body = {"source": "title: T\ntempo: 100\n[A]\n| q |\n", "chord": "A5"}
    answer = visitor.post("/riffs/chords", json=body, htmx=False)
    assert answer.status_code == 422 and "Line 4" in answer.text

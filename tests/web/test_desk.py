"""Edits on the strip over HTTP, and two tabs that save the same riff."""

import pytest

from tests.web.conftest import Browser
from thrumble.core.riff.notation.text import parse_riff
from thrumble.demo import riff_texts

SLUICE = riff_texts()["1-sluice-gate"]


def ask(visitor: Browser, source: str = SLUICE, **edit: object) -> dict[str, str]:
    answer = visitor.post("/riffs/edit", json={"source": source, **edit}, htmx=False)
    assert answer.status_code == 200, answer.text
    found: dict[str, str] = answer.json()
    return found


def test_every_written_bar_is_drawn_once_with_the_carets_places(visitor: Browser) -> None:
    drawn = ask(visitor)
    assert drawn["source"] == SLUICE, "looking changes nothing, comments and layout stay"
    assert len(drawn["bars"]) == 6 and all(bar.count("<svg") == 1 for bar in drawn["bars"])
    assert 'data-places="0 0.0 12.5 1 hit;1/8 12.5 12.5 &amp; hit;' in drawn["bars"][0]
    swung = ask(visitor, riff_texts()["3-towpath-shuffle"])["bars"][0]
    assert "1/8 16.667 8.333 &amp; hit" in swung, "the caret stands where the hit is drawn"


def test_an_edit_gives_text_and_drawing_and_keeps_comments(visitor: Browser) -> None:
    done = ask(visitor, op="hit", bar=0, at="1/8", letter="x")
    hit = parse_riff(done["source"]).sections[0].bars[0].hits[1]
    assert hit.articulation == "dead" and "# The gate lifts" in done["source"]
    named = ask(visitor, op="hit", bar=5, at="7/8", letter="o", chord="A5@5/0")
    assert parse_riff(named["source"]).sections[1].bars[1].hits[-1].label == "A5"
    steps = [
        {"op": "mark", "what": "accent", "bar": 0, "at": "1/8"},
        {"op": "hold", "bar": 0, "at": "1/8"},
        {"op": "rest", "bar": 0, "at": "1/2"},
        {"op": "clear", "bar": 0, "at": "3/8"},
        {"op": "chord", "bar": 0, "at": "0", "chord": "G5"},
        {"op": "insert", "bar": 0},
        {"op": "repeat", "bar": 0, "last": 1},
        {"op": "delete", "bar": 1, "last": 2},
    ]
    source = SLUICE
    for step in steps:
        changed = ask(visitor, source, **step)["source"]
        assert changed != source, step
        source = changed
    assert "# The gate lifts" in source


def test_bars_are_copied_and_pasted_also_into_another_riff(visitor: Browser) -> None:
    clip = ask(visitor, op="copy", bar=0, last=1)["clip"]
    into = riff_texts()["2-ballast"]
    pasted = parse_riff(ask(visitor, into, op="paste", bar=0, clip=clip)["source"])
    assert len(pasted.sections[0].bars) == len(parse_riff(into).sections[0].bars) + 2
    assert pasted.sections[0].bars[1] == parse_riff(SLUICE).sections[0].bars[0]


@pytest.mark.parametrize(
    ("edit", "words"),
    [
        ({"grid": "1/99999999"}, "finest grid is 1/96"),
        ({"op": "paint", "grid": "1/96", "last": 3, "until": "7/8"}, "at most 256"),
        ({"source": "title: T"}, "tempo"),
        ({"op": "hit", "bar": 99}, "bars 1 to 6"),
        ({"op": "hit", "at": "9/8"}, "no place"),
        ({"op": "hit", "letter": "q"}, "hit is one of"),
        ({"op": "hit", "chord": "H7"}, "write a name such as F#5"),
        ({"op": "delete", "bar": 0, "last": 5}, "one section"),
        ({"op": "paste", "clip": [{"meter": "4/4"}]}, "Bar: "),
        ({"op": "paste", "clip": [3]}, "Bar: "),
        ({"op": "dance"}, "op"),
        ({"at": "0.5"}, "fraction"),
        ({"grid": "0"}, "greater than zero"),
        ({"bar": -1}, "bar"),
        ({"source": "title: T\ntempo: 90\n[A]\n" + "| E5 o o " * 201 + "|\n"}, "200 bars"),
    ],
)
def test_an_edit_that_cannot_be_says_why_and_changes_nothing(
    visitor: Browser, edit: dict[str, object], words: str
) -> None:
    answer = visitor.post("/riffs/edit", json={"source": SLUICE} | edit, htmx=False)
    assert answer.status_code in (400, 422) and words in answer.text


def test_two_tabs_end_in_a_choice_and_nothing_is_lost(visitor: Browser, riff_id: int) -> None:
    page = f"/riffs/{riff_id}"
    text = visitor.get(f"{page}/riff.txt").text
    first, second = text.replace("108", "100"), text.replace("108", "90")
    assert visitor.post(page, data={"source": first, "base": "1"}).status_code == 204
    asked = visitor.post(page, data={"source": second, "base": "1"})
    assert asked.status_code == 200 and "Changed in another tab" in asked.text
    assert "Save mine as revision 3" in asked.text
    assert visitor.get(f"{page}/riff.txt").text == first
    assert visitor.post(page, data={"source": first, "base": "1"}).status_code == 204, "the same"
    assert visitor.post(page, data={"source": second, "base": "2"}).status_code == 204
    assert visitor.get(f"{page}/riff.txt").text == second

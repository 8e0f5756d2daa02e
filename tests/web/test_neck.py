"""The neck of a riff: routes planned, drawn, laid out as a new revision."""

import re

import pytest

from tests.web.conftest import Browser
from thrumble.core.instrument import Instrument
from thrumble.core.neck.applying import apply_route
from thrumble.core.neck.routes import plan_routes
from thrumble.core.riff.expand import expand
from thrumble.core.riff.model import Riff
from thrumble.core.riff.text import parse_riff
from thrumble.demo import riff_texts
from thrumble.store import database, players, riffs
from thrumble.web.drawings.neck import SIDE, WIDE, neck_drawing

JUMP = "title: Jump\ntempo: 200\npedal: 6:0\n[A]\n| 6:3,5:5 o m 6:8,5:10 o m 6:3,5:5 o m 6:8,5:10 o m |\n"


def pitches(riff: Riff) -> list[list[int | None]]:
    return [[riff.instrument.midi(n) for n in due.hit.notes] for due in expand(riff).hits]


def added(text: str) -> int:
    with database.session() as session:
        player = players.local_player(session)
        return riffs.add_riff(session, player, parse_riff(text), text).riff_id


@pytest.mark.parametrize("name", list(riff_texts()))
def test_a_route_laid_out_sounds_the_same(name: str) -> None:
    riff = parse_riff(riff_texts()[name])
    for route in plan_routes(expand(riff), riff.instrument):
        changed = apply_route(expand(riff), route)
        assert pitches(changed) == pitches(riff)
        assert [d.due_s for d in expand(changed).hits] == [d.due_s for d in expand(riff).hits]


def test_the_drawing_is_true_to_scale_and_mirrored() -> None:
    riff = parse_riff(JUMP)
    route = plan_routes(expand(riff), riff.instrument, strict=True)[0]
    right = neck_drawing(route, Instrument())
    left = neck_drawing(route, Instrument(left_handed=True))
    assert [WIDE - x for x in right.frets] == pytest.approx(left.frets, abs=0.11)
    neck, last = Instrument(), len(right.frets) - 1
    asked = SIDE + neck.fret_mm(5) / neck.fret_mm(last) * (WIDE - 2 * SIDE)
    assert right.frets[5] == pytest.approx(asked, abs=0.1)
    assert right.arcs[-1].css == "worst" and "mm" in right.arcs[-1].text
    assert {dot.finger for dot in right.dots} <= {1, 2, 3, 4}


def test_the_page_names_the_fastest_move_and_lays_the_riff_out(visitor: Browser) -> None:
    number = added(JUMP)
    strict = visitor.get(f"/riffs/{number}/neck?strict=true&school=1-3").text
    assert "The fastest move leads into bar 1" in strict and 'class="arc worst"' in strict
    assert re.search(r'class="big">1[0-9]{2}<', strict)
    free = visitor.get(f"/riffs/{number}/neck").text
    assert "Your hand" in free or "your hand stays where it is" in free
    done = visitor.post(f"/riffs/{number}/neck", data={"route": "0"})
    assert done.headers["hx-redirect"] == f"/riffs/{number}"
    with database.session() as session:
        newest = riffs.newest_revision(session, players.local_player(session), number)
    assert newest.number == 2 and pitches(newest.riff) == pitches(parse_riff(JUMP))
    second = [note.string for note in expand(newest.riff).hits[2].hit.notes]
    assert second == [5, 4], "a string change instead of a jump"


@pytest.mark.parametrize(
    ("query", "status", "words"),
    [
        ("school=7", 422, "choose the fingers from the list"),
        ("reach=20", 422, "no hand"),
        ("reach=nan", 422, "reach"),
        ("route=20", 200, "Lay the riff out"),
        ("reach=61&strict=true", 422, "your hand can"),
    ],
)
def test_nonsense_is_answered_in_words(
    visitor: Browser, query: str, status: int, words: str
) -> None:
    number = added("title: Wide\ntempo: 100\n[A]\n| 6:1,5:5 o - - - |\n")
    answer = visitor.get(f"/riffs/{number}/neck?{query}")
    assert answer.status_code == status and words.lower() in answer.text.lower()
    assert visitor.get("/riffs/999/neck").status_code == 404

"""The neck of a riff: routes planned, drawn, laid out as a new revision."""

import io
import re
from dataclasses import replace
from html import unescape
from urllib.parse import parse_qs

import pytest
import soundfile

from tests.web.conftest import Browser
from thrumble.core.instrument import Instrument
from thrumble.core.neck.apply_route import apply_route
from thrumble.core.neck.locks import Lock
from thrumble.core.neck.routes import plan_routes
from thrumble.core.neck.weights import Wish
from thrumble.core.player.perform import perform
from thrumble.core.riff.expand import expand
from thrumble.core.riff.model import Riff
from thrumble.core.riff.notation.text import parse_riff
from thrumble.demo import riff_texts
from thrumble.store import database
from thrumble.store.players import players
from thrumble.store.practice.hands import Hands
from thrumble.store.riffs import riffs
from thrumble.web.drawings.neck import SIDE, WIDE, neck_drawing
from thrumble.web.neck.query import NeckQuery, read_lock, write_lock

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
    assert {dot.finger for dot in right.dots} <= {"1", "2", "3", "4"}


def test_the_page_names_the_fastest_move_and_lays_the_riff_out(visitor: Browser) -> None:
    number = added(JUMP)
    strict = visitor.get(f"/riffs/{number}/neck?strict=true&school=1-3").text
    assert "into bar 1 on" in strict and 'class="arc worst"' in strict
    assert re.search(
        r'class="big">[0-9]{2,3}</div><div class="under"><button[^>]*>bpm: good up to here', strict
    )
    free = unescape(visitor.get(f"/riffs/{number}/neck").text)
    assert "Play it as written. Worth a try:" in free and "no shifting at all" in free
    done = visitor.post(f"/riffs/{number}/neck?route=1")
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
        ("damping=7", 422, "choose the damping from the list"),
        ("picking=no", 422, "choose the picking from the list"),
        ("wish=gold", 422, "choose the wishes from the list"),
        ("lock=x", 422, "unlock all, then lock again"),
        ("lock=9~6.1-5.5~1.4", 422, "presses no string"),
        ("lock=0~6.3-5.3~", 422, "can't take 6:1, 5:5 as 6:3, 5:3"),
        ("reach=20", 422, "realistic reach"),
        ("reach=nan", 422, "reach"),
        ("tempo=4000", 422, "tempo"),
        ("route=20&at=99999", 200, "Use this fingering"),
        ("reach=61&strict=true", 422, "your hand can"),
    ],
)
def test_nonsense_is_answered_in_words(
    visitor: Browser, query: str, status: int, words: str
) -> None:
    number = added("title: Wide\ntempo: 100\n[A]\n| 6:1,5:5 o - - - |\n")
    answer = visitor.get(f"/riffs/{number}/neck?{query}")
    assert answer.status_code == status and words.lower() in unescape(answer.text).lower()
    assert visitor.get("/riffs/999/neck").status_code == 404


def test_a_lock_goes_into_the_address_and_out_again() -> None:
    asked = NeckQuery(hands=Hands(), wishes=frozenset({Wish.LOW}), strict=True, tempo_bpm=90, at=3)
    lock = Lock(4, ((6, 3), (5, 5)), (1, 3))
    assert read_lock(write_lock(lock)) == lock
    for bare in (Lock(4, None, (1, 3)), Lock(4, ((6, 3),), None)):
        assert read_lock(write_lock(bare)) == bare
    given = parse_qs(asked.with_lock(lock))
    assert given["lock"] == ["4~6.3-5.5~1.3"] and given["at"] == ["4"]
    held = replace(asked, locks=(lock,))
    assert "lock" not in parse_qs(held.without_lock(4))
    assert parse_qs(held.with_lock(Lock(4, None, (1, 4))))["lock"] == ["4~~1.4"]


def test_a_chord_is_locked_elsewhere_and_the_riff_laid_out_so(visitor: Browser) -> None:
    number = added(JUMP)
    page = unescape(visitor.get(f"/riffs/{number}/neck?at=2").text)
    way = re.search(r'href="\?([^"]*)">6/8 5/10 with', page)
    assert way is not None
    held = unescape(visitor.get(f"/riffs/{number}/neck?{way[1]}").text)
    assert "Unlock all 1" in held and '<a class="lock held"' in held
    visitor.post(f"/riffs/{number}/neck?{way[1]}")
    with database.session() as session:
        newest = riffs.newest_revision(session, players.local_player(session), number)
    assert [(n.string, n.fret) for n in expand(newest.riff).hits[2].hit.notes] == [(6, 8), (5, 10)]


def test_the_hand_is_measured_kept_and_used(visitor: Browser) -> None:
    number = added(JUMP)
    measured = visitor.post("/neck/hand/reach", data={"fret_1": "4", "fret_5": "9", "fret_9": ""})
    assert "Your reach is between 100 and 122 mm" in measured.text
    kept = {"reach": "104", "school": "1-4", "damping": "aim", "picking": "down"}
    assert visitor.post("/neck/hand", data=kept).status_code == 204
    page = visitor.get(f"/riffs/{number}/neck").text
    assert "fingers 1 and 4 · your reach 104 mm" in page and "Your pick stays off" in page
    visitor.post(f"/riffs/{number}/neck/hand?school=any&reach=120")
    assert "any fingers · your reach 120 mm" in visitor.get(f"/riffs/{number}/neck").text
    for bad in ({"reach": "3"}, {**kept, "school": "9"}, {**kept, "picking": "x"}):
        assert visitor.post("/neck/hand", data=bad).status_code == 422
    disagree = {"fret_1": "6", "fret_5": "8", "fret_9": "12"}
    assert "don't agree" in unescape(visitor.post("/neck/hand/reach", data=disagree).text)
    assert visitor.post("/neck/hand/reach", data={}).status_code == 422


@pytest.mark.parametrize(
    ("query", "status", "words"),
    [
        ("name=F%235", 200, "14 places on your neck"),
        ("name=f%23", 200, "14 places on your neck"),
        ("name=6/3", 200, "6/3 is G"),
        ("name=6/1&key=F", 200, "6/1 is F"),
        ("name=6/2&key=Db", 200, "6/2 is Gb"),
        ("name=9/3", 422, "strings are 1 to 6"),
        ("name=H5", 422, "We don't know a chord called"),
        ("shape=wide&root=5&fret=3", 200, "C5: root, octave, fifth above"),
        ("shape=sixth&fret=1", 200, "it takes 127 mm"),
        ("shape=one-finger", 200, "The lowest string tuned a whole step down"),
        ("shape=gold", 422, "choose one from it"),
    ],
)
def test_shapes_and_chords_are_found(visitor: Browser, query: str, status: int, words: str) -> None:
    answer = visitor.get(f"/shapes?{query}")
    assert answer.status_code == status and words in unescape(answer.text)
    if query.startswith("name="):
        assert 'name="name"' in answer.text  # the field stays, to type another one


def test_a_shape_is_heard_and_its_ladder_becomes_a_riff(visitor: Browser) -> None:
    heard = visitor.get("/shapes/listen?shape=sixth&root=6&fret=3")
    samples, rate = soundfile.read(io.BytesIO(heard.content))
    assert rate > 8000 and samples.shape[0] > rate and float(abs(samples).max()) > 0.1
    made = visitor.post("/shapes/ladder", data={"shape": "sixth", "root": "6", "fret": "3"})
    page = visitor.get(made.headers["hx-redirect"]).text
    assert "Reach ladder, root and sixth" in page and "6:12,5:16" in page
    assert (
        visitor.post(
            "/shapes/ladder", data={"shape": "single", "root": "6", "fret": "3"}
        ).status_code
        == 422
    )
    assert visitor.get("/neck", follow_redirects=False).headers["location"].endswith("/neck")


def test_a_recall_drill_is_heard_and_its_table_grows(visitor: Browser) -> None:
    query = "root=4&root=9&string=6&string=5&count=4&order=circle"
    calls = visitor.get(f"/neck/recall/calls?{query}").json()
    assert len(calls) == 4 and {one["name"] for one in calls} <= {"E5", "A5"}
    neck = Instrument()
    bars = []
    for one in calls:
        fret = (one["root"] - neck.open_midi(one["string"])) % 12
        bars.append(f"| . . {one['string']}:{fret},{one['string'] - 1}:{fret + 2} o ~ ~ ~ |")
    take = perform(parse_riff("title: T\ntempo: 120\n[A]\n" + "\n".join(bars) + "\n"), seed=1)
    sent = {
        "rate": take.rate_hz,
        "start": take.start_s,
        "every": 2.0,
        "call": [f"{one['root']}.{one['string']}" for one in calls],
    }
    done = visitor.post(
        "/neck/recall", params=sent, content=take.samples.astype("<f4").tobytes(), htmx=False
    )
    assert done.status_code == 200 and done.json()["words"].startswith("4 of 4 calls right, 0.7 s")
    assert (
        visitor.get("/neck/recall/table").text.count("1 of 1")
        + visitor.get("/neck/recall/table").text.count("2 of 2")
        >= 1
    )
    for bad in ("root=4&string=9", "root=44&string=6", "root=4&string=6&order=x", "string=6"):
        assert visitor.get(f"/neck/recall/calls?{bad}").status_code == 422
    sent["call"] = ["x"]
    assert (
        visitor.post("/neck/recall", params=sent, content=b"\0" * 4000, htmx=False).status_code
        == 422
    )


def test_the_hands_speed_can_be_set(visitor: Browser) -> None:
    number = added(JUMP)
    assert "Play it as written" in unescape(visitor.get(f"/riffs/{number}/neck").text)
    for speed, status in (("90", 422), ("fast", 422), ("9999", 422), ("150", 204)):
        data = {"reach": "112", "speed": speed}
        assert visitor.post("/neck/hand", data=data).status_code == status
    page = unescape(visitor.get(f"/riffs/{number}/neck").text)
    assert "is too fast for you at" in page, "150 mm a second is slow"
    assert "You set your hand's speed to 150" in unescape(visitor.get("/neck/hand").text)
    assert visitor.post("/neck/hand", data={"reach": "112"}).status_code == 204
    assert "Play it as written" in unescape(visitor.get(f"/riffs/{number}/neck").text)

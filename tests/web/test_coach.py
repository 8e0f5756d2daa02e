"""The coach on the pages: a take proposes its drill, the drill is played, what it changed is said;
drills, log and tempo.
"""

import re
from datetime import UTC, date, datetime, timedelta
from html import unescape

import pytest

from tests.web.coach_takes import SHORT, added, played
from tests.web.conftest import Browser
from thrumble.actions import planning
from thrumble.actions.coaching import catch_up, drill_for
from thrumble.actions.judging import judged_take
from thrumble.core.coach.progress.habits import PlayedPlace, habits_of
from thrumble.core.player.flaws import Flaws
from thrumble.core.riff.drills.catalogue import DrillKind
from thrumble.demo import riff_texts
from thrumble.formats.progress_json import PlayedReading, progress_document
from thrumble.store import database
from thrumble.store.players import players
from thrumble.store.practice import loads, logbook, rounds
from thrumble.store.practice.rounds import local_day
from thrumble.store.riffs import drills, riffs
from thrumble.store.riffs.drills import DrillOf
from thrumble.web.shared.up_next import UpNextView, up_next_view

NINE = riff_texts()["8-nine-locks-down"]

DAY = date(2026, 3, 2)


def up_next() -> UpNextView:
    """What Today offers without a plan."""
    with database.session() as session:
        offered = up_next_view(session, players.local_player(session))
    assert offered is not None
    return offered


def test_the_first_plan_of_the_day_decides_what_is_up_next(visitor: Browser) -> None:
    """Before it nothing is offered, and after it every page offers the same."""
    added(SHORT)
    page = visitor.get("/").text
    assert "working it out" in page and 'id="play-up-next"' not in page
    planned = visitor.post("/plan/today").text
    again = visitor.get("/").text
    offered = [re.findall(r'class="big">([^<]+)<', text)[:2] for text in (planned, again)]
    assert offered[0] == offered[1] and 'id="play-session"' in again


def test_a_bad_take_proposes_its_drill_which_is_played_and_what_it_changed_is_said(
    visitor: Browser,
) -> None:
    revision = added(NINE)
    bad = played(revision, Flaws(timing=5, shift=60), seed=1)
    page = unescape(visitor.get(f"/takes/{bad}").text)
    assert "Shifts alone" in page and "your hand learns each move by itself".capitalize() in page
    sent = {"kind": "shifts", "tempo": "90"}
    made = visitor.post(f"/riffs/{revision.riff_id}/drills", data=sent)
    drill_id = int(made.headers["hx-redirect"].rsplit("/", 1)[1])
    with database.session() as session:
        player = players.local_player(session)
        drill = riffs.newest_revision(session, player, drill_id)
        assert drills.drill_of(session, player, drill_id) == DrillOf(
            revision.riff_id, DrillKind.SHIFTS, None
        )
    drilled = played(drill, Flaws(timing=4), seed=2)
    there = unescape(visitor.get(f"/takes/{drilled}").text)
    assert "Back to the whole riff" in there
    good = played(revision, Flaws(timing=5), seed=3)
    after = unescape(visitor.get(f"/takes/{good}").text)
    assert re.search(
        r"Shifts alone helped: the same hits lie \d+ ms closer to the click \(\d+ to \d+\)", after
    )
    listed = unescape(visitor.get(f"/riffs/{revision.riff_id}/drills").text)
    assert "helped 1 of 1 time" in listed
    log = unescape(visitor.get("/log").text)
    assert "helped 1 of 1 time" in visitor.get("/log/practice").text and "clean speed" in log
    assert "shifts alone" not in visitor.get("/riffs").text, "drills stand with their riff"


def test_a_drill_is_one_riff_however_often_it_is_asked_for_and_may_stand_alone(
    visitor: Browser,
) -> None:
    revision = added(SHORT)
    asked = {"kind": "loop", "first": "1", "last": "1"}
    first, again = (
        visitor.post(f"/riffs/{revision.riff_id}/drills", data=asked).headers["hx-redirect"]
        for _ in range(2)
    )
    assert first == again
    other = visitor.post(f"/riffs/{revision.riff_id}/drills", data={**asked, "last": "2"})
    assert other.headers["hx-redirect"] != first
    own = visitor.post(f"/riffs/{revision.riff_id}/drills", data={**asked, "as_riff": "true"})
    page = visitor.get(own.headers["hx-redirect"])
    assert "Weir: loop, bar 1" in page.text and "Weir: loop, bar 1" in visitor.get("/riffs").text
    heard = visitor.get(f"/riffs/{revision.riff_id}/drills/listen?kind=shifts")
    assert heard.content[:4] == b"RIFF"


@pytest.mark.parametrize(
    ("query", "status", "words"),
    [
        ("", 200, "a bar or a few"),
        ("kind=stops", 200, "hands that come down"),
        ("kind=slides", 200, "nothing for the drill 'slides alone'"),
        ("kind=nope", 422, "choose one from it"),
        ("kind=loop&first=9&last=12", 200, "the riff has bars 1 to 2"),
        ("kind=loop&first=x", 200, "bars are whole numbers"),
        ("kind=loop&first=2", 200, "1 bar"),
    ],
)
def test_the_drills_page_says_what_cannot_be_made(
    visitor: Browser, query: str, status: int, words: str
) -> None:
    number = added(SHORT).riff_id
    answer = visitor.get(f"/riffs/{number}/drills?{query}")
    assert answer.status_code == status and words.lower() in unescape(answer.text).lower()
    assert visitor.post(f"/riffs/{number}/drills", data={"kind": "slides"}).status_code == 422
    assert visitor.get("/riffs/99999/drills").status_code == 404


def test_the_log_is_empty_then_tells_then_forgets_deleted_takes(visitor: Browser) -> None:
    assert "No data yet" in visitor.get("/log").text
    assert visitor.get("/log?riff=77").status_code == 404
    revision = added(SHORT)
    ids = [
        played(revision, Flaws(timing=3), seed=k, days_ago=6 - k, tempo=96 + 4 * k)
        for k in range(2)
    ]
    early = unescape(visitor.get("/log").text)
    assert "2 passes so far, 2 clean, up to 100 bpm. Play 3 more" in early
    assert "too early for a clean speed" in early and "bpm short" not in early
    ids += [
        played(revision, Flaws(timing=3), seed=k, days_ago=6 - k, tempo=96 + 4 * k)
        for k in range(2, 5)
    ]
    page = unescape(visitor.get("/log").text)
    assert "Weir" in page and "section A" in page and "longest clean run" in page
    practice = unescape(visitor.get("/log/practice").text)
    assert "5 takes in 6 weeks" in practice and "nothing to compare it with yet" in practice
    figure = float(re.search(r'class="big">(\d+)<', page)[1])  # type: ignore[index]
    assert 90 < figure < 150
    assert re.search(r"pass at 112 was clean: \d+ next", up_next().reason)
    for take_id in ids:
        visitor.post(f"/takes/{take_id}/delete")
    assert "No data yet" in visitor.get("/log").text
    assert "Nothing played in these weeks" in visitor.get("/log/practice").text


def test_every_figure_of_the_log_opens_its_takes(visitor: Browser) -> None:
    revision = added(SHORT)
    fine = played(revision, Flaws(timing=3), seed=1, days_ago=8)
    bad = played(revision, Flaws(timing=60), seed=2, days_ago=1)
    played(revision, Flaws(timing=3), seed=3)
    log = unescape(visitor.get("/log").text)
    place = re.search(r'href="(/log/takes\?riff=\d+&section=A&bar=1&at=0)"', log)
    assert place, "a place of the riff leads to its takes"
    there = unescape(visitor.get(place[1]).text)
    assert "3 takes, section A, bar 1" in there and re.search(r"(early|late|on time) there", there)
    practice = unescape(visitor.get("/log/practice").text)
    cause = re.search(r'href="(/log/takes\?week=[^"&]+&cause=spread)"', practice)
    assert cause and "loose timing" in practice
    behind = visitor.get(cause[1]).text
    assert f"/takes/{bad}" in behind and f"/takes/{fine}" not in behind
    days = re.findall(r'href="(/log/takes\?day=[^"]+)" class="day', practice)
    assert [f"/takes/{n}" in visitor.get(days[0]).text for n in (fine, bad)] == [True, False]
    number = revision.riff_id
    for query, status in (
        (f"riff={number}&section=A", 200),
        (f"riff={number}&tempo=110", 200),
        (f"riff={number}&bar=1", 422),
        ("day=yesterday", 422),
        ("week=9999-12-31", 422),
        ("day=0001-01-01", 422),
        ("cause=magic", 422),
        ("riff=99999", 404),
        ("week=2001-01-01&page=999999", 200),
    ):
        answer = visitor.get(f"/log/takes?{query}")
        assert answer.status_code == status and "Input should" not in answer.text, query


def test_what_the_player_says_of_a_hit_changes_the_figures_at_once(visitor: Browser) -> None:
    revision = added(SHORT)
    take_id = played(revision, Flaws(timing=3))

    def figures() -> tuple[list[bool], int]:
        with database.session() as session:
            player = players.local_player(session)
            own = rounds.rounds_of(session, player, revision.riff_id)
            places = logbook.played_places(session, player, revision.riff_id)
        return [one.clean for one in own], sum(one.wrong for one in places)

    clean, wrong = figures()
    assert clean == [True]
    for index in (1, 2):
        visitor.post(f"/takes/{take_id}/hits/1-{index}/correct", data={"articulation": "dead"})
    assert figures() == ([False], wrong + 2)
    for index in (1, 2):
        visitor.post(f"/takes/{take_id}/hits/1-{index}/correct", data={"articulation": "none"})
    assert figures() == ([True], wrong)


def test_readings_from_before_there_were_rounds_get_theirs(visitor: Browser) -> None:
    revision = added(SHORT)
    take_id = played(revision, Flaws(timing=3))
    with database.session() as session:
        player = players.local_player(session)
        kept = rounds.rounds_of(session, player, revision.riff_id)
        session.execute(
            __import__("sqlalchemy").text(
                "delete from round; delete from load; update reading set judged_by = 0"
            )
        )
    assert len(kept) == 1
    assert catch_up(0) == take_id and catch_up(take_id) is None
    with database.session() as session:
        assert rounds.rounds_of(session, player, revision.riff_id) == kept


def test_a_day_is_the_players_own_wherever_they_are() -> None:
    late = datetime(2026, 9, 1, 23, 30, tzinfo=UTC)
    assert local_day(late, "UTC") == date(2026, 9, 1)
    assert local_day(late, "Europe/Berlin") == date(2026, 9, 2)
    assert local_day(late, "America/New_York") == date(2026, 9, 1)
    assert local_day(late, "Nowhere/Such") == date(2026, 9, 1)


def test_a_loop_counts_for_the_section_it_holds(visitor: Browser) -> None:
    revision = added(SHORT)
    with database.session() as session:
        player = players.local_player(session)
        of = DrillOf(revision.riff_id, DrillKind.LOOP, (1, 1))
        loop = drill_for(session, player, of, None)
    played(loop, Flaws(timing=2))
    with database.session() as session:
        assert rounds.rounds_of(session, player, revision.riff_id) == []
        assert len(rounds.rounds_of(session, player, revision.riff_id, "A")) == 1
        assert rounds.rounds_of(session, player, revision.riff_id, "B") == []
        (day,) = loads.played_days(session, player, date(2020, 1, 1))
    assert day.takes == 1 and day.strokes == 8 and day.minutes == pytest.approx(4 * 60 / 110 / 60)


def test_a_place_that_is_always_late_is_a_habit() -> None:
    late = [
        PlayedPlace(k, "A", 1, "1/4", 1, ms, 0, 1, 0, DAY + timedelta(k))
        for k, ms in enumerate((22.0, 30.0, 26.0))
    ]
    half = ("A", 1, "1/2")
    missed = [
        PlayedPlace(1, *half, 1, None, 1, 0, 0, DAY),
        PlayedPlace(2, *half, 2, 1.0, 0, 2, 2, DAY),
    ]
    once = [PlayedPlace(1, "B", 1, "0", 1, 50.0, 0, 0, 0, DAY)]
    first, second = habits_of([*late, *missed, *once])
    assert (first.late_ms, first.missed, first.wrong, first.times) == (26.0, 0.0, 0.0, 3)
    assert second.missed == pytest.approx(1 / 3) and second.wrong == 1.0
    many = PlayedPlace(3, "A", 1, "1/4", 9, 60.0, 0, 9, 0, DAY)
    assert habits_of([*late, many])[0].late_ms == 60.0, "a take of many rounds weighs more"
    assert not first.is_settled, "three times on three days is not yet a habit"
    assert habits_of([*late, many])[0].is_settled
    assert not habits_of([many])[0].is_settled, "nine times on one day"


def test_a_comfort_of_eight_stops_the_day_and_is_answered_in_words(visitor: Browser) -> None:
    added(SHORT)
    fine = visitor.post("/comfort", data={"score": "1"})
    assert "Before playing: <strong>1 of 10" in fine.text and "doctor" not in fine.text
    pain = unescape(visitor.post("/comfort", data={"score": "8", "when": "after"}).text)
    assert "8 of 10 is pain. Stop for today" in pain and "hand specialist" in pain
    page = visitor.get("/").text
    assert "up-next resting" in page and page.index("is pain") < page.index("Up next")
    eased = visitor.post("/comfort", data={"score": "0", "when": "after"})
    assert "is pain" not in eased.text, "a second answer takes the first one's place"
    numb = {"score": "0", "when": "after", "numb": "true", "areas": ["left wrist"]}
    assert "Numb or tingling: stop for today" in visitor.post("/comfort", data=numb).text
    for bad in (
        {"score": "11"},
        {"score": "x"},
        {"score": "1", "when": "never"},
        {"score": "1", "areas": ["nose"]},
    ):
        assert visitor.post("/comfort", data=bad).status_code == 422


def test_a_mistyped_answer_is_taken_back_and_the_plan_follows(visitor: Browser) -> None:
    added(SHORT)
    wrong = visitor.post("/comfort", data={"score": "9"})
    assert "Stop for today" in wrong.text and "Undo" in wrong.text
    assert wrong.headers["hx-trigger"] == "hands-changed", "the plan on the page asks again"
    assert "Up next" not in visitor.post("/plan/today").text
    undone = visitor.post("/comfort/undo", data={"when": "before"})
    assert "Stop for today" not in undone.text and "9 of 10" not in undone.text
    assert undone.headers["hx-trigger"] == "hands-changed"
    assert 'id="play-session"' in visitor.post("/plan/today").text, "there is a plan again"
    assert visitor.post("/comfort/undo", data={"when": "before"}).status_code == 200
    assert visitor.post("/comfort/undo", data={"when": "never"}).status_code == 422


def test_the_player_chooses_how_to_get_faster(visitor: Browser) -> None:
    revision = added(SHORT)
    hand = {"reach": "112", "ladder": "bursts"}
    assert visitor.post("/neck/hand", data=hand).status_code == 204
    assert "hort bursts at the tempo you want" in up_next().reason
    assert visitor.post("/neck/hand", data={**hand, "ladder": "magic"}).status_code == 422
    take = played(revision, Flaws(timing=2))
    assert "Loop" in visitor.get(f"/takes/{take}").text


def test_the_session_is_put_together_and_blocks_get_done(visitor: Browser) -> None:
    assert "due. Play what you like" in visitor.post("/plan/today").text
    revision = added(SHORT)
    fresh = unescape(visitor.post("/plan/today").text)
    assert (
        "new: start while you're fresh" in fresh
        and "warm-up" in fresh
        and re.search('class="warm-up m2 here"', fresh)
    )
    ago = [played(revision, Flaws(timing=25), seed=k, days_ago=4 - k, tempo=100) for k in range(2)]
    assert "new: start while you're fresh" in unescape(visitor.post("/plan/today").text), (
        "a session stays as planned"
    )
    due = unescape(visitor.post("/plan").text)
    assert "due: last played 3 days ago" in due and ago
    every = {"weekdays": [str(k) for k in range(7)]}
    short = visitor.post("/plan/practice", data={"minutes": "5", **every})
    assert "warm-up" not in short.text and "5 min" in short.text
    none = visitor.post("/plan/practice", data={"minutes": "0", **every})
    assert "due. Play what you like" in none.text
    for bad in (
        {"minutes": "600"},
        {"minutes": "-1"},
        {"minutes": "x"},
        {"minutes": "20", "begins": "half past"},
        {"minutes": "20", "rise": "500"},
        {"minutes": "20", "weekdays": ["9"]},
    ):
        assert visitor.post("/plan/practice", data={**every, **bad}).status_code == 422
    assert visitor.post("/plan/practice", data={"minutes": "20"}).status_code == 422, "no day"
    visitor.post("/plan/practice", data={"minutes": "20", **every})
    visitor.post("/comfort", data={"score": "9"})
    assert "Rest today" in visitor.post("/plan/today").text


def test_a_downloaded_reading_says_when_it_was_played_and_progress_takes_it(
    visitor: Browser,
) -> None:
    revision = added(SHORT)
    take_id = played(revision, Flaws(timing=3), days_ago=3)
    data = visitor.get(f"/takes/{take_id}/reading.json").content
    one = PlayedReading.read(data, "a.json", None)
    assert one.day == (datetime.now(UTC) - timedelta(days=3)).date()
    told = progress_document(revision.riff, [one])
    assert told["rounds"] == 1 and told["by_day"][0]["day"] == one.day.isoformat()


class Forgetful(dict):  # type: ignore[type-arg]
    """A cache that another request clears right after anything was looked up in it."""

    def __contains__(self, key: object) -> bool:
        return True

    def get(self, key: object, default: object = None) -> object:
        self.clear()
        return default


def test_a_cache_that_is_cleared_in_between_does_no_harm(
    visitor: Browser, monkeypatch: pytest.MonkeyPatch
) -> None:
    played(added(SHORT), Flaws(timing=5))
    monkeypatch.setattr(planning, "_STANDINGS", Forgetful())
    assert visitor.get("/").status_code == 200
    assert visitor.post("/plan/today").status_code == 200


def test_a_damaged_recording_never_moves_the_ladder(visitor: Browser) -> None:
    """Three damaged passes once took a riff from 100 down to 85."""
    revision = added(SHORT)
    played(revision, Flaws(timing=3), tempo=100)
    with database.session() as session:
        player = players.local_player(session)
        before = rounds.rounds_of(session, player, revision.riff_id)
    damaged = played(revision, Flaws(timing=3), seed=1, tempo=100, gap_frames=9000)
    with database.session() as session:
        assert judged_take(session, player, damaged).findings[0].kind == "damaged"
        assert rounds.rounds_of(session, player, revision.riff_id) == before
    fast = played(revision, Flaws(timing=3), seed=2, tempo=160, gap_frames=9000)
    verdict = visitor.get(f"/takes/{fast}/verdict").json()
    assert verdict["step"] == pytest.approx(160, abs=1), "a loop stays at its tempo"

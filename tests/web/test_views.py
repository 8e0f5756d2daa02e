"""Views: numbers become words, the play screen's plan carries what the script needs, lists and
states speak plainly.
"""

from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal

import pytest
from sqlmodel import Session

from tests.core.hand_made import expanded, heard
from tests.web.judged import NOW, TEXT, a_take, judged, revision
from thrumble.core.ear.reading import (
    Caution,
    HeardKind,
    HitState,
    RingEnd,
    Summary,
)
from thrumble.core.errors import RiffError
from thrumble.core.instrument import Instrument
from thrumble.core.riff.notation.text import parse_riff
from thrumble.core.takes import TakeState
from thrumble.demo import riff_texts
from thrumble.store.players import players
from thrumble.store.practice.logbook import LoggedRiff
from thrumble.store.riffs import riffs
from thrumble.store.takes import take_lists, takes
from thrumble.store.takes.take_lists import TakeLine
from thrumble.store.takes.takes import NewTake
from thrumble.web.log.views import riff_tabs
from thrumble.web.play.views import play_view
from thrumble.web.riffs.views import FIRST_TEXT, preview_error, preview_of, text_view
from thrumble.web.shared.paging import pages
from thrumble.web.shared.reading import reading_view
from thrumble.web.shared.takes import status_view, take_line
from thrumble.web.shared.up_next import up_next_view
from thrumble.web.today.views import care_view, today_view


def test_a_reading_in_words_names_what_was_not_measured() -> None:
    riff = expanded("| 6:2 o o M x |")
    changes = {
        0: {"deviation_ms": 31.0, "ring_end": RingEnd.STOP, "stop_late_ms": 75.0},
        1: {
            "state": HitState.MISSED,
            "onset_s": None,
            "deviation_ms": None,
            "heard_articulation": None,
            "probabilities": None,
            "ring_s": None,
            "ring_end": None,
        },
        2: {"heard_articulation": HeardKind.OPEN},
        3: {"heard_articulation": HeardKind.UNSURE},
    }
    reading = replace(
        heard(riff, hits=changes),
        cautions=[Caution(code="dropouts", text="Damaged."), Caution(code="few_hits", text="Few.")],
    )
    view = reading_view(judged(reading))
    first, missed, rang, unsure = view.hits
    assert first.odd and "stopped, +75 ms" in first.ends and first.deviation == "+31.0"
    assert (missed.heard, missed.deviation, missed.ring, missed.chances) == ("missed", "", "", "")
    assert rang.odd and rang.heard == "open" and unsure.heard == "unsure" and not unsure.odd
    figures = {line.name: line.value for line in view.figures}
    assert (
        figures["lead or lag"] == "not known"
        and figures["spread"] == "not measured"
        and "swing" not in figures
    )
    assert [(c.text, c.grave) for c in view.cautions] == [("Damaged.", True), ("Few.", False)]
    assert "take 4 · recorded here · 120 bpm" in view.meta and "latency not measured" in view.meta


def test_bias_and_swing_are_shown_where_they_are_known() -> None:
    riff = expanded("| 6:2 o o M x |")
    summary = Summary(
        matched=4,
        missed=0,
        extra=0,
        unsure=0,
        bias_ms=-6.4,
        swing_ratio=1.82,
        swing_interval=(1.7, 1.94),
    )
    reading = replace(heard(riff), summary=summary, bias_judged=True, delay_ms=11.0)
    view = reading_view(judged(reading, delay_ms=11.0))
    figures = {line.name: line.value for line in view.figures}
    assert figures["lead or lag"] == "-6 ms" and figures["swing"] == "1.82 (1.70 to 1.94)"


@pytest.mark.parametrize(
    ("age", "words"),
    [
        (10, "just now"),
        (1200, "20 minutes ago"),
        (7200, "2 hours ago"),
        (90_000, "yesterday"),
        (400_000, "4 days ago"),
    ],
)
def test_takes_in_a_list_say_when_and_what(age: int, words: str) -> None:
    take = a_take(created_at=NOW - timedelta(seconds=age))
    line = take_line(
        TakeLine(take=take, title="Ballast", verdict="2 hits are missing.", clean=3, judged=4), NOW
    )
    assert (line.when, line.words, line.clean, line.size) == (
        words,
        "2 hits are missing.",
        "3 of 4 clean",
        "1.5 MB",
    )
    failed = take_line(
        TakeLine(
            take=replace(take, state=TakeState.FAILED, problem="Cut it."),
            title="B",
            verdict=None,
            clean=None,
            judged=None,
        ),
        NOW,
    )
    assert failed.words == "Cut it." and failed.clean == ""


def test_every_state_has_words_and_only_a_failed_take_offers_another_reading() -> None:
    views = {state: status_view(a_take(state=state)) for state in TakeState}
    assert all(view.words for view in views.values())
    assert [state for state, view in views.items() if view.failed] == [TakeState.FAILED]
    assert [state for state, view in views.items() if view.keep_asking] == [
        TakeState.QUEUED,
        TakeState.READING,
    ]


def test_a_page_asks_ever_more_rarely_and_then_offers_a_way_out() -> None:
    waits = [
        status_view(a_take(state=TakeState.READING), asked).ask_again_ms for asked in range(40)
    ]
    assert waits[0] <= 250 and waits == sorted(waits) and waits[-1] == 5000
    assert sum(wait < 250 for wait in waits) < 20, "often only for as long as a take usually needs"
    slow = [status_view(a_take(state=TakeState.READING), asked).slow for asked in range(40)]
    assert slow[-1] and sum(waits[: slow.index(True)]) > 15_000, "not before a take is really late"
    assert not status_view(a_take(state=TakeState.READ), 99).slow


@pytest.mark.parametrize(
    ("count", "page", "words", "before", "after"),
    [
        (0, 1, "", None, None),
        (50, 1, "", None, None),
        (51, 9, "51 to 51 of 51", 1, None),
        (120, 2, "51 to 100 of 120", 1, 3),
    ],
)
def test_long_lists_have_a_way_on_and_back(
    count: int, page: int, words: str, before: int | None, after: int | None
) -> None:
    paging = pages(count=count, page=page, size=50, query={"q": "a&b", "state": ""})
    assert paging.words == words
    assert (paging.before, paging.after) == tuple(
        None if n is None else f"?q=a%26b&page={n}" for n in (before, after)
    )


def test_the_play_screens_plan_holds_clicks_bars_and_eye_cues() -> None:
    view = play_view(revision(riff_texts()["8-nine-locks-down"]), Instrument())
    plan = view.plan
    score = plan["score"]
    assert plan["tempo"] == 120 and plan["round"] == 28.0
    assert score["countS"] == 2.0 and len(score["round"]) == 56  # type: ignore[index]
    assert score["count"] == [  # type: ignore[index]
        [-2.0, "accent", 1.0, -1],
        [-1.5, "plain", 1.0, -1],
        [-1.0, "plain", 1.0, -1],
        [-0.5, "plain", 1.0, -1],
    ]
    assert score["bars"] == 14 and score["levels"] == (1.0,)  # type: ignore[index]
    bars = {bar["number"]: bar for bar in plan["bars"]}  # type: ignore[attr-defined]
    assert bars[4]["end"] == 8.0
    moves = plan["moves"]
    assert moves[0] == {"from": 1.75, "to": 2.0, "mm": 144.8, "fret": 7}  # type: ignore[index]
    assert [move["fret"] for move in moves[:4]] == [7, 2, 9, 7]  # type: ignore[index]
    jump = "title: T\ntempo: 120\n[A]\n| 6:3,5:5 o o 6:8,5:10 o o |\n"
    there, back = play_view(revision(jump), Instrument()).plan["moves"]  # type: ignore[misc]
    assert (there["from"], there["to"], back["from"], back["to"]) == (0.5, 1.0, 1.5, 2.0)
    assert len(view.bars) == 14 and view.facts == "14 bars, 108 hits, straight"


def test_a_pickup_is_shown_before_bar_one_and_counted_in() -> None:
    view = play_view(
        revision("title: T\ntempo: 60\nmeter: 3/4\n[pickup]\n| 1/4: 6:2 o |\n[A]\n| 6:2 o o o |\n"),
        Instrument(),
    )
    assert view.plan["begin"] == -1.0 and [bar["number"] for bar in view.plan["bars"]] == [0, 1]  # type: ignore[attr-defined]
    assert len(view.plan["score"]["count"]) == 3  # type: ignore[index]
    assert view.facts.startswith("1 bar, ")


def test_a_text_page_shows_a_strip_or_the_line_with_a_pointer() -> None:
    fresh = text_view(None, preview_of(parse_riff(FIRST_TEXT)))
    assert fresh.riff_id is None and fresh.source == FIRST_TEXT and fresh.bars == 1
    assert "revision 2 · E2 A2" in text_view(revision(), preview_of(revision().riff)).meta
    text = "title: T\r\ntempo: 90\r\n[A]\r\n| 6:2 q |\r\n"
    with pytest.raises(RiffError) as caught:
        parse_riff(text)
    error = preview_error(text, caught.value).error
    assert error is not None
    assert (error.line, error.excerpt, error.pointer) == (
        4,
        "| 6:2 q |",
        "      ^",
    ) and "'q'" in error.message


def test_today_arms_a_riff_and_keeps_cut_takes_apart(session: Session) -> None:
    player = players.local_player(session)
    assert up_next_view(session, player) is None
    made = riffs.add_riff(session, player, parse_riff(TEXT), TEXT)
    new = NewTake(
        riff_id=made.riff_id,
        revision_id=made.id,
        source="recorded",
        tempo_bpm=Decimal(120),
        rounds=1,
    )
    cut, waiting = (
        takes.add_take(session, player, new, state)
        for state in (TakeState.RECORDING, TakeState.QUEUED)
    )
    lines = [
        take_lists.take_lines(session, player, states=(state,))
        for state in (TakeState.RECORDING, TakeState.QUEUED)
    ]
    care, now = care_view([], [], played=False), datetime.now(UTC)
    view = today_view(up_next_view(session, player), lines[0], 4, lines[1], care, now)
    assert (
        view.up_next is not None
        and view.up_next.title == "Ballast"
        and view.up_next.reason.startswith("not played yet: start at 96")
    )
    assert (
        [line.take_id for line in view.unfinished] == [cut.id]
        and [line.take_id for line in view.latest] == [waiting.id]
        and view.more_unfinished == 3
    )


def test_the_log_has_a_way_to_every_riff_however_many_there_are() -> None:
    today = date(2026, 11, 27)
    known = [
        LoggedRiff(k, f"Riff {k}", 120.0, today - timedelta(days=k), rounds=3) for k in range(1, 15)
    ]
    tabs = riff_tabs(known, 13, today)
    assert [tab.title for tab in tabs.others] == [f"Riff {k}" for k in (7, 8, 9, 10, 11, 12, 14)]
    assert tabs.others_say == "7 more riffs" and tabs.at_hand[-1].here
    assert len(tabs.at_hand) == 7 and tabs.at_hand[0].when == "yesterday"
    few = riff_tabs(known[:6], 1, today)
    assert len(few.at_hand) == 6 and few.others == []

"""Stamina and sittings: the longest clean run, what work and rest follow, takes that lie
together.
"""

from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.core.coach_takes import invented
from thrumble.core.coach.progress.sessions import TakeAt, sittings_of
from thrumble.core.coach.progress.stamina import (
    FIRST_WORK_S,
    MAX_TIMES,
    MIN_REST_S,
    Run,
    by_tempo,
    load_of,
    longest_run,
    work_and_rest,
)
from thrumble.core.coach.verdict.findings import find_findings
from thrumble.core.coach.verdict.timing import LooseTiming
from thrumble.core.ear.reading import Change, ChangeKind, HeardKind, HitState

TODAY = date(2026, 11, 27)


def test_a_run_ends_with_a_bad_hit_and_an_unsure_one_in_time_does_not_end_it() -> None:
    wrong = {"hits": {10: {"heard_articulation": HeardKind.DEAD}}}
    run = longest_run(invented([0.0] * 32, **wrong))
    assert [one.hit.index for one in run] == list(range(11, 32))
    unsure = {"hits": {10: {"heard_articulation": HeardKind.UNSURE}}}
    assert len(longest_run(invented([0.0] * 32, **unsure))) == 32
    missed = {"hits": {20: {"state": HitState.MISSED, "deviation_ms": None, "onset_s": None}}}
    assert len(longest_run(invented([0.0] * 32, **missed))) == 20
    assert longest_run(invented([80.0] * 16)) == []


def test_a_rest_of_two_beats_ends_a_run() -> None:
    take = invented([0.0] * 32)
    later = tuple(
        replace(one, hit=replace(one.hit, expected_s=one.hit.expected_s + 1.0))
        if one.hit.index >= 24
        else one
        for one in take.hits
    )
    assert len(longest_run(replace(take, hits=later))) == 24


def test_what_a_take_asked_and_where_it_slipped() -> None:
    take = invented([0.0] * 32)
    load = load_of(take, find_findings(take))
    assert (load.strokes, load.down, load.run_strokes, load.causes) == (32, 32, 32, ())
    assert load.seconds == pytest.approx(8.0) and load.tired_s is None
    changes = [
        Change(kind=ChangeKind.SPREAD, bar=3, round=1, amount=9.0),
        Change(kind=ChangeKind.LEVEL, bar=2, round=1, amount=-2.0),
    ]
    summary = replace(take.reading.summary, changes=changes)
    tired = load_of(replace(take, reading=replace(take.reading, summary=summary)), [])
    assert tired.tired_s == pytest.approx(2.0), "from bar 2 on, where the level fell first"
    assert (tired.spread_ms, tired.level_db) == (9.0, -2.0)
    loose = invented([60.0, -60.0] * 16)
    assert LooseTiming.kind in load_of(loose, find_findings(loose)).causes


def run(
    seconds: float, *, tempo: float = 150.0, ago: int = 1, tired: float | None = None, take: int = 1
) -> Run:
    return Run(
        take_id=take,
        day=TODAY - timedelta(days=ago),
        tempo_bpm=tempo,
        strokes=round(5 * seconds),
        seconds=seconds,
        tired_s=tired,
    )


def test_every_tempo_shows_its_longest_run_the_fastest_first() -> None:
    rows = by_tempo(
        [run(20), run(31, take=2, tired=12.0), run(9, tempo=160.2), run(8, tempo=159.8)]
    )
    assert [(one.tempo_bpm, one.takes, one.best.seconds) for one in rows] == [
        (160.0, 2, 9.0),
        (150.0, 2, 31.0),
    ]
    assert rows[1].best.take_id == 2 and rows[1].tired_s == 12.0 and rows[0].tired_s is None


def test_work_is_shorter_than_what_is_clean_and_rest_as_long() -> None:
    first = work_and_rest([], 150, TODAY)
    assert (first.work_s, first.rest_s, first.times) == (FIRST_WORK_S, MIN_REST_S, MAX_TIMES)
    held = work_and_rest([run(50), run(60), run(55)], 150, TODAY)
    assert held.work_s == 45.0 and held.rest_s == 45.0 and "clean for 55 s" in held.why
    slips = work_and_rest([run(60, tired=25.0), run(60, tired=31.0), run(60)], 150, TODAY)
    assert slips.work_s < held.work_s and "slip after 28 s" in slips.why
    old = work_and_rest([run(50, ago=60)] * 3, 150, TODAY)
    far = work_and_rest([run(50, tempo=120.0)] * 3, 150, TODAY)
    assert old.work_s == far.work_s == FIRST_WORK_S


@given(
    st.lists(st.floats(1, 400), min_size=3, max_size=12),
    st.one_of(st.none(), st.floats(0, 3000)),
)
def test_work_never_asks_for_more_strokes_than_are_left(
    seconds: list[float], left: float | None
) -> None:
    own = [run(one) for one in seconds]
    work = work_and_rest(own, 150, TODAY, strokes_left=left)
    pace = sum(one.strokes for one in own) / sum(one.seconds for one in own)
    assert left is None or work.times * work.work_s * pace <= left + 1e-6
    assert work.rest_s >= work.work_s or work.rest_s == MIN_REST_S
    assert work.times or "used up" in work.why


def taken(at: datetime, number: int, *, seconds: float = 60.0, day: date = TODAY) -> TakeAt:
    return TakeAt(
        take_id=number, at=at, day=day, seconds=seconds, strokes=100, clean=80, judged=100
    )


def test_takes_less_than_half_an_hour_apart_are_one_sitting_also_over_midnight() -> None:
    begin = datetime(2026, 11, 27, 23, 40, tzinfo=UTC)
    tomorrow = TODAY + timedelta(days=1)
    night = [
        taken(begin, 1),
        taken(begin + timedelta(minutes=30), 2, day=tomorrow),
        taken(begin + timedelta(minutes=120), 3, day=tomorrow),
    ]
    late, early = sittings_of(reversed(night))
    assert early.takes == (1, 2) and early.day == TODAY and early.played_s == 120
    assert late.takes == (3,) and late.day == tomorrow
    assert (early.strokes, early.clean, early.judged) == (200, 160, 200)
    assert sittings_of([]) == []


def test_changed_clocks_and_zones_make_no_sitting_longer() -> None:
    berlin = ZoneInfo("Europe/Berlin")
    before = datetime(2026, 10, 25, 2, 50, tzinfo=berlin)  # an hour that comes twice
    after = datetime(2026, 10, 25, 2, 5, fold=1, tzinfo=berlin)
    assert len(sittings_of([taken(before, 1), taken(after, 2)])) == 1
    there = datetime(2026, 11, 27, 18, 0, tzinfo=ZoneInfo("Asia/Tokyo"))
    here = datetime(2026, 11, 27, 9, 10, tzinfo=UTC)
    assert len(sittings_of([taken(there, 1), taken(here, 2)])) == 1

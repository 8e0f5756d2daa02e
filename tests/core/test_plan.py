"""The plan: never over its minutes or its strokes, the best of all choices, in a good order."""

from datetime import date, timedelta
from itertools import product

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from thrumble.core.coach.planning.plan import (
    LENGTHS,
    BlockKind,
    Standing,
    _candidates,
    interval_of,
    make_plan,
    rests_before,
    week_ahead,
)
from thrumble.core.coach.progress.clean_speed import Estimate, Round
from thrumble.core.errors import BadInput
from thrumble.core.riff.drills.catalogue import DrillKind

TODAY = date(2026, 11, 27)


def standing(
    number: int,
    *,
    speed: float | None = 100.0,
    ago: int | None = 3,
    interval: int = 2,
    strokes: float = 200.0,
) -> Standing:
    return Standing(
        riff_id=number,
        title=f"Riff {number}",
        goal_bpm=120.0,
        tempo_bpm=104.0,
        speed=None if speed is None else Estimate(speed, speed - 8, speed + 8),
        last=None if ago is None else TODAY - timedelta(days=ago),
        interval_days=interval,
        drill=DrillKind.LOOP,
        bars=(3, 4),
        weak_why="section B is the slowest",
        strokes_a_minute=strokes,
    )


riffs = st.lists(
    st.builds(
        lambda number, speed, ago: standing(number, speed=speed, ago=ago),
        st.integers(1, 40),
        st.sampled_from([None, 80.0, 110.0, 125.0]),
        st.sampled_from([None, 0, 1, 9]),
    ),
    max_size=8,
    unique_by=lambda one: one.riff_id,
)


@settings(max_examples=80, deadline=None)
@given(riffs, st.integers(0, 60), st.sampled_from([0.0, 0.5, 1.0]), st.sampled_from([None, 900.0]))
def test_a_plan_never_exceeds_its_minutes_nor_its_strokes(
    known: list[Standing], minutes: int, share: float, most: float | None
) -> None:
    blocks = make_plan(known, minutes, TODAY, share=share, most_strokes=most)
    own = [one.minutes for one in blocks]
    assert sum(own) + sum(rests_before(own)) <= minutes * share
    assert most is None or sum(one.strokes for one in blocks) <= most + 1e-6
    kinds = [one.kind for one in blocks]
    assert kinds == sorted(kinds, key=list(BlockKind).index)
    assert kinds.count(BlockKind.NEW) <= 1 and kinds.count(BlockKind.STAMINA) <= 1
    assert share == 1 or BlockKind.STAMINA not in kinds
    assert all(one.why for one in blocks)


def test_the_choice_is_the_best_of_all() -> None:
    known = [standing(1), standing(2, speed=None, ago=None), standing(3, speed=118.0, ago=9)]
    blocks = make_plan(known, 15, TODAY)
    values = {
        (c.block.riff_id, c.block.kind, c.block.minutes): c.value
        for one in known
        for c in _candidates(one, TODAY)
    }
    got = sum(
        values[one.riff_id, one.kind, one.minutes]
        for one in blocks
        if one.kind is not BlockKind.WARM_UP
    )
    groups = sorted({(riff, kind) for riff, kind, _ in values}, key=str)
    best = 0.0
    for lengths in product((0, *LENGTHS), repeat=len(groups)):
        weak = sum(
            bool(n) for (_, kind), n in zip(groups, lengths, strict=True) if kind is BlockKind.WEAK
        )
        if sum(lengths) <= 15 - 2 - 1 and sum(map(bool, lengths)) <= 2 and weak <= 1:
            best = max(
                best,
                sum(
                    values[riff, kind, n]
                    for (riff, kind), n in zip(groups, lengths, strict=True)
                    if n
                ),
            )
    assert got == pytest.approx(best, rel=3e-3)


def test_a_session_begins_loose_and_rests_between() -> None:
    blocks = make_plan([standing(k) for k in range(1, 6)], 30, TODAY)
    assert blocks[0].kind is BlockKind.WARM_UP and blocks[0].tempo_bpm == round(104 * 0.7)
    assert sum(rests_before([one.minutes for one in blocks])) >= 1
    weak = next(one for one in blocks if one.kind is BlockKind.WEAK)
    assert (weak.drill, weak.bars) == (DrillKind.LOOP, (3, 4)) and "slowest" in weak.why
    due = next(one for one in blocks if one.kind is BlockKind.DUE)
    assert due.drill is None and due.why == "due: last played 3 days ago"


def test_what_holds_may_wait_longer_and_what_does_not_comes_back_tomorrow() -> None:
    def days(*clean: bool) -> int:
        return interval_of(
            [Round(TODAY - timedelta(days=20 - k), 100.0, ok) for k, ok in enumerate(clean)]
        )

    assert [days(), days(True), days(True, True), days(*[True] * 9)] == [1, 2, 4, 16]
    assert days(True, True, True, False) == 1 and days(True, False, True) == 2


def test_the_days_ahead_name_what_comes_due() -> None:
    known = [standing(1, ago=1, interval=3), standing(2, ago=9), standing(3, ago=None)]
    ahead = week_ahead(known, [2], 6, TODAY)
    assert [day for day, _ in ahead] == [TODAY + timedelta(days=k) for k in range(1, 7)]
    named = [titles for _, titles in ahead]
    assert named[0] == ["Riff 3"], "what was never played is due at once"
    assert named[1] == ["Riff 1"] and ["Riff 2"] in named[2:5], "four days after it held"
    assert all(len(titles) == 1 for titles in named), "a block of minutes is a riff"
    sunday = (TODAY + timedelta(days=2)).weekday()
    free = week_ahead(known, [2], 6, TODAY, [day for day in range(7) if day != sunday])
    assert [titles for _, titles in free][1:3] == [[], ["Riff 1"]], "the day after"
    assert all(titles == [] for _, titles in week_ahead(known, [], 0, TODAY))


def test_a_plan_made_around_blocks_leaves_them_their_time() -> None:
    known = [standing(k) for k in range(1, 6)]
    first = make_plan(known, 20, TODAY)
    kept = [one for one in first if one.kind is not BlockKind.WARM_UP][:1]
    rest = make_plan(known, 20, TODAY, around=kept, without=[])
    both = [one.minutes for one in (*kept, *rest)]
    assert sum(both) + sum(rests_before(both)) <= 20 and rest
    assert (kept[0].riff_id, kept[0].kind) not in {(one.riff_id, one.kind) for one in rest}
    without = make_plan(known, 20, TODAY, without=kept)
    assert (kept[0].riff_id, kept[0].kind) not in {(one.riff_id, one.kind) for one in without}
    assert without[0].kind is BlockKind.WARM_UP


def test_odd_times_are_refused_or_plan_nothing() -> None:
    assert make_plan([standing(1)], 0, TODAY) == [] == make_plan([], 20, TODAY)
    assert make_plan([standing(1)], 20, TODAY, share=0.0) == []
    assert make_plan([standing(1, ago=0, speed=125.0)], 20, TODAY)[-1].kind is BlockKind.STAMINA
    for minutes in (-1, 600):
        with pytest.raises(BadInput, match="0 to 180 minutes"):
            make_plan([standing(1)], minutes, TODAY)

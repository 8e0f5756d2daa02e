"""The session as a value: moved, locked, dropped, planned again around what stays."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from thrumble.core.coach.planning.day_plan import (
    BlockState,
    Session,
    moved,
    planned,
    planned_again,
    with_lock,
    with_state,
)
from thrumble.core.coach.planning.plan import Block, BlockKind
from thrumble.core.errors import BadInput, NotFound


def block(riff: int, kind: BlockKind = BlockKind.DUE, minutes: int = 5) -> Block:
    return Block(kind=kind, minutes=minutes, why="due", riff_id=riff, title=f"Riff {riff}")


def session() -> Session:
    blocks = [
        block(1, BlockKind.WARM_UP, 2),
        block(1, BlockKind.NEW),
        block(2),
        block(3, minutes=8),
    ]
    return planned(blocks, 25, 1.0)


def riffs(own: Session) -> list[tuple[int | None, str]]:
    return [(one.block.riff_id, one.block.kind.value) for one in own.shown]


def test_a_block_moves_drops_and_comes_back() -> None:
    own = session()
    later = moved(own, 2, 1)
    assert riffs(later) == [(1, "warm-up"), (2, "due"), (1, "new"), (3, "due")]
    assert later.get(2).locked, "planning again would put it back otherwise"
    assert riffs(moved(own, 1, -1)) == riffs(own) == riffs(moved(own, 4, 5))
    less = with_state(own, 3, BlockState.DROPPED)
    assert riffs(less) == [(1, "warm-up"), (1, "new"), (3, "due")]
    assert [one.key for one in less.dropped] == [3]
    assert riffs(with_state(less, 3, BlockState.OPEN)) == riffs(own)
    with pytest.raises(NotFound, match="isn't in today's session"):
        moved(own, 99, 1)


def test_what_comes_next_passes_what_is_done_or_skipped() -> None:
    own = session()
    assert own.coming and own.coming.key == 1
    own = with_state(with_state(own, 1, BlockState.DONE), 2, BlockState.SKIPPED)
    assert own.coming and own.coming.key == 3
    for key in (3, 4):
        own = with_state(own, key, BlockState.DONE)
    assert own.coming is None


def test_rests_come_after_ten_minutes_wherever_blocks_lie() -> None:
    own = session()  # 2, 5, 5, 8 minutes
    assert [own.rest_before(one.key) for one in own.shown] == [0, 0, 0, 1]
    own = moved(own, 4, -3)
    assert [one.block.minutes for one in own.shown] == [8, 2, 5, 5]
    assert [own.rest_before(one.key) for one in own.shown] == [0, 0, 1, 0]


def test_planning_again_keeps_what_was_played_locked_and_dropped() -> None:
    own = with_state(session(), 1, BlockState.DONE)
    own = with_state(with_lock(own, 4, locked=True), 3, BlockState.DROPPED)
    again = planned_again(own, [block(7), block(8)], 20, 0.7)
    assert riffs(again) == [(1, "warm-up"), (7, "due"), (3, "due"), (8, "due")]
    assert [one.block.riff_id for one in again.dropped] == [2]
    keys = [one.key for one in again.blocks]
    assert len(set(keys)) == len(keys) and (again.minutes, again.share) == (20, 0.7)


changes = st.lists(
    st.tuples(
        st.sampled_from(["earlier", "later", "lock", "drop", "back", "done"]), st.integers(1, 4)
    ),
    max_size=12,
)


@settings(max_examples=60, deadline=None)
@given(changes)
def test_no_change_loses_or_doubles_a_block(steps: list[tuple[str, int]]) -> None:
    own = session()
    for what, key in steps:
        if what in ("earlier", "later") and own.get(key).state is BlockState.DROPPED:
            with pytest.raises(BadInput, match="put it back"):
                moved(own, key, 1)
            continue
        own = {
            "earlier": lambda o, k: moved(o, k, -1),
            "later": lambda o, k: moved(o, k, 1),
            "lock": lambda o, k: with_lock(o, k, locked=True),
            "drop": lambda o, k: with_state(o, k, BlockState.DROPPED),
            "back": lambda o, k: with_state(o, k, BlockState.OPEN),
            "done": lambda o, k: with_state(o, k, BlockState.DONE),
        }[what](own, key)
    assert sorted(one.key for one in own.blocks) == [1, 2, 3, 4]
    assert {one.key for one in own.shown}.isdisjoint(one.key for one in own.dropped)

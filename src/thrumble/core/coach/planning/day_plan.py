"""Today's session as the player has it: the planned blocks, moved, locked, dropped or played."""

from dataclasses import dataclass, replace
from enum import StrEnum

from thrumble.core.coach.planning.plan import Block, rests_before
from thrumble.core.errors import BadInput, NotFound


class BlockState(StrEnum):
    """Where a block stands."""

    OPEN = "open"
    DONE = "done"
    SKIPPED = "skipped"
    DROPPED = "dropped"


@dataclass(frozen=True, slots=True, kw_only=True)
class SessionBlock:
    """A block of a session. `key`: its own in that session, kept whatever moves; `locked`: planning
    again leaves it where it is.
    """

    key: int
    block: Block
    state: BlockState = BlockState.OPEN
    locked: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Session:
    """A day's blocks in their order, without the rests between; what they were planned for:
    `minutes`, and the `share` of them that the hands allowed.
    """

    minutes: int
    share: float
    blocks: tuple[SessionBlock, ...]

    def get(self, key: int) -> SessionBlock:
        """A block by its key. Raises NotFound."""
        for block in self.blocks:
            if block.key == key:
                return block
        raise NotFound("this block isn't in today's session any more: look at Today again")

    @property
    def shown(self) -> tuple[SessionBlock, ...]:
        """The blocks that the player didn't drop."""
        return tuple(block for block in self.blocks if block.state is not BlockState.DROPPED)

    @property
    def coming(self) -> SessionBlock | None:
        """The block to play now."""
        return next((block for block in self.blocks if block.state is BlockState.OPEN), None)

    @property
    def dropped(self) -> list[SessionBlock]:
        return [block for block in self.blocks if block.state is BlockState.DROPPED]

    def rest_before(self, key: int) -> int:
        """Minutes of rest before a block."""
        rests = rests_before([entry.block.minutes for entry in self.shown])
        return next(
            (rest for entry, rest in zip(self.shown, rests, strict=True) if entry.key == key), 0
        )


def planned(blocks: list[Block], minutes: int, share: float) -> Session:
    """A session of freshly planned blocks."""
    return Session(
        minutes=minutes,
        share=share,
        blocks=tuple(SessionBlock(key=key, block=block) for key, block in enumerate(blocks, 1)),
    )


def planned_again(was: Session, fresh: list[Block], minutes: int, share: float) -> Session:
    """Freshly planned blocks around those that stay: what was played or skipped comes first, locked
    ones stand where they stood, dropped ones are remembered.
    """
    over = [entry for entry in was.shown if entry.state is not BlockState.OPEN]
    locked = [
        (place, entry)
        for place, entry in enumerate(was.shown)
        if entry.locked and entry.state is BlockState.OPEN
    ]
    key = max((block.key for block in was.blocks), default=0)
    row = over + [SessionBlock(key=key + k, block=block) for k, block in enumerate(fresh, 1)]
    for place, entry in locked:
        row.insert(min(place, len(row)), entry)
    return Session(minutes=minutes, share=share, blocks=(*row, *was.dropped))


def with_state(session: Session, key: int, state: BlockState) -> Session:
    """The same with a block done, skipped, dropped, or open again. Raises NotFound."""
    session.get(key)
    return replace(
        session,
        blocks=tuple(
            replace(block, state=state) if block.key == key else block for block in session.blocks
        ),
    )


def with_lock(session: Session, key: int, *, locked: bool) -> Session:
    """The day's plan with one block locked or unlocked. Raises NotFound."""
    session.get(key)
    return replace(
        session,
        blocks=tuple(
            replace(block, locked=locked) if block.key == key else block for block in session.blocks
        ),
    )


def moved(session: Session, key: int, by: int) -> Session:
    """The same with a block so many places later, or earlier; at the ends it stays. A moved block
    is locked: planning again would put it back. Raises NotFound, and BadInput for a dropped one.
    """
    entry = replace(session.get(key), locked=True)
    if entry.state is BlockState.DROPPED:
        raise BadInput("this block was dropped: put it back, then move it")
    shown = list(session.shown)
    at = next(k for k, other in enumerate(shown) if other.key == key)
    shown.pop(at)
    shown.insert(min(len(shown), max(0, at + by)), entry)
    return replace(session, blocks=(*shown, *session.dropped))

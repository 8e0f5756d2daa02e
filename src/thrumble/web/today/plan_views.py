"""Today's session as a row of blocks, as wide as their minutes."""

from dataclasses import dataclass

from thrumble.actions.planning import Planned
from thrumble.core.coach.plan import Block, BlockKind, plan_words
from thrumble.core.riff.drills import TABLE

KIND_WORDS = {
    BlockKind.WARM_UP: "warm-up",
    BlockKind.NEW: "new",
    BlockKind.WEAK: "weak spot",
    BlockKind.DUE: "due",
    BlockKind.STAMINA: "stamina",
    BlockKind.REST: "rest",
}


@dataclass(frozen=True, slots=True)
class BlockView:
    """A block of the session."""

    kind: str
    css: str
    title: str
    tempo: str
    minutes: int
    why: str
    riff_id: int | None
    drill: str
    first: str
    last: str


@dataclass(frozen=True, slots=True)
class PlanView:
    """The session. `minutes`: that were asked for."""

    minutes: int
    words: str
    blocks: list[BlockView]
    ahead: list[tuple[str, str]]


def coming_block(planned: Planned) -> Block | None:
    """The first block that is not done, warm-up and rests aside; None where all are."""
    return next(
        (
            block
            for block, done in zip(planned.blocks, planned.done, strict=True)
            if not done and block.kind not in (BlockKind.REST, BlockKind.WARM_UP)
        ),
        None,
    )


def plan_view(planned: Planned, *, stop: bool) -> PlanView:
    """The blocks in order, the one that comes next marked. `stop`: the hands rest."""
    coming = coming_block(planned)
    words = plan_words(planned.blocks)
    if not planned.blocks:
        words = "Rest today." if stop else "Nothing is due: play what you like."
    elif coming is None:
        words = "Done for today."
    return PlanView(
        minutes=planned.minutes,
        words=words,
        blocks=[
            _block(block, done=done, here=block is coming)
            for block, done in zip(planned.blocks, planned.done, strict=True)
        ],
        ahead=[(f"{day:%A}", ", ".join(titles) or "nothing due") for day, titles in planned.ahead],
    )


def _block(block: Block, *, done: bool, here: bool) -> BlockView:
    title = block.title
    if block.drill is not None:
        title += f", {TABLE[block.drill].name}"
    first, last = ("", "") if block.bars is None else (str(block.bars[0]), str(block.bars[1]))
    state = "done" if done else ""
    return BlockView(
        kind=KIND_WORDS[block.kind],
        css=f"{block.kind.value} m{block.minutes} {'here' if here else state}".strip(),
        title=title,
        tempo="" if block.tempo_bpm is None else f"{block.tempo_bpm:g}",
        minutes=block.minutes,
        why=block.why,
        riff_id=block.riff_id,
        drill="" if block.drill is None else block.drill.value,
        first=first,
        last=last,
    )

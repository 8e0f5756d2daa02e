"""Today's session as a row of blocks, as wide as their minutes; the days after; how it is put
together.
"""

from dataclasses import dataclass
from datetime import date

from thrumble.actions.planning import Planned
from thrumble.core.coach.planning.day_plan import BlockState, SessionBlock
from thrumble.core.coach.planning.plan import (
    LENGTHS,
    REST_MINUTES,
    BlockKind,
    plan_words,
    rests_before,
)
from thrumble.core.coach.verdict.judgement import TOLERANCE_PRESETS_MS
from thrumble.core.counting import counted
from thrumble.core.riff.drills.catalogue import TABLE
from thrumble.store.practice.practice import Practice

KIND_WORDS = {
    BlockKind.WARM_UP: "warm-up",
    BlockKind.ASSIGNED: "assigned",
    BlockKind.NEW: "new",
    BlockKind.WEAK: "weak spot",
    BlockKind.DUE: "due",
    BlockKind.STAMINA: "stamina",
}
MIN_UNUSED = min(LENGTHS)  # minutes: less than the shortest block is left over now and then
DAYS = ("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun")


@dataclass(frozen=True, slots=True, kw_only=True)
class BlockView:
    """A block of the session, or a rest between two: then without a key. `open`: still to be
    played, so that it can be changed.
    """

    key: int | None
    kind: str
    css: str
    title: str
    tempo: str
    minutes: int
    why: str
    state: str
    open: bool
    locked: bool
    first: bool
    last: bool


@dataclass(frozen=True, slots=True)
class DayView:
    """A day to come."""

    name: str
    minutes: str
    titles: str
    off: bool


@dataclass(frozen=True, slots=True)
class Weekday:
    """A day of the week to choose."""

    number: int
    name: str
    on: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class PlanView:
    """The session, the days ahead, and how the player practises. `dropped`: what may be put back,
    key and title; `unused`: why the minutes asked for aren't filled, empty if they are.
    """

    words: str
    unused: str
    blocks: list[BlockView]
    dropped: list[tuple[int, str]]
    ahead: list[DayView]
    minutes: int
    weekdays: list[Weekday]
    begins_at: str
    rise: str
    tolerance: str
    tolerances: str


def plan_view(planned: Planned, practice: Practice, today: date) -> PlanView:
    """The blocks in order, the one that comes next marked."""
    session = planned.session
    shown = session.shown
    words = plan_words([entry.block for entry in shown])
    if planned.stop:
        words = "Rest today."
    elif not shown:
        words = "Nothing's due. Play what you like."
    elif session.coming is None:
        words = "Done for today."
    elif planned.short:
        words += ": you're close to your weekly stroke limit"
    elif today.weekday() not in practice.weekdays:
        words = f"It's your day off. If you play anyway: {words}"
    blocks: list[BlockView] = []
    for place, entry in enumerate(shown):
        if rest := session.rest_before(entry.key):
            blocks.append(_rest(rest))
        blocks.append(
            _block(entry, here=entry is session.coming, place=place, last=place == len(shown) - 1)
        )
    return PlanView(
        words=words,
        unused=unused_words(planned),
        blocks=blocks,
        dropped=[(entry.key, block_title(entry)) for entry in session.dropped],
        ahead=[_day(day, titles, practice) for day, titles in planned.ahead],
        minutes=practice.minutes,
        weekdays=[Weekday(k, name, k in practice.weekdays) for k, name in enumerate(DAYS)],
        begins_at=f"{practice.begins_at:%H:%M}",
        rise=f"{practice.rise_percent:g}",
        tolerance=f"{practice.tolerance_ms:g}",
        tolerances=", ".join(
            f"{name} {ms:g}" for name, ms in TOLERANCE_PRESETS_MS.items()
        ).capitalize(),
    )


def unused_words(planned: Planned) -> str:
    """Where the rest of the minutes asked for went; empty if little is left."""
    session = planned.session
    minutes_each = [entry.block.minutes for entry in session.shown]
    used = sum(minutes_each) + sum(rests_before(minutes_each))
    left = session.minutes - used
    if planned.stop or not minutes_each or left < MIN_UNUSED:
        return ""
    unused = f"{left} of your {counted(session.minutes, 'minute')}"
    if session.dropped:
        return f"{unused} are free: you skipped a block. Plan again to fill them."
    if session.share < 1:
        return f"{unused} are off, to spare your hands."
    if planned.short:
        return f"{unused} are off: more would pass your weekly stroke limit."
    return f"{unused} are free: nothing else is due. Play what you like."


def block_title(session_block: SessionBlock) -> str:
    """The title of a block: the riff or drill that it plays."""
    block = session_block.block
    return block.title if block.drill is None else f"{block.title}, {TABLE[block.drill].name}"


def _block(session_block: SessionBlock, *, here: bool, place: int, last: bool) -> BlockView:
    block = session_block.block
    state = "" if session_block.state is BlockState.OPEN else session_block.state.value
    css = f"{block.kind.value} m{block.minutes} {'here' if here else state}"
    return BlockView(
        key=session_block.key,
        kind=KIND_WORDS[block.kind],
        css=css.strip(),
        title=block_title(session_block),
        tempo="" if block.tempo_bpm is None else f"{block.tempo_bpm:g}",
        minutes=block.minutes,
        why=block.why,
        state=state,
        open=session_block.state is BlockState.OPEN,
        locked=session_block.locked,
        first=place == 0,
        last=last,
    )


def _rest(minutes: int) -> BlockView:
    return BlockView(
        key=None,
        kind="rest",
        css=f"rest m{REST_MINUTES}",
        title="",
        tempo="",
        minutes=minutes,
        why="shake out",
        state="",
        open=False,
        locked=False,
        first=False,
        last=False,
    )


def _day(day: date, titles: list[str], practice: Practice) -> DayView:
    off = day.weekday() not in practice.weekdays
    return DayView(
        name=f"{day:%A}",
        minutes="" if off else counted(practice.minutes, "minute"),
        titles="day off" if off else ", ".join(titles) or "nothing",
        off=off,
    )

"""Takes in a few words: a line in a list, and how far its analysis is."""

from dataclasses import dataclass
from datetime import datetime

from thrumble.core.counting import days_ago
from thrumble.core.takes import FINAL, TakeState
from thrumble.store.takes.space import Room, Space
from thrumble.store.takes.take_lists import TakeLine
from thrumble.store.takes.takes import Take

AGAIN = "being judged again …"
STATE_WORDS = {
    TakeState.RECORDING: "cut off while you recorded it",
    TakeState.QUEUED: "waiting to be analysed …",
    TakeState.READING: "being analysed …",
    TakeState.READ: AGAIN,
    TakeState.FAILED: "not analysed",
}


OFTEN = 8  # askings so close together that a take that is read is shown at once, over a second
OFTEN_MS, MAX_WAIT_MS = 160, 5000
SLOW_AFTER = 22  # askings, some twenty seconds: then the page offers to put the take in line again


@dataclass(frozen=True, slots=True)
class TakeLineView:
    """A take in a list."""

    take_id: int
    riff_id: int
    title: str
    number: int
    state: TakeState
    words: str
    when: str
    clean: str
    size: str
    starred: bool


@dataclass(frozen=True, slots=True)
class StatusView:
    """A take while it is on its way to a reading."""

    take_id: int
    state: TakeState
    words: str
    problem: str
    keep_asking: bool
    failed: bool
    read: bool
    ask_again_ms: int
    slow: bool


def take_line(line: TakeLine, now: datetime, *, starred: bool = False) -> TakeLineView:
    """A take's line: its verdict once it is read, its state before."""
    take = line.take
    words = (
        line.verdict
        if line.verdict and take.state is TakeState.READ
        else take.problem or STATE_WORDS[take.state]
    )
    clean = f"{line.clean} of {line.judged} clean" if line.clean is not None else ""
    return TakeLineView(
        take.id,
        take.riff_id,
        line.title,
        take.number,
        take.state,
        words,
        "time unknown" if take.time_unknown else _ago(take.created_at, now),
        clean,
        megabytes(take.audio_bytes),
        starred,
    )


def _ago(then: datetime, now: datetime) -> str:
    seconds = max(0.0, (now - then).total_seconds())
    if seconds < 90:
        return "just now"
    if seconds < 5400:
        return f"{seconds / 60:.0f} minutes ago"
    if seconds < 86400:
        return f"{seconds / 3600:.0f} hours ago"
    return days_ago(int(seconds // 86400))


def megabytes(count: int) -> str:
    """A size in words."""
    return f"{count / 1e6:.1f} MB"


def status_view(take: Take, polls: int = 0) -> StatusView:
    """Asks again until the state is final, `polls` times so far: often for as long as a take
    usually needs, then ever more rarely.
    """
    waiting = take.state not in FINAL and take.state is not TakeState.RECORDING
    return StatusView(
        take_id=take.id,
        state=take.state,
        words=STATE_WORDS[take.state],
        problem=take.problem,
        keep_asking=waiting,
        failed=take.state is TakeState.FAILED,
        read=take.state is TakeState.READ,
        ask_again_ms=round(min(MAX_WAIT_MS, OFTEN_MS * 1.3 ** max(0, polls - OFTEN))),
        slow=waiting and polls >= SLOW_AFTER,
    )


def room_words(space: Space) -> str:
    """A warning before the space of takes runs out; empty while there is plenty."""
    used, limit = space.used_bytes / 1e9, space.limit_bytes / 1e9
    if space.room is Room.NONE:
        return (
            f"Takes fill all {limit:g} GB they may use. Delete takes you no longer need before you "
            "record a new one."
        )
    if space.room is Room.SHORT:
        return (
            f"Takes use {used:.1f} of the {limit:g} GB they may use. Delete some you no longer "
            "need."
        )
    return ""

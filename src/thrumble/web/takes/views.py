"""Readings: the list of takes, and old takes read again."""

from dataclasses import dataclass
from datetime import UTC, datetime

from thrumble.core.counting import counted
from thrumble.core.ear.comparing import Difference
from thrumble.core.takes import TakeState
from thrumble.store.takes.readings import Changed
from thrumble.store.takes.space import Space
from thrumble.store.takes.take_lists import TakeLine
from thrumble.web.shared.paging import Paging
from thrumble.web.shared.takes import TakeLineView, megabytes, room_words, take_line


@dataclass(frozen=True, slots=True)
class AgainView:
    """Reading old takes with a newer ear: how many are left to ask for, how far it has come, what
    changed.
    """

    stale: int
    waiting: int
    total: int
    done: int
    words: str
    changes: list[tuple[str, int, str]]


def again_view(
    stale: int, waiting: int, total: int = 0, changed: tuple[int, list[Changed]] = (0, [])
) -> AgainView:
    """The offer, the progress, or what changed. `changed`: how many takes are heard otherwise now,
    and the last of them.
    """
    moved, shown = changed
    if waiting and total:
        words = f"{total - min(waiting, total)} of {total} takes re-analysed …"
    elif total > 1:
        words = f"All {counted(total, 'take')} re-analysed. Results changed for {moved}."
    elif total:
        words = "The take is being re-analysed."
    elif stale:
        words = (
            f"{stale} {'take was' if stale == 1 else 'takes were'} analysed by an older version of "
            "Thrumble."
        )
    else:
        words = ""
    changes = [
        (f"{line.title}, take {line.number}", line.take_id, _difference(line.difference))
        for line in shown
    ]
    return AgainView(
        stale, waiting if total else 0, total, total - min(waiting, total), words, changes
    )


def _difference(difference: Difference) -> str:
    parts = [
        f"{count} {what}"
        for count, what in (
            (difference.renamed, "called something else"),
            (difference.found, "more found"),
            (difference.lost, "not found any more"),
            (difference.moved, "moved by more than 3 ms"),
        )
        if count
    ]
    return f"of {difference.hits} hits " + ", ".join(parts)


@dataclass(frozen=True, slots=True)
class ListView:
    """A page of takes. `states`: value and words of every choice; `searched`: whether anything
    narrows the list.
    """

    lines: list[TakeLineView]
    space: str
    room: str
    q: str
    state: str
    states: list[tuple[str, str]]
    searched: bool
    total: int
    paging: Paging


STARRED = "starred"
LISTED = {
    "": ("all", ()),
    "read": ("analysed", (TakeState.READ,)),
    "waiting": ("waiting", (TakeState.QUEUED, TakeState.READING)),
    "unfinished": ("cut off", (TakeState.RECORDING,)),
    "failed": ("not analysed", (TakeState.FAILED,)),
    STARRED: ("starred", ()),
}


def list_view(
    lines: list[TakeLine], space: Space, paging: Paging, stars: set[int], *, q: str, state: str
) -> ListView:
    """The takes of a page, what they were searched by, and the space that all of them use."""
    now = datetime.now(UTC)
    words = (
        f"{counted(space.takes, 'take')}, {megabytes(space.used_bytes)} of audio in the database"
    )
    return ListView(
        lines=[take_line(line, now, starred=line.take.id in stars) for line in lines],
        space=words,
        room=room_words(space),
        q=q,
        state=state,
        states=[(value, words) for value, (words, _) in LISTED.items()],
        searched=bool(q or state),
        total=space.takes,
        paging=paging,
    )

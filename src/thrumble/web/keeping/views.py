"""The storage rule for audio in words, what it would do now, and what can be restored."""

from dataclasses import dataclass
from datetime import UTC, datetime

from sqlmodel import Session

from thrumble.core.counting import counted
from thrumble.core.storage_rule import KeepingRule, KeptSound, what_goes
from thrumble.store.takes import storage, take_lists
from thrumble.store.takes.takes import GRACE
from thrumble.web.shared.takes import TakeLineView, megabytes, take_line

SHOWN = 12


@dataclass(frozen=True, slots=True)
class KeepingView:
    """`sentence`: what would be deleted, and what that frees; `lines`: the first of these takes,
    and how many more; `deleted`: takes whose audio can still be restored.
    """

    sentence: str
    stays: str
    goes: bool
    lines: list[TakeLineView]
    more: str
    deleted: list[TakeLineView]
    deleted_words: str


def keeping_view(session: Session, player_id: int, rule: KeepingRule) -> KeepingView:
    """What the rule would delete now."""
    sounds = storage.sounds_of(session, player_id)
    now = datetime.now(UTC)
    going = what_goes(sounds, rule, now)
    gone = {sound.take_id for sound in going}
    staying = [sound for sound in sounds if sound.take_id not in gone]
    deleted = storage.deleted_audio(session, player_id)
    return KeepingView(
        sentence=_sentence(going, rule),
        stays=f"{counted(len(staying), 'take keeps its', 'takes keep their')} audio: "
        f"{_size(staying)}.",
        goes=bool(going),
        lines=_lines(session, player_id, [sound.take_id for sound in going[:SHOWN]], now),
        more="" if len(going) <= SHOWN else f"and {len(going) - SHOWN} more",
        deleted=_lines(session, player_id, [take_id for take_id, _ in deleted[:SHOWN]], now),
        deleted_words=_deleted_words(deleted),
    )


def _lines(
    session: Session, player_id: int, take_ids: list[int], now: datetime
) -> list[TakeLineView]:
    lines = take_lists.take_lines(session, player_id, only=take_ids) if take_ids else []
    return [take_line(line, now) for line in lines]


def _sentence(going: list[KeptSound], rule: KeepingRule) -> str:
    if going:
        return (
            f"This deletes the audio of {counted(len(going), 'take')} and frees {_size(going)}. "
            "Results stay, but you can't listen to those takes or analyse them again."
        )
    if rule == KeepingRule():
        return "Everything stays."
    return "Nothing to delete right now."


def _deleted_words(deleted: list[tuple[int, int]]) -> str:
    if not deleted:
        return ""
    size = megabytes(sum(size for _, size in deleted))
    return (
        f"The audio of {counted(len(deleted), 'take')} ({size}) can be restored for {GRACE.days} "
        "days after it was deleted, or until the disk needs the room."
    )


def _size(sounds: list[KeptSound]) -> str:
    return megabytes(sum(sound.size for sound in sounds))

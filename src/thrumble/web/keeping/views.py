"""The rule for the sound of takes in words, and what it would do now."""

from dataclasses import dataclass
from datetime import UTC, datetime

from sqlmodel import Session

from thrumble.core.counting import counted
from thrumble.core.keeping import KeepingRule, KeptSound, what_goes
from thrumble.store import keeping, take_lists
from thrumble.web.shared.takes import TakeLineView, megabytes, take_line

SHOWN = 12


@dataclass(frozen=True, slots=True)
class KeepingView:
    """`sentence`: what would go, and what that gives; `lines`: the first takes of it, and how many
    more.
    """

    sentence: str
    stays: str
    goes: bool
    lines: list[TakeLineView]
    more: str


def keeping_view(session: Session, player_id: int, rule: KeepingRule) -> KeepingView:
    """What the rule would let go now."""
    sounds = keeping.sounds_of(session, player_id)
    now = datetime.now(UTC)
    going = what_goes(sounds, rule, now)
    gone = {one.take_id for one in going}
    staying = [one for one in sounds if one.take_id not in gone]
    shown = [one.take_id for one in going[:SHOWN]]
    found = take_lists.take_lines(session, player_id, only=shown) if shown else []
    return KeepingView(
        sentence=_sentence(going, rule),
        stays=f"{counted(len(staying), 'take')} keep their sound: {_size(staying)}.",
        goes=bool(going),
        lines=[take_line(line, now) for line in found],
        more="" if len(going) <= SHOWN else f"and {len(going) - SHOWN} more",
    )


def _sentence(going: list[KeptSound], rule: KeepingRule) -> str:
    if going:
        return (
            f"This lets go of the sound of {counted(len(going), 'take')} and frees {_size(going)}. "
            "Verdicts and figures stay; you can't listen to those takes or read them again."
        )
    if rule == KeepingRule():
        return "Everything stays."
    return "Nothing goes just now."


def _size(sounds: list[KeptSound]) -> str:
    return megabytes(sum(one.size for one in sounds))

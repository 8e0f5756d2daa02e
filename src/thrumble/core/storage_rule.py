"""Which takes' sound is let go: a rule that the player sets and sees. Readings and figures stay."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from thrumble.core.errors import BadInput

MAX_LAST, MAX_DAYS, MAX_GB = 1000, 3650, 10_000.0


@dataclass(frozen=True, slots=True, kw_only=True)
class KeepingRule:
    """Which recordings to delete. `tidy`: those without a star that are neither among the `last`
    takes of their riff nor from the last `days` days; `limit_gb`: if more is stored, the oldest of
    those first. Without either nothing is deleted.
    """

    tidy: bool = False
    last: int = 10
    days: int = 30
    limit_gb: float | None = None

    def checked(self) -> "KeepingRule":
        """The rule, if its numbers are possible. Raises BadInput if not."""
        if not 0 <= self.last <= MAX_LAST:
            raise BadInput(f"keep the last 0 to {MAX_LAST} takes of a riff; found {self.last}")
        if not 0 <= self.days <= MAX_DAYS:
            raise BadInput(f"keep the last 0 to {MAX_DAYS} days; found {self.days}")
        if self.limit_gb is not None and not 0.01 <= self.limit_gb <= MAX_GB:
            raise BadInput(
                f"the limit must be between 0.01 and {MAX_GB:.0f} GB, or is left empty; found "
                f"{self.limit_gb:g}"
            )
        return self


@dataclass(frozen=True, slots=True, kw_only=True)
class KeptSound:
    """A take's sound. `place`: among its riff's takes, 1 is the newest; `held`: kept whatever the
    rule says, as for a fair trial or a take that was not read yet.
    """

    take_id: int
    place: int
    played_at: datetime
    size: int
    starred: bool
    held: bool = False


def what_goes(sounds: Sequence[KeptSound], rule: KeepingRule, now: datetime) -> list[KeptSound]:
    """The sound that the rule lets go, the oldest first."""
    since = now - timedelta(days=rule.days)
    free = [
        sound
        for sound in sorted(sounds, key=lambda sound: (sound.played_at, sound.take_id))
        if not (sound.held or sound.starred or sound.place <= rule.last or sound.played_at >= since)
    ]
    if rule.tidy:
        return free
    if rule.limit_gb is None:
        return []
    over = sum(sound.size for sound in sounds) - rule.limit_gb * 1e9
    gone = []
    for sound in free:
        if over <= 0:
            break
        gone.append(sound)
        over -= sound.size
    return gone

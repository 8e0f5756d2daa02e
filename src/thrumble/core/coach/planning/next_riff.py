"""Which riff to play next: the sensible thing with nothing but the last readings to go by."""

from dataclasses import dataclass
from datetime import datetime

from thrumble.core.counting import counted, days_ago

CLEAN_SHARE = 0.95  # of the hits of a take: from here on a riff sits
A_DAY_AWAY = 0.03  # a day without playing weighs as much as so many unclean hits


@dataclass(frozen=True, slots=True, kw_only=True)
class Standing:
    """A riff and how it stands: when it was last played (None: never), and how many of its hits
    were clean then (None: not analysed).
    """

    riff_id: int
    last_played: datetime | None
    clean: int | None
    hits: int | None

    @property
    def clean_share(self) -> float | None:
        return None if self.clean is None or not self.hits else self.clean / self.hits


def next_riff(standings: list[Standing], *, now: datetime) -> tuple[int, str] | None:
    """The riff to arm and why, in words; None if there is no riff.

    A riff read and not yet clean comes before one never played; among those, the one that gains
    most: unclean, and not played for longest
    (every day away counts like three hits in a hundred).
    """
    begun = [s for s in standings if s.last_played is not None and s.clean_share is not None]
    unclean = [s for s in begun if (s.clean_share or 0) < CLEAN_SHARE]
    if unclean:
        best = max(unclean, key=lambda s: (1 - (s.clean_share or 0)) + A_DAY_AWAY * _days(s, now))
        return (
            best.riff_id,
            f"{best.clean} of {counted(best.hits or 0, 'hit')} clean last time, "
            f"{days_ago(_days(best, now))}",
        )
    fresh = [s for s in standings if s.last_played is None]
    if fresh:
        return fresh[0].riff_id, "not played yet"
    if begun:
        oldest = max(begun, key=lambda s: _days(s, now))
        return oldest.riff_id, f"clean last time, {days_ago(_days(oldest, now))}"
    return (standings[0].riff_id, "its last take isn't analysed") if standings else None


def _days(standing: Standing, now: datetime) -> int:
    return max(0, (now - standing.last_played).days) if standing.last_played else 0

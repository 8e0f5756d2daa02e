"""What a place in a riff is like over many takes: always late, often missed, often muted wrong."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date
from statistics import median

MIN_PLAYED = 3  # times that a place has to be played to be shown
MIN_PASSES, MIN_DAYS = 5, 2  # before it is called a habit


@dataclass(frozen=True, slots=True)
class PlayedPlace:
    """One place of a riff in one take: how often it was due (`times`) and `missed`, its median
    lateness against the take's own, None if it was never hit; of how many hits the articulation was
    `told`, and how many of these were `wrong`; `day`: the player's own.
    """

    take_id: int
    section: str
    bar: int
    at: str
    times: int
    late_ms: float | None
    missed: int
    told: int
    wrong: int
    day: date


@dataclass(frozen=True, slots=True, kw_only=True)
class Habit:
    """A place over all takes. `late_ms`: its median; shares of the times it was due, or told;
    `days`: on how many it was played.
    """

    section: str
    bar: int
    at: str
    times: int
    late_ms: float | None
    missed: float
    wrong: float | None
    days: int

    @property
    def is_settled(self) -> bool:
        """Whether it was played often enough to be called a habit: once is not always."""
        return self.times >= MIN_PASSES and self.days >= MIN_DAYS


def habits_of(played: Iterable[PlayedPlace]) -> list[Habit]:
    """Every place that was due often enough, in the order of the riff's sections and bars."""
    places: dict[tuple[str, int, str], list[PlayedPlace]] = {}
    for hit in played:
        places.setdefault((hit.section, hit.bar, hit.at), []).append(hit)
    return [
        _habit(*place, takes)
        for place, takes in places.items()
        if sum(take.times for take in takes) >= MIN_PLAYED
    ]


def _habit(section: str, bar: int, at: str, takes: list[PlayedPlace]) -> Habit:
    late = [
        take.late_ms
        for take in takes
        if take.late_ms is not None
        for _ in range(take.times - take.missed)
    ]
    times, judged = sum(take.times for take in takes), sum(take.told for take in takes)
    return Habit(
        section=section,
        bar=bar,
        at=at,
        times=times,
        late_ms=median(late) if late else None,
        missed=sum(take.missed for take in takes) / times,
        wrong=sum(take.wrong for take in takes) / judged if judged else None,
        days=len({take.day for take in takes}),
    )

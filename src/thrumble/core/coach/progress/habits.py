"""What a place in a riff is like over many takes: always late, often missed, often muted wrong."""

from collections.abc import Iterable
from dataclasses import dataclass
from statistics import median

LEAST_PLAYED = 3  # times that a place has to be played to say something of it


@dataclass(frozen=True, slots=True)
class PlayedPlace:
    """One place of a riff in one take: how often it was due, its middle lateness around the take's
    own, None where it was never hit; how often it was `missed`; of how many the sound was `told`,
    and how many of these were `wrong`: unlike what is written.
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


@dataclass(frozen=True, slots=True, kw_only=True)
class Habit:
    """A place over all takes. `late_ms`: its median; shares of the times it was due, or told."""

    section: str
    bar: int
    at: str
    times: int
    late_ms: float | None
    missed: float
    wrong: float | None


def habits_of(played: Iterable[PlayedPlace]) -> list[Habit]:
    """Every place that was due often enough, in the order of the riff's sections and bars."""
    places: dict[tuple[str, int, str], list[PlayedPlace]] = {}
    for one in played:
        places.setdefault((one.section, one.bar, one.at), []).append(one)
    return [
        _habit(*place, takes)
        for place, takes in places.items()
        if sum(one.times for one in takes) >= LEAST_PLAYED
    ]


def _habit(section: str, bar: int, at: str, takes: list[PlayedPlace]) -> Habit:
    late = [
        one.late_ms
        for one in takes
        if one.late_ms is not None
        for _ in range(one.times - one.missed)
    ]
    times, told = sum(one.times for one in takes), sum(one.told for one in takes)
    return Habit(
        section=section,
        bar=bar,
        at=at,
        times=times,
        late_ms=median(late) if late else None,
        missed=sum(one.missed for one in takes) / times,
        wrong=sum(one.wrong for one in takes) / told if told else None,
    )

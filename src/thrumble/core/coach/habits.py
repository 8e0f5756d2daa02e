"""What a place in a riff is like over many takes: always late, often missed, often muted wrong."""

from collections.abc import Iterable
from dataclasses import dataclass
from statistics import median

LEAST_PLAYED = 3  # times that a place has to be played to say something of it


@dataclass(frozen=True, slots=True)
class PlayedPlace:
    """One hit of one take: where it stands in the riff, and what became of it. `late_ms` around the
    take's own middle, None where it was missed; `wrong`: it sounded unlike what is written, None
    where that could not be told.
    """

    take_id: int
    section: str
    bar: int
    at: str
    late_ms: float | None
    wrong: bool | None


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
    return [_habit(*place, hits) for place, hits in places.items() if len(hits) >= LEAST_PLAYED]


def _habit(section: str, bar: int, at: str, hits: list[PlayedPlace]) -> Habit:
    late = [one.late_ms for one in hits if one.late_ms is not None]
    told = [one.wrong for one in hits if one.wrong is not None]
    return Habit(
        section=section,
        bar=bar,
        at=at,
        times=len(hits),
        late_ms=median(late) if late else None,
        missed=sum(one.late_ms is None for one in hits) / len(hits),
        wrong=sum(told) / len(told) if told else None,
    )

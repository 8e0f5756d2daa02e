"""Sittings: takes that lie together. A sitting over midnight is one, of the day it began on."""

from collections.abc import Iterable
from dataclasses import dataclass, replace
from datetime import UTC, date, datetime, timedelta

APART = timedelta(minutes=30)  # from the end of a take to the next one's beginning


@dataclass(frozen=True, slots=True, kw_only=True)
class TakeAt:
    """A take as it counts for a sitting. `day`: the player's own when it began."""

    take_id: int
    at: datetime
    day: date
    seconds: float
    strokes: int
    clean: int
    judged: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Sitting:
    """Takes that lie together. `played_s` of them all; `clean` of `judged` hits."""

    day: date
    begun: datetime
    ended: datetime
    takes: tuple[int, ...]
    played_s: float
    strokes: int
    clean: int
    judged: int


def sittings_of(takes: Iterable[TakeAt]) -> list[Sitting]:
    """The sittings, the latest first. Moments are compared in UTC: in one zone Python compares what
    the clock on the wall shows, and clocks are changed.
    """
    groups: list[list[TakeAt]] = []
    moments = (replace(take, at=take.at.astimezone(UTC)) for take in takes)
    for moment in sorted(moments, key=lambda take: (take.at, take.take_id)):
        last = groups[-1][-1] if groups else None
        if last is None or moment.at - _end(last) > APART:
            groups.append([])
        groups[-1].append(moment)
    return [_sitting(group) for group in reversed(groups)]


def _end(take: TakeAt) -> datetime:
    return take.at + timedelta(seconds=take.seconds)


def _sitting(takes: list[TakeAt]) -> Sitting:
    return Sitting(
        day=takes[0].day,
        begun=takes[0].at,
        ended=max(_end(take) for take in takes),
        takes=tuple(take.take_id for take in takes),
        played_s=sum(take.seconds for take in takes),
        strokes=sum(take.strokes for take in takes),
        clean=sum(take.clean for take in takes),
        judged=sum(take.judged for take in takes),
    )

"""The runs of bars that hits may ring through, as they are written: where a place lies in them, and
a riff with other hits or bars in one.
"""

from dataclasses import dataclass, replace
from fractions import Fraction

from thrumble.core.errors import BadInput
from thrumble.core.music.meter import Meter
from thrumble.core.riff.checking import check_riff
from thrumble.core.riff.model import (
    Bar,
    Hit,
    Pickup,
    Riff,
    Section,
)
from thrumble.core.riff.ramps import mended

Placed = list[tuple[Fraction, Hit]]  # hits by their place from the part's start


@dataclass(frozen=True, slots=True)
class WrittenRun:
    """A run of bars that hits may ring through: a section's own bars, one of its endings, or the
    pick-up. `section`: its place, None for the pick-up; `first`: the number of its first bar as
    written.
    """

    section: int | None
    ending: int | None
    first: int
    bars: tuple[Bar, ...]


def runs_of(riff: Riff) -> list[WrittenRun]:
    out: list[WrittenRun] = []
    first = 0
    if riff.pickup is not None:
        length = riff.pickup.length
        bar = Bar(Meter(length.numerator, length.denominator), riff.pickup.hits)
        out.append(WrittenRun(None, None, 0, (bar,)))
        first = 1
    for number, section in enumerate(riff.sections):
        for ending, bars in enumerate((section.bars, *section.endings), -1):
            out.append(WrittenRun(number, None if ending < 0 else ending, first, bars))
            first += len(bars)
    return out


def spot_of(riff: Riff, bar: int, at: Fraction) -> tuple[WrittenRun, Fraction]:
    """The part that a written bar belongs to, and a place in it from the part's start."""
    parts = runs_of(riff)
    for part in parts:
        k = bar - part.first
        if 0 <= k < len(part.bars):
            if not 0 <= at < part.bars[k].meter.length:
                raise BadInput(f"bar {bar + 1} has no place {at}")
            start = sum((b.meter.length for b in part.bars[:k]), Fraction(0))
            return part, start + at
    count = sum(len(part.bars) for part in parts)
    raise BadInput(f"there are bars 1 to {count}; found {bar + 1}")


def range_of(riff: Riff, first: int, last: int) -> tuple[WrittenRun, int, int]:
    """The part that bars `first` to `last` lie in, and which of its bars they are."""
    part, _ = spot_of(riff, first, Fraction(0))
    if not first <= last < part.first + len(part.bars):
        raise BadInput("choose bars of one section")
    return part, first - part.first, last - part.first + 1


def run_length(part: WrittenRun) -> Fraction:
    return sum((bar.meter.length for bar in part.bars), Fraction(0))


def laid_out(part: WrittenRun) -> Placed:
    placed, start = [], Fraction(0)
    for bar in part.bars:
        placed += [(start + hit.at, hit) for hit in bar.hits]
        start += bar.meter.length
    return placed


def hit_at(placed: Placed, place: Fraction) -> Hit | None:
    return next((hit for when, hit in placed if when == place), None)


def put_at(placed: Placed, place: Fraction, hit: Hit) -> Placed:
    return sorted(
        [*((when, other) for when, other in placed if when != place), (place, hit)],
        key=lambda item: item[0],
    )


def ended_at(placed: Placed, place: Fraction, *, stop: bool) -> Placed:
    """The riff with whatever rings at this place ending there, with a stop that is judged or
    without one.
    """
    before = [(when, hit) for when, hit in placed if when < place]
    if not before:
        return placed
    when, hit = before[-1]
    rang = when + hit.length > place
    if not rang and not stop:
        return placed
    length = min(hit.length, place - when)
    return put_at(placed, when, replace(hit, length=length, stop=stop or (hit.stop and not rang)))


def with_hits(riff: Riff, part: WrittenRun, placed: Placed) -> Riff:
    """The riff with other hits in a part."""
    return with_bars(riff, part, folded(part.bars, placed))


def folded(bars: tuple[Bar, ...], placed: Placed) -> tuple[Bar, ...]:
    """The hits, in order, in these bars instead of their own; bars that stay alike stay the same
    value.
    """
    out, start, k = [], Fraction(0), 0
    for bar in bars:
        end = start + bar.meter.length
        hits = []
        while k < len(placed) and placed[k][0] < end:
            when, hit = placed[k]
            hits.append(hit if hit.at == when - start else replace(hit, at=when - start))
            k += 1
        out.append(bar if tuple(hits) == bar.hits else replace(bar, hits=tuple(hits)))
        start = end
    return tuple(out)


def cut_short(bars: tuple[Bar, ...]) -> tuple[Bar, ...]:
    """Bars that came to stand beside others: no hit rings into the next one or past the end, and
    none asks for silence if there is none.
    """
    part = WrittenRun(0, None, 0, bars)
    placed = laid_out(part)
    ends = [*(when for when, _ in placed[1:]), run_length(part)][: len(placed)]
    clipped = []
    for (when, hit), following in zip(placed, ends, strict=True):
        length = min(hit.length, following - when)
        stop = hit.stop and when + length < following
        clipped.append((when, replace(hit, length=length, stop=stop)))
    return folded(bars, clipped)


def with_bars(riff: Riff, part: WrittenRun, bars: tuple[Bar, ...]) -> Riff:
    bars = whole_ramps(bars)
    if part.section is None:
        if len(bars) > 1:
            raise BadInput("the pick-up is one bar: go to bar 1 for more")
        pickup = Pickup(bars[0].meter.length, bars[0].hits) if bars else None
        return check_riff(replace(riff, pickup=pickup))
    section = riff.sections[part.section]
    if part.ending is None:
        changed: Section = replace(section, bars=bars)
    else:
        endings = list(section.endings)
        endings[part.ending] = bars
        changed = replace(section, endings=tuple(endings))
    sections = list(riff.sections)
    sections[part.section] = changed
    return check_riff(replace(riff, sections=tuple(sections)))


def whole_ramps(bars: tuple[Bar, ...]) -> tuple[Bar, ...]:
    hits = [hit for bar in bars for hit in bar.hits]
    whole = mended(hits)
    if whole == hits:
        return bars
    ordered = iter(whole)
    return tuple(replace(bar, hits=tuple(next(ordered) for _ in bar.hits)) for bar in bars)

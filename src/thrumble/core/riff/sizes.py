"""How large and how fine a riff may be, so that every later step takes bounded time and memory.

Counted before anything else is checked, in one pass. The subdivision of a bar decides how long its
text is, since the text shares a bar among even slots.
"""

from collections.abc import Iterator, Sequence
from fractions import Fraction
from functools import lru_cache
from math import lcm

from thrumble.core.errors import RiffError
from thrumble.core.music.meter import Meter
from thrumble.core.riff.model import Bar, Hit, Riff

MAX_BARS = 2000  # along the play order; an hour of music at any sensible tempo
MAX_HITS = 20_000  # along the play order
MAX_SECTIONS = 500
MAX_DENOMINATOR = 4096  # of a place or length: 1/4096 is 3 ms at the slowest tempo
MAX_BAR_SLOTS = 2000  # even slots that one bar's hits share
MAX_SLOTS = 200_000  # all bars together; two characters of text each
MAX_DIGITS = 12  # of a depth or bend, before and after the point


def check_sizes(riff: Riff) -> None:
    """Raises RiffError if a riff has too many sections, bars, hits or subdivisions."""
    if len(riff.sections) > MAX_SECTIONS:
        raise _too_large("sections", len(riff.sections), f"at most {MAX_SECTIONS} sections")
    if len(riff.play) > MAX_BARS:
        raise _too_large("play", len(riff.play), f"at most {MAX_BARS} sections in a row")
    runs = [run for section in riff.sections for run in (section.bars, *section.endings)]
    bars = [bar for run in runs for bar in run]
    if len(bars) > MAX_BARS:
        raise _too_large("sections", len(bars), f"a riff has at most {MAX_BARS} bars")
    hits = sum(len(bar.hits) for bar in bars)
    if riff.pickup is not None:
        hits += len(riff.pickup.hits)
    if hits > MAX_HITS:
        raise _too_large("sections", hits, f"a riff has at most {MAX_HITS:,} hits")
    _check_play_order(riff)
    _check_subdivisions(riff, runs)


def _check_play_order(riff: Riff) -> None:
    """Bars and hits with every repeat written out, each section taken with its longest ending."""
    bar_counts, hit_counts = {}, {}
    for section in riff.sections:
        endings = [len(ending) for ending in section.endings]
        bar_counts[section.name] = len(section.bars) + max(endings, default=0)
        ending_hits = [_count_hits(ending) for ending in section.endings]
        hit_counts[section.name] = _count_hits(section.bars) + max(ending_hits, default=0)
    played_bars = sum(bar_counts.get(name, 0) for name in riff.order)
    if played_bars > MAX_BARS:
        raise RiffError(f"the play order runs over {MAX_BARS} bars; shorten it", place="play")
    played_hits = sum(hit_counts.get(name, 0) for name in riff.order)
    if played_hits > MAX_HITS:
        raise RiffError(f"the play order runs over {MAX_HITS:,} hits; shorten it", place="play")


def _count_hits(bars: Sequence[Bar]) -> int:
    return sum(len(bar.hits) for bar in bars)


def _check_subdivisions(riff: Riff, runs: list[tuple[Bar, ...]]) -> None:
    total = 0
    for run in runs:
        for number, (bar, places) in enumerate(_places_by_bar(run), 1):
            slots = _bar_slots(bar.meter, tuple(places))
            if slots > MAX_BAR_SLOTS:
                raise _too_fine(f"bar {number}")
            total += slots
    if riff.pickup is not None:
        length = riff.pickup.length
        places = [hit.at for hit in riff.pickup.hits]
        places += [hit.at + hit.length for hit in riff.pickup.hits]
        if any(place.denominator > MAX_DENOMINATOR for place in (length, *places)):
            raise _too_fine("pickup")
        if length > 0 and _shared_slots(places, length) > MAX_BAR_SLOTS:
            raise _too_fine("pickup")
    if total > MAX_SLOTS:
        raise _too_large(
            "sections", f"{total:,} slots", f"a riff has at most {MAX_SLOTS:,} slots in all"
        )


def _places_by_bar(run: tuple[Bar, ...]) -> Iterator[tuple[Bar, list[Fraction]]]:
    """Each bar with the places inside it where a hit starts or ends, from the bar's start."""
    end_after: Fraction | None = None  # of the last hit, from the current bar's start
    for number, bar in enumerate(run, 1):
        places: list[Fraction] = []
        if end_after is not None and 0 < end_after < bar.meter.length:
            places.append(end_after)
        for hit in bar.hits:
            _check_fractions(hit, f"bar {number}")
            places.append(hit.at)
            if hit.at + hit.length < bar.meter.length:
                places.append(hit.at + hit.length)
        if bar.hits:
            end_after = bar.hits[-1].at + bar.hits[-1].length
        if end_after is not None:
            end_after -= bar.meter.length
        yield bar, places


def _check_fractions(hit: Hit, place: str) -> None:
    finest = max(hit.at.denominator, hit.length.denominator)
    if finest > MAX_DENOMINATOR or max(hit.at, hit.length) > MAX_BARS * 64:
        raise _too_fine(place)
    for name, value in (("depth", hit.depth), ("bend", hit.bend)):
        if value is None:
            continue
        digits, exponent = value.as_tuple().digits, value.as_tuple().exponent
        if len(digits) > MAX_DIGITS or not isinstance(exponent, int) or abs(exponent) > MAX_DIGITS:
            raise RiffError(
                f"at most {MAX_DIGITS} digits", found=str(value)[:40], place=f"{place}, {name}"
            )


@lru_cache(maxsize=4096)
def _bar_slots(meter: Meter, places: tuple[Fraction, ...]) -> int:
    """How many even slots a bar's text needs: one grid for all of it, or one for each beat. Cached:
    an edit of a long riff checks all of its bars, and most have the same places.
    """
    whole = _shared_slots(places, meter.length)
    beat = meter.beat
    by_beat: dict[int, list[Fraction]] = {}
    for place in places:
        number, inside = divmod(place, beat)
        by_beat.setdefault(number, []).append(inside)
    grouped = sum(_shared_slots(inside, beat) for inside in by_beat.values())
    grouped += meter.beats - len(by_beat)
    return min(whole, grouped)


def _shared_slots(places: Sequence[Fraction], length: Fraction) -> int:
    """The fewest even slots of a span on which every place lies; stops counting once too many."""
    slots = 1
    for place in places:
        slots = lcm(slots, (place / length).denominator)
        if slots > MAX_BAR_SLOTS:
            return MAX_BAR_SLOTS + 1
    return slots


def _too_fine(place: str) -> RiffError:
    return RiffError(
        "these subdivisions are too fine to write down; use simpler fractions of the bar",
        place=place,
    )


def _too_large(place: str, value: object, expected: str) -> RiffError:
    return RiffError(expected, found=str(value), place=place)

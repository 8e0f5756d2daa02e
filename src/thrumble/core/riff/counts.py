"""What a player counts under a riff: beats, the strokes on each chord, or groups from accent to
accent straight through the bars.
"""

from collections import Counter
from enum import StrEnum
from fractions import Fraction
from itertools import pairwise

from thrumble.core.instrument import Note
from thrumble.core.riff.expand import ExpandedRiff


class Counting(StrEnum):
    """How the riff is counted."""

    BEATS = "beats"
    STROKES = "strokes"
    GROUPS = "groups"


def counts_of(expanded: ExpandedRiff, way: Counting) -> dict[int, str] | None:
    """The count of each hit by its index; None if beats are counted, which every place has."""
    if way is Counting.BEATS:
        return None
    return _strokes(expanded) if way is Counting.STROKES else _groups(expanded)


def _strokes(expanded: ExpandedRiff) -> dict[int, str]:
    """Strokes from one chord to the next; those on the pedal count with the chord before them."""
    pedal = None if expanded.riff.pedal is None else (expanded.riff.pedal,)
    chord: tuple[Note, ...] | None = None
    number = 0
    out = {}
    for due in expanded.hits:
        if due.hit.notes not in (chord, pedal):
            chord, number = due.hit.notes, 0
        number += 1
        out[due.index] = str(number)
    return out


def _groups(expanded: ExpandedRiff) -> dict[int, str]:
    """Slots from accent to accent, across bar lines, in the riff's commonest slot; between two of
    them an `&`.
    """
    starts = {bar.number: bar.start for bar in expanded.bars}
    places = [starts[due.bar] + due.hit.at for due in expanded.hits]
    unit = _slot(places)
    begin = places[0]
    out = {}
    for due, place in zip(expanded.hits, places, strict=True):
        if due.hit.accent:
            begin = place
        steps = (place - begin) / unit
        out[due.index] = str(int(steps) + 1) if steps.denominator == 1 else "&"
    return out


def _slot(places: list[Fraction]) -> Fraction:
    gaps = Counter(b - a for a, b in pairwise(places))
    return min(gaps, key=lambda gap: (-gaps[gap], gap)) if gaps else Fraction(1, 8)

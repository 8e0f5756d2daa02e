"""What a way along the neck costs, in points, and what a player may wish for instead. A point is
the trouble of ten millimetres along the neck.
"""

from dataclasses import dataclass, fields, replace
from enum import StrEnum


@dataclass(frozen=True, slots=True, kw_only=True)
class Weights:
    """The cost of everything a route may contain, in points."""

    travel: float = 0.1  # a millimetre moved
    hurry: float = 3.0  # a move at `quick_mm_s`; four times as much at twice the speed
    quick_mm_s: float = 600.0
    spread: float = 8.0  # a spread that uses the whole reach; with its cube
    unguarded: float = 0.8  # a string that nothing silences, a grip
    skipped: float = 14.0  # a string inside that must be damped, a grip
    fingers: float = 14.0  # other fingers for the same shape: more than a shift of two frets
    form: float = 12.0  # another form of the same chord: open, or on strings farther apart
    odd: float = 25.0  # fingers that nobody takes for this shape, a grip
    strings: float = 0.5  # a string that the hand moves across
    pick: float = 0.4  # a string that the pick has to jump over, a hit
    high: float = 0.05  # a fret up the neck, a grip
    little: float = 0.0  # the little finger pressing, a grip
    thumb: float = 8.0  # the thumb pressing, a grip
    open_strings: float = 0.0  # an open string given up, a grip


class Wish(StrEnum):
    """A preference that a player may have among routes."""

    LOW = "low"
    ONE_PLACE = "one-place"
    SPARE_LITTLE = "spare-little"
    OPEN_STRINGS = "open-strings"
    SAME_FINGERS = "same-fingers"
    SMALL_SPREAD = "small-spread"


ADDED = {
    Wish.LOW: Weights(high=0.8),
    Wish.ONE_PLACE: Weights(travel=0.4, hurry=9.0),
    Wish.SPARE_LITTLE: Weights(little=6.0),
    Wish.OPEN_STRINGS: Weights(open_strings=3.0),
    Wish.SAME_FINGERS: Weights(fingers=40.0),
    Wish.SMALL_SPREAD: Weights(spread=32.0),
}


def weights_for(wishes: frozenset[Wish]) -> Weights:
    """The usual weights, each raised to what the wishes ask for."""
    weights = Weights()
    for wish in sorted(wishes):
        raised = {
            field.name: max(getattr(weights, field.name), getattr(ADDED[wish], field.name))
            for field in fields(Weights)
        }
        weights = replace(weights, **raised)
    return weights

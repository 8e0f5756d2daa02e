"""Meters, bar lengths and the spoken count. Musical time is a Fraction of a whole note."""

from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache


@dataclass(frozen=True, slots=True)
class Meter:
    """A time signature: `beats` (1 to 64) of `unit` (a power of two, 1 to 64)."""

    beats: int
    unit: int

    @property
    def length(self) -> Fraction:
        """Length of one bar, in whole notes."""
        return Fraction(self.beats, self.unit)

    @property
    def beat(self) -> Fraction:
        """Length of one counted beat, in whole notes."""
        return Fraction(1, self.unit)

    def __str__(self) -> str:
        return f"{self.beats}/{self.unit}"


def read_meter(text: str) -> Meter:
    """A meter written as `7/8`. Raises ValueError outside 1 to 64 beats or with a unit that is no
    power of two.
    """
    head, slash, tail = text.strip().partition("/")
    short = len(head) < 3 and len(tail) < 3
    if slash and short and head.isascii() and head.isdigit() and tail.isascii() and tail.isdigit():
        beats, unit = int(head), int(tail)
        if 1 <= beats <= 64 and unit in (1, 2, 4, 8, 16, 32, 64):
            return Meter(beats, unit)
    raise ValueError(
        f"{text[:20]!r} isn't a meter; write beats/unit such as 4/4 or 7/8, the unit a power of two"
    )


@lru_cache(maxsize=4096)
def spoken_count(at: Fraction, meter: Meter) -> str:
    """What a player says under a hit: 1 2 3 on beats, & between, e and a for sixteenths, `trip` and
    `let` for triplets; `·` finer.
    """
    beat, inside = divmod(at, meter.beat)
    share = inside / meter.beat
    if share == 0:
        return str(int(beat) + 1)
    words = {
        Fraction(1, 2): "&",
        Fraction(1, 4): "e",
        Fraction(3, 4): "a",
        Fraction(1, 3): "trip",
        Fraction(2, 3): "let",
    }
    return words.get(share, "·")

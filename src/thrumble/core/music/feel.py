"""Feel: straight or shuffle. A shuffle stretches the first and shrinks the second unit of every
pair in a bar, exactly, in Fractions.
"""

from collections.abc import Iterable
from dataclasses import dataclass
from decimal import Decimal
from fractions import Fraction


@dataclass(frozen=True, slots=True)
class Feel:
    """`ratio` is long to short: 1 is even, 2 is triplet, 3 is dotted; None means straight. `unit`
    is what is paired, in whole notes.
    """

    ratio: Fraction | None = None
    unit: Fraction = Fraction(1, 8)

    def __str__(self) -> str:
        return (
            "straight"
            if self.ratio is None
            else f"shuffle {decimal_text(self.ratio)} on {self.unit}"
        )


STRAIGHT = Feel()


def decimal_text(value: Fraction) -> str:
    """A fraction that came from a decimal, printed as that decimal, always with a point (`2.0`).
    Raises ValueError for 1/3 and the like.
    """
    decimal = Decimal(value.numerator) / Decimal(value.denominator)
    if Fraction(decimal) != value:
        raise ValueError(f"{value} is no decimal number")
    text = f"{decimal.normalize():f}"
    return text if "." in text else text + ".0"


def swings(offset: Fraction, unit: Fraction) -> bool:
    """Whether a place inside a pair is at the unit or one of its halvings (the pair's own start
    is).
    """
    parts = (offset / unit).denominator
    return parts & (parts - 1) == 0


@dataclass(frozen=True, slots=True)
class BarFeel:
    """The swing of one bar: maps a written place in the bar to the played one."""

    feel: Feel
    length: Fraction
    straight_pairs: frozenset[int]

    def played(self, at: Fraction) -> Fraction:
        """The played place of a written one, both in whole notes from the bar's start; 0 and the
        bar's end stay.
        """
        if self.feel.ratio is None or at >= self.length:
            return at
        pair = 2 * self.feel.unit
        number, offset = divmod(at, pair)
        if number in self.straight_pairs or (number + 1) * pair > self.length:
            return at
        long = pair * self.feel.ratio / (self.feel.ratio + 1)
        if offset <= self.feel.unit:
            return number * pair + offset / self.feel.unit * long
        return number * pair + long + (offset - self.feel.unit) / self.feel.unit * (pair - long)


def bar_feel(feel: Feel, length: Fraction, places: Iterable[Fraction]) -> BarFeel:
    """The swing of a bar whose hits stand at `places`: pairs with written triplets keep their time.

    Raises ValueError, naming the place, if one pair holds swung and other places together.
    """
    if feel.ratio is None:
        return BarFeel(feel, length, frozenset())
    pair = 2 * feel.unit
    kinds: dict[int, set[bool]] = {}
    for at in places:
        number, offset = divmod(at, pair)
        if offset and (number + 1) * pair <= length:
            kinds.setdefault(number, set()).add(swings(offset, feel.unit))
            if len(kinds[number]) > 1:
                raise ValueError(
                    f"the pair of {feel.unit} at {number * pair} holds swung and unswung places; "
                    "write the pair in one of the two"
                )
    return BarFeel(feel, length, frozenset(n for n, seen in kinds.items() if False in seen))

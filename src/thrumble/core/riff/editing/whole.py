"""What is done to a riff as a whole: its feel."""

from dataclasses import replace
from decimal import Decimal
from fractions import Fraction

from thrumble.core.music.feel import STRAIGHT, Feel
from thrumble.core.riff.checking import check_riff
from thrumble.core.riff.model import Riff


def set_feel(riff: Riff, ratio: Decimal, unit: Fraction) -> Riff:
    """The whole riff shuffled so hard on eighths or sixteenths; a ratio of 1 is straight. Sections
    with a feel of their own keep it.
    """
    feel = STRAIGHT if ratio == 1 else Feel(Fraction(ratio), unit)
    return check_riff(replace(riff, feel=feel))

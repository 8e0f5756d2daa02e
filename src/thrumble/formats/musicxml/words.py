"""The words and letters that riff and score share, both ways."""

import re
from fractions import Fraction

from thrumble.core.instrument import Plucking

PLUCKED = {
    Plucking.THUMB: "p",
    Plucking.INDEX: "i",
    Plucking.MIDDLE: "m",
    Plucking.RING: "a",
    Plucking.LITTLE: "c",
}
HARMONY_KINDS = {
    "": "none",
    "5": "power",
    "6": "major-sixth",
    "b7": "dominant",
    "sus2": "suspended-second",
    "sus4": "suspended-fourth",
    "dim5": "diminished",
    "aug5": "augmented",
    "maj": "major",
    "min": "minor",
}  # the nearest that the format has a word for; our own name stands beside it
SWING_UNITS = {Fraction(1, 8): "eighth", Fraction(1, 16): "16th"}
FEEL_OF_RIFF, FEEL_OF_SECTION = "riff", "section"
LABELLED = "hits are called"
SLIDE, OPENS, FINGERS, STOP = "slide", "mute opens", "fingers", "stop"
DEPTH, RAMP = "mute depth", "mute ramp"


def spelt(name: str) -> tuple[str, int, str]:
    """Step, alteration and octave of a pitch name."""
    match = re.fullmatch(r"([A-G])([#b]?)(-?\d+)", name)
    assert match is not None
    return match[1], {"": 0, "#": 1, "b": -1}[match[2]], match[3]

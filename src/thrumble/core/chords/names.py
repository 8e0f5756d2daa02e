"""Chord names: what `F#5+8` asks for, and how the notes of a hit are called."""

import re
from collections.abc import Iterator
from dataclasses import dataclass

from thrumble.core.music.pitch import SHARP_NAMES, pitch_class

# Semitones above the root, in the order of the strings.
QUALITIES: dict[str, tuple[int, ...]] = {
    "": (0,),
    "5": (0, 7),
    "6": (0, 9),
    "b7": (0, 10),
    "sus2": (0, 7, 14),
    "sus4": (0, 7, 12, 17),
    "dim5": (0, 6),
    "aug5": (0, 8),
    "maj": (0, 4, 7),
    "min": (0, 3, 7),
}
NAME = re.compile(
    r"(?P<root>[A-G][b#]?)(?P<quality>sus2|sus4|dim5|aug5|maj|min|b7|5|6)?(?P<form>\+8|w)?(?P<bass>/5)?"
)
OCTAVE_HIGHER, WIDE, FIFTH_BELOW = "+8", "w", "/5"


@dataclass(frozen=True, slots=True)
class ChordName:
    """A parsed chord name: pitch class of the root and the intervals of its shape, low to high."""

    root: int
    intervals: tuple[int, ...]


def read_chord_name(text: str) -> ChordName | None:
    """The chord a name such as `F#5+8` asks for; None if it is no chord name."""
    match = NAME.fullmatch(text)
    if not match or (match["form"] == WIDE and match["quality"] != "5"):
        return None
    intervals = _intervals(match["quality"] or "", match["form"] or "", match["bass"] or "")
    return ChordName(pitch_class(match["root"]), intervals)


def _intervals(quality: str, form: str, bass: str) -> tuple[int, ...]:
    intervals = QUALITIES[quality]
    if form == WIDE:
        intervals = (0, 19)
    elif form and 12 not in intervals:
        intervals = (*intervals, 12)
    if bass:
        intervals = (-5, *intervals)
    return tuple(sorted(intervals))


def suffixes() -> list[str]:
    """What may stand behind a chord's root, the power chord and its forms first."""
    forms = [suffix for suffix, _ in _forms()]
    return sorted(forms, key=lambda suffix: (not suffix.startswith("5"), len(suffix)))


def _forms() -> Iterator[tuple[str, tuple[int, ...]]]:
    for quality in QUALITIES:
        for form in ("", OCTAVE_HIGHER, *((WIDE,) if quality == "5" else ())):
            for bass in ("", FIFTH_BELOW):
                yield quality + form + bass, _intervals(quality, form, bass)


_BY_INTERVALS: dict[tuple[int, ...], str] = {}
for _suffix, _shape in _forms():
    _BY_INTERVALS.setdefault(_shape, _suffix)
_BY_CLASSES = {
    frozenset(interval % 12 for interval in shape): quality for quality, shape in QUALITIES.items()
}


def name_notes(midis: tuple[int, ...]) -> str | None:
    """What a player calls these sounding pitches: the name of their very shape, with the lowest
    note as the root or a fifth under it; else of the chord whose pitch classes they are, doubled as
    they may be. None for no notes, and for what has no name here.

    A fourth alone is the power chord upside down: E under A is called `A5`.
    """
    notes = sorted(set(midis))
    if not notes:
        return None
    for root in (notes[0], notes[0] + 5):
        suffix = _BY_INTERVALS.get(tuple(note - root for note in notes))
        if suffix is not None and root in notes:
            return SHARP_NAMES[root % 12] + ("5" if suffix == FIFTH_BELOW else suffix)
    for root in notes:
        quality = _BY_CLASSES.get(frozenset((note - root) % 12 for note in notes))
        if quality is not None:
            return SHARP_NAMES[root % 12] + quality
    return None

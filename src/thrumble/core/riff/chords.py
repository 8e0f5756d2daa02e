"""Chord names to frets. A shape is its intervals above the root, each laid on the next higher
string that the hand reaches.
"""

import re
from dataclasses import dataclass

from thrumble.core.music.pitch import STANDARD_TUNING, midi_of, pitch_class
from thrumble.core.riff.checking import MAX_FRET
from thrumble.core.riff.model import Note, Riff, open_midi

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
REACH_FRETS = 5  # the farthest a shape's string may lie above or below the root's fret
NAME = re.compile(
    r"(?P<root>[A-G][b#]?)(?P<quality>sus2|sus4|dim5|aug5|maj|min|b7|5|6)?(?P<form>\+8|w)?(?P<bass>/5)?"
)


@dataclass(frozen=True, slots=True)
class ChordName:
    """A parsed chord name: pitch class of the root and the intervals of its shape, low to high."""

    root: int
    intervals: tuple[int, ...]


def read_chord_name(text: str) -> ChordName | None:
    """The chord a name such as `F#5+8` asks for; None if it is no chord name."""
    match = NAME.fullmatch(text)
    if not match or (match["form"] == "w" and match["quality"] != "5"):
        return None
    intervals = QUALITIES[match["quality"] or ""]
    if match["form"] == "w":
        intervals = (0, 19)
    elif match["form"]:
        intervals = (*intervals, 12) if 12 not in intervals else intervals
    if match["bass"]:
        intervals = (-5, *intervals)
    return ChordName(pitch_class(match["root"]), tuple(sorted(intervals)))


def place_chord(
    riff: Riff, chord: ChordName, *, string: int | None, fret: int | None, as_standard: bool
) -> tuple[Note, ...]:
    """The notes of a chord: at the place given, else at the lowest root fret the shape can take
    (the lower string where two tie).

    `as_standard` reads the name as if the instrument were in standard tuning. Raises ValueError
    saying what would do.
    """
    root = chord.root
    if as_standard:
        if len(riff.tuning) != len(STANDARD_TUNING):
            raise ValueError("names: shape needs six strings; write sounding names")
        lowest_bend = (
            midi_of(riff.tuning[1]) - midi_of(STANDARD_TUNING[1]) + riff.capo
        )  # drop tunings move string 6 only
        root = (root + lowest_bend) % 12
    strings = range(len(riff.tuning), 0, -1)
    if string is not None and string not in strings:
        raise ValueError(f"there is no string {string}; strings are 1 to {len(riff.tuning)}")
    spots = [
        (root_fret, -s, notes)
        for s in strings
        if string in (None, s)
        for root_fret in range((root - open_midi(riff, s)) % 12, 25, 12)
        if (notes := _lay(riff, chord, s, root_fret))
    ]
    wanted = [spot for spot in spots if fret in (None, spot[0])]
    if wanted:
        return min(wanted)[2]
    if spots:
        raise ValueError(
            "the root is not there; it lies at "
            + ", ".join(f"{-s}/{f}" for f, s, _ in sorted(spots)[:6])
        )
    raise ValueError("this shape cannot be laid there; write the frets, such as 6:2,5:4")


def _lay(riff: Riff, chord: ChordName, root_string: int, root_fret: int) -> tuple[Note, ...] | None:
    """The shape around a root, or None if a string or a reach is missing."""
    root_midi = open_midi(riff, root_string) + root_fret
    notes, string = [], root_string
    for interval in chord.intervals:
        if interval < 0:
            fret = (
                root_midi + interval - open_midi(riff, root_string + 1)
                if root_string < len(riff.tuning)
                else -1
            )
            if not 0 <= fret <= MAX_FRET or abs(fret - root_fret) > REACH_FRETS:
                return None
            notes.append(Note(root_string + 1, fret))
            continue
        while string > 0:
            fret = root_midi + interval - open_midi(riff, string)
            if (
                0 <= fret <= MAX_FRET
                and abs(fret - root_fret) <= REACH_FRETS
                and all(n.string != string for n in notes)
            ):
                notes.append(Note(string, fret))
                break
            string -= 1
        else:
            return None
    return tuple(notes)

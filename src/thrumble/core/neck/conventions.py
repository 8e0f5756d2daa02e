"""What every rhythm guitarist does without thinking: which fingers a shape is taken with, and where
a note stays because its string is part of the sound. As degrees of oddness: 0 is what everybody
plays, 1 what a teacher would correct.
"""

from collections.abc import Sequence
from itertools import pairwise

from thrumble.core.instrument import Note
from thrumble.core.neck.hand import OPEN, THUMB, School
from thrumble.core.neck.muting_map import Fingered
from thrumble.core.riff.model import Articulation, Hit

ODD, UNUSUAL, SLIGHT = 1.0, 0.5, 0.2
WEAKER = {2: 0.01, 4: 0.04}  # a note of its own is taken with finger 1 or 3, all else equal
LITTLE = 4
OPEN_FORM_FRETS = 3  # up to here two strings at one fret are an open chord's, not a barre's
BASS_FRETS = 5  # as far as a chord tone lies from its open bass string under gain
STRAYED = 0.1  # a string away from the written one
# a fretted note over its open bass string, as open boogie is played: the hand lies at fret 2
OVER_OPEN_BASS = {1: (1,), 2: (1, 2), 3: (2, 3), 4: (3,), 5: (4,)}


def oddness(notes: Sequence[Fingered], school: School | None) -> float:
    """How unlike anybody's way these fingers are for these notes (lowest string first), 0 to 1."""
    pressed = [note for note in notes if note.finger not in (OPEN, THUMB)]
    if not pressed:
        return 0.0
    if len(pressed) == 1:
        return _single(notes, pressed[0])
    frets = sorted({note.fret for note in pressed})
    over_open = any(note.finger == OPEN for note in notes)
    if len(frets) == 1:
        return _at_one_fret(pressed, over_open=over_open)
    if len(frets) == 2:
        return _two_frets(pressed, school)
    low = min(pressed, key=lambda note: note.fret)
    return 0.0 if low.finger == 1 else UNUSUAL


def _single(notes: Sequence[Fingered], note: Fingered) -> float:
    """A note of its own may take any finger; over an open bass string the place decides."""
    bass = notes[0]
    if len(notes) == 1 or bass.finger != OPEN or note.fret not in OVER_OPEN_BASS:
        return WEAKER.get(note.finger, 0.0)
    usual = OVER_OPEN_BASS[note.fret]
    if note.finger == usual[0]:
        return 0.0
    return SLIGHT if note.finger in usual else ODD


def _at_one_fret(pressed: list[Fingered], *, over_open: bool) -> float:
    """Strings at one fret: one finger across them, or neighbours in an open chord."""
    fingers = [note.finger for note in pressed]
    if len(set(fingers)) == 1:
        return 0.0 if fingers[0] == 1 else SLIGHT
    neighbours = all(b - a == 1 for a, b in pairwise(fingers))
    if over_open and neighbours and pressed[0].fret <= OPEN_FORM_FRETS:
        return 0.0 if fingers == [2, 3] else SLIGHT
    return ODD


def _two_frets(pressed: list[Fingered], school: School | None) -> float:
    """Power chords and their kin: finger 1 at the lower fret, the upper ones by how far it is."""
    low_fret, high_fret = sorted({note.fret for note in pressed})
    low = [note.finger for note in pressed if note.fret == low_fret]
    high = [note.finger for note in pressed if note.fret == high_fret]
    if set(low) != {1}:
        return ODD
    frets = high_fret - low_fret
    if frets == 1:
        return 0.0 if set(high) == {2} else UNUSUAL
    if frets >= LITTLE:
        return 0.0 if set(high) == {LITTLE} else ODD
    if len(high) == 1:
        if high == [LITTLE]:
            return 0.0 if school is School.ONE_FOUR or frets == 3 else SLIGHT
        return 0.0 if high == [3] else ODD
    if high == [3, LITTLE]:
        return 0.0
    return SLIGHT if set(high) == {3} else ODD


def strayed(strings: Sequence[int], written: Sequence[int]) -> float:
    """How far a layout lies from the strings that are written: it sounds different there."""
    return STRAYED * sum(abs(a - b) for a, b in zip(strings, written, strict=False))


def keeps_its_sound(layout: Sequence[Note], hit: Hit) -> bool:
    """Whether a player would take the hit there at all: palm mutes keep their string, strings
    written to ring stay open, no open string sounds inside a fretted chord, and no string is
    skipped that the riff doesn't skip. What is written always may be played.
    """
    written = [(note.string, note.fret or 0) for note in hit.notes]
    taken = [(note.string, note.fret or 0) for note in layout]
    if sorted(taken) == sorted(written):
        return True
    if hit.articulation is Articulation.PALM:
        return False
    if any(note.let_ring and not note.fret for note in hit.notes):
        return False
    pressed = [fret for _, fret in taken if fret]
    opened = [string for string, fret in taken if not fret]
    if opened and len(taken) > 1:
        bass = max(string for string, _ in taken)
        if opened != [bass] or not pressed or max(pressed) > BASS_FRETS:
            return False
    return _gaps(taken) <= _gaps(written)


def _gaps(notes: list[tuple[int, int]]) -> int:
    strings = [string for string, _ in notes]
    return max(strings) - min(strings) + 1 - len(strings)

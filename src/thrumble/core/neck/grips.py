"""How a hand takes notes on the neck: where they lie, which finger presses which, how far it is
spread, what it leaves unguarded. Every grip that a reach allows, for the planner to choose from.
"""

from dataclasses import dataclass
from enum import StrEnum
from itertools import combinations, product

from thrumble.core.instrument import Instrument, Note

LAST_FRET = 22
DEFAULT_REACH_MM = 112.0  # finger 1 to 4; four frets at fret 3 of a usual scale
REACH_RANGE_MM = (60.0, 220.0)
# how far two fingers go apart, as a share of the reach from 1 to 4
SHARES = {(1, 2): 0.5, (1, 3): 0.8, (1, 4): 1.0, (2, 3): 0.45, (2, 4): 0.75, (3, 4): 0.5}
OPEN, THUMB = 0, 5
BARS = (1, 3)  # fingers that can lie across several strings


class School(StrEnum):
    """Which fingers a power chord is taken with."""

    ONE_THREE = "1-3"
    ONE_THREE_FOUR = "1-3-4"
    ONE_FOUR = "1-4"
    BARRE = "barre"


ALLOWED = {
    School.ONE_THREE: {1, 3},
    School.ONE_THREE_FOUR: {1, 3, 4},
    School.ONE_FOUR: {1, 4},
    School.BARRE: {1, 3},
}


@dataclass(frozen=True, slots=True)
class Fingered:
    """A note and the finger on it: 0 open, 1 to 4, 5 the thumb."""

    string: int
    fret: int
    finger: int


@dataclass(frozen=True, slots=True)
class Grip:
    """Notes with their fingers, lowest string first. `hand`: the fret of finger 1, also where it
    only rests, None where nothing is pressed; `span_mm`: outermost pressed frets; `unguarded`: how
    many strings nothing silences.
    """

    notes: tuple[Fingered, ...]
    hand: int | None
    span_mm: float
    unguarded: int

    @property
    def skipped(self) -> int:
        """Strings inside that the pick passes and that must not sound."""
        return self.notes[0].string - self.notes[-1].string + 1 - len(self.notes)

    @property
    def fingers(self) -> tuple[int, ...]:
        """The fingers that press, lowest string first."""
        return tuple(note.finger for note in self.notes if note.finger)


def layouts(instrument: Instrument, pitches: tuple[int, ...]) -> list[tuple[Note, ...]]:
    """Every way to lay pitches on strings of their own, lower ones on lower strings, that is not
    wider than five frets; lowest string first.
    """
    ordered = sorted(pitches)
    out = []
    for strings in combinations(reversed(instrument.strings), len(ordered)):
        frets = [
            pitch - instrument.open_midi(string)
            for string, pitch in zip(strings, ordered, strict=True)
        ]
        pressed = [fret for fret in frets if fret]
        if min(frets) < 0 or max(frets) > LAST_FRET:
            continue
        if pressed and max(pressed) - min(pressed) > 5:
            continue
        out.append(tuple(Note(s, f) for s, f in zip(strings, frets, strict=True)))
    return out


def grips(
    instrument: Instrument, notes: tuple[Note, ...], reach_mm: float, school: School | None
) -> list[Grip]:
    """Every way a hand of this reach can finger these notes. A school says which fingers shapes of
    two strings and more are taken with; single notes are free.
    """
    pressed = [note for note in notes if note.fret]
    if not pressed:
        return [_grip(instrument, notes, {}, hand=None)]
    frets = sorted({note.fret for note in pressed if note.fret})
    fingers: set[int] = {1, 2, 3, 4}
    if school is not None and len(pressed) > 1 and len(frets) > 1:
        fingers = ALLOWED[school]
    out = []
    for choice in product(sorted(fingers), repeat=len(pressed)):
        if school is School.ONE_THREE_FOUR and len(pressed) == 3 and len(set(choice)) < 3:
            continue  # a finger for each string is what this school is
        taken = {note.string: finger for note, finger in zip(pressed, choice, strict=True)}
        if _can(instrument, pressed, taken, reach_mm):
            by_finger = {taken[note.string]: note.fret or 0 for note in pressed}
            lowest = min(by_finger)
            hand = max(1, by_finger[lowest] - (lowest - 1))
            out.append(_grip(instrument, notes, taken, hand=hand))
    return out


def _can(
    instrument: Instrument, pressed: list[Note], taken: dict[int, int], reach_mm: float
) -> bool:
    """Whether fingers stand in the order of the frets and reach as far as they must. One finger
    takes several strings only as a bar, at one fret, on strings beside each other.
    """
    for one, other in combinations(pressed, 2):
        a, b = taken[one.string], taken[other.string]
        low, high = (one.fret or 0), (other.fret or 0)
        if a == b:
            if low != high or a not in BARS or not _beside(pressed, taken, a):
                return False
            continue
        if (low < high) != (a < b) and low != high:
            return False
        if low == high and (one.string > other.string) != (a < b):
            return False  # at one fret the lower string takes the lower finger
        wide = abs(instrument.fret_mm(high) - instrument.fret_mm(low))
        if wide > SHARES[min(a, b), max(a, b)] * reach_mm:
            return False
    return True


def _beside(pressed: list[Note], taken: dict[int, int], finger: int) -> bool:
    strings = sorted(note.string for note in pressed if taken[note.string] == finger)
    return strings[-1] - strings[0] == len(strings) - 1


def _grip(
    instrument: Instrument, notes: tuple[Note, ...], taken: dict[int, int], *, hand: int | None
) -> Grip:
    fingered = tuple(
        Fingered(note.string, note.fret or 0, taken.get(note.string, OPEN)) for note in notes
    )
    frets = [note.fret for note in fingered if note.finger]
    span = instrument.fret_mm(max(frets)) - instrument.fret_mm(min(frets)) if frets else 0.0
    return Grip(fingered, hand, span, _unguarded(fingered, len(instrument.tuning)))


def _unguarded(notes: tuple[Fingered, ...], strings: int) -> int:
    """Strings that are not struck and that nothing lies on: the next lower one has the tip of the
    finger on the lowest note, the lowest of all the thumb, higher ones finger 1 laid flat, a
    skipped one the finger on the note below it.
    """
    by_string = {note.string: note for note in notes}
    low, high = notes[0], notes[-1]
    flat = any(note.finger == 1 for note in notes)
    count = 0
    for string in range(1, strings + 1):
        if string in by_string:
            continue
        if string > low.string:
            guarded = string == strings or (string == low.string + 1 and low.finger != OPEN)
        elif string < high.string:
            guarded = flat
        else:
            below = by_string.get(string + 1)
            guarded = below is not None and below.finger != OPEN
        count += not guarded
    return count

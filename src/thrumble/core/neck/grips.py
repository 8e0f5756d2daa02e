"""How a hand takes notes on the neck: where they lie, which finger presses which, how far it is
spread, what it leaves unguarded. Every grip that a reach allows, for the planner to choose from.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from itertools import combinations

from thrumble.core.instrument import Instrument, Note
from thrumble.core.neck.conventions import oddness
from thrumble.core.neck.hand import BARS, OPEN, SCHOOLS, SHARES, THUMB, School
from thrumble.core.neck.muting_map import Fingered, muting_map

LAST_FRET = 22
WIDEST_FRETS = 5
POWER = frozenset({0, 5, 7, 12, 19})  # half steps above the lowest note
NEAR_FINGERS = 2  # fingers farther apart do not share a fret
THUMB_FRETS = 1  # the thumb over the top lies at finger 1's fret, or one beside it


@dataclass(frozen=True, slots=True)
class Grip:
    """Notes with their fingers, lowest string first. `hand`: the fret of finger 1, also if it
    only rests, None if nothing is pressed; `span_mm`: outermost pressed frets; `spare_mm`: how
    much farther the tightest pair of fingers could go; `unguarded`: how many strings nothing
    silences; `odd`: how unlike the way everybody takes it, from 0.
    """

    notes: tuple[Fingered, ...]
    hand: int | None
    span_mm: float
    spare_mm: float
    unguarded: int
    odd: float = 0.0

    @property
    def skipped(self) -> int:
        """Strings inside that the pick passes and that must not sound."""
        return self.notes[0].string - self.notes[-1].string + 1 - len(self.notes)

    @property
    def fingers(self) -> tuple[int, ...]:
        """The fingers that press, lowest string first."""
        return tuple(note.finger for note in self.notes if note.finger)

    @property
    def layout(self) -> tuple[tuple[int, int], ...]:
        """Strings and frets, whatever the fingers."""
        return tuple((note.string, note.fret) for note in self.notes)

    def comfort(self, reach_mm: float) -> float:
        """How easy the spread is: 1 needs none of the reach, 0 all of it."""
        return max(0.0, min(1.0, self.spare_mm / reach_mm))


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
        if pressed and max(pressed) - min(pressed) > WIDEST_FRETS:
            continue
        out.append(tuple(Note(s, f) for s, f in zip(strings, frets, strict=True)))
    return out


def grips(
    instrument: Instrument, notes: tuple[Note, ...], reach_mm: float, school: School | None
) -> list[Grip]:
    """Every way a hand of this reach can finger these notes. A school says which fingers shapes of
    two strings and more are taken with; single notes are free. The thumb takes the lowest string
    if no finger is needed on the one beside it, without a school.
    """
    pressed = [note for note in notes if note.fret]
    if not pressed:
        return [_grip(instrument, notes, {}, reach_mm, school, hand=None)]
    fingers = {1, 2, 3, 4}
    if school is not None and _is_power_chord(instrument, pressed):
        fingers = set(SCHOOLS[school].fingers)
    choices = list(_fingerings(instrument, pressed, fingers, reach_mm))
    if school is None and _over_the_top(instrument, notes, pressed):
        others = _fingerings(instrument, pressed[1:], fingers, reach_mm)
        choices += [(THUMB, *rest) for rest in others]
    out = []
    for choice in choices:
        if school is School.ONE_THREE_FOUR and len(pressed) == 3 and len(set(choice)) < 3:
            continue  # a finger for each string is what this school is
        taken = {note.string: finger for note, finger in zip(pressed, choice, strict=True)}
        if _can(instrument, pressed, taken, reach_mm):
            hand = _hand_at(pressed, taken)
            out.append(_grip(instrument, notes, taken, reach_mm, school, hand=hand))
    return out


def _is_power_chord(instrument: Instrument, pressed: list[Note]) -> bool:
    """Root and fifth, or root, fifth and octave: what schools differ about. A sixth, a seventh or
    an altered fifth takes the finger that its fret needs.
    """
    pitches = sorted(instrument.midi(note) or 0 for note in pressed)
    intervals = {pitch - pitches[0] for pitch in pitches}
    return len(pressed) > 1 and len({n.fret for n in pressed}) > 1 and intervals <= POWER


def _fingerings(
    instrument: Instrument, pressed: list[Note], fingers: set[int], reach_mm: float
) -> Iterator[tuple[int, ...]]:
    """Fingers for these notes, in which any two can stand together. Note by note, so that what
    cannot be is never gone through: twelve strings have 16 million ways to be fingered.
    """

    def extend(chosen: tuple[int, ...]) -> Iterator[tuple[int, ...]]:
        if len(chosen) == len(pressed):
            yield chosen
            return
        note = pressed[len(chosen)]
        for finger in sorted(fingers):
            if all(
                _together(instrument, first, note, a, finger, reach_mm)
                for first, a in zip(pressed, chosen, strict=False)
            ):
                yield from extend((*chosen, finger))

    return extend(())


def _together(
    instrument: Instrument, note: Note, other: Note, a: int, b: int, reach_mm: float
) -> bool:
    """Whether two fingers can press two notes at once."""
    low, high = (note.fret or 0), (other.fret or 0)
    if a == b:
        return low == high and a in BARS
    if (low < high) != (a < b) and low != high:
        return False
    if low == high and ((note.string > other.string) != (a < b) or abs(a - b) > NEAR_FINGERS):
        return False  # at one fret the lower string takes the lower finger, and 1 is not beside 4
    return _spare(instrument, note, other, {note.string: a, other.string: b}, reach_mm) >= 0


def _over_the_top(instrument: Instrument, notes: tuple[Note, ...], pressed: list[Note]) -> bool:
    """Whether this is a chord over another bass: its lowest note on the lowest string, with a
    string left out, or open, beside it.
    """
    lowest = len(instrument.tuning)
    beside = any(note.string == lowest - 1 and note.fret for note in notes)
    return len(pressed) > 1 and pressed[0].string == lowest and not beside


def _hand_at(pressed: list[Note], taken: dict[int, int]) -> int:
    """The fret of finger 1, also if it only rests; of the thumb alone, its own."""
    frets = {taken[note.string]: note.fret or 0 for note in pressed}
    lowest = min(frets)
    return frets[lowest] if lowest == THUMB else max(1, frets[lowest] - (lowest - 1))


def _can(
    instrument: Instrument, pressed: list[Note], taken: dict[int, int], reach_mm: float
) -> bool:
    """Whether fingers stand in the order of the frets and reach as far as they must. One finger
    takes several strings only as a bar, at one fret, on strings beside each other.
    """
    fingers = [note for note in pressed if taken[note.string] != THUMB]
    if len(fingers) < len(pressed):
        hand = _hand_at(pressed, taken)
        if any(
            abs((note.fret or 0) - hand) > THUMB_FRETS
            for note in pressed
            if taken[note.string] == THUMB
        ):
            return False
    for finger, other in combinations(fingers, 2):
        a, b = taken[finger.string], taken[other.string]
        if not _together(instrument, finger, other, a, b, reach_mm):
            return False
        if a == b and not _beside(pressed, taken, a):
            return False
    return True


def _spare(
    instrument: Instrument, note: Note, other: Note, taken: dict[int, int], reach_mm: float
) -> float:
    """How much farther two fingers could go apart, mm."""
    a, b = sorted((taken[note.string], taken[other.string]))
    wide = abs(instrument.fret_mm(other.fret or 0) - instrument.fret_mm(note.fret or 0))
    return SHARES[a, b] * reach_mm - wide


def _beside(pressed: list[Note], taken: dict[int, int], finger: int) -> bool:
    strings = sorted(note.string for note in pressed if taken[note.string] == finger)
    return strings[-1] - strings[0] == len(strings) - 1


def _grip(
    instrument: Instrument,
    notes: tuple[Note, ...],
    taken: dict[int, int],
    reach_mm: float,
    school: School | None,
    *,
    hand: int | None,
) -> Grip:
    fingered = tuple(
        Fingered(note.string, note.fret or 0, taken.get(note.string, OPEN)) for note in notes
    )
    frets = [note.fret for note in fingered if note.finger]
    span = instrument.fret_mm(max(frets)) - instrument.fret_mm(min(frets)) if frets else 0.0
    fretted = [note for note in notes if taken.get(note.string, THUMB) != THUMB]
    pairs = [
        (note, other)
        for note, other in combinations(fretted, 2)
        if taken[note.string] != taken[other.string]
    ]
    spare = min(
        (_spare(instrument, pair, other, taken, reach_mm) for pair, other in pairs),
        default=reach_mm,
    )
    unguarded = len(muting_map(fingered, len(instrument.tuning)).unguarded)
    return Grip(fingered, hand, span, spare, unguarded, oddness(fingered, school))

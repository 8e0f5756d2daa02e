"""From a chord's name to every place it can be played, and from a place back to its name."""

from dataclasses import dataclass

from thrumble.core.chords.names import ChordName
from thrumble.core.instrument import Instrument, Note
from thrumble.core.music.pitch import spell
from thrumble.core.neck.catalogue import easiest
from thrumble.core.neck.grips import LAST_FRET, Grip, layouts
from thrumble.core.neck.hand import Hand

FLAT_KEYS = frozenset({"F", "Bb", "Eb", "Ab", "Db", "Gb", "Cb"})
MINOR_FLAT_KEYS = frozenset({"D", "G", "C", "F", "Bb", "Eb", "Ab"})


@dataclass(frozen=True, slots=True)
class FoundPlace:
    """A place of a chord: its notes, and the easiest grip, None if the hand cannot."""

    notes: tuple[Note, ...]
    root: Note
    grip: Grip | None


def find_places(chord: ChordName, instrument: Instrument, hand: Hand) -> list[FoundPlace]:
    """Every place of a chord on the neck, from low frets to high ones, the lower strings first."""
    out = []
    lowest = min(instrument.open_midi(string) for string in instrument.strings)
    highest = max(instrument.open_midi(string) for string in instrument.strings) + LAST_FRET
    first = lowest - 12 + (chord.root - lowest) % 12
    for root in range(first, highest + 1, 12):
        pitches = tuple(root + interval for interval in chord.intervals)
        for notes in layouts(instrument, pitches):
            root_note = next(note for note in notes if instrument.midi(note) == root)
            out.append(FoundPlace(notes, root_note, easiest(instrument, notes, hand)))
    return sorted(out, key=_order)


def _order(place: FoundPlace) -> tuple[float, ...]:
    skipped = place.notes[0].string - place.notes[-1].string + 1 - len(place.notes)
    frets = [note.fret or 0 for note in place.notes]
    return (place.grip is None, skipped, max(frets), -place.notes[0].string)


def roots_of(root: int, instrument: Instrument, last: int = 12) -> list[Note]:
    """The frets of a root (semitones above C) on every string, the lowest string first, up to a
    fret.
    """
    return [
        Note(string, fret)
        for string in reversed(instrument.strings)
        for fret in range((root - instrument.open_midi(string)) % 12, last + 1, 12)
    ]


def uses_flats(key: str) -> bool:
    """Whether a key such as `F` or `Gm` is written with flats."""
    minor = key.endswith("m")
    return key.removesuffix("m") in (MINOR_FLAT_KEYS if minor else FLAT_KEYS)


def name_at(instrument: Instrument, string: int, fret: int, *, flats: bool) -> str:
    """The name of the note at a string and fret."""
    return spell(instrument.open_midi(string) + fret, flats=flats)

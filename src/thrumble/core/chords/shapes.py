"""Chord shapes on strings. A shape is its intervals above the root, each laid on the next higher
string that the hand reaches.
"""

from thrumble.core.chords.names import ChordName
from thrumble.core.instrument import MAX_FRET, Instrument, Note
from thrumble.core.music.pitch import STANDARD_TUNING, midi_of

REACH_FRETS = 5  # the farthest a shape's string may lie above or below the root's fret


def place_chord(
    instrument: Instrument,
    chord: ChordName,
    *,
    string: int | None,
    fret: int | None,
    as_standard: bool,
) -> tuple[Note, ...]:
    """The notes of a chord: at the place given, else at the lowest root fret the shape can take
    (the lower string if two tie).

    `as_standard` reads the name as if the instrument were in standard tuning. Raises ValueError
    saying what would do.
    """
    root = chord.root
    if as_standard:
        if len(instrument.tuning) != len(STANDARD_TUNING):
            raise ValueError("names: shape needs six strings; write sounding names")
        lowest_bend = (
            midi_of(instrument.tuning[1]) - midi_of(STANDARD_TUNING[1]) + instrument.capo
        )  # drop tunings move string 6 only
        root = (root + lowest_bend) % 12
    strings = range(len(instrument.tuning), 0, -1)
    if string is not None and string not in strings:
        raise ValueError(f"there is no string {string}; strings are 1 to {len(instrument.tuning)}")
    spots = [
        (root_fret, -s, notes)
        for s in strings
        if string in (None, s)
        for root_fret in range((root - instrument.open_midi(s)) % 12, 25, 12)
        if (notes := _lay(instrument, chord, s, root_fret))
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


def _lay(
    instrument: Instrument, chord: ChordName, root_string: int, root_fret: int
) -> tuple[Note, ...] | None:
    """The shape around a root, or None if a string or a reach is missing."""
    root_midi = instrument.open_midi(root_string) + root_fret
    notes, string = [], root_string
    for interval in chord.intervals:
        if interval < 0:
            fret = (
                root_midi + interval - instrument.open_midi(root_string + 1)
                if root_string < len(instrument.tuning)
                else -1
            )
            if not 0 <= fret <= MAX_FRET or abs(fret - root_fret) > REACH_FRETS:
                return None
            notes.append(Note(root_string + 1, fret))
            continue
        while string > 0:
            fret = root_midi + interval - instrument.open_midi(string)
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

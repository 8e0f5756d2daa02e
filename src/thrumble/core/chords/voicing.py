"""Pitches on strings: every way a hand can lay them, the one nearest to where it was."""

from itertools import combinations

from thrumble.core.chords.shapes import REACH_FRETS
from thrumble.core.instrument import Instrument, Note

LAST_FRET = 24  # beyond it few necks go
SKIPPED = 3.0  # a string left out inside a shape must be silenced: as bad as moving by three frets


def lay_pitches(
    instrument: Instrument, pitches: tuple[int, ...], near: tuple[Note, ...]
) -> tuple[Note, ...] | None:
    """The pitches, low to high, each on a string of its own, lower ones on lower strings, within
    the hand's reach; as near as can be to the strings and frets of `near`, open strings where the
    hand is not moved by them. None if no hand can; no pitches give no notes.
    """
    if not pitches:
        return ()
    ordered = sorted(pitches)
    best: tuple[tuple[float, float], tuple[Note, ...]] | None = None
    for strings in combinations(reversed(instrument.strings), len(ordered)):
        frets = [
            pitch - instrument.open_midi(string)
            for string, pitch in zip(strings, ordered, strict=True)
        ]
        if min(frets) < 0 or max(frets) > LAST_FRET:
            continue
        pressed = [fret for fret in frets if fret]
        if pressed and max(pressed) - min(pressed) > REACH_FRETS:
            continue
        notes = tuple(Note(string, fret) for string, fret in zip(strings, frets, strict=True))
        skipped = notes[0].string - notes[-1].string + 1 - len(notes)
        rated = (_away(notes, near) + SKIPPED * skipped, float(max(frets)))
        if best is None or rated < best[0]:
            best = (rated, notes)
    return None if best is None else best[1]


def _away(notes: tuple[Note, ...], near: tuple[Note, ...]) -> float:
    """How far from where the hand was: strings changed count as much as two frets."""
    if not near:
        return 0.0
    lowest, was = notes[0], near[0]
    hand = [note.fret for note in notes if note.fret] or [0]
    before = [note.fret for note in near if note.fret] or [0]
    return abs(min(hand) - min(before)) + 2.0 * abs(lowest.string - was.string)

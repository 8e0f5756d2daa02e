"""How far and how fast the fretting hand moves along the neck, in millimetres of the player's own
instrument.
"""

from thrumble.core.instrument import Instrument
from thrumble.core.riff.expand import DueHit


def shift_mm(before: DueHit, after: DueHit, instrument: Instrument) -> float:
    """How far the fretting hand moves between two hits: along the neck, lowest pressed fret to
    lowest pressed fret.

    Hits on open strings alone ask for no move: 0.
    """
    places = [[note.fret for note in due.hit.notes if note.fret] for due in (before, after)]
    if not all(places):
        return 0.0
    return abs(instrument.fret_mm(min(places[1])) - instrument.fret_mm(min(places[0])))


def move_speeds_mm_s(hits: tuple[DueHit, ...], instrument: Instrument) -> list[float]:
    """For every hit of a round how fast the hand has to move to reach it, mm/s: the move that leads
    to it over half the slot of the last hit that
    pressed a fret and all that follows until this one, for open strings leave the hand free; 0
    where nothing moves."""
    out: list[float] = []
    last: DueHit | None = None
    for due in hits:
        mm = shift_mm(last, due, instrument) if last else 0.0
        time_s = due.due_s - last.due_s - last.slot_s / 2 if last else 0.0
        out.append(mm / max(0.01, time_s) if mm else 0.0)
        if any(note.fret for note in due.hit.notes):
            last = due
    return out


def shifts_mm(hits: tuple[DueHit, ...], instrument: Instrument) -> list[float]:
    """For every hit of a round the move that leads to it, from the last hit that pressed a fret; 0
    for the first.
    """
    out: list[float] = []
    last: DueHit | None = None
    for due in hits:
        out.append(shift_mm(last, due, instrument) if last else 0.0)
        if any(note.fret for note in due.hit.notes):
            last = due
    return out

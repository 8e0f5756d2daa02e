"""How far and how fast the fretting hand moves along the neck, in millimetres of the player's own
instrument.
"""

from collections.abc import Iterable

from thrumble.core.instrument import Instrument
from thrumble.core.riff.expand import DueHit
from thrumble.core.riff.model import Hit

BACK, AHEAD = 1, 3  # frets from finger 1 that a single note is reached at without a move


def hand_frets(hits: Iterable[Hit]) -> list[int | None]:
    """The fret that finger 1 is at, hit by hit; None until something is pressed.

    A chord brings finger 1 to its lowest pressed fret. A single note within the reach of the other
    fingers moves nothing, so that an open shuffle or a walk in one position has no shifts.
    """
    frets: list[int | None] = []
    hand: int | None = None
    for hit in hits:
        pressed = [note.fret for note in hit.notes if note.fret]
        is_reached = hand is not None and len(pressed) == 1
        if pressed and not (is_reached and -BACK <= pressed[0] - (hand or 0) <= AHEAD):
            hand = min(pressed)
        frets.append(hand)
    return frets


def shifts_mm(hits: tuple[DueHit, ...], instrument: Instrument) -> list[float]:
    """For every hit of a round the move of the hand that leads to it, in mm; 0 if it stays."""
    frets = hand_frets(due.hit for due in hits)
    return [
        0.0
        if before is None or after is None
        else abs(instrument.fret_mm(after) - instrument.fret_mm(before))
        for before, after in zip([None, *frets], frets, strict=False)
    ]


def move_speeds_mm_s(hits: tuple[DueHit, ...], instrument: Instrument) -> list[float]:
    """For every hit of a round how fast the hand has to move to reach it, mm/s: the move that leads
    to it over half the slot of the last hit that pressed a fret and all that follows until this
    one, for open strings leave the hand free; 0 if nothing moves.
    """
    speeds: list[float] = []
    last: DueHit | None = None
    for due, mm in zip(hits, shifts_mm(hits, instrument), strict=True):
        time_s = due.due_s - last.due_s - last.slot_s / 2 if last else 0.0
        speeds.append(mm / max(0.01, time_s) if mm else 0.0)
        if any(note.fret for note in due.hit.notes):
            last = due
    return speeds

"""A wide stretch approached from above: up the neck the frets are narrow, so it starts where it is
easy and comes down a fret at a time.
"""

from dataclasses import dataclass
from decimal import Decimal
from fractions import Fraction

from thrumble.core.instrument import Instrument, Note
from thrumble.core.music.meter import Meter
from thrumble.core.neck.grips import LAST_FRET
from thrumble.core.neck.hand import Hand
from thrumble.core.riff.checking import check_riff
from thrumble.core.riff.model import Bar, Hit, Riff, Section

EASY_SHARE = 0.6  # of the reach: where the ladder starts
MIN_RUNGS = 4
TEMPO_BPM = Decimal(72)


@dataclass(frozen=True, slots=True)
class Rung:
    """One step: the lowest pressed fret, how wide the shape is there, how much reach is spare
    (negative: beyond it).
    """

    fret: int
    notes: tuple[Note, ...]
    span_mm: float
    spare_mm: float


def reach_ladder(instrument: Instrument, notes: tuple[Note, ...], hand: Hand) -> tuple[Rung, ...]:
    """The rungs from the fret where the shape asks for six tenths of the reach down to where it is
    wanted, four at least. Shapes with open strings cannot be shifted, shapes on one fret need no
    stretch: no rungs.
    """
    frets = [note.fret for note in notes if note.fret is not None]
    if not all(frets) or len(frets) < len(notes) or len(set(frets)) == 1:
        return ()
    most = LAST_FRET - max(frets)
    start = 0
    while start < most and _span(instrument, frets, start) > EASY_SHARE * hand.reach_mm:
        start += 1
    start = min(most, max(start, MIN_RUNGS - 1))
    out = []
    for up in range(start, -1, -1):
        span = _span(instrument, frets, up)
        shifted = tuple(Note(note.string, (note.fret or 0) + up) for note in notes)
        out.append(Rung(min(frets) + up, shifted, span, hand.reach_mm - span))
    return tuple(out)


def _span(instrument: Instrument, frets: list[int], up: int) -> float:
    return instrument.fret_mm(max(frets) + up) - instrument.fret_mm(min(frets) + up)


def ladder_riff(name: str, rungs: tuple[Rung, ...], instrument: Instrument) -> Riff:
    """The rungs as a riff: two bars each, held, then struck twice and let go, so that the hand
    settles and shakes out before it goes down.
    """
    whole, quarter = Fraction(1), Fraction(1, 4)
    bars = []
    for rung in rungs:
        held = Hit(at=Fraction(0), length=whole, notes=rung.notes)
        struck = Hit(at=Fraction(0), length=quarter, notes=rung.notes)
        again = Hit(at=quarter, length=quarter, notes=rung.notes, stop=True)
        bars += [Bar(Meter(4, 4), (held,)), Bar(Meter(4, 4), (struck, again))]
    return check_riff(
        Riff(
            title=f"Reach ladder, {name}",
            tempo_bpm=TEMPO_BPM,
            sections=(Section(name="A", bars=tuple(bars)),),
            tuning=instrument.tuning,
            capo=instrument.capo,
        )
    )

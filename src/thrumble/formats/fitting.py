"""Hits and bars from files of others, brought into a shape that can be played."""

import re
from dataclasses import replace

from thrumble.core.instrument import TUNINGS, Instrument
from thrumble.core.riff.checking import OVER
from thrumble.core.riff.editing.runs import cut_short, whole_ramps
from thrumble.core.riff.model import (
    Articulation,
    Bar,
    Hit,
)


def possible(hit: Hit) -> Hit:
    """Without marks that cannot be played on it, as other programs may write them."""
    dead = hit.articulation is Articulation.DEAD
    pressed = any(note.fret for note in hit.notes)
    starts = [note.fret + (hit.slide_from or 0) for note in hit.notes if note.fret is not None]
    return replace(
        hit,
        bend=hit.bend if pressed and not dead else None,
        arpeggio=hit.arpeggio and not dead and hit.legato is None and len(hit.notes) > 1,
        opens=hit.opens and hit.articulation is Articulation.PALM and not hit.staccato,
        ramp=hit.ramp if hit.articulation is Articulation.PALM else None,
        slide_from=hit.slide_from if starts and min(starts) >= 0 else None,
    )


def whole_bars(bars: list[Bar]) -> tuple[Bar, ...]:
    """Bars as a section's own: no hit rings past its end, ramps are whole."""
    return whole_ramps(cut_short(tuple(bars)))


def instrument_reaching(
    lowest: int, tuning: tuple[str, ...] | None = None
) -> tuple[Instrument, list[str]]:
    """The tuning given, else the first of the usual ones, that reaches a MIDI pitch; in words, what
    else than standard tuning that is.
    """
    if tuning is not None:
        wanted = Instrument(tuning=tuning)
        if min(wanted.open_midi(string) for string in wanted.strings) <= lowest:
            return wanted, []
    for name, strings in TUNINGS.items():
        instrument = Instrument(tuning=tuple(strings.split()))
        if min(instrument.open_midi(string) for string in instrument.strings) <= lowest:
            words = [] if name == "standard" else [f"standard tuning: its notes need {name}"]
            return instrument, words
    low = Instrument(tuning=tuple(TUNINGS["eight strings"].split()))
    return low, ["notes below eight strings: they are left out"]


def section_name(text: str | None) -> str:
    """A section's name from any words: without signs, and without `over`, which parts have."""
    words = re.sub(r"[^A-Za-z0-9 _-]+", " ", text or "").split()
    name = " ".join(words)[:40].strip().replace(OVER, " on ")
    return name if name and name != "pickup" else "A"

"""Chord shapes on a piece of neck: strings as lines, the lowest at the bottom as in tablature,
frets at their true distances, so that a low stretch looks as wide as it is.
"""

from dataclasses import dataclass

from thrumble.core.chords.names import name_notes
from thrumble.core.instrument import Instrument, Note
from thrumble.core.riff.model import Articulation, Riff
from thrumble.web.drawings.bars import Word

STRING_PX, TOP_PX, SIDE_PX = 13.0, 24.0, 16.0
PX_A_MM = 0.95
MIN_FRETS = 4
NEAR_NUT = 1


@dataclass(frozen=True, slots=True)
class ShapeDrawing:
    """A shape. `strings`: y of each; `frets`: x of each fret line, the nut's where it shows;
    `dots`: pressed places with their fingers, if those are told; `opens`, `mutes`: what stands
    at the strings' ends; `numbers`: frets.
    """

    name: str
    width: float
    height: float
    strings: list[float]
    frets: list[float]
    nut: float | None
    dots: list[tuple[float, float, str]]
    opens: list[float]
    mutes: list[float]
    numbers: list[Word]
    flip: bool

    @property
    def strings_from(self) -> float:
        return min(self.frets)

    @property
    def strings_to(self) -> float:
        return max(self.frets)

    @property
    def end_x(self) -> float:
        """Where opens and mutes stand: beyond the end of the neck that the nut is on."""
        return self.frets[0] + (9 if self.flip else -9)

    @property
    def label(self) -> str:
        """The shape in words, for screen readers."""
        frets = ", ".join(word.text for word in self.numbers) or "none"
        return f"{self.name or 'shape'}: frets {frets}, {len(self.opens)} open strings"


def shapes_of(riff: Riff, instrument: Instrument, *, left_handed: bool) -> list[ShapeDrawing]:
    """Every chord shape of the riff once, in the order they come. Single notes and dead hits have
    none.
    """
    seen: dict[tuple[tuple[int, int | None], ...], tuple[tuple[Note, ...], str]] = {}
    for section in riff.sections:
        for bars in (section.bars, *section.endings):
            for hit in (hit for bar in bars for hit in bar.hits):
                if len(hit.notes) < 2 or hit.articulation is Articulation.DEAD:
                    continue
                key = tuple((note.string, note.fret) for note in hit.notes)
                midis = [riff.instrument.midi(note) for note in hit.notes]
                shapes_by_midi = tuple(midi for midi in midis if midi is not None)
                seen.setdefault(key, (hit.notes, hit.label or name_notes(shapes_by_midi) or ""))
    return [
        shape_drawing(notes, name, instrument, left_handed=left_handed)
        for notes, name in seen.values()
    ]


def shape_drawing(
    notes: tuple[Note, ...],
    name: str,
    instrument: Instrument,
    *,
    left_handed: bool,
    fingers: dict[int, str] | None = None,
) -> ShapeDrawing:
    """One shape. `fingers`: what stands in the dot of each string."""
    pressed = [note.fret for note in notes if note.fret]
    opens = any(note.fret == 0 for note in notes)
    first = min(pressed, default=1) - 1
    if first <= NEAR_NUT or opens:
        first = 0  # the nut shows where the hand is near it, or leans on open strings
    last = max(max(pressed, default=1), first + MIN_FRETS)

    def x(fret: float) -> float:
        low = instrument.fret_mm(first)
        whole = int(fret)
        at = instrument.fret_mm(whole)
        if fret > whole:
            at += (instrument.fret_mm(whole + 1) - at) * (fret - whole)
        return round(SIDE_PX + (at - low) * PX_A_MM, 1)

    count = len(instrument.tuning)
    y = {string: TOP_PX + (string - 1) * STRING_PX for string in range(1, count + 1)}
    sounding = {note.string: note.fret for note in notes if note.string in y}
    frets = [x(fret) for fret in range(first, last + 1)]
    wide = frets[-1] + SIDE_PX

    def placed(at: float) -> float:
        return round(wide - at, 1) if left_handed else at

    return ShapeDrawing(
        name=name,
        width=wide,
        height=TOP_PX + count * STRING_PX + 14,
        strings=[y[string] for string in y],
        frets=[placed(at) for at in frets],
        nut=placed(frets[0]) if first == 0 else None,
        dots=[
            (placed(x(fret - 0.42)), y[s], (fingers or {}).get(s, ""))
            for s, fret in sounding.items()
            if fret
        ],
        opens=[y[s] for s, fret in sounding.items() if fret == 0],
        mutes=[y[s] for s in y if s not in sounding],
        numbers=[
            Word(placed(x(fret - 0.5)), str(fret))
            for fret in sorted({fret for fret in sounding.values() if fret})
        ],
        flip=left_handed,
    )

"""The instrument: how its strings are tuned, how long they are, where the capo sits, for which hand
it is strung. One value with its rules; every pitch of a string and every millimetre comes from it.
"""

from dataclasses import dataclass
from enum import StrEnum

from thrumble.core.errors import BadInstrument
from thrumble.core.music.pitch import STANDARD_TUNING, midi_of

STANDARD_SCALE_MM = 648.0
SCALES = {
    "short": 610.0,
    "usual": 628.0,
    "long": 648.0,
    "longer, for low tunings": 673.0,
    "baritone": 686.0,
}  # names and mm, nut to bridge
NUT_SPACING_MM, BRIDGE_SPACING_MM = 7.2, 10.5  # from string to string
SCALE_RANGE_MM = (480.0, 800.0)
MAX_STRINGS = 12
MAX_CAPO = 24
TUNINGS = {
    "standard": "E2 A2 D3 G3 B3 E4",
    "half a step down": "D#2 G#2 C#3 F#3 A#3 D#4",
    "a whole step down": "D2 G2 C3 F3 A3 D4",
    "lowest string dropped": "D2 A2 D3 G3 B3 E4",
    "a whole step down, lowest string dropped": "C2 G2 C3 F3 A3 D4",
    "baritone": "B1 E2 A2 D3 F#3 B3",
    "seven strings": "B1 E2 A2 D3 G3 B3 E4",
    "eight strings": "F#1 B1 E2 A2 D3 G3 B3 E4",
}  # lowest string first
MAX_FRET = 36


class Plucking(StrEnum):
    """A finger that plucks a string while the pick strikes another."""

    THUMB = "thumb"
    INDEX = "index"
    MIDDLE = "middle"
    RING = "ring"
    LITTLE = "little"


@dataclass(frozen=True, slots=True, order=True)
class Note:
    """One string of a hit. `string` 1 is the highest; `fret` counts from the capo, None if
    nothing is pressed (dead hits only); `plucked` by a finger, None: as the hit's stroke says.
    """

    string: int
    fret: int | None
    let_ring: bool = False
    plucked: Plucking | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Instrument:
    """`tuning`: sounding pitches without the capo, lowest string first; `scale_mm`: the strings'
    length from nut to bridge.
    """

    tuning: tuple[str, ...] = STANDARD_TUNING
    capo: int = 0
    scale_mm: float = STANDARD_SCALE_MM
    left_handed: bool = False

    @property
    def strings(self) -> range:
        """The strings' numbers, 1 the highest."""
        return range(1, len(self.tuning) + 1)

    def open_midi(self, string: int) -> int:
        """Sounding MIDI number of the unfretted string, capo included."""
        return midi_of(self.tuning[len(self.tuning) - string]) + self.capo

    def midi(self, note: Note) -> int | None:
        """Sounding MIDI number of a note; None if nothing is pressed."""
        return None if note.fret is None else self.open_midi(note.string) + note.fret

    def fret_mm(self, fret: float) -> float:
        """Distance of a fret from the nut, mm; frets count from the capo, 0 is the capo or the nut.

        Equal temperament: scale * (1 - 2^(-n/12)).
        """
        return self.scale_mm * (1 - 2 ** (-(fret + self.capo) / 12))

    def spacing_mm(self, fret: float) -> float:
        """From one string to the next at a fret, mm: strings spread evenly from nut to bridge."""
        fraction = self.fret_mm(fret) / self.scale_mm
        return NUT_SPACING_MM + (BRIDGE_SPACING_MM - NUT_SPACING_MM) * fraction


def check_instrument(instrument: Instrument) -> Instrument:
    """Returns the instrument if there can be such a one. Raises BadInstrument naming what is wrong
    with it: tuning, capo or scale.
    """
    count = len(instrument.tuning)
    if not 1 <= count <= MAX_STRINGS:
        raise BadInstrument("tuning", count, f"an instrument has 1 to {MAX_STRINGS} strings")
    for name in instrument.tuning:
        try:
            midi_of(name)
        except ValueError as error:
            raise BadInstrument("tuning", name, str(error)) from None
    if not 0 <= instrument.capo <= MAX_CAPO:
        raise BadInstrument("capo", instrument.capo, f"a capo sits at fret 0 (none) to {MAX_CAPO}")
    low, high = SCALE_RANGE_MM
    if not low <= instrument.scale_mm <= high:  # also refuses NaN
        raise BadInstrument(
            "scale length",
            f"{instrument.scale_mm:g}",
            f"from nut to bridge it is {low:.0f} to {high:.0f} mm",
        )
    return instrument

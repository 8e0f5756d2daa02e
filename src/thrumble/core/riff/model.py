"""The riff as values. Places and lengths are Fractions of a whole note; strings and frets as
guitarists count them.
"""

from dataclasses import dataclass, field
from decimal import Decimal
from enum import StrEnum
from fractions import Fraction

from thrumble.core.instrument import Instrument, Note
from thrumble.core.music.feel import STRAIGHT, Feel
from thrumble.core.music.meter import Meter
from thrumble.core.music.pitch import STANDARD_TUNING

TEMPO_RANGE_BPM = (Decimal(20), Decimal(400))
DEFAULT_DEPTH = Decimal("0.6")
TIGHT_DEPTH = Decimal("0.9")
DEFAULT_BEND = Decimal("0.5")
MAX_BEND = Decimal(2)


class Articulation(StrEnum):
    """How a hit sounds."""

    OPEN = "open"
    PALM = "palm"
    DEAD = "dead"


class Stroke(StrEnum):
    """How a hit is struck: a pick stroke down or up, or the fingers."""

    DOWN = "down"
    UP = "up"
    FINGERS = "fingers"


class Ramp(StrEnum):
    """A hit's part in a run of palm mutes that goes from one depth to another, getting louder."""

    START = "start"
    ON = "on"


class Legato(StrEnum):
    """A hit made by the fretting hand alone."""

    HAMMER = "hammer"
    PULL = "pull"


@dataclass(frozen=True, slots=True, order=True)
class HitIdentity:
    """What lasts of a hit: its section, bar in it (from 1, endings counted on; 0 the pick-up),
    place and appearance in the play order.
    """

    section: str
    bar: int
    at: Fraction
    appearance: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Hit:
    """One stroke. `at` counts from the bar's start; `notes` run from the lowest string to the
    highest; `origin`: in a drill the hit of its riff that it came from, which makes it no other
    hit.
    """

    at: Fraction
    length: Fraction
    notes: tuple[Note, ...]
    articulation: Articulation = Articulation.OPEN
    depth: Decimal | None = None  # palm only, 0 light to 1 tight
    stroke: Stroke | None = Stroke.DOWN  # None for a legato hit
    accent: bool = False
    staccato: bool = False
    stop: bool = False  # silence after at + length is asked for
    slide_from: int | None = None  # frets, signed; -2 starts two frets below
    legato: Legato | None = None
    bend: Decimal | None = None  # semitones up, while it rings
    opens: bool = False  # palm only: the palm lifts soon after, and it rings
    arpeggio: bool = False  # one string after another, evenly over its length
    ramp: Ramp | None = None  # palm only
    label: str | None = None  # chord name
    origin: HitIdentity | None = field(default=None, compare=False)

    @property
    def sounding(self) -> Fraction:
        """How long the hit should ring, in whole notes: half its length if staccato."""
        return self.length / 2 if self.staccato else self.length


@dataclass(frozen=True, slots=True)
class Bar:
    """One bar with its hits in order, at most one per place."""

    meter: Meter
    hits: tuple[Hit, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Section:
    """A named run of bars. `endings`: the n-th appearance in an unbroken run of the section takes
    ending n, the last one beyond. `over`: the section that this one is a second part to, bar by
    bar; it is not played by itself.
    """

    name: str
    bars: tuple[Bar, ...]
    endings: tuple[tuple[Bar, ...], ...] = ()
    feel: Feel | None = None  # None: the riff's
    over: str | None = None


@dataclass(frozen=True, slots=True)
class Pickup:
    """Hits before time zero: bar 0, played once. `length` in whole notes."""

    length: Fraction
    hits: tuple[Hit, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Riff:
    """A riff as written. `tempo_bpm` counts quarter notes in every meter; `tuning` is the sounding
    pitch, lowest string first.
    """

    title: str
    tempo_bpm: Decimal
    sections: tuple[Section, ...]
    tuning: tuple[str, ...] = STANDARD_TUNING
    capo: int = 0
    feel: Feel = STRAIGHT
    play: tuple[str, ...] = ()  # empty: each section once
    pickup: Pickup | None = None
    pedal: Note | None = None

    @property
    def order(self) -> tuple[str, ...]:
        """Sections in playing order, repeats written out."""
        return self.play or tuple(s.name for s in self.sections if s.over is None)

    @property
    def instrument(self) -> Instrument:
        """What the riff is written for, with strings of the usual length."""
        return Instrument(tuning=self.tuning, capo=self.capo)

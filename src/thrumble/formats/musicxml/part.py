"""What was read of one part: hits by their places, measures with what is said at their start."""

from collections import Counter
from dataclasses import dataclass, field
from fractions import Fraction
from typing import Any

from thrumble.core.instrument import Note
from thrumble.core.music.feel import Feel
from thrumble.core.music.meter import Meter
from thrumble.formats.musicxml.score import (
    Measure,
)


@dataclass(slots=True)
class Struck:
    """A hit being read: places in whole notes from the part's start."""

    at: Fraction
    end: Fraction
    notes: dict[int, Note] = field(default_factory=dict)  # by string
    pitches: list[int] = field(default_factory=list)  # of notes without a string
    marks: dict[str, Any] = field(default_factory=dict)  # fields of Hit
    label: str | None = None
    palm: bool = False
    dead: bool = False


@dataclass(slots=True)
class Written:
    """A measure as read: where it begins, its meter, what is said at its start."""

    start: Fraction
    meter: Meter
    length: Fraction  # of what stands in it
    section: str | None = None
    feel: Feel | None = None
    own_feel: bool = False


@dataclass(slots=True)
class PartRead:
    """One part in written order. `lost`: how many things of each kind it could not take up;
    `offsets`: how often the pitch of a note's string and fret lies how far from the pitch written.
    """

    measures: list[Measure]
    tuning: tuple[str, ...]
    capo: int
    tempo: float | None = None
    tempos: set[float] = field(default_factory=set)
    written: list[Written] = field(default_factory=list)
    struck: dict[Fraction, Struck] = field(default_factory=dict)
    labels: dict[tuple[Note, ...], str | None] = field(default_factory=dict)
    offsets: Counter[int] = field(default_factory=Counter)  # semitones, fret against pitch
    lost: Counter[str] = field(default_factory=Counter)
    retuned: list[str] = field(default_factory=list)  # in words, if its notes need other strings

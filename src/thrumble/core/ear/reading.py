"""What was heard, as values, and nothing else: the contract between the ear and everyone who shows,
stores or judges a reading.
"""

from dataclasses import dataclass, field
from enum import StrEnum

from thrumble.core.riff.model import Articulation


class HitState(StrEnum):
    """Whether a due hit was played, missed or not reached."""

    PLAYED = "played"
    MISSED = "missed"
    NOT_REACHED = "not_reached"  # the take begins late or ends early there


class StartSource(StrEnum):
    """How the start of the riff in the file is known."""

    GIVEN = "given"
    CLICK = "click"
    FITTED = "fitted"


class HeardKind(StrEnum):
    """The articulation that the analysis heard, or that it is unsure."""

    OPEN = "open"
    PALM = "palm"
    DEAD = "dead"
    UNSURE = "unsure"


class RingEnd(StrEnum):
    """What ended a ring."""

    STOP = "stop"
    NEXT = "next"
    DECAY = "decay"
    END = "end"


@dataclass(frozen=True, slots=True, kw_only=True)
class HitReading:
    """One due hit of one round. Seconds from the file's start; None if a thing could not be
    measured.
    """

    index: int
    round: int
    section: str
    bar: int
    at: str
    expected_s: float
    state: HitState
    expected_articulation: Articulation
    onset_s: float | None = None
    deviation_ms: float | None = None
    heard_articulation: HeardKind | None = None
    probabilities: dict[str, float] | None = None
    mute_depth: float | None = None
    level_db: float | None = None
    relative_level_db: float | None = None
    ring_s: float | None = None
    ring_end: RingEnd | None = None
    stop_late_ms: float | None = None
    rest_db: float | None = None  # the written silence against its hit
    strum_ms: float | None = None
    chord_ok: bool | None = None
    chord_probability: float | None = None  # of `chord_ok` being right; older readings have none
    stray_strings: list[int] | None = None
    stray_probability: float | None = None  # of `stray_strings` being right, likewise
    not_judged: list[str] | None = None  # marks that the ear leaves out: bend, slide, opens ...


@dataclass(frozen=True, slots=True, kw_only=True)
class RampReading:
    """A mute ramp of one round. `written`, `heard`: depths at its ends; `rise_db`: how much louder
    it got; `kept`: whether it went as written, None with the reason `why` if that cannot be
    told.
    """

    first_index: int
    last_index: int
    round: int
    section: str
    bar: int
    at: str
    written: tuple[float, float]
    heard: tuple[float, float] | None = None
    rise_db: float | None = None
    kept: bool | None
    why: str | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class ExtraOnset:
    """A hit that no due hit accounts for."""

    onset_s: float
    level_db: float
    near_index: int


@dataclass(frozen=True, slots=True, kw_only=True)
class SwingBar:
    """The swing of one bar of one round with its 95 % interval."""

    bar: int
    round: int
    ratio: float
    interval: tuple[float, float]


class ChangeKind(StrEnum):
    """The quantities that may change along a take."""

    TEMPO = "tempo"  # bpm a minute
    SPREAD = "spread"  # ms at the end against before
    LEVEL = "level"  # dB at the end against before


@dataclass(frozen=True, slots=True, kw_only=True)
class Change:
    """Something that held for a while and then moved: where it began, and by how much it had moved
    at the take's end.
    """

    kind: ChangeKind
    bar: int
    round: int
    amount: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Summary:
    """The take in figures. Bias is None if the start was fitted; swing if nothing swings or
    too little was heard.
    """

    matched: int
    missed: int
    extra: int
    unsure: int
    bias_ms: float | None = None
    spread_ms: float | None = None
    drift_bpm_per_min: float | None = None
    swing_ratio: float | None = None
    swing_interval: tuple[float, float] | None = None
    articulation_correct: float | None = None
    level_spread_db: float | None = None
    accent_db: float | None = None
    up_stroke_db: float | None = None  # up-strokes against down-strokes
    swing_bars: list[SwingBar] = field(default_factory=list)
    changes: list[Change] = field(default_factory=list)


@dataclass(frozen=True, slots=True, kw_only=True)
class Caution:
    """Something the reader of a reading has to know: a code for machines, a sentence for people."""

    code: str
    text: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Reading:
    """The analysis of one take: every hit, the extra onsets, the summary and the cautions."""

    tempo_bpm: float
    start_s: float | None
    start_source: StartSource
    sample_rate: int
    duration_s: float
    rounds: int
    hits: list[HitReading]
    extra_onsets: list[ExtraOnset]
    summary: Summary
    cautions: list[Caution]
    engine: str  # the ear's version
    delay_ms: float | None = None
    delay_spread_ms: float | None = (
        None  # from one opening of the stream to the next: a smaller bias says nothing
    )
    bias_judged: bool = False
    ramps: list[RampReading] = field(default_factory=list)
    profile_hits: int = (
        0  # examples of the player's own that the verdicts rest on, beside the take itself
    )
    format: str = "thrumble.reading/1"

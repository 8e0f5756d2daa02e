"""What every hit of a reading is worth, judged once, against one stated set of limits. Whoever
shows or explains a reading reads this and
nothing else: verdict, strip, pile, table, clock.

Early and late count from the click where the delay is known, else from the take's own median: a
player's constant lag cannot be told then.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace

import numpy as np

from thrumble.core.ear.reading import HeardKind, HitReading, HitState, Reading
from thrumble.core.instrument import Instrument
from thrumble.core.riff.expand import DueHit, ExpandedRiff

TOLERANCES_MS = {"tight": 12.0, "firm": 20.0, "loose": 35.0}
DEFAULT_TOLERANCE = "firm"
QUARTER_OF_SLOT = 0.25
LATE_STOP_MS = 60.0


@dataclass(frozen=True, slots=True)
class Limits:
    """What a clean hit keeps to. `tolerance_ms` is never more than a quarter of the hit's slot; a
    stop may ring on for less than
    `late_stop_ms`."""

    tolerance_ms: float
    quarter_of_slot: float = QUARTER_OF_SLOT
    late_stop_ms: float = LATE_STOP_MS

    def for_slot_ms(self, slot_s: float) -> float:
        """How early or late a hit may be, by the time to the next one."""
        return min(self.tolerance_ms, self.quarter_of_slot * slot_s * 1000)


@dataclass(frozen=True, slots=True, kw_only=True)
class JudgedHit:
    """One due hit of one round.

    late_ms     + is late; None where it was not played
    limit_ms    how early or late it may be
    as_written  heard as the articulation written; None where the ear is unsure, or nothing was
    heard
    stop_kept   None where no stop was asked or it could not be measured
    stop_late_ms  from its written end to silence, counted as late_ms is
    """

    hit: HitReading
    due: DueHit
    late_ms: float | None
    limit_ms: float
    as_written: bool | None
    stop_kept: bool | None
    stop_late_ms: float | None

    @property
    def key(self) -> tuple[int, int]:
        """Round and index."""
        return (self.hit.round, self.hit.index)

    @property
    def played(self) -> bool:
        return self.late_ms is not None

    @property
    def missed(self) -> bool:
        return self.hit.state is HitState.MISSED

    @property
    def in_time(self) -> bool:
        return self.late_ms is not None and abs(self.late_ms) <= self.limit_ms

    @property
    def counts(self) -> bool:
        """Whether it counts for or against a clean take: missed hits do, unsure ones and those the
        take never reached do not.
        """
        return self.missed or (self.played and self.as_written is not None)

    @property
    def clean(self) -> bool:
        return self.in_time and self.as_written is True and self.stop_kept is not False

    @property
    def off(self) -> bool:
        """Whether something about it is not as it should be."""
        return self.missed or (
            self.played
            and (not self.in_time or self.as_written is False or self.stop_kept is False)
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class Judgement:
    """A reading judged. `around_ms`: what early and late count from, in the reading's own
    deviations; `instrument`: what it was played on.
    """

    reading: Reading
    expanded: ExpandedRiff
    limits: Limits
    around_ms: float
    instrument: Instrument
    hits: tuple[JudgedHit, ...]

    @property
    def played(self) -> list[JudgedHit]:
        return [hit for hit in self.hits if hit.played]

    @property
    def due(self) -> int:
        """Hits that the take reached."""
        return sum(hit.played or hit.missed for hit in self.hits)

    @property
    def clean(self) -> int:
        return sum(hit.clean for hit in self.hits)

    @property
    def counted(self) -> int:
        """Of how many hits `clean` are clean."""
        return sum(hit.counts for hit in self.hits)

    @property
    def in_time(self) -> int:
        return sum(hit.in_time for hit in self.hits)

    def by_key(self) -> dict[tuple[int, int], JudgedHit]:
        """The hits by round and index."""
        return {hit.key: hit for hit in self.hits}

    def spread_ms(self) -> float | None:
        """Robust standard deviation of what was played; None for fewer than four hits."""
        late = lateness(self.hits)
        return robust_spread(late) if late.size >= 4 else None


def lateness(hits: Iterable[JudgedHit]) -> np.ndarray:
    """The lateness of the played ones, ms, shape (n,)."""
    return np.array([hit.late_ms for hit in hits if hit.late_ms is not None], dtype=float)


def robust_spread(values: np.ndarray) -> float:
    """1.4826 times the median absolute deviation from the median; 0 for no values. Values of shape
    (n,), the spread in their unit.
    """
    return float(1.4826 * np.median(np.abs(values - np.median(values)))) if values.size else 0.0


def usual_tolerance_ms() -> float:
    """The widest that a hit may be off, where nobody chose otherwise."""
    return TOLERANCES_MS[DEFAULT_TOLERANCE]


def in_time(late_ms: float, slot_s: float, *, tolerance: str = DEFAULT_TOLERANCE) -> bool:
    """Whether a lateness is inside what a hit with such a slot is allowed, where nothing else is
    known of it.
    """
    return abs(late_ms) <= Limits(TOLERANCES_MS[tolerance]).for_slot_ms(slot_s)


def judge_hits(
    reading: Reading,
    expanded: ExpandedRiff,
    instrument: Instrument | None = None,
    *,
    tolerance: str = DEFAULT_TOLERANCE,
) -> Judgement:
    """Judges every hit of a reading against a tolerance: tight, firm or loose. `instrument`: the
    player's own, where it is known; else the riff's with strings of the usual length.
    """
    limits = Limits(TOLERANCES_MS[tolerance])
    deviations = [
        h.deviation_ms
        for h in reading.hits
        if h.state is HitState.PLAYED and h.deviation_ms is not None
    ]
    around = 0.0 if reading.bias_judged or not deviations else float(np.median(deviations))
    hits = tuple(_judged(hit, expanded.hits[hit.index], limits, around) for hit in reading.hits)
    return Judgement(
        reading=reading,
        expanded=expanded,
        limits=limits,
        around_ms=around,
        instrument=instrument or expanded.riff.instrument,
        hits=hits,
    )


def as_said(judgement: Judgement, said: Mapping[tuple[int, int], str]) -> Judgement:
    """The same where the player has said by (round, index) how some hits sounded: they know better
    than the ear.
    """
    if not said:
        return judgement
    reading = judgement.reading
    hits = [
        replace(hit, heard_articulation=HeardKind(said[hit.round, hit.index]))
        if hit.state is HitState.PLAYED and (hit.round, hit.index) in said
        else hit
        for hit in reading.hits
    ]
    return judge_hits(replace(reading, hits=hits), judgement.expanded, judgement.instrument)


def _judged(hit: HitReading, due: DueHit, limits: Limits, around_ms: float) -> JudgedHit:
    played = hit.state is HitState.PLAYED and hit.deviation_ms is not None
    heard = hit.heard_articulation if played else None
    # without a known latency a stop, too, counts from where the player is
    stop = None if hit.stop_late_ms is None else hit.stop_late_ms - around_ms
    return JudgedHit(
        hit=hit,
        due=due,
        late_ms=hit.deviation_ms - around_ms if played and hit.deviation_ms is not None else None,
        limit_ms=limits.for_slot_ms(due.slot_s),
        as_written=None
        if heard in (None, HeardKind.UNSURE)
        else heard.value == hit.expected_articulation.value,
        stop_kept=None if stop is None else stop < limits.late_stop_ms,
        stop_late_ms=stop,
    )

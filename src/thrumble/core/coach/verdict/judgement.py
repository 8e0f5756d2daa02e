"""The one judgement of a take: how early or late every hit is, whether it sounds as written and is
clean. Screens, files, the command line and the database read its result; nothing else decides any
of this.

Early and late count from the click if the latency is known, else from the take's own median: a
player's constant lag can't be told from the latency then.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from math import floor
from typing import NamedTuple

import numpy as np

from thrumble.core.ear.reading import HeardKind, HitReading, HitState, Reading
from thrumble.core.instrument import Instrument
from thrumble.core.riff.expand import DueHit, ExpandedRiff

TOLERANCE_PRESETS_MS = {"tight": 12.0, "normal": 20.0, "loose": 35.0}
DEFAULT_TOLERANCE_MS = TOLERANCE_PRESETS_MS["normal"]
TOLERANCE_RANGE_MS = (3.0, 100.0)  # of a player's own
QUARTER_OF_SLOT = 0.25
LATE_STOP_MS = 60.0
CLEAN_SHARE = 0.95  # of the hits of a clean pass or take
ONE_OFF_FROM = 10  # hits, from which on one may always be off
REACHED_SHARE = 0.9  # of a pass's hits that a take has to reach to be judged as a whole
VERSION = 5  # of these rules: what is stored of a judgement by older ones is computed anew


class HitKey(NamedTuple):
    """Which due hit of a take: the pass it was played in, from 1, and its index in the riff."""

    round: int
    index: int  # type: ignore[assignment]  # tuple.index is never asked of a key


Corrections = Mapping[HitKey, str]  # what the player says hits were: open, palm or dead


def is_clean(off: int, hits: int) -> bool:
    """Whether a pass or take of so many hits is clean although so many are off: 95 % of them have
    to be clean, and from 10 hits on one may always be off. Missed and extra hits count as off. No
    hits are not clean.
    """
    allowed = floor((1 - CLEAN_SHARE) * hits + 1e-9)
    if hits >= ONE_OFF_FROM:
        allowed = max(1, allowed)
    return hits > 0 and off <= allowed


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

    late_ms     + is late; None if it was not played
    limit_ms    how early or late it may be
    as_written  heard as the articulation written; None if the ear is unsure, or nothing was
    heard
    stop_kept   None if no stop was asked or it could not be measured
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
    def key(self) -> HitKey:
        return HitKey(self.hit.round, self.hit.index)

    @property
    def articulation(self) -> HeardKind | None:
        """How it sounded, as corrected by the player; None if it was not played."""
        return self.hit.heard_articulation if self.played else None

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
        return self.in_time and bool(self.as_written) and self.stop_kept in (None, True)

    @property
    def sounds_wrong(self) -> bool:
        """Whether it surely sounds other than written."""
        return self.as_written is not None and not self.as_written

    @property
    def stop_late(self) -> bool:
        """Whether its stop was measured and rings on."""
        return self.stop_kept is not None and not self.stop_kept

    @property
    def off(self) -> bool:
        """Whether something about it is not as it should be."""
        return self.missed or (
            self.played and (not self.in_time or self.sounds_wrong or self.stop_late)
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class Judgement:
    """A reading judged. `reading`: with the player's corrections in place of what was heard;
    `around_ms`: what early and late count from, in the reading's own deviations; `instrument`: what
    it was played on; `corrected`: the hits that the player corrected.
    """

    reading: Reading
    expanded: ExpandedRiff
    limits: Limits
    around_ms: float
    instrument: Instrument
    hits: tuple[JudgedHit, ...]
    corrected: frozenset[HitKey] = frozenset()

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
        """How many hits count for or against a clean take."""
        return sum(hit.counts for hit in self.hits)

    @property
    def in_time(self) -> int:
        return sum(hit.in_time for hit in self.hits)

    @property
    def is_whole(self) -> bool:
        """Whether the take reaches nearly all of the riff, so that it can be called clean."""
        return self.due >= REACHED_SHARE * len(self.hits)

    @property
    def is_clean(self) -> bool:
        """Whether the take as a whole is clean."""
        off = self.counted - self.clean + len(self.reading.extra_onsets)
        return self.is_whole and is_clean(off, self.counted)

    def by_key(self) -> dict[HitKey, JudgedHit]:
        """The hits by pass and index."""
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


def is_in_time(
    late_ms: float, slot_s: float, *, tolerance_ms: float = DEFAULT_TOLERANCE_MS
) -> bool:
    """Whether a lateness that is no single hit's, such as a place's median over takes, is within
    what a hit with such a slot is allowed.
    """
    return abs(late_ms) <= Limits(tolerance_ms).for_slot_ms(slot_s)


def judge(
    reading: Reading,
    expanded: ExpandedRiff,
    instrument: Instrument | None = None,
    corrections: Corrections | None = None,
    *,
    tolerance_ms: float = DEFAULT_TOLERANCE_MS,
) -> Judgement:
    """Judges every hit of a reading: the only place where lateness, cleanness and whether a hit
    sounds as written are decided.

    instrument : the player's own if it is known; else the riff's with a usual scale length.
    corrections : what the player says hits were; it counts in place of what was heard.
    tolerance_ms : how early or late a hit may be; never more than a quarter of its slot.
    """
    limits = Limits(tolerance_ms)
    corrected = _with_corrections(reading, corrections or {})
    deviations = [
        h.deviation_ms
        for h in corrected.hits
        if h.state is HitState.PLAYED and h.deviation_ms is not None
    ]
    around = 0.0 if reading.bias_judged or not deviations else float(np.median(deviations))
    hits = tuple(_judged(hit, expanded.hits[hit.index], limits, around) for hit in corrected.hits)
    return Judgement(
        reading=corrected,
        expanded=expanded,
        limits=limits,
        around_ms=around,
        instrument=instrument or expanded.riff.instrument,
        hits=hits,
        corrected=frozenset(corrections or ()),
    )


def _with_corrections(reading: Reading, corrections: Corrections) -> Reading:
    """The reading with the player's corrections in place of what was detected, odds of 1."""
    if not corrections:
        return reading
    hits = []
    for hit in reading.hits:
        kind = corrections.get(HitKey(hit.round, hit.index))
        if kind is not None and hit.state is HitState.PLAYED:
            odds = {name: float(name == kind) for name in ("open", "palm", "dead")}
            hit = replace(hit, heard_articulation=HeardKind(kind), probabilities=odds)
        hits.append(hit)
    return replace(reading, hits=hits)


def _judged(hit: HitReading, due: DueHit, limits: Limits, around_ms: float) -> JudgedHit:
    played = hit.state is HitState.PLAYED and hit.deviation_ms is not None
    articulation = hit.heard_articulation if played else None
    # without a known latency a stop, too, counts from where the player is
    stop_ms = None if hit.stop_late_ms is None else float(hit.stop_late_ms) - around_ms
    as_written = None
    if articulation is not None and articulation is not HeardKind.UNSURE:
        as_written = articulation.value == hit.expected_articulation.value
    return JudgedHit(
        hit=hit,
        due=due,
        late_ms=hit.deviation_ms - around_ms if played and hit.deviation_ms is not None else None,
        limit_ms=limits.for_slot_ms(due.slot_s),
        as_written=as_written,
        stop_kept=None if stop_ms is None else bool(stop_ms < limits.late_stop_ms),
        stop_late_ms=stop_ms,
    )

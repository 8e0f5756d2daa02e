"""Findings about early and late hits. They are looked for in order, each in what drift, swing and
the ones before it left unexplained: lead or lag, shifts, one beat of the bar, growing spread,
spread.
"""

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, replace
from statistics import NormalDist, fmean
from typing import ClassVar, Self

import numpy as np
from numpy.typing import NDArray

from thrumble.core.chance import binom_sf, t_cdf
from thrumble.core.coach.verdict.finding import (
    MAX_CHANCE,
    MIN_SPOILED_SHARE,
    Finding,
    Remedy,
    Review,
    early_or_late,
    in_bars,
    keys_of,
)
from thrumble.core.coach.verdict.judgement import Judgement, robust_spread
from thrumble.core.coach.verdict.lateness import UnexplainedLateness
from thrumble.core.coach.verdict.tempo import MIN_AUDIBLE_MS, SLOWER, Drift, drifts_far
from thrumble.core.music.meter import spoken_count
from thrumble.core.riff.drills.catalogue import DrillKind
from thrumble.core.riff.shifts import move_speeds_mm_s, shifts_mm
from thrumble.core.signal import Array

WIDE_MM = (60.0, 100.0, 140.0, 180.0)  # how wide a move may have to be to make the hit late
QUICK_MM_S = (200.0, 400.0, 700.0, 1000.0)  # or how quick
MIN_BIAS_MS = 8.0  # a constant lead or lag below it is nobody's concern
STEADY_SPREAD_MS = 10.0  # a spread up to this is a steady player's
MIN_LOOSE_SHARE = 0.05  # of hits off the mark, from which on timing is loose
MIN_SPREAD_GROWTH_MS = 8.0
ONE_SIDED_SHARE = 0.75  # of the hits that are off: then they lean to one side
FAR_FOR_TIRING_MS = 80.0  # so far off, what is left of a drift grows by itself
STEP_DOWN = Remedy(None, SLOWER, "a step slower, until it is tight")


@dataclass(frozen=True, slots=True, kw_only=True)
class LeadOrLag(Finding):
    """A constant lead or lag, if the latency is known well enough."""

    kind: ClassVar[str] = "bias"
    remedies: ClassVar[tuple[Remedy, ...]] = (
        Remedy(DrillKind.RIGHT_HAND, 0.9, "strokes and click alone, until they're one sound"),
        Remedy(None, SLOWER, "a step slower, listening for the click in every hit"),
    )
    label: ClassVar[str] = "ahead of or behind the click"

    bias_ms: float

    @classmethod
    def find(cls, review: Review) -> Self | None:
        late, reading = review.lateness, review.judgement.reading
        middle_ms = float(np.median(late.left_ms))
        error_ms = 1.25 * robust_spread(late.left_ms) / np.sqrt(late.left_ms.size)
        least_ms = max(MIN_BIAS_MS, 3.5 * error_ms, reading.delay_spread_ms or 0.0)
        if not reading.bias_judged:
            return None
        if abs(middle_ms) < least_ms:
            late.left_ms = late.left_ms - middle_ms
            return None
        _, hits = late.explain(np.full(late.left_ms.size, middle_ms))
        return cls(cost=min(1.0, abs(middle_ms) / 80), hits=keys_of(hits), bias_ms=middle_ms)

    def sentence(self, judgement: Judgement) -> str:
        is_late = self.bias_ms > 0
        return (
            f"You play {abs(self.bias_ms):.0f} ms {'behind' if is_late else 'ahead of'} the click "
            f"throughout: {'push a little' if is_late else 'lay back a little'}."
        )

    def is_suppressed(self, findings: Sequence[Finding]) -> bool:
        """A tempo of the player's own is ahead or behind for the most part by itself."""
        return any(isinstance(other, Drift) for other in findings)


@dataclass(frozen=True, slots=True, kw_only=True)
class LateAfterShifts(Finding):
    """Hits after a wide move, or a quick one, against all others. How wide (`least_mm`) or quick
    (`least_mm_s`): the limit that separates them best.
    """

    kind: ClassVar[str] = "shifts"
    label: ClassVar[str] = "late after shifts"
    remedies: ClassVar[tuple[Remedy, ...]] = (
        Remedy(DrillKind.SHIFTS, 0.75, "your hand learns each move by itself, the hardest first"),
        Remedy(DrillKind.HALF_CHANGES, 1.0, "you stay longer on each chord until changes keep up"),
        Remedy(DrillKind.TWO_STRINGS, 1.0, "two strings move faster than three"),
    )
    helped_by_loop: ClassVar[bool] = False
    helped_by_slowing: ClassVar[bool] = False  # the moves are the cause: they're trained alone

    late_ms: float
    others_ms: float
    moves: int
    least_mm: float | None = None
    least_mm_s: float | None = None

    @classmethod
    def find(cls, review: Review) -> Self | None:
        late, judgement = review.lateness, review.judgement
        due, instrument = judgement.expanded.hits, judgement.instrument
        sizes = [(shifts_mm(due, instrument), limit_mm, None) for limit_mm in WIDE_MM]
        speeds = [(move_speeds_mm_s(due, instrument), None, limit) for limit in QUICK_MM_S]
        best: tuple[float, NDArray[np.bool], float | None, float | None] | None = None
        for of_hit, least_mm, least_mm_s in [*sizes, *speeds]:
            size = np.array([of_hit[hit.hit.index] for hit in late.hits])
            moved = size >= (least_mm or least_mm_s)
            clearness = _standard_errors_later(late.left_ms, moved)
            if clearness and (best is None or clearness > best[0]):
                best = (clearness, moved, least_mm, least_mm_s)
        if best is None:
            return None

        _, moved, least_mm, least_mm_s = best
        late_ms = float(np.median(late.left_ms[moved]))
        others_ms = float(np.median(late.left_ms[~moved]))
        share, hits = late.explain(np.where(moved, late_ms - others_ms, 0.0))
        if share == 0.0:
            return None
        return cls(
            cost=max(MIN_SPOILED_SHARE, 1.5 * share),
            hits=keys_of(hits),
            late_ms=late_ms,
            others_ms=others_ms,
            moves=int(moved.sum()),
            least_mm=least_mm,
            least_mm_s=least_mm_s,
        )

    def sentence(self, judgement: Judgement) -> str:
        if self.least_mm is not None:
            what, after = "long", f"after moves of {self.least_mm:.0f} mm or more"
        else:
            what, after = "quick", f"where your hand moves at {self.least_mm_s:.0f} mm/s or more"
        return (
            f"You land late after {what} shifts: {self.late_ms:.0f} ms {after}, everything else is "
            f"{early_or_late(self.others_ms)}. Look at the target fret before you move."
        )


def _standard_errors_later(late_ms: Array, moved: NDArray[np.bool]) -> float:
    """How much later the moved hits are than the others, in standard errors; 0 if they aren't, or
    are too few. Both of shape (n,).
    """
    if moved.sum() < 3 or (~moved).sum() < 6:
        return 0.0
    late, rest = late_ms[moved], late_ms[~moved]
    step_ms = float(np.median(late) - np.median(rest))
    errors = [max(3.0, robust_spread(values)) / np.sqrt(values.size) for values in (late, rest)]
    clearness = step_ms / (1.25 * float(np.hypot(*errors)))
    return clearness if step_ms >= MIN_AUDIBLE_MS and clearness >= 3.5 else 0.0


@dataclass(frozen=True, slots=True, kw_only=True)
class OneBeatOff(Finding):
    """A place in the bar (`at`, a fraction of a whole note) that is always early or late."""

    kind: ClassVar[str] = "slot"
    label: ClassVar[str] = "one beat always early or late"
    remedies: ClassVar[tuple[Remedy, ...]] = (
        STEP_DOWN,
        Remedy(DrillKind.RIGHT_HAND, SLOWER, "the rhythm alone, counting it aloud"),
    )

    late_ms: float
    at: str

    @classmethod
    def find(cls, review: Review) -> Self | None:
        late = review.lateness
        rows_at: dict[str, list[int]] = defaultdict(list)
        for row, hit in enumerate(late.hits):
            rows_at[str(hit.due.hit.at)].append(row)
        rows_at = {at: rows for at, rows in rows_at.items() if len(rows) >= 4}
        if len(rows_at) < 2:
            return None
        part, steps_ms = _steps_of_places(late, rows_at)
        if not steps_ms:
            return None
        # the first of the places that cost most
        worst_at = max(steps_ms, key=lambda at: abs(steps_ms[at]) * len(rows_at[at]))
        cost, hits = late.explain(part)
        if cost < MIN_SPOILED_SHARE:
            return None
        return cls(cost=cost, hits=keys_of(hits), late_ms=steps_ms[worst_at], at=worst_at)

    def sentence(self, judgement: Judgement) -> str:
        return (
            f"Your hits on {_count_of(self.at, judgement)} are {early_or_late(self.late_ms)}, bar "
            "after bar; the rest sits better."
        )

    def is_suppressed(self, findings: Sequence[Finding]) -> bool:
        return drifts_far(findings)


def _steps_of_places(
    late: UnexplainedLateness, rows_at: dict[str, list[int]]
) -> tuple[Array, dict[str, float]]:
    """How far each place that surely differs from the take's median lies from it (t test,
    Bonferroni over the places): for each hit, shape (n,), and by place.
    """
    middle_ms = float(np.median(late.left_ms))
    spread_ms = max(1.0, robust_spread(late.left_ms))
    part = np.zeros(late.left_ms.size)
    steps_ms: dict[str, float] = {}
    for at, rows in rows_at.items():
        here_ms = late.left_ms[rows]
        step_ms = float(np.median(here_ms)) - middle_ms
        error_ms = 1.25 * max(spread_ms, robust_spread(here_ms)) / np.sqrt(len(rows))
        chance = 2 * t_cdf(len(rows) - 1, -abs(step_ms) / error_ms) * len(rows_at)
        if abs(step_ms) >= MIN_AUDIBLE_MS and chance < MAX_CHANCE:
            part[rows] = step_ms
            steps_ms[at] = step_ms
    return part, steps_ms


def _count_of(at: str, judgement: Judgement) -> str:
    """A place in the bar as it is counted aloud: `the “&” of 2`."""
    for due in judgement.expanded.hits:
        if str(due.hit.at) == at:
            bar = next(bar for bar in judgement.expanded.bars if bar.number == due.bar)
            beat = due.hit.at // bar.meter.beat + 1
            count = spoken_count(due.hit.at, bar.meter)
            if count == str(beat):
                return f"beat {beat}"
            return f"the “{count}” of {beat}" if count else f"the place after beat {beat}"
    return at


@dataclass(frozen=True, slots=True, kw_only=True)
class Tiring(Finding):
    """A spread that grows along the take: the sizes of what is left, ranked, against time."""

    kind: ClassVar[str] = "tiring"
    label: ClassVar[str] = "timing fades"
    remedies: ClassVar[tuple[Remedy, ...]] = (
        STEP_DOWN,
        Remedy(DrillKind.RIGHT_HAND, SLOWER, "shorter passes with rests, loose from the wrist"),
    )

    before_ms: float
    after_ms: float
    bar: int
    round: int

    @classmethod
    def find(cls, review: Review) -> Self | None:
        late = review.lateness
        n = late.left_ms.size
        if n < 32:
            return None
        size = np.abs(late.left_ms - np.median(late.left_ms))
        # Spearman's rank correlation of size with time
        r = float(np.corrcoef(np.argsort(np.argsort(size)), np.arange(n))[0, 1])
        t = r * np.sqrt((n - 2) / max(1e-9, 1 - r * r))
        if r <= 0 or t_cdf(n - 2, -t) > MAX_CHANCE:
            return None

        third = n // 3
        before_ms = robust_spread(late.left_ms[:third])
        after_ms = robust_spread(late.left_ms[-third:])
        is_off = np.abs(late.left_ms) > late.limits_ms
        off = [late.hits[row] for row in range(third, n) if is_off[row]]
        if after_ms - before_ms < MIN_SPREAD_GROWTH_MS or len(off) < MIN_SPOILED_SHARE * n:
            return None
        start = late.hits[_change_point(size)].hit
        return cls(
            cost=len(off) / n,
            hits=keys_of(off),
            before_ms=before_ms,
            after_ms=after_ms,
            bar=start.bar,
            round=start.round,
        )

    def sentence(self, judgement: Judgement) -> str:
        in_round = f" of pass {self.round}" if judgement.reading.rounds > 1 else ""
        return (
            f"Your timing gets loose from about bar {self.bar}{in_round} on: the spread grows from "
            f"{self.before_ms:.0f} to {self.after_ms:.0f} ms. Play shorter passes and shake out "
            "your hand between them."
        )

    def is_suppressed(self, findings: Sequence[Finding]) -> bool:
        return drifts_far(findings, FAR_FOR_TIRING_MS)


def _change_point(size: Array) -> int:
    """Where the sizes, shape (n,), leave their first level for good: the split that separates two
    levels of their logarithms best.
    """
    n = size.size
    logs = np.log(size + 2.0)
    sums = np.cumsum(logs)
    cuts = np.arange(n // 6, n - n // 6)
    first, second = sums[cuts - 1] / cuts, (sums[-1] - sums[cuts - 1]) / (n - cuts)
    return int(cuts[np.argmax((second - first) ** 2 * cuts * (n - cuts))])


@dataclass(frozen=True, slots=True, kw_only=True)
class LooseTiming(Finding):
    """More hits out of time than a steady player's spread explains, after all other timing
    findings.
    """

    kind: ClassVar[str] = "spread"
    label: ClassVar[str] = "loose timing"
    remedies: ClassVar[tuple[Remedy, ...]] = (
        STEP_DOWN,
        Remedy(DrillKind.RIGHT_HAND, SLOWER, "the rhythm alone, nothing to fret"),
    )

    spread_ms: float
    off: int
    played: int
    early_share: float
    advice: str = "Take the tempo down a step."
    beside_others: bool = False  # other findings name some of the hits that are off

    @classmethod
    def find(cls, review: Review) -> Self | None:
        late = review.lateness
        n, off = late.left_ms.size, late.off()
        if len(off) < MIN_LOOSE_SHARE * n:
            return None
        steady = NormalDist(sigma=STEADY_SPREAD_MS)
        share_off = fmean(2 * steady.cdf(-limit_ms) for limit_ms in late.limits_ms)
        if binom_sf(len(off) - 1, n, share_off) > 0.01:
            return None
        # named are the hits that every screen counts as out of time
        named = [hit for hit in late.hits if not hit.in_time]
        if not named:
            return None
        return cls(
            cost=len(off) / n,
            hits=keys_of(named),
            spread_ms=robust_spread(late.left_ms),
            off=len(named),
            played=n,
            early_share=fmean((hit.late_ms or 0.0) < 0 for hit in named),
        )

    def sentence(self, judgement: Judgement) -> str:
        side = "early or late"
        if self.early_share > ONE_SIDED_SHARE:
            side = "early"
        elif self.early_share < 1 - ONE_SIDED_SHARE:
            side = "late"
        hits = f"{self.off} of {self.played} hits are"
        if self.beside_others:
            hits = "1 other hit is" if self.off == 1 else f"{self.off} other hits are"
        return (
            f"Your timing is loose: {hits} more than "
            f"{judgement.limits.tolerance_ms:.0f} ms {side} (spread {self.spread_ms:.0f} ms), "
            f"{in_bars(self.hits, judgement)}. {self.advice}"
        )

    def beside(self, findings: Sequence[Finding]) -> Self:
        """Hits that another timing finding names are left to it. If one costs more that a slower
        riff doesn't cure, that one comes first.
        """
        others = {
            key
            for finding in findings
            if isinstance(finding, LeadOrLag | LateAfterShifts | OneBeatOff | Drift)
            for key in finding.hits
        }
        left = tuple(key for key in self.hits if key not in others)
        loose = self
        if left and len(left) < len(self.hits):
            loose = replace(self, hits=left, off=len(left), beside_others=True)
        worse = [finding for finding in findings if finding.cost > self.cost]
        if all(finding.helped_by_slowing for finding in worse):
            return loose
        return replace(loose, advice="Practise the shifts first.")

    def is_suppressed(self, findings: Sequence[Finding]) -> bool:
        is_tiring = any(isinstance(other, Tiring) for other in findings)
        return is_tiring or drifts_far(findings)


FINDINGS: tuple[type[Finding], ...] = (
    LeadOrLag,
    LateAfterShifts,
    OneBeatOff,
    Tiring,
    LooseTiming,
)

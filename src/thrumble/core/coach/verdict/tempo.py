"""Findings about tempo: a drift of one's own, a shuffle played straighter or harder than written.
What they explain, the timing findings leave out.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import ClassVar, Self

import numpy as np

from thrumble.core.chance import f_sf
from thrumble.core.coach.verdict.finding import (
    MAX_CHANCE,
    MIN_SPOILED_SHARE,
    Finding,
    Remedy,
    Review,
    keys_of,
)
from thrumble.core.coach.verdict.judgement import Judgement, robust_spread
from thrumble.core.riff.drills.catalogue import DrillKind
from thrumble.core.signal import Array

CURVE_DEGREE = 4  # of the curve that a drifting tempo draws
MIN_AUDIBLE_MS = 6.0  # below this nobody hears a constant lateness of a few hits
FAR_MS = 120.0  # so far from the click a hit may be matched to its neighbour
SLOWER = 0.9


def drifts_far(findings: Sequence[Finding], limit_ms: float = FAR_MS) -> bool:
    """Whether a take drifts so far that hits may be matched to their neighbours."""
    return any(isinstance(other, Drift) and abs(other.away_ms) > limit_ms for other in findings)


@dataclass(frozen=True, slots=True, kw_only=True)
class Drift(Finding):
    """A tempo of the player's own, steady or changing: a smooth curve of lateness over the take,
    against a constant. `away_ms`: how far it leads from where it began, furthest in `bar`.
    """

    kind: ClassVar[str] = "drift"
    label: ClassVar[str] = "tempo that drifts"
    remedies: ClassVar[tuple[Remedy, ...]] = (
        Remedy(DrillKind.INNER_PULSE, 1.0, "two bars counted in silence show where your pulse is"),
        Remedy(None, SLOWER, "a step slower, counting aloud"),
    )

    drift_bpm_per_min: float
    tempo_off_bpm: float
    span_s: float
    away_ms: float
    bar: float

    @classmethod
    def find(cls, review: Review) -> Self | None:
        late = review.lateness
        n = late.left_ms.size
        span_s = float(np.ptp(late.at_s)) if n else 0.0
        if n < 16 or span_s < 4:
            return None
        t = late.at_s - late.at_s[0]
        curve, weights = _fit_curve(t, late.left_ms)
        part = curve - np.median(curve)
        chance = _chance_of_curve(late.left_ms, curve, weights)
        if chance > MAX_CHANCE or np.ptp(part) < 2 * MIN_AUDIBLE_MS:
            return None

        furthest = int(np.argmax(np.abs(curve - curve[0])))
        rate, off, span_s = _fit_tempo(t, late.left_ms, weights, late.judgement)
        cost, hits = late.explain(part)
        # what changes slowly in the rest belongs to the drift, too
        late.left_ms = late.left_ms - _running_median(late.left_ms)
        if cost < MIN_SPOILED_SHARE:
            return None
        return cls(
            cost=cost,
            hits=keys_of(hits),
            drift_bpm_per_min=rate,
            tempo_off_bpm=off,
            span_s=span_s,
            away_ms=float(curve[furthest] - curve[0]),
            bar=late.hits[furthest].hit.bar,
        )

    def sentence(self, judgement: Judgement) -> str:
        rate, off = self.drift_bpm_per_min, self.tempo_off_bpm
        if rate:
            return (
                f"You {'speed up' if rate > 0 else 'slow down'} by about {abs(rate):.0f} bpm per "
                "minute: lock in with the click."
            )
        return (
            f"You play about {abs(off):.1f} bpm {'faster' if off > 0 else 'slower'} than the click "
            "all the way through: lock in with it."
        )


def _chance_of_curve(late_ms: Array, curve: Array, weights: Array) -> float:
    """The chance of a curve so much better than a constant if the tempo were steady (F test, the
    residuals' autocorrelation taken into account).
    """
    n = late_ms.size
    rest = late_ms - curve
    level = late_ms - np.average(late_ms, weights=weights)
    gained = float(np.sum(weights * level**2) - np.sum(weights * rest**2)) / CURVE_DEGREE
    error = float(np.sum(weights * rest**2)) / (n - CURVE_DEGREE - 1)
    follows = float(np.clip(rest[1:] @ rest[:-1] / max(1e-9, float(rest @ rest)), 0.0, 0.9))
    ratio = gained / max(1e-9, error) * (1 - follows) / (1 + follows)
    return f_sf(CURVE_DEGREE, n - CURVE_DEGREE - 1, ratio)


def _fit_curve(t: Array, late_ms: Array) -> tuple[Array, Array]:
    """A polynomial that a few wild hits do not bend (iteratively reweighted least squares), and
    the weight each hit kept; both of shape (n,).
    """
    x = 2 * t / max(1e-9, float(t[-1])) - 1
    weights = np.ones(t.size)
    curve: Array = np.zeros(t.size)
    for _ in range(5):
        curve = np.asarray(np.polyval(np.polyfit(x, late_ms, CURVE_DEGREE, w=np.sqrt(weights)), x))
        rest = late_ms - curve
        weights = 1 / np.maximum(1.0, np.abs(rest) / (2 * max(1.0, robust_spread(rest))))
    return curve, weights


def _running_median(values: Array) -> Array:
    """The median of each value's surroundings, eight to either side; shape (n,)."""
    padded = np.pad(values, 8, mode="reflect")
    return np.asarray(np.median(np.lib.stride_tricks.sliding_window_view(padded, 17), axis=1))


def _fit_tempo(
    t: Array, late_ms: Array, weights: Array, judgement: Judgement
) -> tuple[float, float, float]:
    """A tempo that changes steadily (bpm per minute), or one that is off from the start (bpm),
    until the player follows the click again (s): whichever fits best. The one that doesn't is 0.
    """
    best = (np.inf, 2, 0.0, float(t[-1]))
    for until_s in np.linspace(0.2, 1.0, 17) * t[-1]:
        for power in (2, 1):
            x = np.minimum(t, until_s) ** power
            slope, level = np.polyfit(x, late_ms, 1, w=np.sqrt(weights))
            error = float(np.sum(weights * (late_ms - level - slope * x) ** 2))
            best = min(best, (error, power, float(slope), float(until_s)))
    _, power, slope, until_s = best
    tempo_bpm = judgement.expanded.tempo_bpm
    rate = -2 * slope / 1000 * tempo_bpm * 60 if power == 2 else 0.0
    off = -slope / 1000 * tempo_bpm if power == 1 else 0.0
    return round(rate, 1), round(off, 1), until_s


@dataclass(frozen=True, slots=True, kw_only=True)
class Swing(Finding):
    """A shuffle played straighter or harder than written: the ratio's interval excludes it."""

    kind: ClassVar[str] = "swing"
    label: ClassVar[str] = "shuffle too straight or too hard"
    remedies: ClassVar[tuple[Remedy, ...]] = (
        Remedy(DrillKind.RIGHT_HAND, SLOWER, "the shuffle in your wrist alone, with its click"),
        Remedy(None, SLOWER, "a step slower, with the shuffle click"),
    )
    helped_by_loop: ClassVar[bool] = False

    swing_ratio: float
    low: float
    high: float
    asked: float

    @classmethod
    def find(cls, review: Review) -> Self | None:
        late, judgement = review.lateness, review.judgement
        feel, summary = judgement.expanded.riff.feel, judgement.reading.summary
        ratio, interval = summary.swing_ratio, summary.swing_interval
        off_beat = np.array([hit.due.hit.at % (2 * feel.unit) >= feel.unit for hit in late.hits])
        if feel.ratio is None or ratio is None or interval is None:
            return None
        if off_beat.sum() < 6 or (~off_beat).sum() < 6:
            return None
        if interval[0] - 0.1 <= feel.ratio <= interval[1] + 0.1:
            return None

        on_beat_ms = float(np.median(late.left_ms[~off_beat]))
        part = np.where(off_beat, np.median(late.left_ms[off_beat]) - on_beat_ms, 0.0)
        if not judgement.reading.bias_judged:
            # without a known latency the take's median may lie between the two: the beat counts
            part = part + on_beat_ms
        cost, hits = late.explain(part)
        if cost < MIN_SPOILED_SHARE:
            return None
        return cls(
            cost=cost,
            hits=keys_of(hits),
            swing_ratio=ratio,
            low=interval[0],
            high=interval[1],
            asked=float(feel.ratio),
        )

    def sentence(self, judgement: Judgement) -> str:
        is_straighter = self.swing_ratio < self.asked
        return (
            f"Your shuffle is {'straighter' if is_straighter else 'harder'} than written: long to "
            f"short is {self.swing_ratio:.2f} ({self.low:.2f} to {self.high:.2f}) instead of "
            f"{self.asked:g}. Hold the first of each pair "
            f"{'longer' if is_straighter else 'shorter'}."
        )

    def is_suppressed(self, findings: Sequence[Finding]) -> bool:
        return drifts_far(findings)


FINDINGS: tuple[type[Finding], ...] = (Drift, Swing)

"""Why hits are early or late: the deviations explained in turn, each step on what the ones before
leave over. Drift, swing, moves, place in the bar, growing spread, and what is left.
"""

from collections import defaultdict
from dataclasses import dataclass
from statistics import NormalDist, fmean

import numpy as np

from thrumble.core.chance import binomial_above, fisher_above, student_below
from thrumble.core.coach.verdict.cause import CHANCE, SPOILT, Cause, CauseKind, keys_of
from thrumble.core.coach.verdict.judgement import JudgedHit, Judgement, robust_spread
from thrumble.core.riff.shifts import move_speeds_mm_s, shifts_mm

Array = np.ndarray
CURVE = 4  # degree of the curve that a drifting tempo draws
WIDE_MM = (60.0, 100.0, 140.0, 180.0)  # how wide a move may have to be before it makes late
QUICK_MM_S = (200.0, 400.0, 700.0, 1000.0)  # or how quick
LEAST_MS = 6.0  # below this nobody hears a constant lateness of a few hits
STEADY_MS = 10.0  # a spread up to this is a steady player's
LOOSE = 0.05  # share of hits off the mark from which on timing is loose
GROWN_MS = 8.0


@dataclass(slots=True)
class _Timing:
    """The played hits, and what of their lateness is not explained yet."""

    judgement: Judgement
    hits: list[JudgedHit]
    at_s: Array
    left_ms: Array
    limits_ms: Array

    def explained(self, part_ms: Array) -> float:
        """Takes a part away and says what share of the hits it had spoilt: off the mark with it, or
        only by it. `part_ms`: shape (n,), one value a hit that was played.
        """
        before, after = np.abs(self.left_ms), np.abs(self.left_ms - part_ms)
        spoilt = (before > self.limits_ms) & (after < before)
        self.left_ms = self.left_ms - part_ms
        return float(spoilt.mean())

    def off(self) -> list[JudgedHit]:
        """The hits that are off by what is left."""
        return [
            hit
            for hit, out in zip(self.hits, np.abs(self.left_ms) > self.limits_ms, strict=True)
            if out
        ]

    def spoilt_by(self, part_ms: Array) -> list[JudgedHit]:
        """The hits that are off with this part, and that it moved off. `part_ms`: shape (n,), one
        value a hit that was played.
        """
        out = (np.abs(self.left_ms) > self.limits_ms) & (
            np.abs(self.left_ms - part_ms) < np.abs(self.left_ms)
        )
        return [hit for hit, is_out in zip(self.hits, out, strict=True) if is_out]


def explain_timing(judgement: Judgement) -> list[Cause]:
    hits = sorted(judgement.played, key=lambda hit: hit.hit.expected_s)
    timing = _Timing(
        judgement,
        hits,
        np.array([hit.hit.expected_s for hit in hits]),
        np.array([hit.late_ms for hit in hits], dtype=float),
        np.array([hit.limit_ms for hit in hits]),
    )
    causes = [
        cause
        for step in (_drift, _swing, _bias, _shifts, _slot)
        if (cause := step(timing)) is not None
    ]
    if (
        causes and causes[0].kind is CauseKind.DRIFT
    ):  # a tempo of one's own is ahead or behind for the most part by itself
        causes = [cause for cause in causes if cause.kind is not CauseKind.BIAS]
    for step in (_tiring, _spread):
        if (cause := step(timing)) is not None:
            causes.append(cause)
            break
    return causes


def _bias(timing: _Timing) -> Cause | None:
    """A constant lead or lag, where the delay is known well enough to tell."""
    reading = timing.judgement.reading
    middle = float(np.median(timing.left_ms))
    error = 1.25 * robust_spread(timing.left_ms) / np.sqrt(timing.left_ms.size)
    least = max(8.0, 3.5 * error, reading.delay_spread_ms or 0.0)
    if not reading.bias_judged or abs(middle) < least:
        timing.left_ms = timing.left_ms - (middle if reading.bias_judged else 0.0)
        return None
    cost = min(1.0, abs(middle) / 80)
    hits = keys_of(timing.spoilt_by(np.full(timing.left_ms.size, middle)))
    timing.explained(np.full(timing.left_ms.size, middle))
    return Cause(kind=CauseKind.BIAS, cost=cost, hits=hits, figures={"bias_ms": middle})


def _drift(timing: _Timing) -> Cause | None:
    """A tempo of one's own, steady or changing: a smooth curve of lateness over the take, against a
    level.
    """
    n = timing.left_ms.size
    span_s = float(np.ptp(timing.at_s)) if n else 0.0
    if n < 16 or span_s < 4:
        return None
    t = timing.at_s - timing.at_s[0]
    curve, weights = _smooth(t, timing.left_ms)
    rest = timing.left_ms - curve
    level = timing.left_ms - np.average(timing.left_ms, weights=weights)
    gained = float(np.sum(weights * level**2) - np.sum(weights * rest**2)) / CURVE
    error = float(np.sum(weights * rest**2)) / (n - CURVE - 1)
    follows = float(np.clip(rest[1:] @ rest[:-1] / max(1e-9, float(rest @ rest)), 0.0, 0.9))
    ratio = gained / max(1e-9, error) * (1 - follows) / (1 + follows)
    part = curve - np.median(curve)
    if fisher_above(CURVE, n - CURVE - 1, ratio) > CHANCE or np.ptp(part) < 2 * LEAST_MS:
        return None
    spoilt = timing.spoilt_by(part)
    away = int(np.argmax(np.abs(curve - curve[0])))
    figures = {
        **_tempo(t, timing.left_ms, weights, timing.judgement.expanded.tempo_bpm),
        "away_ms": float(curve[away] - curve[0]),
        "bar": float(timing.hits[away].hit.bar),
    }
    cost = timing.explained(part)
    timing.left_ms = timing.left_ms - _running_middle(
        timing.left_ms
    )  # what is slow in the rest is the drift's, too
    return (
        None
        if cost < SPOILT
        else Cause(kind=CauseKind.DRIFT, cost=cost, hits=keys_of(spoilt), figures=figures)
    )


def _smooth(t: Array, late_ms: Array) -> tuple[Array, Array]:
    """A curve of fourth degree that a few wild hits do not bend, and the weight each hit kept."""
    x = 2 * t / max(1e-9, float(t[-1])) - 1
    weights = np.ones(t.size)
    curve: Array = np.zeros(t.size)
    for _ in range(5):
        curve = np.asarray(np.polyval(np.polyfit(x, late_ms, CURVE, w=np.sqrt(weights)), x))
        rest = late_ms - curve
        weights = 1 / np.maximum(1.0, np.abs(rest) / (2 * max(1.0, robust_spread(rest))))
    return curve, weights


def _running_middle(values: Array) -> Array:
    """The median of each value's surroundings, eight to either side."""
    padded = np.pad(values, 8, mode="reflect")
    return np.asarray(np.median(np.lib.stride_tricks.sliding_window_view(padded, 17), axis=1))


def _tempo(t: Array, late_ms: Array, weights: Array, tempo_bpm: float) -> dict[str, float]:
    """A tempo that changes steadily away from the click's own, or one that is off from the start,
    until the player is caught by the click and
    holds: whichever tells the take best. `weights`: of each hit."""
    best = (np.inf, 2, 0.0, float(t[-1]))
    for until_s in np.linspace(0.2, 1.0, 17) * t[-1]:
        for power in (2, 1):
            x = np.minimum(t, until_s) ** power
            slope, level = np.polyfit(x, late_ms, 1, w=np.sqrt(weights))
            best = min(
                best,
                (
                    float(np.sum(weights * (late_ms - level - slope * x) ** 2)),
                    power,
                    float(slope),
                    float(until_s),
                ),
            )
    _, power, slope, until_s = best
    rate = -2 * slope / 1000 * tempo_bpm * 60 if power == 2 else 0.0
    off = -slope / 1000 * tempo_bpm if power == 1 else 0.0
    return {"drift_bpm_per_min": round(rate, 1), "tempo_off_bpm": round(off, 1), "span_s": until_s}


def _swing(timing: _Timing) -> Cause | None:
    """The ratio heard against the one written: named where its interval leaves no doubt."""
    judgement = timing.judgement
    asked, summary = judgement.expanded.riff.feel.ratio, judgement.reading.summary
    heard, interval = summary.swing_ratio, summary.swing_interval
    unit = judgement.expanded.riff.feel.unit
    swung = np.array([hit.due.hit.at % (2 * unit) >= unit for hit in timing.hits])
    if asked is None or heard is None or interval is None or swung.sum() < 6 or (~swung).sum() < 6:
        return None
    if interval[0] - 0.1 <= asked <= interval[1] + 0.1:
        return None
    # without a known latency the take's middle may lie between the two: the beat itself is what
    # counts then
    beat = 0.0 if judgement.reading.bias_judged else float(np.median(timing.left_ms[~swung]))
    part = (
        np.where(swung, np.median(timing.left_ms[swung]) - np.median(timing.left_ms[~swung]), 0.0)
        + beat
    )
    spoilt = timing.spoilt_by(part)
    cost = timing.explained(part)
    if cost < SPOILT:
        return None
    figures = {"swing_ratio": heard, "low": interval[0], "high": interval[1], "asked": float(asked)}
    return Cause(kind=CauseKind.SWING, cost=cost, hits=keys_of(spoilt), figures=figures)


def _shifts(timing: _Timing) -> Cause | None:
    """Hits that follow a wide move, or a quick one, against all others; how wide or quick, the take
    itself tells best.
    """
    expanded = timing.judgement.expanded
    wide_mm = shifts_mm(expanded.hits, timing.judgement.instrument)
    quick_mm_s = move_speeds_mm_s(expanded.hits, timing.judgement.instrument)
    best: tuple[float, str, float, Array] | None = None
    for name, of, limits in (
        ("least_mm", wide_mm, WIDE_MM),
        ("least_mm_s", quick_mm_s, QUICK_MM_S),
    ):
        size = np.array([of[hit.hit.index] for hit in timing.hits])
        for limit in limits:
            clear = _late_by(timing.left_ms, size >= limit)
            if clear and (best is None or clear > best[0]):
                best = (clear, name, limit, size >= limit)
    if best is None:
        return None
    _, name, limit, moved = best
    late, rest = timing.left_ms[moved], timing.left_ms[~moved]
    figures = {
        "late_ms": float(np.median(late)),
        "others_ms": float(np.median(rest)),
        "moves": float(moved.sum()),
        name: limit,
    }
    part = np.where(moved, np.median(late) - np.median(rest), 0.0)
    spoilt = timing.spoilt_by(part)
    share = timing.explained(part)
    if share == 0.0:
        return None
    return Cause(
        kind=CauseKind.SHIFTS, cost=max(SPOILT, 1.5 * share), hits=keys_of(spoilt), figures=figures
    )


def _late_by(late_ms: Array, these: Array) -> float:
    """How clearly these are later than the others, in standard errors; 0 where they are not, or are
    too few to tell.
    """
    if these.sum() < 3 or (~these).sum() < 6:
        return 0.0
    late, rest = late_ms[these], late_ms[~these]
    step = float(np.median(late) - np.median(rest))
    errors = [max(3.0, robust_spread(values)) / np.sqrt(values.size) for values in (late, rest)]
    clear = step / (1.25 * float(np.hypot(*errors)))
    return clear if step >= LEAST_MS and clear >= 3.5 else 0.0


def _slot(timing: _Timing) -> Cause | None:
    """A place in the bar that is always early or late, over all bars; the worst of them is
    named.
    """
    groups: dict[str, list[int]] = defaultdict(list)
    for k, hit in enumerate(timing.hits):
        groups[str(hit.due.hit.at)].append(k)
    groups = {at: rows for at, rows in groups.items() if len(rows) >= 4}
    if len(groups) < 2:
        return None
    everything = float(np.median(timing.left_ms))
    spread = max(1.0, robust_spread(timing.left_ms))
    part = np.zeros(timing.left_ms.size)
    worst, worst_at = 0.0, ""
    for at, rows in groups.items():
        own = timing.left_ms[rows]
        step = float(np.median(own)) - everything
        error = 1.25 * max(spread, robust_spread(own)) / np.sqrt(len(rows))
        if (
            abs(step) >= LEAST_MS
            and 2 * student_below(len(rows) - 1, -abs(step) / error) * len(groups) < CHANCE
        ):
            part[rows] = step
            if abs(step) * len(rows) > abs(worst) * len(groups.get(worst_at, [])):
                worst, worst_at = step, at
    if not worst_at:
        return None
    spoilt = timing.spoilt_by(part)
    cost = timing.explained(part)
    if cost < SPOILT:
        return None
    return Cause(
        kind=CauseKind.SLOT,
        cost=cost,
        hits=keys_of(spoilt),
        figures={"late_ms": worst},
        words={"at": worst_at},
    )


def _tiring(timing: _Timing) -> Cause | None:
    """A spread that grows along the take: the sizes of what is left, ranked, against time."""
    n = timing.left_ms.size
    if n < 32:
        return None
    size = np.abs(timing.left_ms - np.median(timing.left_ms))
    ranks, t = np.argsort(np.argsort(size)), np.arange(n)
    r = float(np.corrcoef(ranks, t)[0, 1])
    if r <= 0 or student_below(n - 2, -r * np.sqrt((n - 2) / max(1e-9, 1 - r * r))) > CHANCE:
        return None
    third = n // 3
    before, after = robust_spread(timing.left_ms[:third]), robust_spread(timing.left_ms[-third:])
    out = np.abs(timing.left_ms) > timing.limits_ms
    off = [timing.hits[k] for k in range(third, n) if out[k]]
    if after - before < GROWN_MS or len(off) < SPOILT * n:
        return None
    begin = _begins(size)
    figures = {
        "before_ms": before,
        "after_ms": after,
        "bar": float(timing.hits[begin].hit.bar),
        "round": float(timing.hits[begin].hit.round),
    }
    return Cause(kind=CauseKind.TIRING, cost=len(off) / n, hits=keys_of(off), figures=figures)


def _begins(size: Array) -> int:
    """Where the sizes leave their first level for good: the split that tells two levels apart
    best.
    """
    n = size.size
    logs = np.log(size + 2.0)
    sums = np.cumsum(logs)
    cuts = np.arange(n // 6, n - n // 6)
    first, second = sums[cuts - 1] / cuts, (sums[-1] - sums[cuts - 1]) / (n - cuts)
    return int(cuts[np.argmax((second - first) ** 2 * cuts * (n - cuts))])


def _spread(timing: _Timing) -> Cause | None:
    """What is left: too wide for a steady player, or a few hits far off."""
    n, off = timing.left_ms.size, timing.off()
    spread = robust_spread(timing.left_ms)
    if len(off) < LOOSE * n or binomial_above(len(off) - 1, n, _expected_off(timing)) > 0.01:
        return None
    late = timing.left_ms[np.abs(timing.left_ms) > timing.limits_ms]
    figures = {
        "spread_ms": spread,
        "off": float(len(off)),
        "played": float(n),
        "early_share": float(np.mean(late < 0)),
    }
    return Cause(kind=CauseKind.SPREAD, cost=len(off) / n, hits=keys_of(off), figures=figures)


def _expected_off(timing: _Timing) -> float:
    """The share of hits that a steady player's spread would put off, by these very limits."""
    steady = NormalDist(sigma=STEADY_MS)
    return fmean(2 * steady.cdf(-limit_ms) for limit_ms in timing.limits_ms)

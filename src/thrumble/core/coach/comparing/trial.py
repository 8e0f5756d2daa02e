"""The fair trial: two ways of playing, tried in turns, and whether they differ in this player's
hands.

The ways come in the order A B B A or B A A B, by lot, so that what changes steadily (a hand that
warms up, gets tired or learns) falls on both alike. Each take gives one value a metric. Explained
by the way, by a steady change over the trial, and by chance: the way's part is the answer, with its
interval by Student's t, wider for every metric more that is looked at.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from math import ceil

import numpy as np

from thrumble.core.chance import t_ppf
from thrumble.core.coach.comparing.metrics import METRICS, Metric, TakeHits, rows_of
from thrumble.core.errors import BadInput
from thrumble.core.signal import Array

PAIRS_RANGE = (2, 40)
CONFIDENCE = 0.95
MIN_TAKES = 6  # read, to tell anything from
FREE = 3  # what is fitted: a level, the steady change, the way
MAX_MORE = 200


def draw_order(pairs: int, seed: int) -> str:
    """`ABBABAAB...`: every way once in a pair, every second pair the other way round. Raises
    BadInput.
    """
    low, high = PAIRS_RANGE
    if not low <= pairs <= high:
        raise BadInput(f"a trial has {low} to {high} pairs; found {pairs}")
    rng = np.random.default_rng(seed)
    out = ""
    while len(out) < 2 * pairs:
        first, second = ("A", "B") if rng.random() < 0.5 else ("B", "A")
        out += first + second + second + first
    return out[: 2 * pairs]


@dataclass(frozen=True, slots=True, kw_only=True)
class Outcome:
    """What differs in one metric: B less A with its interval. `more_pairs`: that a difference worth
    caring about would want to be seen, None if the answer is clear or it would take too many.
    """

    metric: Metric
    a: float
    b: float
    value: float
    interval: tuple[float, float]
    more_pairs: int | None

    @property
    def clear(self) -> bool:
        """Whether the interval leaves no difference out."""
        return self.interval[0] > 0 or self.interval[1] < 0

    @property
    def settled(self) -> bool:
        """Whether a difference worth caring about is ruled out."""
        least = self.metric.min_relevant
        return not self.clear and -least < self.interval[0] and self.interval[1] < least

    @property
    def better(self) -> str:
        """`A` or `B` if one is clearly better, else empty."""
        if not self.clear or not self.metric.better:
            return ""
        return "B" if self.value * self.metric.better > 0 else "A"


def judge_trial(turns: Sequence[tuple[str, TakeHits, int]]) -> list[Outcome]:
    """What the takes of a trial say, what is clear first. A turn: the way, its take's hits, which
    sitting it belongs to (each has a level of its own). Raises BadInput for too few takes of a way.
    """
    ways = [way for way, _, _ in turns]
    if len(turns) < MIN_TAKES or min(ways.count("A"), ways.count("B")) < 2:
        raise BadInput(f"you need at least {MIN_TAKES} takes, two of each way: play the next ones")
    values = _values([hits for _, hits, _ in turns], all(hits.bias_judged for _, hits, _ in turns))
    design, way = _design(ways, [sitting for _, _, sitting in turns])
    measured = {
        metric: samples
        for metric, samples in values.items()
        if not np.isnan(samples).any() and float(samples.std()) > 1e-12
    }
    out = [
        _outcome(metric, samples, design, way, ways, len(measured))
        for metric, samples in measured.items()
    ]
    return sorted(out, key=lambda outcome: (not outcome.clear, METRICS.index(outcome.metric)))


def _values(takes: list[TakeHits], judged: bool) -> dict[Metric, Array]:
    """Every metric of every take, shape (takes,)."""
    rows = [rows_of([take], {}) for take in takes]
    return {
        metric: np.array(
            [
                metric.of(hits, np.ones((1, hits.round.size)))[0] if hits.spot.size else np.nan
                for hits in rows
            ]
        )
        for metric in METRICS
        if judged or metric.name != "bias_ms"
    }


def _design(ways: list[str], sittings: list[int]) -> tuple[Array, int]:
    """The design matrix of a trial's regression (a level for each sitting, the steady change within
    each, the way played), and the column of the way.
    """
    numbers = sorted(set(sittings))
    columns = []
    for number in numbers:
        here = np.array([float(sitting == number) for sitting in sittings])
        at = np.cumsum(here) * here
        centre = at[here > 0].mean()
        columns += [here, np.where(here > 0, at - centre, 0.0)]
    columns.append(np.array([0.5 if way == "B" else -0.5 for way in ways]))
    return np.array(columns).T, len(columns) - 1


def _outcome(
    metric: Metric, samples: Array, design: Array, way: int, ways: list[str], looked_at: int
) -> Outcome:
    fitted, _, rank, _ = np.linalg.lstsq(design, samples, rcond=None)
    free = max(1, samples.size - int(rank))
    left = samples - design @ fitted
    spread = float(np.sqrt(left @ left / free))
    inverse = np.linalg.pinv(design.T @ design)
    level = 1 - (1 - CONFIDENCE) / 2 / max(1, looked_at)
    times = t_ppf(float(free), level)
    half = times * spread * float(np.sqrt(inverse[way, way]))
    value = float(fitted[way])
    a, b = (float(samples[[way == name for way in ways]].mean()) for name in ("A", "B"))
    outcome = Outcome(
        metric=metric, a=a, b=b, value=value, interval=(value - half, value + half), more_pairs=None
    )
    if outcome.clear or outcome.settled:
        return outcome
    pairs = ceil(2 * (times * spread / metric.min_relevant) ** 2)
    more = max(1, pairs - samples.size // 2)
    return Outcome(
        metric=metric,
        a=a,
        b=b,
        value=value,
        interval=outcome.interval,
        more_pairs=more if more <= MAX_MORE else None,
    )

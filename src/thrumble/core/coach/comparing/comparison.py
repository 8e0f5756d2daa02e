"""Two takes, or two sets of them, held against each other: what differs, by how much, how surely.

Each set is rounds; each round is hits at places of the riff. What differs is drawn again and again
(bootstrap): once by rounds, for hits of one round hang together; once by places, the same ones for
both sets, for a place pairs with itself; once by hits, which both of these hold and which is taken
away once. The interval is the spread of the draws times Student's quantile for so many rounds, and
wider for every metric more that is looked at, so that all together are right 95 times of 100.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from thrumble.core.chance import t_ppf
from thrumble.core.coach.comparing.metrics import (
    METRICS,
    HitColumns,
    Metric,
    Spot,
    TakeHits,
    own_middle,
    rows_of,
)
from thrumble.core.errors import BadInput
from thrumble.core.signal import Array

DRAWS = 300
CONFIDENCE = 0.95
MIN_HITS = 6  # with a sample of a metric, in each set
MAX_DEGREES = 200
SINGLE_ROUNDS = 2.2  # wider if one round has to stand for a side: players change by themselves


@dataclass(frozen=True, slots=True, kw_only=True)
class Difference:
    """A metric in both sets, and B less A with its interval; all None with the reason `why` if
    it cannot be told.
    """

    metric: Metric
    a: float | None
    b: float | None
    value: float | None = None
    interval: tuple[float, float] | None = None
    why: str = ""

    @property
    def clear(self) -> bool:
        """Whether the interval leaves no difference out."""
        return self.interval is not None and (self.interval[0] > 0 or self.interval[1] < 0)

    @property
    def is_open(self) -> bool:
        """Whether a difference that a player would care about may still show with more passes."""
        if self.interval is None or self.clear:
            return False
        return max(-self.interval[0], self.interval[1]) > self.metric.min_relevant

    @property
    def better(self) -> str:
        """`a` or `b` if one is clearly better, else empty."""
        if not self.clear or not self.metric.better or self.value is None:
            return ""
        return "b" if self.value * self.metric.better > 0 else "a"


@dataclass(frozen=True, slots=True, kw_only=True)
class PlaceDifference:
    """How late a place is in B against A, with its interval. `bar`: in order of play."""

    section: str
    bar: int
    at: str
    a_ms: float
    b_ms: float
    value: float
    interval: tuple[float, float]

    @property
    def clear(self) -> bool:
        return self.interval[0] > 0 or self.interval[1] < 0


@dataclass(frozen=True, slots=True, kw_only=True)
class Comparison:
    """All of it. `rounds`: of A and B; `cautions`: what the intervals do not hold."""

    differences: tuple[Difference, ...]
    places: tuple[PlaceDifference, ...]
    rounds: tuple[int, int]
    cautions: tuple[str, ...]


def compare_sides(a: Sequence[TakeHits], b: Sequence[TakeHits], *, seed: int = 0) -> Comparison:
    """Holds two sets of takes of one riff against each other, place by place. Raises BadInput if
    one holds nothing.
    """
    spots: dict[Spot, int] = {}
    first, second = rows_of(a, spots), rows_of(b, spots)
    if not (first.spot.size and second.spot.size):
        raise BadInput(
            "one side has no hits to compare: choose takes that were played and analysed"
        )
    judged = [take.bias_judged for take in (*a, *b)]
    comparable = [metric for metric in METRICS if metric.name != "bias_ms" or all(judged)]
    able = [metric for metric in comparable if _enough(metric, first) and _enough(metric, second)]
    error, degrees = _drawn(first, second, able, len(spots), seed)
    looked_at = max(1, int(np.count_nonzero(error)))  # what is the same in every hit cannot differ
    level = 1 - (1 - CONFIDENCE) / 2 / looked_at
    out = []
    for metric in METRICS:
        if metric not in able:
            why = "too few hits tell it" if metric in comparable else "latency not measured"
            out.append(Difference(metric=metric, a=None, b=None, why=why))
            continue
        k = able.index(metric)
        first_mean, other = (float(metric.of(hits, _ones(hits))[0]) for hits in (first, second))
        half = float(t_ppf(round(degrees[k], 1), level) * error[k])
        value = other - first_mean
        interval = (value - half, value + half)
        out.append(Difference(metric=metric, a=first_mean, b=other, value=value, interval=interval))
    rounds = _counts(first, second)
    return Comparison(
        differences=tuple(out),
        places=tuple(_places(first, second, spots)),
        rounds=rounds,
        cautions=tuple(_cautions(rounds, judged)),
    )


def _cautions(rounds: tuple[int, int], judged: list[bool]) -> list[str]:
    out = []
    if min(rounds) < 2:
        out.append(
            "One pass alone doesn't show how much you change from pass to pass by yourself: the "
            "intervals are widened by a guess. Play each way a few times more."
        )
    if not all(judged):
        out.append("Without a measured latency we can't tell early or late, only how steady.")
    return out


def _ones(hits: HitColumns) -> Array:
    return np.ones((1, hits.round.size))


def _enough(metric: Metric, hits: HitColumns) -> bool:
    sampled = ~np.isnan(metric.samples(hits))
    return bool(sampled.sum() >= MIN_HITS) and not np.isnan(metric.of(hits, _ones(hits))[0])


def _drawn(
    a: HitColumns, b: HitColumns, metrics: list[Metric], spots: int, seed: int
) -> tuple[Array, Array]:
    """The standard error of every metric's difference, and its degrees of freedom, each of shape
    (metrics,): the variance by rounds and that by places, less what single hits give to both.
    """
    rng = np.random.default_rng(seed)
    places = rng.multinomial(spots, np.full(spots, 1 / spots), size=DRAWS).astype(np.float32)
    by_place = [places[:, hits.spot.astype(int)] for hits in (a, b)]
    # how often each hit is drawn, near enough: its own number, and not so many in all
    by_hit = [rng.poisson(1.0, (DRAWS, hits.spot.size)).astype(np.float32) for hits in (a, b)]
    by_round = [_round_weights(hits.round, rng) for hits in (a, b)]
    single, placed, rounded = (
        np.array([np.nanvar(metric.of(b, hits[1]) - metric.of(a, hits[0])) for metric in metrics])
        for hits in (by_hit, by_place, by_round)
    )
    counts = _counts(a, b)
    several = [n for n in counts if n > 1]
    if not several:
        error = SINGLE_ROUNDS * np.sqrt(np.maximum(placed, single))
        return error, np.full(len(metrics), float(max(1, spots - 1)))
    rounded = rounded * max(n / (n - 1) for n in several)  # few rounds vary more than their draws
    beyond = np.maximum(0.0, placed - single)
    whole = np.maximum(rounded, single) + beyond
    free = max(1, sum(several) - len(several))
    with np.errstate(invalid="ignore", divide="ignore"):
        degrees = whole**2 / ((whole - beyond) ** 2 / free + beyond**2 / max(1, spots - 1))
    wider = SINGLE_ROUNDS if min(counts) < 2 else 1.0
    return wider * np.sqrt(whole), np.clip(np.nan_to_num(degrees, nan=1.0), 1.0, MAX_DEGREES)


def _counts(a: HitColumns, b: HitColumns) -> tuple[int, int]:
    return np.unique(a.round).size, np.unique(b.round).size


def _round_weights(rounds: Array, rng: np.random.Generator) -> Array:
    """How often each hit's round is drawn, shape (draws, n); a single round counts once."""
    numbers, which = np.unique(rounds, return_inverse=True)
    if numbers.size < 2:
        return np.ones((DRAWS, rounds.size), dtype=np.float32)
    drawn = rng.multinomial(numbers.size, np.full(numbers.size, 1 / numbers.size), size=DRAWS)
    return np.asarray(drawn[:, which], dtype=np.float32)


def _by(keys: Array, count: int) -> list[NDArray[np.intp]]:
    order = np.argsort(keys, kind="stable")
    ends = np.searchsorted(keys[order], np.arange(count + 1))
    return [order[ends[k] : ends[k + 1]] for k in range(count)]


def _measured(values: Array) -> Array:
    return values[~np.isnan(values)]


def _places(a: HitColumns, b: HitColumns, spots: dict[Spot, int]) -> list[PlaceDifference]:
    """Every place that was hit in both sets: the means of its rounds, around each set's own middle,
    with one spread for all places; wider for every place that is looked at.
    """
    late = [hits.late_ms - own_middle(hits.late_ms) for hits in (a, b)]
    means, left, counts = [], [], []
    for hits, values in zip((a, b), late, strict=True):
        index = _by(hits.spot, len(spots))
        samples = [_measured(values[rows]) for rows in index]
        means.append([float(sample.mean()) if sample.size else np.nan for sample in samples])
        counts.append([sample.size for sample in samples])
        left += [sample - sample.mean() for sample in samples if sample.size > 1]
    free = sum(sample.size - 1 for sample in left)
    if free:
        within = float(np.sqrt(sum(float(np.sum(residuals**2)) for residuals in left) / free))
    else:
        within, free = _pooled(late), max(1, sum(v.size for v in late) - 2)
    both = [k for k in spots.values() if counts[0][k] and counts[1][k]]
    if not both:
        return []
    times = t_ppf(min(MAX_DEGREES, free), 1 - (1 - CONFIDENCE) / 2 / len(both))
    names = {number: spot for spot, number in spots.items()}
    out = []
    for k in both:
        half = times * within * float(np.sqrt(1 / counts[0][k] + 1 / counts[1][k]))
        value = means[1][k] - means[0][k]
        section, bar, at = names[k]
        out.append(
            PlaceDifference(
                section=section,
                bar=bar,
                at=at,
                a_ms=means[0][k],
                b_ms=means[1][k],
                value=value,
                interval=(value - half, value + half),
            )
        )
    return out


def _pooled(late: list[Array]) -> float:
    """The standard deviation within places, pooled over all of them, ms."""
    spreads = [_measured(values).std() for values in late]
    return float(np.sqrt(np.mean(np.square(spreads))))

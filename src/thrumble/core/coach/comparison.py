"""Two takes, or two sets of them, held against each other: what differs, by how much, how surely.

Each set is rounds; each round is hits at places of the riff. What differs is drawn again and again
(bootstrap): once by rounds, for hits of one round hang together; once by places, the same ones for
both sets, for a place pairs with itself; once by hits, which both of these hold and which is taken
away once. The interval is the spread of the draws times Student's quantile for so many rounds, and
wider for every figure more that is looked at, so that all together are right 95 times of 100.
"""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from thrumble.core.chance import student_quantile
from thrumble.core.coach.judgement import JudgedHit, Judgement
from thrumble.core.riff.shifts import shifts_mm
from thrumble.core.signal import Array

DRAWS = 300
CONFIDENCE = 0.95
LEAST_HITS = 6  # that tell a figure, in each set
MOST_DEGREES = 200
SINGLE_ROUNDS = 2.2  # wider, where one round has to stand for a side: players change by themselves
MOVE_MM = 60.0

Spot = tuple[str, int, str, int]


@dataclass(frozen=True, slots=True)
class Side:
    """One set of takes."""

    judgements: tuple[Judgement, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Figure:
    """What is looked at. `better`: -1 where less is better, +1 where more is, 0 where neither."""

    name: str
    words: str
    unit: str
    better: int
    of: Callable[["_Hits", Array], Array]


@dataclass(frozen=True, slots=True, kw_only=True)
class Difference:
    """A figure in both sets, and B less A with its interval; all None with the reason `why` where
    it cannot be told.
    """

    figure: Figure
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
    def better(self) -> str:
        """`a` or `b` where one is clearly better, else empty."""
        if not self.clear or not self.figure.better or self.value is None:
            return ""
        return "b" if self.value * self.figure.better > 0 else "a"


@dataclass(frozen=True, slots=True, kw_only=True)
class PlaceDifference:
    """How late a place is in B against A, with its interval; by section, bar in it, place."""

    section: str
    bar: int
    at: str
    appearance: int
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


@dataclass(frozen=True, slots=True)
class _Hits:
    """Every hit of a set as a row. Round and spot are numbers; what was not measured is NaN."""

    round: Array
    spot: Array
    late_ms: Array
    missed: Array
    wrong: Array
    rang: Array
    choked: Array
    stop_ms: Array
    level_db: Array
    depth: Array
    accent: Array
    moved: Array


def _mean(values: Array, weights: Array) -> Array:
    """Weighted means of what was measured, shape (draws,). `weights`: shape (draws, n)."""
    told = ~np.isnan(values)
    own = weights[:, told]
    with np.errstate(invalid="ignore", divide="ignore"):
        return np.asarray(own @ values[told] / own.sum(axis=1))


def _middle(values: Array, weights: Array) -> Array:
    """Weighted medians likewise."""
    told = np.flatnonzero(~np.isnan(values))
    if not told.size:
        return np.full(weights.shape[0], np.nan)
    order = told[np.argsort(values[told], kind="stable")]
    sums = np.cumsum(weights[:, order], axis=1)
    half = sums[:, -1:] / 2
    above = np.argmax(sums > half, axis=1)
    from_half = np.argmax(sums >= half, axis=1)
    return np.asarray((values[order][above] + values[order][from_half]) / 2)


def _own_middle(values: Array) -> float:
    return float(_middle(values, np.ones((1, values.size)))[0])


def _spread(hits: _Hits, weights: Array) -> Array:
    """Around the set's own median: that a draw would move it makes no difference to speak of."""
    return 1.4826 * _middle(np.abs(hits.late_ms - _own_middle(hits.late_ms)), weights)


def _after_moves(hits: _Hits, weights: Array) -> Array:
    late, moved = hits.late_ms, hits.moved > 0
    return _mean(np.where(moved, late, np.nan), weights) - _mean(
        np.where(moved, np.nan, late), weights
    )


def _level_spread(hits: _Hits, weights: Array) -> Array:
    """Within accented and plain hits, each around its own middle."""
    off = np.full(hits.level_db.size, np.nan)
    for kind in (0.0, 1.0):
        own = hits.accent == kind
        if (~np.isnan(hits.level_db[own])).sum() > 2:
            off[own] = hits.level_db[own] - _own_middle(hits.level_db[own])
    return np.asarray(np.sqrt(_mean(off**2, weights)))


def _accent(hits: _Hits, weights: Array) -> Array:
    loud = hits.accent > 0
    return _middle(np.where(loud, hits.level_db, np.nan), weights) - _middle(
        np.where(loud, np.nan, hits.level_db), weights
    )


def _share(name: str) -> Callable[["_Hits", Array], Array]:
    return lambda hits, weights: 100 * _mean(getattr(hits, name), weights)


def _figure(
    name: str, words: str, unit: str, better: int, of: Callable[["_Hits", Array], Array]
) -> Figure:
    return Figure(name=name, words=words, unit=unit, better=better, of=of)


FIGURES = (
    _figure("spread_ms", "timing spread", "ms", -1, _spread),
    _figure("bias_ms", "early or late", "ms", 0, lambda hits, w: _middle(hits.late_ms, w)),
    _figure("after_moves_ms", "late after moves", "ms", -1, _after_moves),
    _figure("articulation_wrong", "hits unlike the plan", "%", -1, _share("wrong")),
    _figure("rang", "palm mutes ringing", "%", -1, _share("rang")),
    _figure("choked", "open hits choked", "%", -1, _share("choked")),
    _figure("mute_depth", "mute depth", "", 0, lambda hits, w: _mean(hits.depth, w)),
    _figure("missed", "missed hits", "%", -1, _share("missed")),
    _figure("stop_late_ms", "stops ringing on", "ms", -1, lambda hits, w: _mean(hits.stop_ms, w)),
    _figure("level_spread_db", "uneven level", "dB", -1, _level_spread),
    _figure("accent_db", "accents stand out", "dB", 0, _accent),
)
_TELLS: dict[str, Callable[[_Hits], Array]] = {
    "spread_ms": lambda hits: hits.late_ms,
    "bias_ms": lambda hits: hits.late_ms,
    "after_moves_ms": lambda hits: np.where(hits.moved > 0, hits.late_ms, np.nan),
    "articulation_wrong": lambda hits: hits.wrong,
    "rang": lambda hits: hits.rang,
    "choked": lambda hits: hits.choked,
    "mute_depth": lambda hits: hits.depth,
    "missed": lambda hits: hits.missed,
    "stop_late_ms": lambda hits: hits.stop_ms,
    "level_spread_db": lambda hits: hits.level_db,
    "accent_db": lambda hits: np.where(hits.accent > 0, hits.level_db, np.nan),
}


def compare_sides(a: Side, b: Side, *, seed: int = 0) -> Comparison:
    """Holds two sets of takes of one riff against each other, place by place."""
    spots: dict[Spot, int] = {}
    first, second = _rows(a, spots), _rows(b, spots)
    known = [judgement.reading.bias_judged for side in (a, b) for judgement in side.judgements]
    told = [one for one in FIGURES if not (one.name == "bias_ms" and not all(known))]
    able = [one for one in told if _enough(one, first) and _enough(one, second)]
    error, degrees = _drawn(first, second, able, len(spots), seed)
    looked_at = max(1, int(np.count_nonzero(error)))  # what is the same in every hit cannot differ
    level = 1 - (1 - CONFIDENCE) / 2 / looked_at
    out = []
    for figure in FIGURES:
        if figure not in able:
            why = "too few hits tell it" if figure in told else "latency not measured"
            out.append(Difference(figure=figure, a=None, b=None, why=why))
            continue
        k = able.index(figure)
        one, other = (float(figure.of(hits, _ones(hits))[0]) for hits in (first, second))
        half = float(student_quantile(round(degrees[k], 1), level) * error[k])
        value = other - one
        interval = (value - half, value + half)
        out.append(Difference(figure=figure, a=one, b=other, value=value, interval=interval))
    rounds = _counts(first, second)
    return Comparison(
        differences=tuple(out),
        places=tuple(_places(first, second, spots)),
        rounds=rounds,
        cautions=tuple(_cautions(rounds, known)),
    )


def _cautions(rounds: tuple[int, int], known: list[bool]) -> list[str]:
    out = []
    if min(rounds) < 2:
        out.append(
            "One round alone doesn't show how much you change from round to round by yourself: the "
            "intervals are widened by a guess. Play each way a few times more."
        )
    if not all(known):
        out.append("Without a measured latency we can't tell early or late, only how steady.")
    return out


def _rows(side: Side, spots: dict[Spot, int]) -> _Hits:
    """Every hit of a set that was reached. Numbers new spots as they come."""
    rows: list[tuple[float, ...]] = []
    number = 0
    for judgement in side.judgements:
        far = shifts_mm(judgement.expanded.hits, judgement.instrument)
        seen: dict[int, int] = {}
        for hit in judgement.hits:
            if not (hit.played or hit.missed):
                continue
            one = hit.due.identity
            spot = spots.setdefault((one.section, one.bar, str(one.at), one.appearance), len(spots))
            round_ = seen.setdefault(hit.hit.round, number + len(seen))
            rows.append((float(round_), float(spot), *_measures(hit, far[hit.due.index])))
        number += len(seen)
    table = np.array(rows, dtype=float).reshape(-1, len(_Hits.__slots__))
    return _Hits(*table.T)


def _measures(hit: JudgedHit, moved_mm: float) -> tuple[float, ...]:
    nan = float("nan")
    wrong = nan if hit.as_written is None else float(not hit.as_written)
    palm = hit.due.hit.articulation == "palm"
    return (
        nan if hit.late_ms is None else hit.late_ms,
        float(hit.missed),
        wrong,
        wrong if palm else nan,
        wrong if hit.due.hit.articulation == "open" else nan,
        nan if hit.hit.stop_late_ms is None else max(0.0, hit.hit.stop_late_ms),
        nan if hit.hit.relative_level_db is None else hit.hit.relative_level_db,
        nan if hit.hit.mute_depth is None or not palm else hit.hit.mute_depth,
        float(hit.due.hit.accent),
        float(moved_mm >= MOVE_MM),
    )


def _ones(hits: _Hits) -> Array:
    return np.ones((1, hits.round.size))


def _enough(figure: Figure, hits: _Hits) -> bool:
    told = ~np.isnan(_TELLS[figure.name](hits))
    return bool(told.sum() >= LEAST_HITS) and not np.isnan(figure.of(hits, _ones(hits))[0])


def _drawn(a: _Hits, b: _Hits, figures: list[Figure], spots: int, seed: int) -> tuple[Array, Array]:
    """The standard error of every figure's difference, and its degrees of freedom, each of shape
    (figures,): the variance by rounds and that by places, less what single hits give to both.
    """
    rng = np.random.default_rng(seed)
    places = rng.multinomial(spots, np.full(spots, 1 / spots), size=DRAWS).astype(float)
    by_place = [places[:, hits.spot.astype(int)] for hits in (a, b)]
    by_hit = [
        rng.multinomial(
            hits.spot.size, np.full(hits.spot.size, 1 / hits.spot.size), size=DRAWS
        ).astype(float)
        for hits in (a, b)
    ]
    by_round = [_round_weights(hits.round, rng) for hits in (a, b)]
    single, placed, rounded = (
        np.array([np.nanvar(one.of(b, own[1]) - one.of(a, own[0])) for one in figures])
        for own in (by_hit, by_place, by_round)
    )
    counts = _counts(a, b)
    several = [n for n in counts if n > 1]
    if not several:
        error = SINGLE_ROUNDS * np.sqrt(np.maximum(placed, single))
        return error, np.full(len(figures), float(max(1, spots - 1)))
    rounded = rounded * max(n / (n - 1) for n in several)  # few rounds vary more than their draws
    beyond = np.maximum(0.0, placed - single)
    whole = np.maximum(rounded, single) + beyond
    free = max(1, sum(several) - len(several))
    with np.errstate(invalid="ignore", divide="ignore"):
        degrees = whole**2 / ((whole - beyond) ** 2 / free + beyond**2 / max(1, spots - 1))
    wider = SINGLE_ROUNDS if min(counts) < 2 else 1.0
    return wider * np.sqrt(whole), np.clip(np.nan_to_num(degrees, nan=1.0), 1.0, MOST_DEGREES)


def _counts(a: _Hits, b: _Hits) -> tuple[int, int]:
    return np.unique(a.round).size, np.unique(b.round).size


def _round_weights(rounds: Array, rng: np.random.Generator) -> Array:
    """How often each hit's round is drawn, shape (draws, n); a single round counts once."""
    numbers, which = np.unique(rounds, return_inverse=True)
    if numbers.size < 2:
        return np.ones((DRAWS, rounds.size))
    drawn = rng.multinomial(numbers.size, np.full(numbers.size, 1 / numbers.size), size=DRAWS)
    return np.asarray(drawn[:, which], dtype=float)


def _by(keys: Array, count: int) -> list[NDArray[np.intp]]:
    order = np.argsort(keys, kind="stable")
    ends = np.searchsorted(keys[order], np.arange(count + 1))
    return [order[ends[k] : ends[k + 1]] for k in range(count)]


def _told(values: Array) -> Array:
    return values[~np.isnan(values)]


def _places(a: _Hits, b: _Hits, spots: dict[Spot, int]) -> list[PlaceDifference]:
    """Every place that was hit in both sets: the means of its rounds, around each set's own middle,
    with one spread for all places; wider for every place that is looked at.
    """
    late = [hits.late_ms - _own_middle(hits.late_ms) for hits in (a, b)]
    means, left, counts = [], [], []
    for hits, values in zip((a, b), late, strict=True):
        index = _by(hits.spot, len(spots))
        told = [_told(values[rows]) for rows in index]
        means.append([float(one.mean()) if one.size else np.nan for one in told])
        counts.append([one.size for one in told])
        left += [one - one.mean() for one in told if one.size > 1]
    free = sum(one.size - 1 for one in left)
    if free:
        within = float(np.sqrt(sum(float(np.sum(one**2)) for one in left) / free))
    else:
        within, free = _pooled(late), max(1, sum(v.size for v in late) - 2)
    both = [k for k in spots.values() if counts[0][k] and counts[1][k]]
    if not both:
        return []
    times = student_quantile(min(MOST_DEGREES, free), 1 - (1 - CONFIDENCE) / 2 / len(both))
    names = {number: spot for spot, number in spots.items()}
    out = []
    for k in both:
        half = times * within * float(np.sqrt(1 / counts[0][k] + 1 / counts[1][k]))
        value = means[1][k] - means[0][k]
        section, bar, at, appearance = names[k]
        out.append(
            PlaceDifference(
                section=section,
                bar=bar,
                at=at,
                appearance=appearance,
                a_ms=means[0][k],
                b_ms=means[1][k],
                value=value,
                interval=(value - half, value + half),
            )
        )
    return out


def _pooled(late: list[Array]) -> float:
    """The spread where each place was hit once only: that of the hits themselves."""
    spreads = [_told(values).std() for values in late]
    return float(np.sqrt(np.mean(np.square(spreads))))

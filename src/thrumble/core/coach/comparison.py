"""Two takes, or two sets of them, held against each other: what differs, by how much, and how surely.

Each set is rounds; each round is hits at places of the riff. What differs is drawn again and again
from both (bootstrap): the rounds of each set, for hits of one round hang together, and the places
of the riff, the same ones for both sets, for a place pairs with itself. The interval is the spread
of the draws times Student's quantile for so many rounds, and wider for every figure more that is
looked at, so that all of them together are right 95 times of 100.
"""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from thrumble.core.chance import student_quantile
from thrumble.core.coach.judgement import JudgedHit, Judgement
from thrumble.core.riff.shifts import shifts_mm
from thrumble.core.signal import Array

DRAWS = 400
CONFIDENCE = 0.95
LEAST_HITS = 6  # that tell a figure, in each set
LEAST_ROUNDS = 3  # of both sets together, for the rounds to be drawn
MOST_DEGREES = 200
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
    of: Callable[["_Hits"], float]


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

    def rows(self, chosen: Array) -> "_Hits":
        return _Hits(*(getattr(self, name)[chosen] for name in self.__slots__))


def _spread(hits: _Hits) -> float:
    late = _told(hits.late_ms)
    return float(1.4826 * np.median(np.abs(late - np.median(late)))) if late.size else np.nan


def _told(values: Array) -> Array:
    return values[~np.isnan(values)]


def _mean(values: Array) -> float:
    told = _told(values)
    return float(told.mean()) if told.size else np.nan


def _middle(values: Array) -> float:
    told = _told(values)
    return float(np.median(told)) if told.size else np.nan


def _after_moves(hits: _Hits) -> float:
    return _mean(hits.late_ms[hits.moved > 0]) - _mean(hits.late_ms[hits.moved == 0])


def _level_spread(hits: _Hits) -> float:
    """Within accented and plain hits, each around its own middle."""
    left = [
        own - np.median(own)
        for kind in (0.0, 1.0)
        if (own := _told(hits.level_db[hits.accent == kind])).size > 2
    ]
    return float(np.concatenate(left).std()) if left else np.nan


def _accent(hits: _Hits) -> float:
    loud, plain = hits.level_db[hits.accent == 1], hits.level_db[hits.accent == 0]
    return _middle(loud) - _middle(plain)


SPREAD = Figure(name="spread_ms", words="timing spread", unit="ms", better=-1, of=_spread)
FIGURES = (
    SPREAD,
    Figure(
        name="bias_ms",
        words="early or late",
        unit="ms",
        better=0,
        of=lambda hits: _middle(hits.late_ms),
    ),
    Figure(
        name="after_moves_ms",
        words="late after moves",
        unit="ms",
        better=-1,
        of=_after_moves,
    ),
    Figure(
        name="articulation_wrong",
        words="hits unlike the plan",
        unit="%",
        better=-1,
        of=lambda hits: 100 * _mean(hits.wrong),
    ),
    Figure(
        name="rang",
        words="palm mutes ringing",
        unit="%",
        better=-1,
        of=lambda h: 100 * _mean(h.rang),
    ),
    Figure(
        name="choked",
        words="open hits choked",
        unit="%",
        better=-1,
        of=lambda h: 100 * _mean(h.choked),
    ),
    Figure(
        name="mute_depth", words="mute depth", unit="", better=0, of=lambda hits: _mean(hits.depth)
    ),
    Figure(
        name="missed", words="missed hits", unit="%", better=-1, of=lambda h: 100 * _mean(h.missed)
    ),
    Figure(
        name="stop_late_ms",
        words="stops ringing on",
        unit="ms",
        better=-1,
        of=lambda hits: _mean(hits.stop_ms),
    ),
    Figure(name="level_spread_db", words="uneven level", unit="dB", better=-1, of=_level_spread),
    Figure(name="accent_db", words="accents stand out", unit="dB", better=0, of=_accent),
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
    draws = _drawn(first, second, able, len(spots), seed)
    rounds = _counts(first, second)
    degrees = min(MOST_DEGREES, max(1, sum(rounds) - 2))
    if sum(rounds) < LEAST_ROUNDS:
        degrees = min(MOST_DEGREES, max(1, len(spots) - 1))
    times = student_quantile(degrees, 1 - (1 - CONFIDENCE) / 2 / max(1, len(able)))
    out = []
    for figure in FIGURES:
        if figure not in able:
            why = "too few hits tell it" if figure in told else "latency not measured"
            out.append(Difference(figure=figure, a=None, b=None, why=why))
            continue
        one, other = figure.of(first), figure.of(second)
        half = float(times * draws[able.index(figure)])
        out.append(
            Difference(
                figure=figure,
                a=one,
                b=other,
                value=other - one,
                interval=(other - one - half, other - one + half),
            )
        )
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
            "One round alone doesn't show how much you change from round to round by yourself, so "
            "the intervals are too narrow. Play each way a few times more."
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


def _enough(figure: Figure, hits: _Hits) -> bool:
    return _told(_TELLS[figure.name](hits)).size >= LEAST_HITS and not np.isnan(figure.of(hits))


def _drawn(a: _Hits, b: _Hits, figures: list[Figure], spots: int, seed: int) -> Array:
    """The spread of every figure's difference over draws of rounds and places, shape (figures,)."""
    rng = np.random.default_rng(seed)
    several = sum(_counts(a, b)) >= LEAST_ROUNDS
    out = np.full((DRAWS, len(figures)), np.nan)
    by_spot = [_by(hits.spot, spots) for hits in (a, b)]
    for k in range(DRAWS):
        chosen = rng.integers(spots, size=spots)
        drawn = []
        for hits, index in zip((a, b), by_spot, strict=True):
            rows = np.concatenate([index[spot] for spot in chosen])
            if several:
                weights = _round_weights(hits.round, rng)
                rows = np.repeat(rows, weights[hits.round[rows].astype(int)])
            drawn.append(hits.rows(rows))
        out[k] = [one.of(drawn[1]) - one.of(drawn[0]) for one in figures]
    # so few rounds vary more than draws of them do
    few = max(1.0, *(n / (n - 1) for n in _counts(a, b) if n > 1)) if several else 1.0
    return np.asarray(np.nanstd(out, axis=0) * np.sqrt(few))


def _counts(a: _Hits, b: _Hits) -> tuple[int, int]:
    return np.unique(a.round).size, np.unique(b.round).size


def _by(keys: Array, count: int) -> list[Array]:
    order = np.argsort(keys, kind="stable")
    ends = np.searchsorted(keys[order], np.arange(count + 1))
    return [order[ends[k] : ends[k + 1]] for k in range(count)]


def _round_weights(rounds: Array, rng: np.random.Generator) -> Array:
    """How often each round is drawn, by its number; a single one counts once."""
    numbers = np.unique(rounds).astype(int)
    weights = np.zeros(int(rounds.max()) + 1, dtype=int)
    if numbers.size < 2:
        weights[numbers] = 1
        return weights
    drawn = rng.choice(numbers, size=numbers.size)
    np.add.at(weights, drawn, 1)
    return weights


def _places(a: _Hits, b: _Hits, spots: dict[Spot, int]) -> list[PlaceDifference]:
    """Every place that was hit in both sets: the means of its rounds, around each set's own middle,
    with one spread for all places; wider for every place that is looked at.
    """
    late = [hits.late_ms - _middle(hits.late_ms) for hits in (a, b)]
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

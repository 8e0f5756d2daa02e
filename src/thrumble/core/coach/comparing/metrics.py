"""Sets of takes as rows of hits, and the one table of metrics they are compared by."""

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from operator import attrgetter
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from thrumble.core.coach.verdict.judgement import JudgedHit, Judgement
from thrumble.core.ear.measure.swing import Pair, swung_pairs
from thrumble.core.ear.reading import HeardKind, HitReading, HitState, Reading
from thrumble.core.riff.shifts import shifts_mm
from thrumble.core.signal import Array

Weights = NDArray[np.float32] | NDArray[np.float64]

MOVE_MM = 60.0
NAN = float("nan")

Spot = tuple[str, int, str]  # section, bar in order of play, place in the bar


class HitRow(NamedTuple):
    """One hit. What was not measured, or is not known, is NaN."""

    round: float
    late_ms: float
    missed: float
    wrong: float
    rang: float
    choked: float
    stop_ms: float
    level_db: float
    depth: float
    accent: float
    moved: float
    long_ms: float = NAN  # of the swung pair that it begins
    short_ms: float = NAN


@dataclass(frozen=True, slots=True)
class TakeHits:
    """A take's hits that were reached, each with its place; `bias_judged`: early and late are
    known.
    """

    hits: tuple[tuple[Spot, HitRow], ...]
    bias_judged: bool


def hits_of(judgement: Judgement) -> TakeHits:
    """A judged take's hits."""
    far = shifts_mm(judgement.expanded.hits, judgement.instrument)
    due = [(judged.due, judged.hit.round) for judged in judgement.hits]
    swung = {
        (pair.round, pair.index): pair
        for pair in swung_pairs([judged.hit for judged in judgement.hits], due, judgement.expanded)
    }
    hits = tuple(
        (_spot(judged.hit), _judged_row(judged, far[judged.due.index], swung.get(judged.key)))
        for judged in judgement.hits
        if judged.played or judged.missed
    )
    return TakeHits(hits, judgement.reading.bias_judged)


def hits_of_reading(reading: Reading) -> TakeHits:
    """A reading's hits if its riff is not at hand: accents and moves are not known."""
    deviations = [hit.deviation_ms for hit in reading.hits if hit.deviation_ms is not None]
    around = 0.0 if reading.bias_judged or not deviations else float(np.median(deviations))
    return TakeHits(
        tuple(
            (_spot(hit), _row(hit, around, accent=NAN, moved=NAN))
            for hit in reading.hits
            if hit.state in (HitState.PLAYED, HitState.MISSED)
        ),
        reading.bias_judged,
    )


def _spot(hit: HitReading) -> Spot:
    return hit.section, hit.bar, hit.at


def _judged_row(judged_hit: JudgedHit, moved_mm: float, pair: Pair | None) -> HitRow:
    around = (judged_hit.hit.deviation_ms or 0.0) - (judged_hit.late_ms or 0.0)
    accent, moved = float(judged_hit.due.hit.accent), float(moved_mm >= MOVE_MM)
    row = _row(judged_hit.hit, around, accent=accent, moved=moved)
    if pair is None:
        return row
    return row._replace(long_ms=pair.long_s * 1000, short_ms=pair.short_s * 1000)


def _row(hit: HitReading, around_ms: float, *, accent: float, moved: float) -> HitRow:
    played = hit.state is HitState.PLAYED and hit.deviation_ms is not None
    articulation = hit.heard_articulation if played else None
    wrong = NAN
    if articulation is not None and articulation is not HeardKind.UNSURE:
        wrong = float(articulation.value != hit.expected_articulation.value)
    palm = hit.expected_articulation == "palm"
    return HitRow(
        round=float(hit.round),
        late_ms=hit.deviation_ms - around_ms if played and hit.deviation_ms is not None else NAN,
        missed=float(hit.state is HitState.MISSED),
        wrong=wrong,
        rang=wrong if palm else NAN,
        choked=wrong if hit.expected_articulation == "open" else NAN,
        stop_ms=NAN if hit.stop_late_ms is None else max(0.0, hit.stop_late_ms - around_ms),
        level_db=NAN if hit.relative_level_db is None else hit.relative_level_db,
        depth=NAN if hit.mute_depth is None or not palm else hit.mute_depth,
        accent=accent,
        moved=moved,
    )


@dataclass(frozen=True, slots=True)
class HitColumns:
    """Every hit of a set as a row: `HitRow` by columns, each of shape (n,), rounds numbered through
    the set, and the number of its place.
    """

    spot: Array
    round: Array
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
    long_ms: Array
    short_ms: Array


def rows_of(takes: Iterable[TakeHits], spots: dict[Spot, int]) -> HitColumns:
    """A set's hits. Numbers new places as they come."""
    rows: list[tuple[float, ...]] = []
    number = 0
    for take in takes:
        seen: dict[float, int] = {}
        for spot, row in take.hits:
            round_ = seen.setdefault(row.round, number + len(seen))
            rows.append((spots.setdefault(spot, len(spots)), round_, *row[1:]))
        number += len(seen)
    table = np.array(rows, dtype=float).reshape(-1, len(HitColumns.__slots__))
    return HitColumns(*table.T)


@dataclass(frozen=True, slots=True, kw_only=True)
class Metric:
    """A measure of playing that two sets of takes are compared by.

    better : -1 if less is better, +1 if more is, 0 if neither.
    min_relevant : the smallest difference that a player would care about, in `unit`.
    of : its value in each draw, shape (draws,), from the hits and their weights, shape (draws, n).
    samples : what of each hit it is computed from, shape (n,); NaN if that was not measured.
    """

    name: str
    words: str
    unit: str
    better: int
    min_relevant: float
    of: Callable[["HitColumns", Weights], Array]
    samples: Callable[["HitColumns"], Array]

    @property
    def digits(self) -> int:
        """How many decimals say something."""
        return {"": 2, "dB": 1, "ms": 1}.get(self.unit, 0)


def _mean(values: Array, weights: Weights) -> Array:
    """Weighted means of what was measured, shape (draws,). `weights`: shape (draws, n)."""
    measured = ~np.isnan(values)
    measured_weights = weights if measured.all() else weights[:, measured]
    with np.errstate(invalid="ignore", divide="ignore"):
        means = (
            measured_weights
            @ values[measured].astype(measured_weights.dtype)
            / measured_weights.sum(axis=1)
        )
    return np.asarray(means, dtype=np.float64)


def _middle(values: Array, weights: Weights) -> Array:
    """Weighted medians likewise."""
    measured = np.flatnonzero(~np.isnan(values))
    if not measured.size:
        return np.full(weights.shape[0], np.nan)
    order = measured[np.argsort(values[measured], kind="stable")]
    sums: Array = np.cumsum(weights[:, order], axis=1)
    half = sums[:, -1:] / 2
    above = np.argmax(sums > half, axis=1)
    from_half = np.argmax(sums >= half, axis=1)
    return np.asarray((values[order][above] + values[order][from_half]) / 2)


def own_middle(values: Array) -> float:
    """The median of what was measured, NaN for nothing. Values of shape (n,)."""
    return float(_middle(values, np.ones((1, values.size)))[0])


def _spread(hits: HitColumns, weights: Weights) -> Array:
    """Around the set's own median: that a draw would move it makes no difference to speak of."""
    return 1.4826 * _middle(np.abs(hits.late_ms - own_middle(hits.late_ms)), weights)


def _after_moves(hits: HitColumns, weights: Weights) -> Array:
    late, moved = hits.late_ms, hits.moved > 0
    return _mean(np.where(moved, late, np.nan), weights) - _mean(
        np.where(moved, np.nan, late), weights
    )


def _level_spread(hits: HitColumns, weights: Weights) -> Array:
    """The spread of the levels within accented and within plain hits, each around its own median,
    dB.
    """
    off = np.full(hits.level_db.size, np.nan)
    loud = hits.accent > 0
    for group in (loud, ~loud):
        if (~np.isnan(hits.level_db[group])).sum() > 2:
            off[group] = hits.level_db[group] - own_middle(hits.level_db[group])
    return np.asarray(np.sqrt(_mean(off**2, weights)))


def _accent(hits: HitColumns, weights: Weights) -> Array:
    loud = hits.accent > 0
    return _middle(np.where(loud, hits.level_db, np.nan), weights) - _middle(
        np.where(loud, np.nan, hits.level_db), weights
    )


def _swing(hits: HitColumns, weights: Weights) -> Array:
    """The ratio of the mean long part of a beat to the mean short part."""
    return _mean(hits.long_ms, weights) / _mean(hits.short_ms, weights)


def _accented_level(hits: HitColumns) -> Array:
    return np.where(hits.accent > 0, hits.level_db, np.nan)


def _late_after_move(hits: HitColumns) -> Array:
    return np.where(hits.moved > 0, hits.late_ms, np.nan)


def _column(name: str) -> Callable[["HitColumns"], Array]:
    return attrgetter(name)


def _share(name: str, words: str, min_relevant: float, column: str, better: int = -1) -> Metric:
    """The share of hits, in percent, that a column of zeros and ones marks."""
    of_hits = attrgetter(column)
    return Metric(
        name=name,
        words=words,
        unit="%",
        better=better,
        min_relevant=min_relevant,
        of=lambda hits, weights: 100 * _mean(of_hits(hits), weights),
        samples=of_hits,
    )


METRICS = (
    Metric(
        name="spread_ms",
        words="timing spread",
        unit="ms",
        better=-1,
        min_relevant=3.0,
        of=_spread,
        samples=_column("late_ms"),
    ),
    Metric(
        name="bias_ms",
        words="early or late",
        unit="ms",
        better=0,
        min_relevant=5.0,
        of=lambda hits, weights: _middle(hits.late_ms, weights),
        samples=_column("late_ms"),
    ),
    Metric(
        name="after_moves_ms",
        words="late after moves",
        unit="ms",
        better=-1,
        min_relevant=8.0,
        of=_after_moves,
        samples=_late_after_move,
    ),
    _share("articulation_wrong", "hits not as written", 5.0, "wrong"),
    _share("rang", "palm mutes ringing", 8.0, "rang"),
    _share("choked", "open hits choked", 8.0, "choked"),
    Metric(
        name="mute_depth",
        words="mute depth",
        unit="",
        better=0,
        min_relevant=0.08,
        of=lambda hits, weights: _mean(hits.depth, weights),
        samples=_column("depth"),
    ),
    _share("missed", "missed hits", 3.0, "missed"),
    Metric(
        name="stop_late_ms",
        words="stops ringing on",
        unit="ms",
        better=-1,
        min_relevant=15.0,
        of=lambda hits, weights: _mean(hits.stop_ms, weights),
        samples=_column("stop_ms"),
    ),
    Metric(
        name="level_spread_db",
        words="uneven level",
        unit="dB",
        better=-1,
        min_relevant=0.7,
        of=_level_spread,
        samples=_column("level_db"),
    ),
    Metric(
        name="swing",
        words="swing ratio",
        unit="",
        better=0,
        min_relevant=0.15,
        of=_swing,
        samples=_column("long_ms"),
    ),
    Metric(
        name="accent_db",
        words="accents stand out",
        unit="dB",
        better=0,
        min_relevant=1.5,
        of=_accent,
        samples=_accented_level,
    ),
)

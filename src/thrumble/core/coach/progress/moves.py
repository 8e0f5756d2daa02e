"""How the fretting hand lands: lateness after a move, and letting go before it, against how far it
went and in what time.
"""

from dataclasses import dataclass

import numpy as np

from thrumble.core.coach.progress.habits import PlayedPlace
from thrumble.core.coach.verdict.judgement import (
    DEFAULT_TOLERANCE_MS,
    HitKey,
    JudgedHit,
    Judgement,
    is_in_time,
)
from thrumble.core.ear.reading import RingEnd
from thrumble.core.instrument import Instrument
from thrumble.core.riff.expand import DueHit, ExpandedRiff
from thrumble.core.riff.shifts import move_speeds_mm_s, shifts_mm
from thrumble.core.signal import Array

MIN_MOVES, MIN_SIZES = 8, 3  # to tell a slope from chance
NORMAL_95 = 1.96


@dataclass(frozen=True, slots=True, kw_only=True)
class Landing:
    """One move that was played. `early_ms`: how much too early the hit before it went silent, None
    if that was not measured.
    """

    index: int
    round: int
    bar: int
    mm: float
    time_ms: float
    late_ms: float
    in_time: bool
    early_ms: float | None

    @property
    def speed_mm_s(self) -> float:
        """How fast the hand had to be."""
        return self.mm / max(1.0, self.time_ms) * 1000


@dataclass(frozen=True, slots=True)
class Slope:
    """How lateness grows, with its 95 % interval: `clear` if that leaves zero out."""

    value: float
    low: float
    high: float

    @property
    def clear(self) -> bool:
        """Whether it surely grows, or surely falls."""
        return self.low > 0 or self.high < 0


@dataclass(frozen=True, slots=True, kw_only=True)
class LandingFit:
    """All moves of a take. Slopes are None if there are too few moves to tell, or all of one
    size: `per_100_mm` ms for a hundred millimetres more, `per_100_mm_s` for a hundred mm/s more;
    `let_go_ms`: median of the early releases before moves, against `others_ms` of all other hits.
    """

    landings: tuple[Landing, ...]
    level_ms: float | None
    per_100_mm: Slope | None
    per_100_mm_s: Slope | None
    let_go_ms: float | None
    others_ms: float | None


def landings(judgement: Judgement) -> list[Landing]:
    """Every move of the take whose landing was played."""
    due = judgement.expanded.hits
    far = shifts_mm(due, judgement.instrument)
    fast = move_speeds_mm_s(due, judgement.instrument)
    by_key = judgement.by_key()
    out = []
    for hit in judgement.played:
        k = hit.due.index
        if not far[k] or hit.late_ms is None:
            continue
        index = _fretted_before(judgement, k)
        before = None if index is None else by_key.get(HitKey(hit.key.round, index))
        out.append(
            Landing(
                index=k,
                round=hit.hit.round,
                bar=hit.hit.bar,
                mm=far[k],
                time_ms=far[k] / fast[k] * 1000,
                late_ms=hit.late_ms,
                in_time=hit.in_time,
                early_ms=None if before is None else early_release_ms(before),
            )
        )
    return out


def _fretted_before(judgement: Judgement, index: int) -> int | None:
    """The hit that the hand leaves: the last one that pressed a string."""
    for due in reversed(judgement.expanded.hits[:index]):
        if any(note.fret for note in due.hit.notes):
            return due.index
    return None


def early_release_ms(hit: JudgedHit) -> float | None:
    """How much too early a hit went silent, 0 if it rang up to its end or was cut by the next
    one; None for hits that are not to ring, and if it was not measured.
    """
    ring_s, end = hit.hit.ring_s, hit.hit.ring_end
    if ring_s is None or end is None or hit.due.hit.articulation != "open" or hit.due.hit.stop:
        return None
    if end in (RingEnd.NEXT, RingEnd.END):
        return 0.0
    return max(0.0, (hit.due.end_s - hit.due.due_s - ring_s) * 1000)


def fit_landings(judgement: Judgement) -> LandingFit:
    """How lateness goes with the moves' size and speed, and how early the hits before are let
    go.
    """
    landing = landings(judgement)
    before = {
        HitKey(landing.round, index)
        for landing in landing
        if (index := _fretted_before(judgement, landing.index)) is not None
    }
    others = [
        early
        for hit in judgement.played
        if hit.key not in before and (early := early_release_ms(hit)) is not None
    ]
    return _fitted(landing, others)


def fit_places(
    expanded: ExpandedRiff,
    instrument: Instrument,
    played: list[PlayedPlace],
    *,
    tolerance_ms: float = DEFAULT_TOLERANCE_MS,
) -> LandingFit:
    """The same over many takes, from what became of each place: every move of the riff counts
    once.
    """
    far = shifts_mm(expanded.hits, instrument)
    fast = move_speeds_mm_s(expanded.hits, instrument)
    due_at: dict[tuple[str, int, str], DueHit] = {}
    for due in expanded.hits:
        due_at.setdefault((due.identity.section, due.identity.bar, str(due.identity.at)), due)
    landings = []
    for hit in played:
        to = due_at.get((hit.section, hit.bar, hit.at))
        if to is None or hit.late_ms is None or not far[to.index]:
            continue
        landings.append(
            Landing(
                index=to.index,
                round=hit.take_id,
                bar=to.bar,
                mm=far[to.index],
                time_ms=far[to.index] / fast[to.index] * 1000,
                late_ms=hit.late_ms,
                in_time=is_in_time(hit.late_ms, to.slot_s, tolerance_ms=tolerance_ms),
                early_ms=None,
            )
        )
    return _fitted(landings, [])


def _fitted(landings: list[Landing], others: list[float]) -> LandingFit:
    let_go = [landing.early_ms for landing in landings if landing.early_ms is not None]
    return LandingFit(
        landings=tuple(landings),
        level_ms=float(np.median([landing.late_ms for landing in landings])) if landings else None,
        per_100_mm=_slope(landings, [landing.mm / 100 for landing in landings]),
        per_100_mm_s=_slope(landings, [landing.speed_mm_s / 100 for landing in landings]),
        let_go_ms=float(np.median(let_go)) if let_go else None,
        others_ms=float(np.median(others)) if others else None,
    )


def _slope(landings: list[Landing], sizes: list[float]) -> Slope | None:
    """The median slope over all pairs of moves, each move of the riff counted once with the mean of
    its rounds; the interval from Kendall's S, with ties (Sen 1968).
    """
    by_index: dict[int, list[int]] = {}
    for row, landing in enumerate(landings):
        by_index.setdefault(landing.index, []).append(row)
    x = np.array([sizes[rows[0]] for rows in by_index.values()])
    y = np.array([np.mean([landings[row].late_ms for row in rows]) for rows in by_index.values()])
    if x.size < MIN_MOVES or np.unique(np.round(x, 2)).size < MIN_SIZES:
        return None
    a, b = np.triu_indices(x.size, 1)
    run = x[b] - x[a]
    changed = np.abs(run) > 1e-9
    slopes = np.sort((y[b] - y[a])[changed] / run[changed])
    half = NORMAL_95 * np.sqrt(_kendall_variance(x))
    ends = np.array([(slopes.size - half) / 2 - 1, (slopes.size + half) / 2])
    low, high = np.clip(np.round(ends).astype(int), 0, slopes.size - 1)
    return Slope(float(np.median(slopes)), float(slopes[low]), float(slopes[high]))


def _kendall_variance(x: Array) -> float:
    """Of the count of rising pairs less falling ones, where y has nothing to do with x and x has
    ties.
    """
    n = x.size
    _, ties = np.unique(np.round(x, 6), return_counts=True)
    whole = n * (n - 1) * (2 * n + 5) - float(np.sum(ties * (ties - 1) * (2 * ties + 5)))
    return whole / 18

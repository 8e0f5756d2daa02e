"""What a take's figures mean: good, one to watch, or a problem, and how they compare with the same
player's last takes of the riff.

Each figure has two limits of its own, from what the verdict calls clean: up to the first it is
good, beyond the second a problem. A good figure that comes near its limit and is worse than nine in
ten of the player's own is one to watch. In a clean take, no figure that decides on clean is a
problem, however the hits scatter.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from enum import StrEnum
from statistics import NormalDist

import numpy as np

from thrumble.core.coach.verdict.hits import UNEVEN_DB
from thrumble.core.coach.verdict.judgement import CLEAN_SHARE, ONE_OFF_FROM, Judgement
from thrumble.core.coach.verdict.timing import MIN_BIAS_MS
from thrumble.core.ear.reading import HeardKind, HitState, Reading, Summary

MIN_TAKES = 4  # of the player's own, to say what is usual
USUAL = (10, 90)  # percentiles
NEARLY = 0.5  # of the limit: below it a good figure is good, whatever is usual
WATCH_SHARE = 0.85  # of hits in time or as written; below it is a problem


class Rating(StrEnum):
    """What a figure means for the player."""

    GOOD = "good"
    WATCH = "watch"
    PROBLEM = "problem"


@dataclass(frozen=True, slots=True)
class Rated:
    """A figure's rating. `usual`: the span of the player's own last takes of the riff, None if
    there are too few; `against`: how this take compares with it, empty if it lies inside.
    """

    rating: Rating
    usual: tuple[float, float] | None = None
    against: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class TakeFigures:
    """The figures of a take that are rated. `length_s`: of the recording; `wrong`: the share of its
    sure hits that sound other than written; `rest_db`: the median level of its written rests
    against the hits before them.
    """

    summary: Summary
    tempo_bpm: float
    length_s: float
    bias_judged: bool = False
    wrong: float | None = None
    rest_db: float | None = None


def figures_of(reading: Reading) -> TakeFigures:
    """The figures of an analysed take, with whatever the player corrected in it."""
    played = [hit for hit in reading.hits if hit.state is HitState.PLAYED]
    sure = [hit for hit in played if hit.heard_articulation not in (None, HeardKind.UNSURE)]
    wrong = [hit for hit in sure if str(hit.heard_articulation) != str(hit.expected_articulation)]
    rests = [hit.rest_db for hit in reading.hits if hit.rest_db is not None]
    return TakeFigures(
        summary=reading.summary,
        tempo_bpm=reading.tempo_bpm,
        length_s=reading.duration_s,
        bias_judged=reading.bias_judged,
        wrong=len(wrong) / len(sure) if sure else None,
        rest_db=float(np.median(rests)) if rests else None,
    )


@dataclass(frozen=True, slots=True)
class Meter:
    """A figure that is rated. `name`: as on the screens; `size`: how bad it is, None if it was not
    measured; `limits`: the sizes up to which it is good, and to watch; `makes_clean`: whether a
    take is clean or not by what it measures.
    """

    name: str
    size: Callable[[TakeFigures], float | None]
    limits: Callable[[Judgement], tuple[float, float]]
    makes_clean: bool = False


def _share_missed(take: TakeFigures) -> float | None:
    due = take.summary.matched + take.summary.missed
    return take.summary.missed / due if due else None


def _share_extra(take: TakeFigures) -> float | None:
    due = take.summary.matched + take.summary.missed
    return take.summary.extra / due if due else None


def _absolute(value: float | None) -> float | None:
    return None if value is None else abs(value)


def _drift_ms(take: TakeFigures) -> float | None:
    """How far a steady change of tempo leads from the click by the end of the take, ms."""
    rate_bpm = take.summary.drift_bpm_per_min
    if rate_bpm is None:
        return None
    return abs(rate_bpm) / take.tempo_bpm * take.length_s**2 / 120 * 1000


def _faintness_of_accents_db(take: TakeFigures) -> float | None:
    return None if take.summary.accent_db is None else -take.summary.accent_db


def _missable_shares(judgement: Judgement) -> tuple[float, float]:
    """None at all, and as many as a clean take may hold."""
    one_off = 1 / judgement.due if judgement.due >= ONE_OFF_FROM else 0.0
    return 0.0, max(1 - CLEAN_SHARE, one_off)


def _spread_limits_ms(judgement: Judgement) -> tuple[float, float]:
    """The spreads that put 5 and 15 % of the hits out of the player's tolerance."""
    tolerance_ms = judgement.limits.tolerance_ms
    shares = (1 - CLEAN_SHARE, 1 - WATCH_SHARE)
    good, watch = (-tolerance_ms / NormalDist().inv_cdf(share / 2) for share in shares)
    return good, watch


METERS = (
    Meter("hits heard", _share_missed, _missable_shares, makes_clean=True),
    Meter("extra hits", _share_extra, _missable_shares, makes_clean=True),
    Meter(
        "lead or lag",
        lambda take: _absolute(take.summary.bias_ms) if take.bias_judged else None,
        lambda judgement: (MIN_BIAS_MS, judgement.limits.tolerance_ms),
        makes_clean=True,
    ),
    Meter("spread", lambda take: take.summary.spread_ms, _spread_limits_ms, makes_clean=True),
    Meter(
        "sound as written",
        lambda take: take.wrong,
        lambda _: (1 - CLEAN_SHARE, 1 - WATCH_SHARE),
        makes_clean=True,
    ),
    Meter(
        "tempo drift",
        _drift_ms,
        lambda judgement: (judgement.limits.tolerance_ms / 2, judgement.limits.tolerance_ms),
        makes_clean=True,
    ),
    Meter(
        "level spread",
        lambda take: take.summary.level_spread_db,
        lambda _: (0.75 * UNEVEN_DB, UNEVEN_DB),
    ),
    Meter("accents stand out", _faintness_of_accents_db, lambda _: (-3.0, -1.0)),
    Meter(
        "up-strokes",
        lambda take: _absolute(take.summary.up_stroke_db),
        lambda _: (2.0, 4.0),
    ),
    Meter("silence in rests", lambda take: take.rest_db, lambda _: (-20.0, -12.0)),
)


def rate(judgement: Judgement, before: Sequence[TakeFigures]) -> dict[str, Rated]:
    """The rating of every figure that was measured, by its name. `before`: the player's own takes
    of the riff before this one, in any order. A take without hits has no ratings.
    """
    if not judgement.played:
        return {}
    take = figures_of(judgement.reading)
    rated = {}
    for meter in METERS:
        size = meter.size(take)
        if size is None:
            continue
        before_sizes = [meter.size(other) for other in before]
        sizes = [other for other in before_sizes if other is not None]
        good, watch = meter.limits(judgement)
        if meter.makes_clean and judgement.is_clean:
            watch = max(watch, size)
        rated[meter.name] = _rated(size, (good, watch), sizes)
    return rated


def _rated(size: float, limits: tuple[float, float], before: list[float]) -> Rated:
    good, watch = limits
    rating = Rating.PROBLEM
    if size <= good:
        rating = Rating.GOOD
    elif size <= watch:
        rating = Rating.WATCH
    if len(before) < MIN_TAKES:
        return Rated(rating)
    low, high = (float(edge) for edge in np.percentile(before, USUAL))
    against = ""
    if size > high:
        against = "worse than usual"
    elif size < low:
        against = "better than usual"
    if rating is Rating.GOOD and size > max(high, NEARLY * good):
        rating = Rating.WATCH
    return Rated(rating, (low, high), against)

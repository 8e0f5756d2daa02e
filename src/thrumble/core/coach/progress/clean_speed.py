"""Clean speed: the tempo at which a player's round of a riff is clean four times out of five, with
what is not known about it.

The state is the logarithm of the clean speed on a grid. It drifts from day to day, upwards with
practice and anywhere in pauses (rust); each day has an effect of its own that all its rounds share,
so that ten rounds of one good day are not ten days. A round is clean with a probability that falls
with its tempo. The answer is the state's distribution after the last day: its median and the 5th
and 95th percentile. How steep, how wide and how fast these are is fixed, not fitted: so a clean
round more can never lower the answer, and a bad one never raise it.
"""

from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date
from functools import lru_cache
from itertools import groupby
from statistics import NormalDist

import numpy as np

from thrumble.core.chance import norm_cdf
from thrumble.core.signal import Array

PROBABILITY = 0.8
INTERVAL = 0.9
POINT = NormalDist().inv_cdf(PROBABILITY)
STEEPNESS = 0.082  # of the logarithm of tempo: over so much the odds of a clean round turn
DAY_SPREAD = 0.076  # how far a day lies from the usual
WALK_A_DAY = 0.0135  # how far the state may go in a day, in a pause too
LEARNT_A_DAY = 0.003  # how much a day of practice adds, on average
FIRST_SPREAD = 0.32  # of the clean speed around the riff's own tempo before anything is known
FIRST_CENTRE = -0.2  # players begin below the riff's tempo
LONGEST_PAUSE = 60  # days: beyond it rust has done what it does
GRID_SPAN, GRID_STEP = 1.6, 0.01
REMEMBERED_DAYS = 40  # of practice: what lies further back changes nothing to speak of


@dataclass(frozen=True, slots=True, order=True)
class Round:
    """One round that was played, or what a drill holds of one: the player's own day, the tempo, and
    whether it was clean.
    """

    day: date
    tempo_bpm: float
    clean: bool


@dataclass(frozen=True, slots=True)
class Estimate:
    """A clean speed with its 90 % interval, bpm."""

    bpm: float
    low: float
    high: float


@dataclass(frozen=True, slots=True, kw_only=True)
class CleanSpeed:
    """What the rounds say: now, and day by day as it was known then."""

    now: Estimate
    by_day: tuple[tuple[date, Estimate], ...]
    rounds: int
    clean: int


def clean_speed(
    rounds: Iterable[Round], riff_tempo_bpm: float, *, today: date | None = None
) -> CleanSpeed | None:
    """The clean speed after these rounds; None for none. `today`: after the last one, for the rust
    since. Rounds of one day count as of one day, whatever their order.
    """
    result = sorted(rounds)
    if not result:
        return None
    state = _normal(_grid() - FIRST_CENTRE, FIRST_SPREAD)
    by_day: list[tuple[date, Estimate]] = []
    before: date | None = None
    for day, played in groupby(result, key=lambda result: result.day):
        if before is not None:
            state = _later(state, (day - before).days, practised=True)
        state = state * _likelihood(list(played), riff_tempo_bpm)
        state /= state.sum()
        by_day.append((day, _estimate(state, riff_tempo_bpm)))
        before = day
    assert before is not None
    if today is not None and today > before:
        state = _later(state, (today - before).days, practised=False)
    return CleanSpeed(
        now=_estimate(state, riff_tempo_bpm),
        by_day=tuple(by_day),
        rounds=len(result),
        clean=sum(result.clean for result in result),
    )


def chance_clean(estimate_bpm: float, tempo_bpm: float) -> float:
    """The probability of a clean round at a tempo, on a usual day, for a clean speed."""
    return float(norm_cdf(np.log(estimate_bpm / tempo_bpm) / STEEPNESS + POINT))


def _normal(x: Array, spread: float) -> Array:
    weights = np.exp(-0.5 * (x / spread) ** 2)
    return np.asarray(weights / weights.sum())


@lru_cache(maxsize=LONGEST_PAUSE + 2)
def _smoothing(spread: float) -> Array:
    """What spreads a state out by a normal, shape (n, n): nothing is lost at the grid's ends."""
    n, reach = _grid().size, int(np.ceil(4 * spread / GRID_STEP))
    steps = np.arange(-reach, reach + 1, dtype=np.int64)
    kernel = _normal(steps.astype(np.float64) * GRID_STEP, spread) if reach else np.ones(1)
    matrix = np.zeros((n, n))
    rows = np.arange(n)
    for step, weight in zip(steps, kernel, strict=True):
        np.add.at(matrix, (rows, np.clip(rows + step, 0, n - 1)), weight)
    return matrix


@lru_cache(maxsize=1)
def _grid() -> Array:
    """Logarithms of the clean speed around the riff's tempo, shape (n,)."""
    return np.arange(-GRID_SPAN, GRID_SPAN + GRID_STEP / 2, GRID_STEP, dtype=np.float64)


def _later(state: Array, days: int, *, practised: bool) -> Array:
    """The state so many days on: it may have gone anywhere, and practice moved it up."""
    pause = min(max(0, days), LONGEST_PAUSE)
    if practised:
        shift = LEARNT_A_DAY / GRID_STEP
        state = np.interp(np.arange(state.size) - shift, np.arange(state.size), state)
    spread = _smoothing(WALK_A_DAY * float(np.sqrt(pause))) @ state if pause else state
    return np.asarray(spread / spread.sum())


@lru_cache(maxsize=4096)
def _log_chance(tempo: float, clean: bool) -> Array:
    """The logarithm of how likely such a round is for each state. `tempo`: as a share of the
    riff's.
    """
    above = (_grid() - np.log(tempo)) / STEEPNESS + POINT
    chance = np.clip(norm_cdf(above if clean else -above), 1e-12, 1.0)
    return np.asarray(np.log(chance))


def _likelihood(played: list[Round], riff_tempo_bpm: float) -> Array:
    """How likely a day's rounds are for each state, the day's own effect averaged over."""
    likely = np.zeros(_grid().size)
    for (tempo_bpm, clean), times in Counter(
        (result.tempo_bpm, result.clean) for result in played
    ).items():
        likely += times * _log_chance(tempo_bpm / riff_tempo_bpm, clean)
    return np.asarray(_smoothing(DAY_SPREAD) @ np.exp(likely - likely.max()))


def _estimate(state: Array, riff_tempo_bpm: float) -> Estimate:
    below = np.cumsum(state) - state / 2
    share = (1 - INTERVAL) / 2
    low, middle, high = np.interp((share, 0.5, 1 - share), below, _grid())
    bpm = riff_tempo_bpm * np.exp([low, middle, high])
    return Estimate(float(bpm[1]), float(bpm[0]), float(bpm[2]))

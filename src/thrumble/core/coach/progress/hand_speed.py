"""How fast the fretting hand moves and still lands in time four times out of five.

A psychometric curve with a fixed slope, by Bayes' rule on a grid (Watson and Pelli 1983): the
chance that a move lands falls with the logarithm of its speed. Each take has an effect of its own,
and some takes say nothing about the hand, so two odd takes can't take the answer away.
"""

from collections import Counter
from dataclasses import dataclass
from statistics import NormalDist

import numpy as np

from thrumble.core.chance import norm_cdf
from thrumble.core.neck.hand import DEFAULT_BEST_MM_S
from thrumble.core.signal import Array

SHARE_IN_TIME = 0.8
POINT = NormalDist().inv_cdf(SHARE_IN_TIME)
STEEPNESS = 0.18  # of the logarithm of speed: over so much the odds of landing turn
LAPSES = 0.12  # moves that come late whatever their speed, and land by luck
FIRST_SPREAD = 0.5  # of hands around the usual one before anything is known
TAKE_SPREAD = 0.25  # how far a take lies from the hand's usual
ODD_TAKES = 0.1  # takes that say nothing about the hand: a bad day, another reason to be late
REPEATS = 3  # a move that comes again in a take counts so often at most
MIN_TAKES = 3
MAX_RATIO = 2.0  # of the interval's ends: wider says nothing yet
SLOWEST_MM_S, FASTEST_MM_S, GRID_STEP = 40.0, 6000.0, 0.02
NEAREST_MM_S = 10.0  # speeds closer than this are one move


@dataclass(frozen=True, slots=True)
class HandSpeed:
    """The speed with its 90 % interval, mm/s along the neck."""

    mm_s: float
    low: float
    high: float


def hand_speed(takes: list[list[tuple[float, bool]]]) -> HandSpeed | None:
    """Estimate the speed from takes: of each its moves, as speed in mm/s and whether it landed in
    time. None if there are too few takes, or if they leave the speed open.
    """
    grid = np.arange(np.log(SLOWEST_MM_S), np.log(FASTEST_MM_S), GRID_STEP, dtype=np.float64)
    played = [take for take in takes if take]
    if len(played) < MIN_TAKES:
        return None
    log_posterior = -0.5 * ((grid - np.log(DEFAULT_BEST_MM_S)) / FIRST_SPREAD) ** 2
    for take in played:
        log_posterior = log_posterior + np.log(_take_likelihood(grid, take))
    posterior = np.exp(log_posterior - log_posterior.max())
    below = np.cumsum(posterior) / posterior.sum()
    low, middle, high = (
        float(np.exp(grid[int(np.searchsorted(below, share))])) for share in (0.05, 0.5, 0.95)
    )
    return HandSpeed(middle, low, high) if high / low <= MAX_RATIO else None


def _take_likelihood(grid: Array, take: list[tuple[float, bool]]) -> Array:
    """How likely a take's moves are for each speed of the grid, its own effect integrated out."""
    log_likelihood = np.zeros(grid.size)
    counts = Counter((round(speed / NEAREST_MM_S) * NEAREST_MM_S, good) for speed, good in take)
    for speed in {speed for speed, _ in counts}:
        good, late = counts[speed, True], counts[speed, False]
        weight = min(1.0, REPEATS / (good + late))
        chance = norm_cdf((grid - np.log(max(speed, 1.0))) / STEEPNESS + POINT)
        chance = LAPSES / 2 + (1 - LAPSES) * chance
        log_likelihood += weight * (good * np.log(chance) + late * np.log(1 - chance))
    likelihood = np.exp(log_likelihood - log_likelihood.max())
    reach = int(3 * TAKE_SPREAD / GRID_STEP)
    steps = np.arange(-reach, reach + 1, dtype=np.float64) * GRID_STEP
    kernel = np.exp(-0.5 * (steps / TAKE_SPREAD) ** 2)
    padded = np.pad(likelihood, reach, mode="edge")
    likelihood = np.convolve(padded, kernel / kernel.sum(), mode="valid")
    return np.asarray((1 - ODD_TAKES) * likelihood / likelihood.max() + ODD_TAKES)

"""Which candidate is which due hit. Dynamic programming in order; missing and extra hits cost; the
deviation's prior is wide enough for
a beginner at first and then follows what this player does in this take."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from thrumble.core.ear.align.echoes import AROUND_TAKE_S, beside_hits
from thrumble.core.ear.align.onsets import Candidates
from thrumble.core.ear.model.ear import Decisions
from thrumble.core.ear.model.network import Array

WIDE_MS, NARROW_MS = 30.0, (7.0, 28.0)
REACH_S = 0.16  # farther than this from its place no hit is looked for
REACH_SLOT = 0.62  # nor farther than this share of the gap to its neighbour
TREND_HITS = 12


@dataclass(frozen=True, slots=True)
class Match:
    """`chosen`: candidate of each due hit, -1 if none, shape (n,). `score`: log likelihood
    against "nothing was played".
    """

    chosen: NDArray[np.intp]
    score: float


def match_hits(
    candidates: Candidates,
    due_s: Array,
    decisions: Decisions,
    *,
    gaps_s: Array,
    follow: bool = True,
) -> Match:
    """Matches due hits to candidates in three passes: around the places given, then twice around
    the player's own trend as the pass before found it.

    due_s : expected file times, increasing. gaps_s : the smaller gap to a neighbour, same shape.
    Without `follow` the first pass is all.
    """
    centre = np.zeros(due_s.size)
    spread = np.full(due_s.size, WIDE_MS / 1000)
    match = _align(candidates, due_s, gaps_s, centre, spread, decisions)
    for _ in range(2 if follow else 0):
        matched = match.chosen >= 0
        if matched.sum() < 4:
            return match
        deviation = candidates.times_s[match.chosen[matched]] - due_s[matched]
        trend = _running_median(deviation, TREND_HITS)
        take_spread = 1.4826 * float(np.median(np.abs(deviation - trend)))
        centre = np.interp(np.arange(due_s.size), np.flatnonzero(matched), trend)
        spread = np.full(
            due_s.size, float(np.clip(1.3 * take_spread, NARROW_MS[0] / 1000, NARROW_MS[1] / 1000))
        )
        match = _align(candidates, due_s, gaps_s, centre, spread, decisions)
    return match


def extra_hits(
    candidates: Candidates, chosen: NDArray[np.intp], decisions: Decisions
) -> NDArray[np.intp]:
    """Candidates surely struck that no due hit took, from half a second before the first one taken
    to as long after the last. The more of the others there are for which something speaks, the more
    is asked of each: a player strikes few, a guitar next door many; and more of what is far quieter
    than the player's hits. `chosen` of shape (due hits,) as `Match` has it; gives indices of
    candidates, shape (n,), none if no hit was found.
    """
    taken = np.zeros(candidates.times_s.size, dtype=bool)
    taken[chosen[chosen >= 0]] = True
    if not taken.any():
        return np.zeros(0, dtype=np.intp)
    matched = candidates.where(taken)
    free = ~taken & beside_hits(candidates, taken)
    others = max(
        0, np.count_nonzero(free & (candidates.log_odds > decisions.crowding_log_odds)) - 1
    ) / (matched.times_s[-1] - matched.times_s[0] + 2 * AROUND_TAKE_S)
    density_odds = np.log(decisions.crowd_to_extra_s2 * (others**2 + decisions.least_crowd_per_s2))
    under_db = np.median(matched.added_db) - decisions.quiet_extra_db - candidates.added_db
    density_odds = density_odds + np.maximum(0.0, under_db) / decisions.db_to_log_odds
    return np.flatnonzero(free & (candidates.log_odds > density_odds))


def gaps_between(due_s: Array) -> Array:
    """The smaller gap of every due hit to its neighbours, seconds; 1 if there is none. Shape
    (n,) as `due_s`.
    """
    steps = np.diff(due_s)
    before, after = np.concatenate([[1.0], steps]), np.concatenate([steps, [1.0]])
    return np.asarray(np.minimum(np.minimum(before, after), 1.0))


def _running_median(values: Array, reach: int) -> Array:
    padded = np.pad(values, reach, mode="reflect" if values.size > reach else "edge")
    windows = np.lib.stride_tricks.sliding_window_view(padded, 2 * reach + 1)
    return np.asarray(np.median(windows, axis=1), dtype=np.float64)


def _log_prior(away_s: Array, spread_s: Array, crowd_per_s: float) -> Array:
    """Log likelihood ratio of a deviation: a narrow normal distribution mixed with a wide one,
    against evenly spread false candidates.
    """
    core = 0.88 * np.exp(-0.5 * (away_s / spread_s) ** 2) / (spread_s * 2.5066)
    wide = np.maximum(0.045, 2 * spread_s)
    skirt = 0.12 * np.exp(-0.5 * (away_s / wide) ** 2) / (wide * 2.5066)
    return np.asarray(np.log((core + skirt) / crowd_per_s))


def _align(
    candidates: Candidates,
    due_s: Array,
    gaps_s: Array,
    centre_s: Array,
    spread_s: Array,
    decisions: Decisions,
) -> Match:
    times, odds = candidates.times_s, candidates.log_odds
    count = times.size
    if not count:
        return Match(np.full(due_s.size, -1), decisions.miss_log * due_s.size)
    extra = np.maximum(0.0, odds + np.log(decisions.extra_per_s / decisions.crowd_per_s))
    gain = odds - extra
    reach = np.minimum(REACH_S, np.maximum(0.03, REACH_SLOT * gaps_s)) + np.abs(centre_s)
    lows = np.maximum.accumulate(np.searchsorted(times, due_s + centre_s - reach))
    highs = np.maximum.accumulate(np.searchsorted(times, due_s + centre_s + reach))
    sizes = highs - lows
    firsts = np.cumsum(sizes) - sizes
    which, hit = (
        np.arange(sizes.sum()) + np.repeat(lows - firsts, sizes),
        np.repeat(np.arange(due_s.size), sizes),
    )  # of every pair in reach
    away_s = times[which] - (due_s + centre_s)[hit]
    rewards = gain[which] + _log_prior(away_s, spread_s[hit], decisions.crowd_per_s)
    best = np.zeros(1)  # best score with the last used candidate at most low-1+k
    base = 0  # `best[0]` stands for all candidates before `base`
    steps: list[tuple[int, NDArray[np.bool_], NDArray[np.intp]]] = []
    for k in range(due_s.size):
        low, high = int(lows[k]), int(highs[k])
        n = high - low
        index = np.minimum(np.arange(low, high + 1) - base, best.size - 1)
        carried = best[index]  # before low .. before high
        missed = carried + decisions.miss_log
        if n:
            taken = carried[:-1] + rewards[firsts[k] : firsts[k] + n]
            options = missed.copy()
            options[1:] = np.maximum(options[1:], taken)
        else:
            taken, options = np.zeros(0), missed
        running = np.maximum.accumulate(options)
        chosen_here = np.zeros(n + 1, dtype=bool)
        better = np.concatenate([[False], options[1:] > running[:-1]])
        source = np.maximum.accumulate(
            np.where(better, np.arange(n + 1), 0)
        )  # which option the running best comes from
        chosen_here[1:] = taken >= missed[1:] if n else False
        steps.append((low, chosen_here, source))
        best, base = running, low
    chosen = np.full(due_s.size, -1, dtype=np.intp)
    limit = base + best.size - 1  # candidates before this may be used
    for k in range(due_s.size - 1, -1, -1):
        low, chosen_here, source = steps[k]
        m = int(source[min(max(limit - low, 0), source.size - 1)])
        if chosen_here[m]:
            chosen[k] = low + m - 1
            limit = low + m - 1
        else:
            limit = min(limit, low + m)
    return Match(chosen, float(best[-1]))

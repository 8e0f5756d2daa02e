"""An echo tells itself by its lag: what follows the player's hits always after the same time, to a
millisecond, was struck by nobody. A player who doubles his hits scatters more than that.
"""

import numpy as np
from numpy.typing import NDArray

from thrumble.core.ear.align.onsets import Candidates
from thrumble.core.ear.model.ear import Decisions
from thrumble.core.ear.model.network import Array

LAGS_S = (0.045, 0.6)  # sooner is one sound with its hit, later is rarely set
SAME_S = 0.0025  # two lags no farther apart are the same
AROUND_S = 0.025  # about that lag, what does not keep to it
MIN = 5  # repeats
MAX_BESIDE = 1.5  # times as many about the lag: what doubles by hand lies 2.5 ms off and more
AGAIN = 2  # times the lag, at most, for repeats of repeats
REACH_S = 0.004  # from where a repeat is due
FIRM_S = SAME_S  # no farther from there, what a due hit took is a repeat
LOUDER_DB = 3.0  # unless it is by more than this louder than free repeats are
QUIETER_DB = 4.0  # and by this much quieter than the player's own hits of its kind
APART_S = 0.035  # what is no hit's own keeps this far from every one
AROUND_TAKE_S = 0.5  # before the first hit and after the last, others are looked for


def echo_lag(own_s: Array, others_s: Array) -> float | None:
    """The lag in seconds at which `others_s`, shape (n,), repeat `own_s`, shape (m,), both
    increasing; None if none stands out: fewer than MIN do, or others lie about as thickly on
    both sides of it.
    """
    if not own_s.size or not others_s.size:
        return None
    lags = (others_s[:, np.newaxis] - own_s).ravel()
    lags = np.sort(lags[(lags >= LAGS_S[0]) & (lags <= LAGS_S[1])])
    if lags.size < MIN:
        return None
    inside = _count(lags, lags, SAME_S)
    best = int(np.argmax(inside))
    beside = _count(lags, lags[[best]], AROUND_S)[0] - inside[best]
    by_chance = float(beside) * SAME_S / (AROUND_S - SAME_S)
    # so many come by chance in one of some hundred places only once in a thousand takes
    chance = by_chance + 5 * np.sqrt(by_chance) + 2
    if inside[best] < max(MIN, chance) or beside > MAX_BESIDE * inside[best]:
        return None
    return float(np.median(lags[np.abs(lags - lags[best]) <= SAME_S]))


def _count(lags: Array, about: Array, reach_s: float) -> NDArray[np.intp]:
    """How many of the sorted lags lie within reach of each."""
    return np.searchsorted(lags, about + reach_s, "right") - np.searchsorted(
        lags, about - reach_s, "left"
    )


def repeats(own_s: Array, times_s: Array, lag_s: float) -> NDArray[np.bool_]:
    """Which of some times, shape (n,), are where a repeat of a hit falls; those of shape (m,),
    increasing.
    """
    out = np.zeros(times_s.size, dtype=bool)
    for k in range(1, AGAIN + 1):
        out |= _off(own_s + k * lag_s, times_s)[1] <= REACH_S * k
    return out


def without_echo(
    candidates: Candidates,
    chosen: NDArray[np.intp],
    kinds: NDArray[np.str_],
    decisions: Decisions,
) -> tuple[Candidates, float | None]:
    """The candidates less those that repeat the player's hits, and the echo's lag in seconds; all
    of them and None without an echo. `chosen` as a match has it, and how each due hit is to sound,
    both of shape (due hits,).

    Only what could pass for a hit tells of an echo. A candidate that a due hit took is a repeat
    if it keeps to the lag, is no louder against the hit before it than free repeats are, and
    quieter than the player's hits of its kind: a missed hit is not played by an echo, nor a late
    one early.
    """
    taken = np.zeros(candidates.times_s.size, dtype=bool)
    taken[chosen[chosen >= 0]] = True
    matched, free = candidates.where(taken), ~taken & beside_hits(candidates, taken)
    telling = free & (candidates.log_odds > decisions.crowding_log_odds)
    lag_s = echo_lag(matched.times_s, candidates.times_s[telling])
    if lag_s is None:
        return candidates, None
    of, off_s = _off(matched.times_s + lag_s, candidates.times_s)
    against_db = candidates.added_db - matched.added_db[of]
    usual_db = float(np.median(against_db[free & (off_s <= REACH_S)]))
    echoed = free & repeats(matched.times_s, candidates.times_s, lag_s)
    could = taken & (off_s <= FIRM_S) & (against_db <= usual_db + LOUDER_DB)
    for kind in np.unique(kinds):
        here = chosen[(kinds == kind) & (chosen >= 0)]
        struck = here[off_s[here] > FIRM_S]
        if struck.size:
            enough_db = np.median(candidates.added_db[struck]) - QUIETER_DB
            echoed[here] |= could[here] & (candidates.added_db[here] < enough_db)
    return candidates.where(~echoed), lag_s


def beside_hits(candidates: Candidates, taken: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Which candidates lie apart from those that due hits took, from half a second before the first
    to as long after the last. Masks of shape (n,).
    """
    own_s = candidates.times_s[taken]
    if not own_s.size:
        return np.zeros(taken.size, dtype=bool)
    inside = (candidates.times_s > own_s[0] - AROUND_TAKE_S) & (
        candidates.times_s < own_s[-1] + AROUND_TAKE_S
    )
    return np.asarray(inside & (_off(own_s, candidates.times_s)[1] > APART_S))


def _off(places_s: Array, times_s: Array) -> tuple[NDArray[np.intp], Array]:
    """The nearest of some increasing places to each time, and how far it is."""
    after = np.minimum(np.searchsorted(places_s, times_s), places_s.size - 1)
    before = np.maximum(after - 1, 0)
    near = np.where(
        np.abs(times_s - places_s[before]) < np.abs(times_s - places_s[after]), before, after
    )
    return near, np.abs(times_s - places_s[near])

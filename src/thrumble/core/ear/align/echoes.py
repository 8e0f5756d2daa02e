"""An echo tells itself by its lag: what follows the player's hits always after the same time, to a
millisecond, was struck by nobody. A player who doubles his hits scatters more than that.
"""

import numpy as np
from numpy.typing import NDArray

from thrumble.core.ear.model.ear import Decisions
from thrumble.core.ear.model.network import Array

LAGS_S = (0.045, 0.6)  # sooner is one sound with its hit, later is rarely set
SAME_S = 0.0025  # two lags no farther apart are the same
AROUND_S = 0.025  # about that lag, what does not keep to it
LEAST = 5  # repeats
AGAIN = 2  # times the lag, at most, for repeats of repeats
REACH_S = 0.004  # from where a repeat is due


def echo_lag(own_s: Array, others_s: Array) -> float | None:
    """The lag in seconds at which `others_s`, shape (n,), repeat `own_s`, shape (m,), both
    increasing; None where none stands out: fewer than LEAST do, or others lie about as thickly on
    both sides of it.
    """
    if not own_s.size or not others_s.size:
        return None
    lags = (others_s[:, np.newaxis] - own_s).ravel()
    lags = np.sort(lags[(lags >= LAGS_S[0]) & (lags <= LAGS_S[1])])
    if lags.size < LEAST:
        return None
    inside = _count(lags, lags, SAME_S)
    best = int(np.argmax(inside))
    beside = _count(lags, lags[[best]], AROUND_S)[0] - inside[best]
    by_chance = float(beside) * SAME_S / (AROUND_S - SAME_S)
    # as many as that come by chance in one of some hundred places only once in thousands of takes
    if inside[best] < LEAST + by_chance + 4 * np.sqrt(by_chance) or beside > inside[best]:
        return None
    return float(np.median(lags[np.abs(lags - lags[best]) <= SAME_S]))


def _count(lags: Array, about: Array, reach_s: float) -> NDArray[np.intp]:
    """How many of the sorted lags lie within reach of each."""
    return np.searchsorted(lags, about + reach_s, "right") - np.searchsorted(
        lags, about - reach_s, "left"
    )


def repeated(own_s: Array, times_s: Array, lag_s: float) -> NDArray[np.bool_]:
    """Which of some times, shape (n,), are where a repeat of a hit falls."""
    out = np.zeros(times_s.size, dtype=bool)
    for k in range(1, AGAIN + 1):
        off = np.abs(times_s[:, np.newaxis] - own_s - k * lag_s)
        out |= off.min(axis=1, initial=np.inf) <= REACH_S * k
    return out


def free_of_echo(
    own_s: Array, times_s: Array, log_odds: Array, decisions: Decisions
) -> tuple[NDArray[np.bool_], float | None]:
    """Which free candidates, shape (n,), are no repeat of the player's own hits, and the echo's
    lag in seconds, None without one. Only what could pass for a hit tells of an echo.
    """
    heard = times_s[log_odds > decisions.crowding_log_odds]
    lag_s = echo_lag(own_s, heard)
    if lag_s is None:
        return np.ones(times_s.size, dtype=bool), None
    return ~repeated(own_s, times_s, lag_s), lag_s

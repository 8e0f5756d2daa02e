"""How sure the ear is of a chord, of stray strings and of a stop: calibrated probabilities.

Fitted by maximum likelihood on simulated takes with wrong frets, stray strings and late stops, in
three tones, on modelled and sampled guitars, none of them a benchmark's
(`python -m benchmarks.certainty`). No probability is nearer to 1 than the takes could show.
"""

from collections.abc import Sequence
from math import exp

from thrumble.core.chance import t_cdf
from thrumble.core.ear.reading import RingEnd

CHORD_MIDPOINT_DB, CHORD_SLOPE = -1.6, 2.0  # of the lead over the best rival; slope per dB
MAX_RIGHT, MAX_WRONG = 0.999, 0.985  # 0 of 3,490 chords heard as written weren't, 2 of 126 as wrong
STRAY_INTERCEPT, STRAY_SLOPE = 1.28, 1.18  # from the network's log odds to calibrated ones
MAX_STRAY = 0.99
STOP_FREEDOM = 6.0  # of Student's t, which the errors of measured stops follow
STOP_ERROR_MS = (3.0, 8.0)  # its middle and scale
CUT_STOP_ERROR_MS = (24.0, 25.0)  # of a hit that rings into the next one or the end


def _logistic(log_odds: float) -> float:
    return 1 / (1 + exp(-min(50.0, max(-50.0, log_odds))))


def chord_probability(lead_db: float, is_right: bool) -> float:
    """The chance that a chord is as said: the written one, or another.

    lead_db : by how much the written chord's comb beats the best of those beside it, dB.
    """
    right = _logistic(CHORD_SLOPE * (lead_db - CHORD_MIDPOINT_DB))
    return min(MAX_RIGHT, right) if is_right else min(MAX_WRONG, 1 - right)


def stray_probability(log_odds: Sequence[float], rings: bool) -> float:
    """The chance that a chord's stray strings are as said: that at least one rings, or none.

    log_odds : the network's, of each string that must not sound.
    """
    chances = [_logistic(STRAY_INTERCEPT + STRAY_SLOPE * value) for value in log_odds]
    silent = 1.0
    for chance in chances:
        silent *= 1 - chance
    return min(MAX_STRAY, 1 - silent) if rings else min(MAX_RIGHT, silent)


def stop_late_probability(late_ms: float, limit_ms: float, ring_end: RingEnd | None) -> float:
    """The chance that a stop measured as `late_ms` late truly rings on for `limit_ms` or more."""
    middle_ms, scale_ms = STOP_ERROR_MS if ring_end is RingEnd.STOP else CUT_STOP_ERROR_MS
    return t_cdf(STOP_FREEDOM, (late_ms - limit_ms - middle_ms) / scale_ms)

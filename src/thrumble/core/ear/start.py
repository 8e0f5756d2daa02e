"""Where bar 1 beat 1 lies in the file, and how fast the take really went, when nobody wrote it down; or, where it is known, by how much
the whole take is late (the delay of the sound card and the player together)."""

from dataclasses import dataclass

import numpy as np

from thrumble.core.ear.matching import gaps_between, match_hits
from thrumble.core.ear.network import Array
from thrumble.core.ear.onsets import Candidates

BIN_S = 0.004
KERNEL_S = 0.014
TEMPO_REACH = 0.03
TRIES = 10  # the most promising places that are matched in full
GIVEN_REACH_S = 0.25
EDGE_PER_HIT = 0.15


@dataclass(frozen=True, slots=True)
class Fit:
    """`start_s`: file time of bar 1 beat 1; `stretch`: seconds heard per second written (over 1 is slower); `score` of the match;
    `runner_up`: the score of the best place at least 40 ms away."""

    start_s: float
    stretch: float
    score: float
    runner_up: float


def fit_given(candidates: Candidates, due_s: Array) -> float:
    """By how much the whole take lags, seconds, when the start is known; 0 where too little was heard to tell."""
    if candidates.times_s.size < 3:
        return 0.0
    weights = _weights(candidates)
    lags = np.arange(-GIVEN_REACH_S, GIVEN_REACH_S, 0.003)
    votes = np.array([_hit_votes(candidates.times_s, weights, due_s + lag).sum() for lag in lags])
    votes -= due_s.size * 0.25 * (lags / GIVEN_REACH_S) ** 2  # a small lag is likelier than a large one
    return float(lags[int(np.argmax(votes))])


def fit_unknown(candidates: Candidates, due_s: Array, *, fit_tempo: bool = True) -> Fit | None:
    """Start and tempo from the pattern of the hits; None where too little was heard. due_s counts from bar 1 beat 1."""
    if candidates.times_s.size < 3:
        return None
    weights = _weights(candidates)
    span_s = float(due_s[-1] - due_s[0]) + 1.0
    step = min(0.01, 0.4 * KERNEL_S / span_s * 2)
    count = int(TEMPO_REACH / step) if fit_tempo else 0
    found: list[tuple[float, float, float]] = []
    pulses = _pulses(candidates.times_s, weights)
    for stretch in 1 + step * np.arange(-count, count + 1):
        votes, starts_s = _correlate(pulses, due_s * stretch)
        for place in _tops(votes, 3):
            found.append((float(votes[place]), float(starts_s[place]), float(stretch)))
    found.sort(reverse=True)
    fits: list[Fit] = []
    for _, start_s, stretch in _spread_out(found):
        fits.append(_settle(candidates, due_s, start_s, stretch, fit_tempo))
    fits.sort(key=lambda fit: -fit.score)
    best = fits[0]
    others = [fit.score for fit in fits if abs(fit.start_s - best.start_s) > 0.04]
    return Fit(best.start_s, best.stretch, best.score, max(others, default=-np.inf))


def _weights(candidates: Candidates) -> Array:
    return np.asarray(1 / (1 + np.exp(-candidates.log_odds)))


def _hit_votes(times_s: Array, weights: Array, due_s: Array) -> Array:
    """For every due hit the weight of the best candidate near it, falling off with distance."""
    right = np.clip(np.searchsorted(times_s, due_s), 1, times_s.size - 1) if times_s.size > 1 else np.zeros(due_s.size, dtype=int)
    best = np.zeros(due_s.size)
    for k in (-2, -1, 0, 1):
        index = np.clip(right + k, 0, times_s.size - 1)
        best = np.maximum(best, weights[index] * np.exp(-0.5 * ((times_s[index] - due_s) / KERNEL_S) ** 2))
    return best


def _pulses(times_s: Array, weights: Array) -> Array:
    """The candidates as a smooth curve of bins, each worth at most 1."""
    size = int(times_s[-1] / BIN_S) + 64
    curve = np.zeros(size)
    np.add.at(curve, (times_s / BIN_S).round().astype(int), weights)
    kernel = np.exp(-0.5 * (np.arange(-10, 11) * BIN_S / KERNEL_S) ** 2)
    return np.asarray(np.minimum(np.convolve(curve, kernel, "same"), 1.0))


def _correlate(pulses: Array, due_s: Array) -> tuple[Array, Array]:
    """The mean vote of the due hits for every start, and those starts."""
    due = np.round((due_s - due_s[0]) / BIN_S).astype(int)
    train = np.zeros(due[-1] + 1)
    np.add.at(train, due, 1.0)
    size = 1 << (pulses.size + 2 * train.size).bit_length()
    votes = np.fft.irfft(np.fft.rfft(pulses, size) * np.conj(np.fft.rfft(train, size)), size)
    shifts = np.arange(-train.size + 1, pulses.size)
    votes = votes[shifts % size]
    first_start_s = shifts * BIN_S - due_s[0]
    return np.asarray(votes / due_s.size), first_start_s


def _tops(score: Array, count: int) -> list[int]:
    """The best places, at least 40 ms apart."""
    left = score.copy()
    out = []
    for _ in range(count):
        place = int(np.argmax(left))
        out.append(place)
        left[max(0, place - 10) : place + 11] = -np.inf
    return out


def _spread_out(found: list[tuple[float, float, float]]) -> list[tuple[float, float, float]]:
    kept: list[tuple[float, float, float]] = []
    for one in found:
        if all(abs(one[1] - other[1]) > 0.03 or abs(one[2] - other[2]) > 0.004 for other in kept):
            kept.append(one)
        if len(kept) == TRIES:
            break
    return kept


def _settle(candidates: Candidates, due_s: Array, start_s: float, stretch: float, fit_tempo: bool) -> Fit:
    """Matches in full around a guess, then sets start and tempo by the median and a robust line through the matched hits."""
    match = None
    for _ in range(2):
        expected = start_s + stretch * due_s
        match = match_hits(candidates, expected, gaps_s=gaps_between(expected))
        found = match.chosen >= 0
        if found.sum() < 4:
            break
        deviation = candidates.times_s[match.chosen[found]] - expected[found]
        if fit_tempo and found.sum() >= 12:
            slope = _slope(due_s[found], deviation)
            stretch = float(np.clip(stretch + slope, 1 - TEMPO_REACH, 1 + TEMPO_REACH))
            deviation = candidates.times_s[match.chosen[found]] - start_s - stretch * due_s[found]
        start_s += float(np.median(deviation))
    assert match is not None
    return Fit(start_s, stretch, match.score, -np.inf)


def _slope(x: Array, y: Array) -> float:
    """Theil's slope over pairs half the length apart; seconds per second."""
    half = x.size // 2
    steps = (y[half:] - y[: x.size - half]) / (x[half:] - x[: x.size - half])
    return float(np.median(steps))

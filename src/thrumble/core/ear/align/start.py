"""Where bar 1 beat 1 lies in the file, and how fast the take really went, when nobody wrote it
down; or, if it is known, by how much
the whole take is late (the delay of the sound card and the player together)."""

from dataclasses import dataclass

import numpy as np

from thrumble.core.ear.align.matching import gaps_between, match_hits
from thrumble.core.ear.align.onsets import Candidates
from thrumble.core.ear.model.ear import Decisions
from thrumble.core.ear.model.network import Array
from thrumble.core.transforms import irfft, next_fast_len, rfft

BIN_S = 0.005
KERNEL_S = 0.016
TEMPO_REACH = 0.03
# the most promising places are matched over the part searched, the best of these in full
TRIES, FINALISTS = 8, 3
SAME_PLACE_S, TEMPI_EACH = 0.04, 2  # tries of one place, at different tempi: others want a turn
GIVEN_REACH_S = 0.25
SEARCH_S, GROWTH = 40.0, 3.0
THEIL = 1.5  # standard error of the robust slope against least squares
SURE_ERRORS = 3.0  # standard errors beyond which another tempo is believed
FINALISTS = 3  # places, for each tempo
COVER_STEP = 50  # bins; the share covered changes slowly
COVER_WEIGHT = 3.0  # of a vote: how much it counts that what was surely struck lies within the riff


@dataclass(frozen=True, slots=True)
class Fit:
    """`start_s`: file time of bar 1 beat 1; `stretch`: seconds heard per second written (over 1 is
    slower); `score` of the match;
    `runner_up`: the score of the best place at least 40 ms away."""

    start_s: float
    stretch: float
    score: float
    runner_up: float


def fit_given(candidates: Candidates, due_s: Array) -> float:
    """By how much the whole take lags, seconds, when the start is known; 0 if too little was
    heard to tell. `due_s`: shape (n,), file times. Within a quarter of a second either way.
    """
    if candidates.times_s.size < 3:
        return 0.0
    pulses = _pulses(candidates.times_s, _weights(candidates))
    lags = np.arange(-GIVEN_REACH_S, GIVEN_REACH_S, BIN_S)
    bins = np.round((due_s[:, np.newaxis] + lags) / BIN_S).astype(int)
    votes = np.where(
        (bins >= 0) & (bins < pulses.size), pulses[np.clip(bins, 0, pulses.size - 1)], 0.0
    ).sum(axis=0)
    votes -= (
        due_s.size * 0.25 * (lags / GIVEN_REACH_S) ** 2
    )  # a small lag is likelier than a large one
    return float(lags[int(np.argmax(votes))])


def fit_unknown(
    candidates: Candidates, due_s: Array, decisions: Decisions, *, fit_tempo: bool = True
) -> Fit | None:
    """Start and tempo from the pattern of the hits; None if too little was heard. due_s counts
    from bar 1 beat 1. `due_s`: shape (n,), seconds, increasing.

    The first SEARCH_S of the riff are laid over the whole take at every tempo; the most promising
    places are then matched in full, tempo and start refined over a growing stretch, so that the
    time taken grows with the take's length and not with its square.
    """
    if candidates.times_s.size < 3:
        return None
    weights = _weights(candidates)
    pulses = _pulses(candidates.times_s, weights)
    searched = due_s[due_s - due_s[0] <= SEARCH_S]
    step = min(0.01, 0.8 * KERNEL_S / (float(searched[-1] - searched[0]) + 1.0))
    count = int(TEMPO_REACH / step) if fit_tempo else 0
    strong = candidates.times_s[candidates.log_odds > 0]
    candidates_found: list[tuple[float, float, float]] = []
    correlate = _Correlator(pulses, float(searched[-1] - searched[0]) * (1 + step * count))
    for stretch in 1 + step * np.arange(-count, count + 1):
        votes, starts_s = correlate(searched * stretch)
        coarse_s = starts_s[::COVER_STEP]
        covered = _covered(
            strong, coarse_s + due_s[0] * stretch, float(due_s[-1] - due_s[0]) * float(stretch)
        )
        ratings = votes + COVER_WEIGHT * np.interp(starts_s, coarse_s, covered)
        candidates_found += [
            (float(ratings[place]), float(starts_s[place]), float(stretch))
            for place in _tops(ratings, FINALISTS)
        ]
    candidates_found.sort(reverse=True)
    fits = [
        _settle(candidates, due_s, decisions, start_s, stretch, fit_tempo, whole=False)
        for _, start_s, stretch in _spread_out(candidates_found)
    ]
    fits = [
        _settle(candidates, due_s, decisions, fit.start_s, fit.stretch, fit_tempo, whole=True)
        for fit in _finalists(fits)
    ]
    fits.sort(key=lambda fit: -fit.score)
    best = fits[0]
    others = [fit.score for fit in fits if abs(fit.start_s - best.start_s) > SAME_PLACE_S]
    return Fit(best.start_s, best.stretch, best.score, max(others, default=-np.inf))


def _covered(strong_s: Array, firsts_s: Array, span_s: float) -> Array:
    """For every place of the riff the share of sure hits that lie within it, with a second's
    room.
    """
    if not strong_s.size:
        return np.zeros(firsts_s.size)
    inside = np.searchsorted(strong_s, firsts_s + span_s + 1.0) - np.searchsorted(
        strong_s, firsts_s - 1.0
    )
    return np.asarray(inside / strong_s.size)


def _weights(candidates: Candidates) -> Array:
    return np.asarray(1 / (1 + np.exp(-candidates.log_odds)))


def _pulses(times_s: Array, weights: Array) -> Array:
    """The candidates as a smooth curve of bins, each worth at most 1."""
    size = int(times_s[-1] / BIN_S) + 64
    curve = np.zeros(size)
    np.add.at(curve, (times_s / BIN_S).round().astype(int), weights)
    kernel = np.exp(-0.5 * (np.arange(-10, 11) * BIN_S / KERNEL_S) ** 2)
    return np.asarray(np.minimum(np.convolve(curve, kernel, "same"), 1.0))


class _Correlator:
    """Lays due hits over the candidates' curve at every start, by one transform of the curve and
    one for each set of due hits.
    """

    def __init__(self, pulses: Array, longest_s: float) -> None:
        """`longest_s`: from the first due hit to the last, at most."""
        self._bins = pulses.size
        self._size = next_fast_len(pulses.size + int(longest_s / BIN_S) + 2)
        self._spectrum = rfft(pulses.astype(np.float32), self._size)

    def __call__(self, due_s: Array) -> tuple[Array, Array]:
        """The mean vote of the due hits for every start, and those starts."""
        due = np.round((due_s - due_s[0]) / BIN_S).astype(int)
        train = np.bincount(due).astype(np.float32)
        votes = irfft(self._spectrum * np.conj(rfft(train, self._size)), self._size)
        early = (
            train.size - 1
        )  # starts before the file's first sample stand at the end of the circle
        shifts = np.arange(-early, self._bins)
        whole = np.concatenate([votes[self._size - early :], votes[: self._bins]])
        return whole.astype(np.float64) / due_s.size, shifts * BIN_S - due_s[0]


def _tops(score: Array, count: int) -> list[int]:
    """The best places, at least 40 ms apart."""
    left = score.copy()
    out = []
    for _ in range(count):
        place = int(np.argmax(left))
        out.append(place)
        left[max(0, place - 10) : place + 11] = -np.inf
    return out


def _spread_out(fits: list[tuple[float, float, float]]) -> list[tuple[float, float, float]]:
    """The first of those that are not the same: a place at a few tempi and no more, or one place
    would take every turn.
    """
    apart: list[tuple[float, float, float]] = []
    for fit in fits:
        here = [other for other in apart if abs(fit[1] - other[1]) <= SAME_PLACE_S]
        if len(here) < TEMPI_EACH and all(abs(fit[2] - other[2]) > 0.004 for other in here):
            apart.append(fit)
        if len(apart) == TRIES:
            break
    return apart


def _finalists(fits: list[Fit]) -> list[Fit]:
    """The best of each place, the best places first."""
    finalists: list[Fit] = []
    for fit in sorted(fits, key=lambda fit: -fit.score):
        if all(abs(fit.start_s - other.start_s) > SAME_PLACE_S for other in finalists):
            finalists.append(fit)
    return finalists[:FINALISTS]


def _settle(
    candidates: Candidates,
    due_s: Array,
    decisions: Decisions,
    start_s: float,
    stretch: float,
    fit_tempo: bool,
    *,
    whole: bool,
) -> Fit:
    """Matches around a guess, setting start and tempo by the median and a robust line: over the
    part searched, or on over all of it.
    """
    horizon = SEARCH_S
    while True:
        part = due_s[due_s - due_s[0] <= horizon]
        expected = start_s + stretch * part
        match = match_hits(
            candidates, expected, decisions, gaps_s=gaps_between(expected), follow=whole
        )
        matched = match.chosen >= 0
        if matched.sum() >= 4:
            deviation = candidates.times_s[match.chosen[matched]] - expected[matched]
            if fit_tempo and matched.sum() >= 12:
                stretch = float(
                    np.clip(
                        stretch + _slope(part[matched], deviation), 1 - TEMPO_REACH, 1 + TEMPO_REACH
                    )
                )
                deviation = (
                    candidates.times_s[match.chosen[matched]] - start_s - stretch * part[matched]
                )
            start_s += float(np.median(deviation))
        if part.size == due_s.size or not whole:
            if whole and fit_tempo and matched.sum() >= 12:
                start_s, stretch = _as_written(
                    part[matched], candidates.times_s[match.chosen[matched]], start_s, stretch
                )
            return Fit(start_s, stretch, match.score, -np.inf)
        horizon *= GROWTH


def _as_written(
    due_s: Array, heard_s: Array, start_s: float, stretch: float
) -> tuple[float, float]:
    """The tempo as written, unless the hits clearly differ from it by Theil's standard error. With
    the tempo fixed the start's error is about half.
    """
    residual = heard_s - start_s - stretch * due_s
    spread = 1.4826 * float(np.median(np.abs(residual - np.median(residual))))
    error = THEIL * spread / (np.sqrt(due_s.size) * max(1e-6, float(due_s.std())))
    if abs(stretch - 1) > SURE_ERRORS * error:
        return start_s, stretch
    return float(np.median(heard_s - due_s)), 1.0


def _slope(x: Array, y: Array) -> float:
    """Theil's slope over pairs half the length apart; seconds per second."""
    half = x.size // 2
    steps = (y[half:] - y[: x.size - half]) / (x[half:] - x[: x.size - half])
    return float(np.median(steps))

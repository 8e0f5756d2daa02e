"""Where exactly a matched hit began. A candidate may stand on a later string, on the body of a note
whose pick noise came first, or, for a palm
landing on a ringing chord, on the first rise that the collapsing chord lets through. A trained
network scores every millisecond around the
candidate; the hit lies at the mean place of the likeliest stretch of seven. If the network finds
no hit among them, it looks once more
before and after. What the riff expects plays no part.

The network sees short spectra of two sounds: the take, and what a linear predictor of high order
(Makhoul 1975), fitted on the sound just
before, could not predict: its residual. What rings on is predicted; a string struck anew is not,
even if a distorted chord swallows its loudness. The
predictor must tell the partials of a distorted chord apart, half its root from one to the next: it
works at half the rate, where an order that
reaches back 29 ms costs a quarter.
"""

import numpy as np
import soxr
from numpy.typing import NDArray

from thrumble.core.ear.front.conditioning import WORK_RATE_HZ
from thrumble.core.ear.front.spectrum import Matrix, band_matrix
from thrumble.core.ear.model.ear import Ear
from thrumble.core.ear.model.layout import Layout
from thrumble.core.ear.model.network import Array, Network, softmax
from thrumble.core.signal import Samples
from thrumble.core.transforms import irfft, next_fast_len, rfft

STEP, WINDOW = 22, 128  # samples: 1 ms from place to place; 6 ms of sound a spectrum
STEP_S = STEP / WORK_RATE_HZ
PLACES = np.arange(-26, 13)  # steps from the candidate where its hit may have begun
PLACES_S = PLACES * STEP_S
CONTEXT = np.array(
    [-40, -32, -25, -19, -14, -10, -7, -5, -4, -3, -2, -1, 0, 1, 2, 3, 4, 5, 7, 10, 14, 19, 25, 32]
)  # steps around a place
FIRST, LAST = int(PLACES[0] + CONTEXT[0]), int(PLACES[-1] + CONTEXT[-1])
HEARD_BANDS, RESIDUAL_BANDS = 14, 5
_WINDOW = band_matrix(WINDOW, np.geomspace(100, 10500, HEARD_BANDS + 1))
BEFORE, AFTER = FIRST * STEP - WINDOW // 2, LAST * STEP + WINDOW // 2
HALF = 2  # the predictor's samples are every other one; what follows counts them
_RESIDUAL = band_matrix(
    WINDOW // HALF, np.geomspace(100, 5200, RESIDUAL_BANDS + 1), WORK_RATE_HZ / HALF
)
ORDER = 320  # of the predictor, 29 ms
FITTED = (
    -1700,
    -250,
)  # from the candidate, 154 to 23 ms before it: what the predictor is fitted on
FED, UNTIL = BEFORE // HALF - ORDER, AFTER // HALF  # what it is then fed
FIT_FFT, FILTER_FFT = (
    next_fast_len(n) for n in (FITTED[1] - FITTED[0] + ORDER, UNTIL - FED + ORDER)
)
STEADY = 1e-4  # white noise added to what is fitted, as a share of its power
FLOOR_POWER = 1e-7
ROWS, FEW = (
    192,
    8,
)  # hits at a time: the first bounds memory, the second keeps to the processor's cache
STRETCH = 7  # places
AROUND_PLACE = Layout(
    (
        ("heard spectra", CONTEXT.size * HEARD_BANDS),
        ("residual spectra", CONTEXT.size * RESIDUAL_BANDS),
    )
)


def measure_places(samples: Samples, about_s: Array) -> Matrix:
    """Short spectra around each candidate, log10 of power: those of the sound, then those of the
    prediction residual; shape (n, steps, HEARD_BANDS + RESIDUAL_BANDS).
    """
    out = np.empty((about_s.size, LAST - FIRST + 1, HEARD_BANDS + RESIDUAL_BANDS), dtype=np.float32)
    half = np.asarray(soxr.resample(samples, HALF, 1, quality="MQ"), dtype=np.float32)
    centres = np.round(about_s * WORK_RATE_HZ).astype(np.intp)
    for start in range(0, about_s.size, ROWS):
        rows = slice(start, start + ROWS)
        around = _cut(samples, centres[rows], BEFORE, AFTER)
        fed, before = (
            _cut(half, centres[rows] // HALF, *reach) for reach in ((FED, UNTIL), FITTED)
        )
        out[rows, :, :HEARD_BANDS] = _spectra(around, _WINDOW, WINDOW, STEP)
        out[rows, :, HEARD_BANDS:] = _spectra(
            _residual(fed, before)[:, ORDER:], _RESIDUAL, WINDOW // HALF, STEP // HALF
        )
    return out


def _cut(samples: Samples, centres: NDArray[np.intp], low: int, high: int) -> Samples:
    """The samples from `low` to `high` around each centre, one row each; silence beyond the
    take.
    """
    size, last = high - low, samples.size - (high - low)
    out = np.zeros((centres.size, size), dtype=np.float32)
    whole = (centres + low >= 0) & (centres + low <= last)
    if whole.any():
        out[whole] = np.lib.stride_tricks.sliding_window_view(samples, size)[centres[whole] + low]
    for k in np.flatnonzero(~whole):
        begin = int(centres[k]) + low
        piece = samples[max(0, begin) : max(0, begin + size)]
        out[k, max(0, -begin) : max(0, -begin) + piece.size] = piece
    return out


def _residual(fed: Samples, before: Samples) -> Samples:
    """The error of predicting each row of `fed` from its own past, by a predictor fitted on the row
    of `before`.
    """
    spectrum = rfft(before * np.hanning(before.shape[1]).astype(np.float32), FIT_FFT)
    autocorrelation = irfft(spectrum.real**2 + spectrum.imag**2, FIT_FFT)[:, : ORDER + 1]
    autocorrelation[:, 0] = autocorrelation[:, 0] * (1 + STEADY) + 1e-12
    filtered = irfft(
        rfft(fed, FILTER_FFT) * rfft(_prediction_error(autocorrelation), FILTER_FFT),
        FILTER_FFT,
    )
    return np.asarray(filtered[:, : fed.shape[1]])


def _prediction_error(lags: Matrix) -> Matrix:
    """Filters whose output is what prediction misses, shape as `lags`, each from its
    autocorrelation (Levinson 1947, Durbin 1960).
    """
    lags = np.ascontiguousarray(lags.T)
    error = np.zeros_like(lags)
    error[0] = 1
    power = lags[0].copy()
    for m in range(1, len(lags)):
        reflection = -np.einsum("ij,ij->j", error[:m], lags[m:0:-1]) / power
        error[1 : m + 1] += reflection * error[:m][::-1]
        power *= 1 - reflection**2
    return error.T


def _spectra(rows: Samples, weights: Matrix, window: int, step: int) -> Matrix:
    """Log10 of the power in the bands of `weights`, every `step` samples; shape (rows, steps,
    bands).
    """
    frames = np.lib.stride_tricks.sliding_window_view(rows, window, axis=1)[:, ::step]
    shape = np.hanning(window + 2)[1:-1].astype(np.float32)
    weights = np.repeat(weights, 2, axis=0)  # the same for the two parts of every complex bin
    out = np.empty((*frames.shape[:2], weights.shape[1]), dtype=np.float32)
    for start in range(0, len(rows), FEW):
        parts = rfft(frames[start : start + FEW] * shape).view(np.float32)
        np.square(parts, out=parts)
        out[start : start + FEW] = parts @ weights
    out += np.float32(FLOOR_POWER)
    return np.log10(out, out=out)


def around_places(measures: Matrix) -> Matrix:
    """What the network sees of every place: CONTEXT around it, each sound against its own mean
    there; shape (n * places, inputs).
    """
    around = np.take(measures, (PLACES[:, np.newaxis] + CONTEXT - FIRST).ravel(), axis=1)

    def against_its_mean(spectra: Matrix) -> Matrix:
        rows = spectra.reshape(len(measures) * PLACES.size, -1)
        return np.asarray(rows - rows.mean(axis=1, keepdims=True))

    return np.asarray(
        AROUND_PLACE.join(
            {
                "heard spectra": against_its_mean(around[:, :, :HEARD_BANDS]),
                "residual spectra": against_its_mean(around[:, :, HEARD_BANDS:]),
            }
        )
    )


def place_hits(samples: Samples, about_s: Array, ear: Ear) -> Array:
    """The onset of every matched candidate, seconds from the take's start, shape (n,)."""
    if not about_s.size:
        return about_s
    lost_below = ear.decisions.lost_below
    probabilities = _probabilities(samples, about_s, ear.places)
    centre_s = np.array(about_s)
    lost = np.flatnonzero(probabilities.sum(axis=1) < lost_below)
    for aside_s in (-PLACES.size * STEP_S, PLACES.size * STEP_S):
        there = _probabilities(samples, about_s[lost] + aside_s, ear.places)
        better = there.sum(axis=1) > np.maximum(lost_below, probabilities[lost].sum(axis=1))
        probabilities[lost[better]], centre_s[lost[better]] = (
            there[better],
            about_s[lost[better]] + aside_s,
        )
    return centre_s + _best_places(probabilities)


def _probabilities(samples: Samples, about_s: Array, network: Network) -> Array:
    """Of every place around each candidate that the hit began there, shape (n, places); what a row
    lacks to 1, that it began at none of them.
    """
    measures = measure_places(samples, about_s)
    scores = np.zeros((about_s.size, PLACES.size + 1))
    for k in range(0, about_s.size, FEW):
        part = measures[k : k + FEW]
        scores[k : k + FEW, :-1] = network.outputs(around_places(part)).reshape(
            len(part), PLACES.size
        )
    return softmax(scores)[:, :-1]


def _best_places(probabilities: Array) -> Array:
    """From the probabilities of all places, shape (n, places): the mean place within the likeliest
    stretch of STRETCH, seconds from the candidate.
    """
    reach = STRETCH // 2
    padded = np.pad(
        probabilities / np.maximum(1e-12, probabilities.sum(axis=1, keepdims=True)),
        ((0, 0), (reach, reach)),
    )
    windows = np.lib.stride_tricks.sliding_window_view(
        padded, STRETCH, axis=1
    )  # n, places, STRETCH
    best = np.argmax(windows.sum(axis=2), axis=1)
    inside = windows[np.arange(len(probabilities)), best]
    mean = (inside * np.arange(-reach, reach + 1)).sum(axis=1) / inside.sum(axis=1)
    return np.asarray(PLACES_S[best] + mean * STEP_S)

"""Where exactly a matched hit began. A candidate may stand on a later string, on the body of a note whose pick noise came first, or, for a palm
landing on a ringing chord, on the first rise that the collapsing chord lets through. A trained network scores every millisecond around the
candidate; the best stretch of three wins, and the sharp envelope says where in it the attack stands. What the riff expects plays no part.

The network sees short spectra of two sounds: the take, and what a linear predictor of high order (Makhoul 1975), fitted on the sound just
before, could not foretell. What rings on is foretold; a string struck anew is not, even where a distorted chord swallows its loudness.
"""

import numpy as np
from numpy.typing import NDArray
from scipy.fft import irfft, next_fast_len, rfft

from thrumble.core.ear.conditioning import WORK_RATE_HZ
from thrumble.core.ear.envelope import Envelope
from thrumble.core.ear.network import Array, Network
from thrumble.core.ear.onsets import attack_near
from thrumble.core.ear.spectrum import Matrix, band_matrix
from thrumble.core.signal import Samples

STEP, WINDOW = 22, 128  # samples: 1 ms from place to place; 6 ms of sound a spectrum
STEP_S = STEP / WORK_RATE_HZ
PLACES = np.arange(-26, 13)  # steps from the candidate where its hit may have begun
PLACES_S = PLACES * STEP_S
CONTEXT = np.array([-40, -32, -25, -19, -14, -10, -7, -5, -4, -3, -2, -1, 0, 1, 2, 3, 4, 5, 7, 10, 14, 19, 25, 32])  # steps around a place
FIRST, LAST = int(PLACES[0] + CONTEXT[0]), int(PLACES[-1] + CONTEXT[-1])
HEARD_BANDS, UNFORETOLD_BANDS = 14, 5
LOW_HZ, HIGH_HZ = 100, 10500
ORDER = 256  # of the predictor, 12 ms: tells the partials of a low chord apart
FITTED = (-1720, -573)  # samples from the candidate, 78 to 26 ms before it: what the predictor is fitted on
BEFORE, AFTER = FIRST * STEP - WINDOW // 2 - ORDER, LAST * STEP + WINDOW // 2
FIT_FFT, FILTER_FFT = (next_fast_len(n, real=True) for n in (FITTED[1] - FITTED[0] + ORDER, AFTER - BEFORE + ORDER))
STEADY = 1e-4  # white noise added to what is fitted, as a share of its power
FLOOR_POWER = 1e-7
ROWS = 64  # hits at a time: bounds memory
KEEP_S = 0.003  # a candidate this near the best place keeps its own


def measure_places(samples: Samples, about_s: Array) -> Matrix:
    """Short spectra around each candidate, log10 of power: those of the sound, then those of what was not foretold; shape (n, steps, bands)."""
    out = np.empty((about_s.size, LAST - FIRST + 1, HEARD_BANDS + UNFORETOLD_BANDS), dtype=np.float32)
    centres = np.round(about_s * WORK_RATE_HZ).astype(np.intp)
    for start in range(0, about_s.size, ROWS):
        part = centres[start : start + ROWS, np.newaxis]
        around, before = _cut(samples, part + np.arange(BEFORE, AFTER)), _cut(samples, part + np.arange(*FITTED))
        out[start : start + ROWS, :, :HEARD_BANDS] = _spectra(around[:, ORDER:], HEARD_BANDS)
        out[start : start + ROWS, :, HEARD_BANDS:] = _spectra(_unforetold(around, before)[:, ORDER:], UNFORETOLD_BANDS)
    return out


def _cut(samples: Samples, index: NDArray[np.intp]) -> Samples:
    inside = (index >= 0) & (index < samples.size)
    return np.where(inside, samples[np.clip(index, 0, samples.size - 1)], np.float32(0))


def _unforetold(around: Samples, before: Samples) -> Samples:
    """The error of predicting each row of `around` from its own past, by a predictor fitted on the row of `before`."""
    spectrum = rfft(before * np.hanning(before.shape[1]), FIT_FFT, axis=1)
    alike = irfft(spectrum.real**2 + spectrum.imag**2, FIT_FFT, axis=1)[:, : ORDER + 1]
    alike[:, 0] = alike[:, 0] * (1 + STEADY) + 1e-12
    error = _prediction_error(alike).astype(np.float32)
    filtered = irfft(rfft(around, FILTER_FFT, axis=1) * rfft(error, FILTER_FFT, axis=1), FILTER_FFT, axis=1)
    return np.asarray(filtered[:, : around.shape[1]])


def _prediction_error(lags: Array) -> Array:
    """Filters whose output is what prediction misses, shape as `lags`, each from its autocorrelation (Levinson 1947, Durbin 1960)."""
    lags = np.ascontiguousarray(lags.T)
    error = np.zeros_like(lags)
    error[0] = 1.0
    power = lags[0].copy()
    for m in range(1, len(lags)):
        reflection = -np.einsum("ij,ij->j", error[:m], lags[m:0:-1]) / power
        error[1 : m + 1] += reflection * error[:m][::-1]
        power *= 1 - reflection**2
    return error.T


def _spectra(rows: Samples, bands: int) -> Matrix:
    """Log10 of the power in bands, every STEP samples; shape (rows, steps, bands)."""
    frames = np.lib.stride_tricks.sliding_window_view(rows, WINDOW, axis=1)[:, ::STEP]
    spectrum = rfft(frames * np.hanning(WINDOW + 2)[1:-1].astype(np.float32), axis=2)
    power = (spectrum.real**2 + spectrum.imag**2) @ band_matrix(WINDOW, np.geomspace(LOW_HZ, HIGH_HZ, bands + 1))
    return np.asarray(np.log10(power + np.float32(FLOOR_POWER)))


def around_places(measures: Matrix) -> Matrix:
    """What the network sees of every place: CONTEXT around it, each sound against its own mean there; shape (n * places, inputs)."""
    index = PLACES[:, np.newaxis] + CONTEXT - FIRST
    parts = []
    for sound in (measures[:, :, :HEARD_BANDS], measures[:, :, HEARD_BANDS:]):
        rows = sound[:, index].reshape(len(measures) * PLACES.size, -1)
        parts.append(rows - rows.mean(axis=1, keepdims=True))
    return np.concatenate(parts, axis=1)


def place_hits(samples: Samples, envelope: Envelope, about_s: Array, network: Network) -> Array:
    """The onset of every matched candidate, seconds."""
    if not about_s.size:
        return about_s
    measures = measure_places(samples, about_s)
    parts = [network.outputs(around_places(measures[k : k + ROWS]))[:, 0] for k in range(0, about_s.size, ROWS)]
    scores = np.concatenate(parts).reshape(-1, PLACES.size)
    chances = np.exp(scores - scores.max(axis=1, keepdims=True))
    chances /= chances.sum(axis=1, keepdims=True)
    summed = np.cumsum(np.pad(chances, ((0, 0), (2, 1))), axis=1)
    near = summed[:, 3:] - summed[:, :-3]
    best_s = PLACES_S[np.argmax(near, axis=1)]
    moved = np.abs(best_s) > KEEP_S
    out = np.array(about_s)
    out[moved] = attack_near(envelope, about_s[moved] + best_s[moved], reach_s=KEEP_S)
    return out

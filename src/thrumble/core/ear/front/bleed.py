"""What kept time for the player and got back into the recording: out of loudspeakers or headphones
into the microphone. It is known sample by sample; only the way it took is not. That way is a short
filter, found by least squares and taken out, if it is really there.
"""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from thrumble.core.ear.front.conditioning import RUMBLE_HZ, WORK_RATE_HZ, Conditioned
from thrumble.core.signal import Samples, filtered, high_pass
from thrumble.core.transforms import irfft, rfft

BLOCK = 1 << 15  # 1.5 s: the lag looked for has to fit
SIZE = 2 * BLOCK
LAG_S = (-0.02, 0.7)  # from what was meant to sound to what came back
BEFORE_S, TAPS_S, FADE_S = 0.015, 0.09, 0.012
LOW_HZ = 110.0  # under it nothing gets back, and a bass drum is like any low string
EVEN_S = 0.25  # loud playing counts no more than soft, over stretches so long
SMOOTH_HZ = 150.0
FOLDS = 4
PASSES = 3
RIDGES = (1e-4, 1e-3, 1e-2, 1e-1)
STANDS_OUT = 9.0  # times the usual answer; without bleed some 7
MIN_SHARE = 2e-4  # of the take's power that the way found must explain where it was not fitted
LEFT_OVER = 0.03  # of its power that what came back may leave behind, and be nothing else
LOOK_S = (-0.001, 0.014)
NOBODY = 0.01  # of its power is left where nobody played at all
EARLY_S = 0.017  # the filter rings so long before what came back, where it does not quite fit
SHARP_HZ = 900.0  # under it what was struck before rings on


@dataclass(frozen=True, slots=True)
class Bleed:
    """What came back, as it lies in the recording. Shape (n,), at the working rate."""

    samples: Samples

    def explains(self, rest: Samples, times_s: NDArray[np.float64]) -> NDArray[np.bool_]:
        """Which moments of what is left hold nothing but its remains. `rest`: the recording without
        it; `times_s`: shape (m,).
        """
        energy = _energy(self.samples, times_s + LOOK_S[0], times_s + LOOK_S[1] + EARLY_S)
        left = _energy(rest, times_s + LOOK_S[0], times_s + LOOK_S[1])
        return np.asarray((energy > 1e-9) & (left < LEFT_OVER * energy))


def without_bleed(
    conditioned: Conditioned, accompaniment: Samples
) -> tuple[Conditioned, Bleed | None]:
    """The take without what kept time for it, and that as it was found; the same take and None
    if there is no trace of it.

    along : what was meant to sound, in file time, shape (n,), any length.
    """
    size = conditioned.samples.size
    reference = np.zeros(size, dtype=np.float32)
    reference[: min(size, accompaniment.size)] = accompaniment[:size]
    if conditioned.silent or not reference.any():
        return conditioned, None
    reference = filtered(
        reference, WORK_RATE_HZ, high_pass(RUMBLE_HZ)
    )  # as the take was conditioned
    lag = _lag(conditioned.samples, reference)
    if lag is None:
        return conditioned, None
    reference = _shifted(reference, lag)
    bleed: Samples | None = None
    ridge: float | None = None
    for _ in range(PASSES):
        rest = conditioned.samples if bleed is None else conditioned.samples - bleed
        way = _estimate_response(conditioned.samples, reference, rest, ridge)
        if way is None:
            break
        ridge = way.ridge
        bleed = _convolved(reference, way.taps)
    if bleed is None:
        return conditioned, None
    rest = conditioned.samples - bleed
    nobody = float(rest @ rest) < NOBODY * float(conditioned.samples @ conditioned.samples)
    return replace(conditioned, samples=rest, silent=nobody), Bleed(bleed)


@dataclass(frozen=True, slots=True)
class _ImpulseResponse:
    """A filter, and how hard it was held down in the fit."""

    taps: NDArray[np.float64]
    ridge: float


def _estimate_response(
    samples: Samples, reference: Samples, rest: Samples, ridge: float | None
) -> _ImpulseResponse | None:
    """The way from what was meant, moved to where its answer begins, to what came back; None if
    it explains nothing that it was not fitted to.

    rest : the guitar alone as far as it is known. When and where it is loud, the recording speaks
    less for the way. `ridge`: from an earlier pass, None to find it.
    """
    recorded, other, guitar = (_high_passed(x) for x in (samples, reference, rest))
    weight = _whitened(guitar)
    powers, products, spectra = _spectra(recorded * weight, other * weight, guitar * weight)
    loud = _smoothed(spectra.sum(axis=0))
    powers, products, energies = powers / loud, products / loud, (spectra / loud).sum(axis=1)
    taps = round(TAPS_S * WORK_RATE_HZ)
    autos, crosses = irfft(powers, SIZE)[:, :taps], irfft(products, SIZE)[:, :taps]
    if ridge is None:
        ridge = _ridge(autos, crosses, MIN_SHARE * float(energies.sum()) * 2 / SIZE)
    if ridge is None:
        return None
    fitted = _fitted(autos.sum(axis=0), crosses.sum(axis=0), ridge)
    return _ImpulseResponse(fitted * _fade_window(taps), ridge)


def _fade_window(taps: int) -> NDArray[np.float64]:
    """The filter's ends come and go softly: what does not fit shall make no edge."""
    n = round(FADE_S * WORK_RATE_HZ)
    ends = 0.5 - 0.5 * np.cos(np.pi * (np.arange(n) + 0.5) / n)
    return np.concatenate([ends, np.ones(taps - 2 * n), ends[::-1]])


def _high_passed(samples: Samples) -> Samples:
    return filtered(samples, WORK_RATE_HZ, high_pass(LOW_HZ))


def _ridge(autos: NDArray[np.float64], crosses: NDArray[np.float64], least: float) -> float | None:
    """The ridge whose filters explain most where they were not fitted; None if that is less than
    `least`, or comes from one fold alone.
    """
    worth = {}
    for ridge in RIDGES:
        gains = _held_out(autos, crosses, ridge)
        if (gains > 0).sum() >= min(2, gains.size):
            worth[ridge] = float(gains.sum())
    best = max(worth, key=worth.__getitem__, default=None)
    return best if best is not None and worth[best] > least else None


def _whitened(samples: Samples) -> Samples:
    """A gain for every sample, shape (n,), that brings loud and soft stretches to one level."""
    n = round(EVEN_S * WORK_RATE_HZ)
    total = np.concatenate([[0.0], np.cumsum(np.square(samples, dtype=np.float64))])
    edges = np.arange(samples.size)
    low, high = np.maximum(edges - n, 0), np.minimum(edges + n, samples.size)
    power = (total[high] - total[low]) / (high - low)
    floor = 1e-4 * float(total[-1]) / max(1, samples.size)
    return np.asarray(1 / np.sqrt(power + floor + 1e-12), dtype=np.float32)


def _spectra(
    recorded: Samples, other: Samples, guitar: Samples
) -> tuple[NDArray[np.float64], NDArray[np.complex128], NDArray[np.float64]]:
    """Of each fold: power spectrum of what was meant, its product with the recording's, and the
    guitar's power spectrum. A block of the one is held against all that follows within the lag.
    """
    powers = np.zeros((FOLDS, SIZE // 2 + 1))
    products = np.zeros((FOLDS, SIZE // 2 + 1), dtype=np.complex128)
    spectra = np.zeros((FOLDS, SIZE // 2 + 1))
    step = min(BLOCK, max(BLOCK // 8, recorded.size // (2 * FOLDS)))
    early = round(-LAG_S[0] * WORK_RATE_HZ)
    for number, start in enumerate(range(0, recorded.size, step)):
        begin = max(0, start - early)
        sent = np.zeros(SIZE, dtype=np.float32)
        piece = other[start : start + step]
        sent[start - begin : start - begin + piece.size] = piece
        a, b = rfft(sent, SIZE), rfft(recorded[begin : begin + SIZE - step], SIZE)
        fold = number % FOLDS
        c = b if guitar is recorded else rfft(guitar[begin : begin + SIZE - step], SIZE)
        powers[fold] += np.abs(a) ** 2
        products[fold] += np.conj(a) * b
        spectra[fold] += np.abs(c) ** 2
    return powers, products, spectra


def _smoothed(power: NDArray[np.float64]) -> NDArray[np.float64]:
    """A power spectrum over a third of a kilohertz, never under a ten thousandth of its mean."""
    n = round(SMOOTH_HZ * SIZE / WORK_RATE_HZ)
    total = np.concatenate([[0.0], np.cumsum(power)])
    places = np.arange(power.size)
    low, high = np.maximum(places - n, 0), np.minimum(places + n, power.size)
    return np.asarray((total[high] - total[low]) / (high - low) + 1e-4 * power.mean())


def _lag(samples: Samples, reference: Samples) -> int | None:
    """Where the way back begins, samples: just before the sharpest answer; None if none stands
    out.
    """
    recorded = _high_passed(samples)
    weight = _whitened(recorded)
    even = recorded * weight
    powers, products, spectra = _spectra(even, _high_passed(reference) * weight, even)
    loud = _smoothed(spectra.sum(axis=0))
    power, product = powers.sum(axis=0) / loud, products.sum(axis=0) / loud
    answer = irfft(product / (power + 0.01 * power.mean()), SIZE)
    low, high = (round(lag * WORK_RATE_HZ) for lag in LAG_S)
    window = np.abs(np.concatenate([answer[low:], answer[:high]]))
    if window.max() < STANDS_OUT * np.median(window):
        return None
    return low + int(window.argmax()) - round(BEFORE_S * WORK_RATE_HZ)


def _shifted(samples: Samples, by: int) -> Samples:
    """The signal delayed by so many samples (advanced if negative), its length unchanged."""
    out = np.zeros_like(samples)
    if by >= 0:
        out[by:] = samples[: samples.size - by]
    else:
        out[:by] = samples[-by:]
    return out


def _fitted(
    auto: NDArray[np.float64], cross: NDArray[np.float64], ridge: float
) -> NDArray[np.float64]:
    from scipy.linalg import solve_toeplitz  # slow to import, and seldom needed

    column = auto.astype(np.float64)
    column[0] *= 1 + ridge
    return np.asarray(solve_toeplitz(column + 0.0, cross.astype(np.float64)))


def _held_out(
    autos: NDArray[np.float64], crosses: NDArray[np.float64], ridge: float
) -> NDArray[np.float64]:
    """By how much the energy of each fold falls with the filter that the other folds give."""
    gains = []
    for fold in range(FOLDS):
        others = np.arange(FOLDS) != fold
        if autos[others, 0].sum() <= 0 or autos[fold, 0] <= 0:
            continue
        taps = _fitted(autos[others].sum(axis=0), crosses[others].sum(axis=0), ridge)
        size = 1 << (2 * taps.size).bit_length()
        spectrum = rfft(taps, size)
        lags = irfft(np.abs(spectrum) ** 2, size)[: taps.size]
        energy = lags[0] * autos[fold, 0] + 2 * float(lags[1:] @ autos[fold, 1:])
        gains.append(2 * float(taps @ crosses[fold]) - energy)
    return np.array(gains)


def _convolved(reference: Samples, taps: NDArray[np.float64]) -> Samples:
    """The reference signal filtered by the estimated path, its length unchanged."""
    spectrum = rfft(taps.astype(np.float32), SIZE)
    out = np.zeros(reference.size + SIZE, dtype=np.float32)
    for start in range(0, reference.size, BLOCK):
        piece = reference[start : start + BLOCK]
        if piece.any():
            out[start : start + SIZE] += irfft(rfft(piece, SIZE) * spectrum, SIZE)
    return out[: reference.size]


def _energy(
    samples: Samples, first_s: NDArray[np.float64], end_s: NDArray[np.float64]
) -> NDArray[np.float64]:
    """The energy of the sound's sharp attacks over time spans, clipped to the sound's ends."""
    sharp = filtered(samples, WORK_RATE_HZ, high_pass(SHARP_HZ))
    total = np.concatenate([[0.0], np.cumsum(np.square(sharp, dtype=np.float64))])
    first, end = (
        np.clip(np.round(edge * WORK_RATE_HZ).astype(int), 0, total.size - 1)
        for edge in (first_s, end_s)
    )
    return np.asarray(total[end] - total[first])

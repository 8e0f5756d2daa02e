"""An echo in the sound itself: a delay pedal's repeats, or a slap. Where everything comes again
after the same time, however soft, that lag stands out once the sound is made white; the filter that
each repeat went through is found by least squares, and the repeats are taken out before anything is
listened to.
"""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from thrumble.core.ear.front.conditioning import WORK_RATE_HZ, Conditioned
from thrumble.core.signal import Samples, filtered, high_pass
from thrumble.core.transforms import irfft, next_fast_len, rfft

Array = NDArray[np.float64]
Repeat = tuple[int, Samples]  # from how many samples later on, and through which filter

FRAME, ORDER = 1024, 32  # samples over which a sound stays as it is; of the prediction
SIZE = 1152  # of transforms: a frame, its past and what the prediction adds
LAGS_S = (0.045, 0.6)  # sooner is one sound with its hit, later is rarely set
MIN_S = 2.0  # a shorter take does not say what comes again
LOOK_S, FIT_S = 30.0, 40.0  # of a take looked through for a lag; that filters are fitted to
LOW_HZ = 300.0  # the lag is looked for above: lower partials of one note all look alike
MIN = 0.04  # of the white sound that must come again
CLEAR = 1.9  # times the next lag's share; of takes without an echo nineteen in twenty are under 1.5
BESIDE_S = 0.002  # about a lag, its half and its multiples nothing counts as another one
BEATS = 0.7  # what comes after two lags nearly as much as after one is a click's beat, no echo
REPEATS = 3
TAPS = (-4, 14)  # the filter's reach about a repeat, samples: pedals dull by no more than that
RIDGE = 0.01
PASSES, ROUNDS = 3, 4  # the filters fitted anew; the repeats' own repeats taken back
FAINTEST = 0.5  # of the share that comes again
SURE = 0.02  # of a frame's power is never explained: what is far softer counts for no more
SOFT = 1e-3  # of the mean power: what is softer counts for less than the rest, silence for nothing
FLOOR = 1e-5  # of noise, so that silence can be made white


def without_echo_effect(conditioned: Conditioned) -> tuple[Conditioned, float | None]:
    """The take without an echo's repeats, and the echo's lag in seconds; the same take and None
    if none is heard.
    """
    if conditioned.silent or conditioned.samples.size < MIN_S * WORK_RATE_HZ:
        return conditioned, None
    echo = _find(_middle(conditioned.samples, LOOK_S))
    if echo is None:
        return conditioned, None
    lag, share = echo
    repeats = _estimate_repeats(_middle(conditioned.samples, FIT_S), lag, share)
    return replace(
        conditioned, samples=_without_repeats(conditioned.samples, repeats)
    ), lag / WORK_RATE_HZ


def _middle(samples: Samples, most_s: float) -> Samples:
    """At most `most_s` seconds from the middle of a take: an echo pedal stays on all along."""
    size = round(most_s * WORK_RATE_HZ)
    begin = max(0, samples.size - size) // 2
    return samples[begin : begin + size]


def _find(samples: Samples) -> tuple[int, float] | None:
    """The echo's lag in samples and its correlation in the whitened sound; None if no lag stands
    out.
    """
    white = _Whitened(filtered(samples, WORK_RATE_HZ, high_pass(LOW_HZ)))
    low, high = (round(lag * WORK_RATE_HZ) for lag in LAGS_S)
    whitened = (white.own * _evenly(_power(white.own))).ravel()
    correlation = np.abs(_autocorrelation(whitened, 2 * high + 1))
    inside = correlation[:high].copy()
    inside[:low] = 0
    best = int(np.argmax(inside))
    reach = round(BESIDE_S * WORK_RATE_HZ)
    others = inside.copy()
    for place in (best, 2 * best, best // 2, 3 * best):
        others[max(0, place - reach) : place + reach + 1] = 0
    again = correlation[2 * best - reach : 2 * best + reach + 1].max()
    if inside[best] < max(MIN, CLEAR * others.max()) or again > BEATS * inside[best]:
        return None
    return best, float(inside[best])


class _Whitened:
    """A sound's own prediction, frame by frame, and what it leaves of other sounds: what is alike
    in both stays alike, what goes on by itself vanishes.
    """

    def __init__(self, samples: Samples) -> None:
        frames = samples.size // FRAME
        noise = np.random.default_rng(0).standard_normal(frames * FRAME) * FLOOR
        samples = samples[: frames * FRAME] + noise.astype(np.float32)
        window = np.hanning(FRAME).astype(np.float32)
        powers = np.abs(rfft(samples.reshape(frames, FRAME) * window, SIZE)) ** 2
        predictors = _predictors(irfft(powers, SIZE)[:, : ORDER + 1].astype(np.float64))
        self._spectra = rfft(predictors.astype(np.float32), SIZE)
        self.own = self.rest(samples)

    def rest(self, samples: Samples) -> Samples:
        """The residual of another sound under this sound's prediction; shape (frames, FRAME)."""
        size = self._spectra.shape[0] * FRAME
        padded = np.concatenate([np.zeros(ORDER, np.float32), samples[:size]])
        rows = np.lib.stride_tricks.sliding_window_view(padded, FRAME + ORDER)[::FRAME]
        out = irfft(rfft(rows, SIZE) * self._spectra, SIZE)
        return np.asarray(out[:, ORDER : ORDER + FRAME])


def _evenly(power: Array) -> NDArray[np.float32]:
    """What brings frames of such powers, shape (frames, 1), to one level, all but the soft ones."""
    return np.asarray(1 / np.sqrt(power + SOFT * power.mean() + FLOOR**2), dtype=np.float32)


def _power(rows: Samples) -> Array:
    return np.asarray(np.mean(rows**2, axis=1, keepdims=True), dtype=np.float64)


def _predictors(autos: Array) -> Array:
    """What to take of each sample's past so that nothing predictable is left, one first; from rows
    of autocorrelations by Levinson's recursion. Shape (frames, ORDER + 1), as `autos`.
    """
    autos = autos.copy()
    autos[:, 0] = autos[:, 0] * 1.0005 + 1e-7
    out = np.zeros_like(autos)
    out[:, 0] = 1
    error = autos[:, 0].copy()
    for k in range(1, ORDER + 1):
        reflected = -np.einsum("ij,ij->i", out[:, :k], autos[:, k:0:-1]) / error
        out[:, 1 : k + 1] += reflected[:, np.newaxis] * out[:, :k][:, ::-1]
        error *= 1 - reflected**2
    return out


def _estimate_repeats(samples: Samples, lag: int, share: float) -> list[Repeat]:
    """The repeats at a lag and its multiples: filters are fitted to what is left of the echo, and
    their work is undone, by turns. Frames far softer than an echo of what sounded a lag before
    would be have no say: that was a repeat itself, and comes no more.
    """
    white = _Whitened(samples)
    own_power = _power(white.own)
    dry, repeats = samples, list[Repeat]()
    for turn in range(PASSES):
        rest, repeats = white.own, []
        for number in range(1, (1 if turn == 0 else REPEATS) + 1):
            begin = number * lag + TAPS[0]
            source = white.rest(_delayed(dry, begin))
            sent = _power(source)
            telling = own_power > (FAINTEST * share) ** 2 * sent
            even = _evenly(own_power + SURE * sent) * telling
            taps = _fitted((rest * even).ravel(), (source * even).ravel())
            repeats.append((begin, taps))
            rest = rest - _filtered_by(source.ravel(), taps).reshape(rest.shape)
        if turn < PASSES - 1:
            dry = _without_repeats(samples, repeats)
    return repeats


def _without_repeats(samples: Samples, repeats: list[Repeat]) -> Samples:
    """The sound without its repeats, and without theirs."""
    dry = samples
    for _ in range(ROUNDS):
        wet = sum(_delayed(_filtered_by(dry, taps), begin) for begin, taps in repeats)
        dry = np.asarray(samples - wet, dtype=np.float32)
    return dry


def _fitted(target: Samples, source: Samples) -> Samples:
    """The filter through which a sound comes nearest to another."""
    from scipy.linalg import solve_toeplitz  # slow to import, and seldom needed

    size = TAPS[1] - TAPS[0]
    column = _cross_correlation(source, source, size)
    column[0] *= 1 + RIDGE
    if column[0] <= 0:
        return np.zeros(size, dtype=np.float32)
    return np.asarray(
        solve_toeplitz(column, _cross_correlation(target, source, size)), dtype=np.float32
    )


def _delayed(samples: Samples, by: int) -> Samples:
    """The sound delayed by so many samples, its length unchanged."""
    out = np.zeros_like(samples)
    if by < samples.size:
        out[by:] = samples[: samples.size - by]
    return out


def _filtered_by(samples: Samples, taps: Samples) -> Samples:
    """The sound through a short filter, as long as before."""
    return np.asarray(np.convolve(samples, taps)[: samples.size], dtype=np.float32)


def _cross_correlation(late: Samples, early: Samples, lags: int) -> Array:
    """How alike a sound is to another 0 to `lags` - 1 samples before; shape (lags,)."""
    size = early.size
    return np.array([float(late[k:] @ early[: size - k]) for k in range(lags)])


def _autocorrelation(samples: Samples, lags: int) -> Array:
    """How alike a sound is to itself 0 to `lags` - 1 samples before, as shares; shape (lags,)."""
    size = next_fast_len(samples.size + lags)
    products = irfft(np.abs(rfft(samples, size)) ** 2, size)[:lags].astype(np.float64)
    return np.asarray(products / max(1e-12, products[0]))

"""The take's spectrum over time: log band levels at a hop of 2 ms, from a short window for
attacks.
"""

import itertools
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from thrumble.core.ear.front.conditioning import WORK_RATE_HZ
from thrumble.core.signal import Samples
from thrumble.core.transforms import rfft

HOP = 44  # samples, 1.995 ms
WINDOW = 512  # samples, 23 ms
FLOOR_DB = -70.0  # below the loudest frame of the band-passed take, levels are noise
BAND_EDGES_HZ = np.geomspace(70, 10500, 37)
BLOCK = 4096  # frames at a time: bounds memory
TRANSFORMED = (
    128  # frames a transform at a time: they stay in the processor's cache, which halves the time
)
HOP_S = HOP / WORK_RATE_HZ

Matrix = NDArray[np.float32]


@dataclass(frozen=True, slots=True)
class Bands:
    """Band power in dB, shape (frames, bands), float32; frame k is centred at k * HOP samples."""

    level_db: Matrix


def band_matrix(size: int, edges_hz: NDArray[np.float64], rate_hz: float = WORK_RATE_HZ) -> Matrix:
    """Power weights of every bin of a transform of `size` in every band, shape (bins, bands); a
    band narrower than a bin takes the nearest.
    """
    freq_hz = np.fft.rfftfreq(size, 1 / rate_hz)
    weights = np.zeros((freq_hz.size, edges_hz.size - 1), dtype=np.float32)
    for k, (low, high) in enumerate(itertools.pairwise(edges_hz)):
        inside = (freq_hz >= low) & (freq_hz < high)
        if not inside.any():
            inside[np.argmin(np.abs(freq_hz - np.sqrt(low * high)))] = True
        weights[inside, k] = 1.0 / inside.sum()
    return weights


def bands_of(samples: Samples) -> Bands:
    """Band levels of a conditioned take. At least one frame. Samples of shape (n,); levels of shape
    (frames, bands), a frame every HOP_S.
    """
    window = np.hanning(WINDOW + 2)[1:-1].astype(np.float32)
    weights = np.repeat(
        band_matrix(WINDOW, BAND_EDGES_HZ), 2, axis=0
    )  # the same for the two parts of every complex bin
    padded = np.concatenate(
        [np.zeros(WINDOW // 2, np.float32), samples, np.zeros(WINDOW, np.float32)]
    )
    frames = np.lib.stride_tricks.sliding_window_view(padded, WINDOW)[::HOP]
    count = samples.size // HOP + 1
    out = np.empty((count, weights.shape[1]), dtype=np.float32)
    for start in range(0, count, TRANSFORMED):
        parts = rfft(frames[start : min(start + TRANSFORMED, count)] * window).view(np.float32)
        np.square(parts, out=parts)
        out[start : start + TRANSFORMED] = parts @ weights
    out += np.float32(1e-12)
    np.log10(out, out=out)
    out *= 10
    np.maximum(out, np.float32(out.max() + FLOOR_DB), out=out)
    return Bands(out)


def grouped_power(bands: Bands, groups: list[NDArray[np.bool_]]) -> NDArray[np.float64]:
    """Linear power of groups of bands, shape (frames, groups); worked out in blocks, for the linear
    whole would be twice the bands.
    """
    out = np.empty((bands.level_db.shape[0], len(groups)))
    for start in range(0, out.shape[0], BLOCK):
        power = np.exp(bands.level_db[start : start + BLOCK] * np.float32(np.log(10) / 10))
        for k, group in enumerate(groups):
            out[start : start + BLOCK, k] = power[:, group].sum(axis=1, dtype=np.float64)
    return out

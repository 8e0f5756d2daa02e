"""From whatever was recorded to one clean mono signal at the ear's own rate, and what was noticed on the way."""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
import soxr
from numpy.typing import NDArray

from thrumble.core.errors import BadAudio
from thrumble.core.signal import Samples, filtered, high_pass

WORK_RATE_HZ = 22050  # attacks, partials to 11 kHz and tenths of a millisecond are all still there
RATES_HZ = (8000, 192000)
MAX_S = 600.0
QUIET_CHANNEL_DB = 30.0  # a channel this far under the loudest carries no guitar
FULL_SCALE = 0.999
CLIP_RUN = 3
RUMBLE_HZ = 35.0
BLOCK = 1 << 20


@dataclass(frozen=True, slots=True, kw_only=True)
class Heard:
    """A conditioned take. `samples` at WORK_RATE_HZ, peak 1 unless silent; `gain_db` brings them back to the file's level."""

    samples: Samples
    gain_db: float
    duration_s: float
    clipped_share: float  # samples in full-scale runs of three or more
    silent: bool


def condition(samples: NDArray[np.floating], rate_hz: int) -> Heard:
    """Mixes the live channels, removes DC and rumble, resamples and brings to a common level.

    samples : floats, shape (n,) or (n, channels), nominally in [-1, 1].
    Raises BadAudio if they are not finite, have another shape, are longer than ten minutes or have a rate outside 8 to 192 kHz.
    """
    if samples.ndim not in (1, 2) or samples.size == 0:
        raise BadAudio("there is no sound in this take: the file holds not a single sample")
    if not RATES_HZ[0] <= rate_hz <= RATES_HZ[1]:
        raise BadAudio(f"a sample rate of {rate_hz} Hz cannot be read: save it with 8000 to 192000 Hz")
    duration_s = samples.shape[0] / rate_hz
    if duration_s > MAX_S + 1:
        raise BadAudio(f"this take lasts {duration_s / 60:.0f} minutes: cut it to ten at most")
    if not all(np.isfinite(samples[start : start + BLOCK]).all() for start in range(0, samples.shape[0], BLOCK)):
        raise BadAudio("this take holds samples that are not numbers (NaN or infinite): export it again")
    channels = samples[:, np.newaxis] if samples.ndim == 1 else samples
    clipped = max(_clipped_share(channels[:, c]) for c in range(channels.shape[1]))
    mono = _live_mix(channels)
    mono = mono - np.float32(mono.mean(dtype=np.float64))  # before resampling: at the file's ends a constant would ring
    if rate_hz != WORK_RATE_HZ:
        mono = np.asarray(soxr.resample(mono, rate_hz, WORK_RATE_HZ), dtype=np.float32)
    mono = filtered(mono, WORK_RATE_HZ, high_pass(RUMBLE_HZ))
    loudest = max(float(mono.max(initial=0.0)), -float(mono.min(initial=0.0)))
    silent = loudest < 1e-4  # -80 dBFS: below any microphone's noise that a guitar would rise from
    if not silent:
        mono /= np.float32(loudest)
    return Heard(
        samples=mono, gain_db=20 * float(np.log10(max(loudest, 1e-10))), duration_s=duration_s, clipped_share=clipped, silent=silent
    )


def _live_mix(channels: NDArray[np.floating]) -> Samples:
    """The mean of the channels that carry sound; channels of opposite phase are turned to the first."""
    if channels.shape[1] == 1:
        return np.asarray(channels[:, 0], dtype=np.float32)
    levels = [_deviation(channels[:, c]) for c in range(channels.shape[1])]
    live = [c for c, level in enumerate(levels) if level > max(levels) * 10 ** (-QUIET_CHANNEL_DB / 20)] or [0]
    first = np.asarray(channels[:, live[0]], dtype=np.float32)
    if len(live) == 1:
        return first
    mix = first.copy()
    for c in live[1:]:
        other = np.asarray(channels[:, c], dtype=np.float32)
        mix += other if float(np.vdot(first, other)) >= 0 else -other
    return mix / np.float32(len(live))


def _blocks(channel: NDArray[np.floating]) -> Iterator[NDArray[np.floating]]:
    """The channel in pieces: ten minutes of temporaries are never made at once."""
    for start in range(0, channel.size, BLOCK):
        yield channel[start : start + BLOCK]


def _deviation(channel: NDArray[np.floating]) -> float:
    """Standard deviation."""
    total = sum(float(part.sum(dtype=np.float64)) for part in _blocks(channel))
    power = sum(float(np.square(part, dtype=np.float64).sum()) for part in _blocks(channel))
    return float(np.sqrt(max(0.0, power / channel.size - (total / channel.size) ** 2)))


def _clipped_share(channel: NDArray[np.floating]) -> float:
    """Share of samples in runs of three or more at full scale."""
    count = 0
    for part in _blocks(channel):
        full = np.abs(part) >= FULL_SCALE
        if full.any():
            edges = np.flatnonzero(np.diff(np.concatenate([[0], full.astype(np.int8), [0]])))
            runs = edges[1::2] - edges[::2]
            count += int(runs[runs >= CLIP_RUN].sum())
    return count / channel.size

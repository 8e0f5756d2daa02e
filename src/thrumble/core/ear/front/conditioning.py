"""From whatever was recorded to one clean mono signal at the ear's own rate, and what was noticed
on the way.

A recording is gone through block by block, twice: its channels are surveyed, then mixed and
resampled. Ten minutes of eight channels cost
no more than the mono signal that comes out.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Protocol

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
MIN = WORK_RATE_HZ // 5  # a shorter take is made so long with silence: all windows have room


@dataclass(frozen=True, slots=True, kw_only=True)
class Conditioned:
    """A conditioned take. `samples` at WORK_RATE_HZ, peak 1 unless silent; `gain_db` brings them
    back to the file's level.
    """

    samples: Samples
    gain_db: float
    duration_s: float
    clipped_share: float  # samples in full-scale runs of three or more
    silent: bool


class Recording(Protocol):
    """Sound that can be gone through again and again. `channels`: how many columns each block
    has.
    """

    @property
    def rate_hz(self) -> int: ...
    @property
    def channels(self) -> int: ...
    def blocks(self) -> Iterator[NDArray[np.floating]]:
        """The sound in order: floats, shape (n, channels), nominally in [-1, 1]."""
        ...


@dataclass(frozen=True, slots=True)
class InMemory:
    """A recording that is an array already. `columns`: floats, shape (n, channels)."""

    columns: NDArray[np.floating]
    rate_hz: int

    @property
    def channels(self) -> int:
        return int(self.columns.shape[1])

    def blocks(self) -> Iterator[NDArray[np.floating]]:
        for start in range(0, self.columns.shape[0], BLOCK):
            yield self.columns[start : start + BLOCK]


def in_memory(samples: NDArray[np.floating], rate_hz: int) -> InMemory:
    """Samples, shape (n,) or (n, channels), as a recording. Raises BadAudio for another shape, or
    none at all.
    """
    if samples.ndim not in (1, 2) or samples.size == 0:
        raise BadAudio("there is no sound in this take: the file holds not a single sample")
    return InMemory(samples[:, np.newaxis] if samples.ndim == 1 else samples, rate_hz)


def condition(samples: NDArray[np.floating], rate_hz: int) -> Conditioned:
    """`condition_recording` for samples at hand, shape (n,) or (n, channels)."""
    return condition_recording(in_memory(samples, rate_hz))


def condition_recording(
    recording: Recording, channels: tuple[int, ...] | None = None
) -> Conditioned:
    """Mixes the live channels, removes DC and rumble, resamples and brings to a common level.

    channels : those to use, counted from 0; all if None.
    Raises BadAudio if samples are not finite, there are none, or the recording is longer than ten
    minutes or has a rate outside 8 to 192 kHz.
    """
    rate_hz = recording.rate_hz
    if not RATES_HZ[0] <= rate_hz <= RATES_HZ[1]:
        raise BadAudio(
            f"a sample rate of {rate_hz} Hz cannot be read: save it with 8000 to 192000 Hz"
        )
    used = list(range(recording.channels) if channels is None else channels)
    survey = _survey(recording, used)
    mono = _mixed(recording, survey, used)
    mono = filtered(mono, WORK_RATE_HZ, high_pass(RUMBLE_HZ))
    loudest = max(float(mono.max(initial=0.0)), -float(mono.min(initial=0.0)))
    silent = loudest < 1e-4  # -80 dBFS: below any microphone's noise that a guitar would rise from
    if not silent:
        mono /= np.float32(loudest)
    return Conditioned(
        samples=mono,
        gain_db=20 * float(np.log10(max(loudest, 1e-10))),
        duration_s=survey.frames / rate_hz,
        clipped_share=float(survey.clipped.max()) / survey.frames,
        silent=silent,
    )


@dataclass(frozen=True, slots=True)
class _Survey:
    """Of the channels used: sums, products of each with each, and clipped samples."""

    frames: int
    sums: NDArray[np.float64]
    products: NDArray[np.float64]
    clipped: NDArray[np.int64]

    def signs(self) -> list[int]:
        """For each channel 0 if it carries no guitar, else 1, or -1 if its phase is opposite
        to the first live one's.
        """
        levels = np.sqrt(
            np.maximum(0.0, np.diag(self.products) / self.frames - (self.sums / self.frames) ** 2)
        )
        live = np.flatnonzero(levels > levels.max() * 10 ** (-QUIET_CHANNEL_DB / 20))
        first = int(live[0]) if live.size else 0
        signs = [1 if product >= 0 else -1 for product in self.products[first]]
        return [signs[c] if c in live or c == first else 0 for c in range(levels.size)]


def _survey(recording: Recording, used: list[int]) -> _Survey:
    count = len(used)
    frames, sums, products = 0, np.zeros(count), np.zeros((count, count))
    clipped = np.zeros(count, dtype=np.int64)
    for block in recording.blocks():
        columns = block[:, used]
        if not np.isfinite(columns).all():
            raise BadAudio(
                "this take holds samples that are not numbers (NaN or infinite): export it again"
            )
        frames += columns.shape[0]
        if frames > (MAX_S + 1) * recording.rate_hz:
            raise BadAudio(f"this take is longer than {MAX_S / 60:.0f} minutes: cut it to the riff")
        sums += columns.sum(axis=0, dtype=np.float64)
        for a in range(count):
            for b in range(a, count):
                products[a, b] += float(np.vdot(columns[:, a], columns[:, b]))
        clipped += [_clipped(columns[:, c]) for c in range(count)]
    if not frames:
        raise BadAudio("there is no sound in this take: the file holds not a single sample")
    return _Survey(frames, sums, products, clipped)


def _mixed(recording: Recording, survey: _Survey, used: list[int]) -> Samples:
    """The mean of the live channels at the working rate. DC goes before resampling: at the file's
    ends a constant would ring.
    """
    signs = survey.signs()
    live = [c for c, sign in enumerate(signs) if sign]
    constant = np.float32(sum(signs[c] * survey.sums[c] for c in live) / len(live) / survey.frames)
    stream = None
    if recording.rate_hz != WORK_RATE_HZ:
        stream = soxr.ResampleStream(recording.rate_hz, WORK_RATE_HZ, 1, dtype="float32")
    out = np.empty(
        -(-survey.frames * WORK_RATE_HZ // recording.rate_hz) + WORK_RATE_HZ, dtype=np.float32
    )
    filled = done = 0
    for block in recording.blocks():
        mix = np.array(block[:, used[live[0]]], dtype=np.float32)
        for c in live[1:]:
            mix += np.float32(signs[c]) * np.asarray(block[:, used[c]], dtype=np.float32)
        mix = mix / np.float32(len(live)) - constant
        done += mix.size
        piece = mix if stream is None else stream.resample_chunk(mix, last=done >= survey.frames)
        out[filled : filled + piece.size] = piece
        filled += piece.size
    if filled < MIN:
        return np.concatenate([out[:filled], np.zeros(MIN - filled, dtype=np.float32)])
    return out[:filled]


def _clipped(channel: NDArray[np.floating]) -> int:
    """Samples in runs of three or more at full scale."""
    full = np.abs(channel) >= FULL_SCALE
    if not full.any():
        return 0
    edges = np.flatnonzero(np.diff(np.concatenate([[0], full.astype(np.int8), [0]])))
    runs = edges[1::2] - edges[::2]
    return int(runs[runs >= CLIP_RUN].sum())

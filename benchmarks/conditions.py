"""What a recording may suffer: takes made worse in one way at a time, to be read against the same
truth.
"""

import io
from collections.abc import Callable
from dataclasses import replace

import numpy as np
import soundfile
import soxr

from benchmarks.cases import Take, simulated_take
from benchmarks.corpus import with_behind
from thrumble.formats.audio import read_audio

BEHIND_DB = -25.0  # of the guitar that sounds behind
Change = Callable[[np.ndarray, int, np.random.Generator], tuple[np.ndarray, int]]


def _loud(samples: np.ndarray) -> float:
    return float(np.sqrt(np.mean(np.square(samples, dtype=np.float64))))


def _noise(samples: np.ndarray, rate: int, rng: np.random.Generator) -> tuple[np.ndarray, int]:
    return samples + 0.01 * float(np.abs(samples).max()) * rng.standard_normal(samples.size), rate


def _hum(samples: np.ndarray, rate: int, rng: np.random.Generator) -> tuple[np.ndarray, int]:
    t = np.arange(samples.size) / rate
    hum = sum(np.sin(2 * np.pi * 50 * k * t + float(rng.uniform(0, 6))) / k for k in (1, 2, 3, 4))
    return samples + 0.1 * _loud(samples) * hum, rate


def _room(samples: np.ndarray, rate: int, rng: np.random.Generator) -> tuple[np.ndarray, int]:
    n = int(0.5 * rate)
    tail = rng.standard_normal(n) * 10 ** (-3 * np.arange(n) / (0.45 * rate))
    tail[: int(0.012 * rate)] = 0
    size = 1 << (samples.size + n).bit_length()
    wet = np.fft.irfft(np.fft.rfft(samples, size) * np.fft.rfft(tail, size), size)[: samples.size]
    return samples + wet * (0.25 * _loud(samples) / max(1e-9, _loud(wet))), rate


def _clipped(samples: np.ndarray, rate: int, _: np.random.Generator) -> tuple[np.ndarray, int]:
    top = float(np.percentile(np.abs(samples), 99.8))
    return np.clip(samples / top, -1, 1), rate


def _sneeze(samples: np.ndarray, rate: int, rng: np.random.Generator) -> tuple[np.ndarray, int]:
    out = samples.copy()
    at, n = samples.size // 2, int(0.4 * rate)
    burst = rng.standard_normal(n) * np.hanning(n) ** 0.5 * 0.5 * float(np.abs(samples).max())
    out[at : at + n] += burst[: out.size - at]
    return out, rate


def _other_guitar(
    samples: np.ndarray, rate: int, rng: np.random.Generator
) -> tuple[np.ndarray, int]:
    other = simulated_take(int(rng.integers(1000)), 77, sampled=False)
    return with_behind(samples, rate, other.samples, other.rate_hz, BEHIND_DB), rate


def _at_rate(new: int) -> Change:
    return lambda samples, rate, _: (soxr.resample(samples, rate, new), new)


def _coded(form: str, subtype: str) -> Change:
    def change(samples: np.ndarray, rate: int, _: np.random.Generator) -> tuple[np.ndarray, int]:
        file = io.BytesIO()
        target = 48000 if subtype == "OPUS" else rate
        soundfile.write(
            file,
            soxr.resample(samples, rate, target).astype(np.float32),
            target,
            format=form,
            subtype=subtype,
        )
        sound = read_audio(file.getvalue())
        return np.asarray(sound.samples).reshape(sound.samples.shape[0], -1)[:, 0], sound.rate_hz

    return change


CONDITIONS: dict[str, Change] = {
    "as recorded": lambda s, r, _: (s, r),
    "hum, 20 dB under the playing": _hum,
    "noise at -40 dB": _noise,
    "room, 12 dB under, 0.45 s": _room,
    "level 46 dB lower": lambda s, r, _: (s * 0.005, r),
    "mild clipping (0.2 % of samples)": _clipped,
    "8 kHz": _at_rate(8000),
    "16 kHz": _at_rate(16000),
    "96 kHz": _at_rate(96000),
    "192 kHz": _at_rate(192000),
    "two channels, one dead": lambda s, r, _: (np.stack([np.zeros_like(s), s], axis=1), r),
    "MP3": _coded("MP3", "MPEG_LAYER_III"),
    "Opus": _coded("OGG", "OPUS"),
    "Vorbis": _coded("OGG", "VORBIS"),
    "a sneeze in the middle": _sneeze,
    "another guitar 25 dB under": _other_guitar,
}


def worsened(take: Take, name: str) -> Take:
    """The take under one condition."""
    rng = np.random.default_rng([len(take.samples), len(name)])
    samples, rate = CONDITIONS[name](np.asarray(take.samples, dtype=np.float64), take.rate_hz, rng)
    return replace(take, samples=np.asarray(samples, dtype=np.float32), rate_hz=rate)

"""The input before a take: hum and its mains frequency, the noise floor, headroom, and whether a
gate cuts the tails.
"""

from dataclasses import dataclass

import numpy as np

from thrumble.core.errors import BadAudio
from thrumble.core.signal import Array, Samples, rms_db

MAINS_HZ = (50.0, 60.0)
HARMONICS = (1, 2, 3, 4, 5, 6)
HUM_CLEAR_DB = 10.0  # a harmonic over the noise around it
# Where the hardest chord should stand: loud enough, and room for a harder one.
WANTED_PEAK_DB = (-12.0, -6.0)
AIM_PEAK_DB = -9.0
CLIPPED_CHANGE_DB = -6.0  # the true peak is cut off: halve it and look again
CLIPPED = 0.999
MIN_S = 1.0
GATE_FALL_DB_PER_S = 600.0  # no string and no hand falls so fast from so low


@dataclass(frozen=True, slots=True, kw_only=True)
class Silence:
    """The input with nothing played. `hum_hz`: 50 or 60 if mains hum was found, else None;
    `hum_db`: its level under full scale.
    """

    floor_db: float
    hum_hz: float | None
    hum_db: float | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Loudness:
    """The input played hard. `gain_change_db`: what to turn the input by, None if it stands
    well; `gated`: tails are cut off.
    """

    peak_db: float
    clipped: bool
    headroom_db: float
    gain_change_db: float | None
    above_floor_db: float | None
    gated: bool
    gate_at_db: float | None


def measure_silence(samples: Samples, rate_hz: int) -> Silence:
    """Noise and hum of a second or more without playing. Raises BadAudio if it is shorter, or if
    something was played. Samples of shape (n,).
    """
    if samples.size < MIN_S * rate_hz:
        raise BadAudio("a second of silence at least is needed to measure the noise")
    blocks = _levels(samples, rate_hz, 0.05)
    if float(blocks.max()) - float(np.median(blocks)) > 25 and float(blocks.max()) > -50:
        raise BadAudio(
            "something was played: lay the hand on the strings and measure the silence again"
        )
    spectrum, freq_hz = _power_spectrum(samples, rate_hz)
    best: tuple[float, float, float] = (0.0, 0.0, -200.0)
    for mains in MAINS_HZ:
        clear, power = _hum(spectrum, freq_hz, mains)
        if clear > best[0]:
            best = (clear, mains, 10 * float(np.log10(power + 1e-20)))
    is_clear = best[0] > HUM_CLEAR_DB
    return Silence(
        floor_db=round(rms_db(samples), 1),
        hum_hz=best[1] if is_clear else None,
        hum_db=round(best[2], 1) if is_clear else None,
    )


def measure_loudness(samples: Samples, rate_hz: int, floor_db: float | None) -> Loudness:
    """Headroom and gain of a few seconds played hard, with the tails left to ring. Raises BadAudio
    if nothing was played. Samples of shape (n,).
    """
    if samples.size < MIN_S * rate_hz:
        raise BadAudio("a second of playing at least is needed to measure the level")
    peak = float(np.max(np.abs(samples), initial=0.0))
    peak_db = 20 * float(np.log10(peak + 1e-10))
    if peak_db < -70 or (floor_db is not None and peak_db < floor_db + 12):
        raise BadAudio(
            "nothing was heard over the noise: check the cable and the input, play hard, and "
            "measure again"
        )
    clipped = int(np.count_nonzero(np.abs(samples) >= CLIPPED)) >= 3
    low, high = WANTED_PEAK_DB
    change: float | None = None
    if clipped:
        change = CLIPPED_CHANGE_DB
    elif not low <= peak_db <= high:
        change = round(AIM_PEAK_DB - peak_db, 0)
    gate_at = _gate(samples, rate_hz)
    return Loudness(
        peak_db=round(peak_db, 1),
        clipped=clipped,
        headroom_db=round(-peak_db, 1),
        gain_change_db=change,
        above_floor_db=None if floor_db is None else round(peak_db - floor_db, 1),
        gated=gate_at is not None,
        gate_at_db=None if gate_at is None else round(gate_at, 1),
    )


def _levels(samples: Samples, rate_hz: int, block_s: float) -> Array:
    n = max(1, int(block_s * rate_hz))
    count = samples.size // n
    power = np.mean(np.square(samples[: count * n].reshape(count, n), dtype=np.float64), axis=1)
    return np.asarray(10 * np.log10(power + 1e-20))


def _power_spectrum(samples: Samples, rate_hz: int) -> tuple[Array, Array]:
    """Mean power per bin of one-second Hann windows, scaled so that a sine's bins sum to its mean
    square.
    """
    size = rate_hz
    window = np.hanning(size)
    pieces = [samples[k : k + size] for k in range(0, samples.size - size + 1, size // 2)]
    power = (
        np.mean([np.abs(np.fft.rfft(piece * window)) ** 2 for piece in pieces], axis=0)
        * 2
        / (size * np.sum(window**2))
    )
    return np.asarray(power), np.asarray(np.fft.rfftfreq(size, 1 / rate_hz))


def _hum(power: Array, freq_hz: Array, mains_hz: float) -> tuple[float, float]:
    """How clearly the harmonics of a mains frequency stand out, in dB (the third clearest, so that
    one whistle is no hum), and their power.
    """
    clear, total = [], 0.0
    for k in HARMONICS:
        near = np.abs(freq_hz - k * mains_hz) <= 2
        around = (np.abs(freq_hz - k * mains_hz) <= 9) & (np.abs(freq_hz - k * mains_hz) >= 4)
        clear.append(
            10 * float(np.log10((power[near].max() + 1e-20) / (np.median(power[around]) + 1e-20)))
        )
        total += float(power[near].sum())
    return sorted(clear)[-3], total


def _gate(samples: Samples, rate_hz: int) -> float | None:
    """The level, in dBFS, at which tails are cut off; None if they fade by themselves. A gate
    shows twice or more at about one level.
    """
    step_s = 0.005
    level = _levels(samples, rate_hz, step_s)
    top = float(level.max())
    cuts = []
    for k in range(8, level.size - 12):
        fell = (level[k] - level[k + 4]) / (4 * step_s)
        steady = float(level[k - 8 : k].mean()) - float(level[k])
        quiet_after = float(level[k + 6 : k + 12].max()) < level[k] - 18
        if fell > GATE_FALL_DB_PER_S and abs(steady) < 4 and quiet_after and level[k] < top - 12:
            cuts.append(float(level[k]))
    groups = [c for c in cuts if sum(abs(c - other) < 5 for other in cuts) >= 3]
    return float(np.median(groups)) if groups else None

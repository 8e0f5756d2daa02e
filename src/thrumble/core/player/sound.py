"""From strings to a recording: pickup, amplifier, cabinet, room, noise, hum. Three tones, each with
a spread of its own from take to take.
"""

from dataclasses import dataclass, replace
from enum import StrEnum
from typing import Protocol

import numpy as np
import soxr
from numpy.typing import NDArray

from thrumble.core.signal import Samples, filtered, high_pass, low_pass, peak


class Tone(StrEnum):
    """The player's tone setting."""

    CLEAN = "clean"
    CRUNCH = "crunch"
    HIGH_GAIN = "high-gain"


@dataclass(frozen=True, slots=True, kw_only=True)
class Setup:
    """One guitar, amplifier and room. Drawn once per take."""

    tone: Tone
    pickup_places: tuple[float, ...]  # of its coils from the bridge, shares of the string
    pickup_peak_hz: float
    pickup_q: float
    pre_high_pass_hz: float
    drive_db: float
    asymmetry: float
    speaker_low_hz: float
    speaker_high_hz: float
    presence_db: float
    room_level: float  # 0 is dry
    room_s: float
    scoop_db: float  # of the middle, before and after the drive
    tilt_db: float  # the recorder's or speaker's own colour, at 6 kHz against 150 Hz
    noise_db: float  # below the peak
    hum_db: float
    hum_hz: float
    gate_db: float | None = None  # noise gate threshold below the peak, None without
    gate_s: float = 0.03  # over which the gate looks
    compress: float = 0.0  # 0 none to 1 hard, before the amplifier
    wear: float = 0.0  # of the strings, 0 new to 1 dead
    stiffness: float = 0.0  # of the lowest string, B of its partials
    echo_s: float | None = None  # a delay that repeats what was played, None without
    echo_db: float = -12.0  # of the first repeat
    echo_again: float = 0.0  # of each repeat that comes round once more, linear
    cabinet: tuple[tuple[float, float, float], ...] = ()  # peaks and dips: Hz, dB, Q


class Amplifier(Protocol):
    """Anything that makes a recording of what the strings do."""

    def __call__(
        self, strings: Samples, setup: Setup, *, rate_hz: int, rng: np.random.Generator
    ) -> Samples:
        """The amplified and recorded sound of the strings, both of shape (frames,)."""


DRIVE_DB = {Tone.CLEAN: (-12.0, 0.0), Tone.CRUNCH: (12.0, 22.0), Tone.HIGH_GAIN: (32.0, 46.0)}


def draw_setup(tone: Tone, rng: np.random.Generator) -> Setup:
    """A random guitar, amplifier and room for a tone."""
    low, high = DRIVE_DB[tone]
    dry = rng.random() < 0.5
    place = float(rng.uniform(0.05, 0.24))
    gated = rng.random() < {Tone.CLEAN: 0.05, Tone.CRUNCH: 0.15, Tone.HIGH_GAIN: 0.45}[tone]
    return Setup(
        tone=tone,
        pickup_places=(place, place + 0.03) if rng.random() < 0.5 else (place,),
        pickup_peak_hz=float(rng.uniform(2200, 5200)),
        pickup_q=float(rng.uniform(0.7, 2.2)),
        pre_high_pass_hz=float(rng.uniform(40, 80) if tone is Tone.CLEAN else rng.uniform(70, 220)),
        drive_db=float(rng.uniform(low, high)),
        asymmetry=float(rng.uniform(0.0, 0.3)),
        speaker_low_hz=float(rng.uniform(60, 110)),
        speaker_high_hz=float(rng.uniform(3600, 6500)),
        presence_db=float(rng.uniform(-2, 6)),
        room_level=0.0 if dry else float(rng.uniform(0.03, 0.35)),
        room_s=float(rng.uniform(0.15, 0.9)),
        scoop_db=float(rng.uniform(-9, 2)),
        tilt_db=float(rng.uniform(-6, 4)),
        noise_db=float(rng.uniform(-75, -38)),
        hum_db=float(rng.uniform(-80, -48)),
        hum_hz=float(rng.choice([50.0, 60.0])),
        gate_db=float(rng.uniform(-52, -30)) if gated else None,
        gate_s=float(rng.uniform(0.008, 0.05)),
        compress=float(rng.uniform(0.2, 0.9)) if rng.random() < 0.3 else 0.0,
    )


def aged(setup: Setup, wear: float, rng: np.random.Generator) -> Setup:
    """The setup with strings so worn; their stiffness is drawn at random."""
    return replace(setup, wear=wear, stiffness=float(np.exp(rng.uniform(*np.log((1.5e-5, 9e-5))))))


SLAP_S, LATER_S = (0.07, 0.15), (0.22, 0.46)


def with_echo(setup: Setup, rng: np.random.Generator) -> Setup:
    """The same with a delay: mostly one short repeat, else longer ones that come round again."""
    slap = rng.random() < 0.7
    return replace(
        setup,
        echo_s=float(rng.uniform(*(SLAP_S if slap else LATER_S))),
        echo_db=float(rng.uniform(-20, -5) if slap else rng.uniform(-20, -9)),
        echo_again=float(rng.uniform(0, 0.25) if slap else rng.uniform(0.2, 0.5)),
    )


def with_cabinet(setup: Setup, rng: np.random.Generator) -> Setup:
    """The same through a speaker of more peaks and dips, as real ones have; more room, perhaps."""
    peaks = tuple(
        (float(hz), float(rng.normal(0, 4)), float(rng.uniform(0.8, 4)))
        for hz in np.exp(rng.uniform(np.log(120), np.log(5000), int(rng.integers(2, 7))))
    )
    roomy = rng.random() < 0.25
    return replace(
        setup,
        cabinet=peaks,
        room_level=float(rng.uniform(0.1, 0.6)) if roomy else setup.room_level,
        room_s=float(rng.uniform(0.3, 1.6)) if roomy else setup.room_s,
    )


def amplify(strings: Samples, setup: Setup, *, rate_hz: int, rng: np.random.Generator) -> Samples:
    """The recorded sound of the summed strings (peak about 1 for a hard chord). Same length. Shape
    (frames,).
    """
    sound = filtered(
        strings,
        rate_hz,
        low_pass(setup.pickup_peak_hz, q=setup.pickup_q),
        high_pass(setup.pre_high_pass_hz),
    )
    sound = sound / np.float32(max(1e-6, float(np.percentile(np.abs(sound), 99.9))))
    if setup.compress:
        sound = _compress(sound, setup.compress, rate_hz)
    sound = filtered(sound, rate_hz, peak(700, gain_db=setup.scoop_db / 2, q=0.6))
    if setup.tone is not Tone.CLEAN or setup.drive_db > -6:
        sound = _distort(sound, setup, rate_hz)
    sound = filtered(
        sound,
        rate_hz,
        high_pass(setup.speaker_low_hz),
        low_pass(setup.speaker_high_hz, q=0.9),
        low_pass(setup.speaker_high_hz * 1.2),
        peak(2200, gain_db=setup.presence_db, q=0.8),
        peak(700, gain_db=setup.scoop_db / 2, q=0.6),
        peak(6000, gain_db=setup.tilt_db / 2, q=0.4),
        peak(150, gain_db=-setup.tilt_db / 2, q=0.5),
    )
    if setup.gate_db is not None:
        sound = _gate(sound, setup.gate_db, setup.gate_s, rate_hz)
    if setup.cabinet:
        tuned = (peak(hz, gain_db=gain_db, q=q) for hz, gain_db, q in setup.cabinet)
        sound = filtered(sound, rate_hz, *tuned)
    if setup.echo_s is not None:
        sound = _echoed(sound, setup, rate_hz)
    if setup.room_level:
        sound = _room(sound, setup, rate_hz, rng)
    loud = max(1e-6, float(np.max(np.abs(sound))))
    hiss = rng.standard_normal(sound.size) * 10 ** (setup.noise_db / 20)
    hum = np.resize(_second_of_hum(setup.hum_hz, rate_hz), sound.size)
    return np.asarray(sound / loud + hiss + hum * 10 ** (setup.hum_db / 20), dtype=np.float32)


def _second_of_hum(hum_hz: float, rate_hz: int) -> NDArray[np.float64]:
    """The mains, whole cycles a second, and what it sounds like in an amplifier."""
    t = np.arange(rate_hz) / rate_hz
    tones = [np.sin(2 * np.pi * hum_hz * k * t + k) / k for k in (1, 2, 3, 5)]
    return np.asarray(np.sum(tones, axis=0), dtype=np.float64)


def _distort(sound: Samples, setup: Setup, rate_hz: int) -> Samples:
    """Soft clipping in one or two stages, four times oversampled so that the fold-back stays
    low.
    """
    up = soxr.resample(sound, rate_hz, 4 * rate_hz)
    drive = 10 ** (setup.drive_db / 20)
    if setup.tone is Tone.HIGH_GAIN:
        up = np.tanh(up * np.float32(np.sqrt(drive)) + np.float32(setup.asymmetry)) - np.float32(
            np.tanh(setup.asymmetry)
        )
        drive = np.sqrt(drive)
    up = np.tanh(up * np.float32(drive) + np.float32(setup.asymmetry)) - np.float32(
        np.tanh(setup.asymmetry)
    )
    down = soxr.resample(up, 4 * rate_hz, rate_hz)
    out = np.zeros(sound.size, dtype=np.float32)
    out[: min(down.size, sound.size)] = down[: sound.size]
    return out


def _envelope(sound: Samples, rate_hz: int, window_s: float) -> Samples:
    """Moving RMS, centred, same length."""
    half = max(1, int(window_s * rate_hz)) // 2
    power = np.cumsum(np.concatenate([[0.0], np.square(sound, dtype=np.float64)]))
    around = np.pad(power, half, mode="edge")
    index = np.arange(sound.size)
    count = np.minimum(sound.size, index + half + 1) - np.maximum(0, index - half)
    held = around[2 * half + 1 :] - around[: sound.size]
    return np.asarray(np.sqrt(held / count), dtype=np.float32)


def _compress(sound: Samples, amount: float, rate_hz: int) -> Samples:
    level = _envelope(sound, rate_hz, 0.02) + 1e-3
    return np.asarray(sound * (level / level.max()) ** (-0.6 * amount), dtype=np.float32)


def _gate(sound: Samples, threshold_db: float, window_s: float, rate_hz: int) -> Samples:
    level = _envelope(sound, rate_hz, window_s)
    opened = np.clip((20 * np.log10(level / level.max() + 1e-9) - threshold_db) / 6 + 0.5, 0, 1)
    return np.asarray(sound * opened, dtype=np.float32)


MAX_REPEATS = 4
ECHO_DULL_HZ = 3200  # a repeat is duller than what it repeats


def _echoed(sound: Samples, setup: Setup, rate_hz: int) -> Samples:
    """The sound and its repeats, all so far apart, each duller and weaker."""
    lag = round((setup.echo_s or 0.0) * rate_hz)
    out, repeat = sound.copy(), sound * np.float32(10 ** (setup.echo_db / 20))
    for k in range(1, MAX_REPEATS + 1):
        if k * lag >= sound.size:
            break
        repeat = filtered(repeat, rate_hz, low_pass(ECHO_DULL_HZ))
        out[k * lag :] += repeat[: sound.size - k * lag]
        if not setup.echo_again:
            break
        repeat = repeat * np.float32(setup.echo_again)
    return out


def _room(sound: Samples, setup: Setup, rate_hz: int, rng: np.random.Generator) -> Samples:
    """Dry sound and a decaying noise tail that starts 5 ms later."""
    n = int(setup.room_s * rate_hz)
    tail = rng.standard_normal(n) * np.exp(-6.9 * np.arange(n) / n)
    tail[: int(0.005 * rate_hz)] = 0
    tail /= np.sqrt(np.sum(tail**2))
    wet = _convolved(sound, tail)
    return np.asarray(sound + setup.room_level * wet, dtype=np.float32)


def _convolved(sound: Samples, response: NDArray[np.float64]) -> NDArray[np.float64]:
    """What a response makes of a sound, as long as the sound, piece by piece: one transform of it
    all is several times slower. Shape (frames,).
    """
    size = 1 << (4 * response.size).bit_length()
    step = size - response.size + 1
    spectrum = np.fft.rfft(response, size)
    out = np.zeros(sound.size + size)
    for start in range(0, sound.size, step):
        piece = np.fft.rfft(sound[start : start + step], size)
        out[start : start + size] += np.fft.irfft(piece * spectrum, size)
    return out[: sound.size]

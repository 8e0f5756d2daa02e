"""A plucked string as a delay line (Karplus and Strong 1983, Jaffe and Smith 1983).

The wave goes round a line one period long; each round it loses a little of everything and more of
its high partials (a Gaussian loop
filter, whose shift also gives the fractional part of the period). A hand on the string is a greater
loss. Losses may change while it
sounds, so that a stop or a palm coming down is a change of the hand, not a fade of the sound.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from thrumble.core.signal import Samples


@dataclass(frozen=True, slots=True)
class Damping:
    """What holds the string: seconds to fall 60 dB for the fundamental, and for a partial at 3
    kHz.
    """

    low_t60_s: float
    high_t60_s: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Pluck:
    """How the string is set going."""

    frequency_hz: float
    strength: float  # linear
    pick_place: float  # from the bridge, as a share of the string, 0.03 to 0.4
    pick_width_s: float  # contact time of the pick; shorter is brighter
    scrape: float  # noise in the attack, linear beside strength


STEADY = ((0.0, 0.0),)
STEP_S = 0.004  # a glide goes in steps so short that none is heard


def glide(from_s: float, to_s: float, first: float, last: float) -> list[tuple[float, float]]:
    """A way of the pitch from one offset to another, semitones: (seconds from the attack, offset
    from then on).
    """
    count = max(2, int((to_s - from_s) / STEP_S))
    times, offsets = np.linspace(from_s, to_s, count), np.linspace(first, last, count)
    return [(float(at), float(offset)) for at, offset in zip(times, offsets, strict=True)]


def pluck(
    how: Pluck,
    hands: list[tuple[float, Damping]],
    *,
    pitch: Sequence[tuple[float, float]] = STEADY,
    length_s: float,
    rate_hz: int,
    rng: np.random.Generator,
) -> Samples:
    """One string from its attack on. `hands`: (seconds from the attack, damping from then on), the
    first at 0; `pitch` likewise, semitones off its frequency. Float32. Shape (frames,).
    """
    frames = max(1, int(length_s * rate_hz))
    wave = np.zeros(frames)
    push = _attack(how, rate_hz, rng)[:frames]
    wave[: push.size] = push
    turns = sorted({0.0, *(at for at, _ in hands), *(at for at, _ in pitch)})
    bounds = [round(at * rate_hz) for at in turns[1:]] + [frames]
    at = 0
    for begin_s, until in zip(turns, bounds, strict=True):
        damping = [hand for when, hand in hands if when <= begin_s][-1]
        offset = [value for when, value in pitch if when <= begin_s][-1]
        period = rate_hz / (how.frequency_hz * 2 ** (offset / 12))
        kernel, reach = _loop(damping, period, rate_hz)
        # a block no longer than the shortest delay needs nothing of itself, so numpy takes it in
        # one step
        block = max(1, reach)
        until = min(until, frames)
        while at < until:
            n = min(block, until - at)
            first = at - reach - kernel.size + 1
            source = wave[max(0, first) : max(0, at + n - reach)]
            if first < 0:
                source = np.concatenate(
                    [np.zeros(min(-first, n + kernel.size - 1 - source.size)), source]
                )
            if source.size >= kernel.size:
                wave[at : at + n] += np.convolve(source, kernel, "valid")[:n]
            at += n
    return np.asarray(wave, dtype=np.float32)


def _loop(damping: Damping, period: float, rate_hz: int) -> tuple[NDArray[np.float64], int]:
    """Taps of the loop filter and the shortest delay they use; the taps are centred on the
    period.
    """
    rounds_per_s = rate_hz / period
    gain = 10 ** (-3 / (damping.low_t60_s * rounds_per_s))
    high = min(10 ** (-3 / (damping.high_t60_s * rounds_per_s)), gain * 0.9999)
    omega = 2 * np.pi * 3000 / rate_hz
    sigma = float(np.sqrt(max(0.5, 2 * np.log(gain / high) / omega**2)))
    half = min(int(np.ceil(3.5 * sigma)), int(period) // 2 - 1)
    centre = int(np.floor(period))
    taps = np.arange(-half, half + 1)
    kernel = np.exp(-0.5 * ((taps - (period - centre)) / sigma) ** 2)
    kernel *= gain / kernel.sum()
    return kernel[::-1], centre - half


def _attack(how: Pluck, rate_hz: int, rng: np.random.Generator) -> NDArray[np.float64]:
    """The pick's push: a smooth pulse and its image from the bridge (the comb of the picking
    place), with scrape noise.
    """
    width = max(3, int(how.pick_width_s * rate_hz))
    pulse = np.hanning(width + 2)[1:-1]
    pulse *= how.strength * 6 / width
    noise = (
        rng.standard_normal(width * 3)
        * np.exp(-np.arange(width * 3) / width)
        * how.scrape
        * how.strength
        * 0.25
    )
    body = np.zeros(width * 3)
    body[:width] = pulse
    body += noise
    delay = max(1, int(how.pick_place * rate_hz / how.frequency_hz))
    push = np.zeros(body.size + delay)
    push[: body.size] += body
    push[delay:] -= body
    return push

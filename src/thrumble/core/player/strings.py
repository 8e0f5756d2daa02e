"""A plucked string as a delay line (Karplus and Strong 1983, Jaffe and Smith 1983).

The wave goes round a line one period long; each round it loses a little of everything and more of
its high partials, and a stiff string's high partials come round a little sooner: a loop filter
drawn from its response. A hand on the string is a greater loss, an old string too, and losses add.
They may change while it sounds, so that a stop or a palm coming down is a change of the hand, not a
fade of the sound.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from thrumble.core.signal import Samples


@dataclass(frozen=True, slots=True)
class Damping:
    """What holds the string: seconds to fall 60 dB for the fundamental, and for a partial at 3
    kHz; the losses grow with so much of a `power` of the frequency in between.
    """

    low_t60_s: float
    high_t60_s: float
    power: float = 2.0


NO_WEAR, WORST_WEAR = 0.0, 1.0
# of a dead wound string, dB a second beyond a new one's: at the fundamental and at 3 kHz
WEAR_LOW_DB_S, WEAR_HIGH_DB_S = 9.0, 750.0
PLAIN_SHARE = 0.4  # of that on a plain string, which takes up no dirt
WORN_POWER = 1.7


def worn(damping: Damping, wear: float, *, wound: bool) -> Damping:
    """The same hand on a string that has aged: `wear` 0 new to 1 dead. Losses add; those of an old
    winding begin lower than those of a new string.
    """
    if wear <= NO_WEAR:
        return damping
    share = wear * (1.0 if wound else PLAIN_SHARE)
    return Damping(
        60 / (60 / damping.low_t60_s + share**1.5 * WEAR_LOW_DB_S),
        60 / (60 / damping.high_t60_s + share**1.5 * WEAR_HIGH_DB_S),
        damping.power + (WORN_POWER - damping.power) * share**0.5,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Pluck:
    """How the string is set going."""

    frequency_hz: float
    strength: float  # linear
    pick_place: float  # from the bridge, as a share of the string, 0.03 to 0.4
    pick_width_s: float  # contact time of the pick; shorter is brighter
    scrape: float  # noise in the attack, linear beside strength
    stiffness: float = 0.0  # B: partial n sounds at n sqrt(1 + B n^2) times the fundamental


STEADY = ((0.0, 0.0),)
BAND_ENDS_HZ = (8000.0, 16000.0)  # no pickup hears more, and the loop's filter stays short
STIFF_TO_HZ = 4500.0  # above, partials keep their distance: the pickup hears little of them
MIN_TAP = 3e-4  # of the largest: smaller ones are left out
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
        kernel, reach = _loop(damping, period, how.stiffness, rate_hz)
        turned = kernel[::-1].copy()
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
                wave[at : at + n] += np.correlate(source, turned, "valid")[:n]
            at += n
    return np.asarray(wave, dtype=np.float32)


@lru_cache(maxsize=4096)
def _loop(
    damping: Damping, period: float, stiffness: float, rate_hz: int
) -> tuple[NDArray[np.float64], int]:
    """Taps of the loop filter, and the delay of the first."""
    centre = int(np.floor(period))
    size = 1 << (2 * centre).bit_length()
    partial = np.fft.rfftfreq(size) * period  # how many times the fundamental each frequency is
    share = (partial * rate_hz / period / 3000) ** damping.power
    low, high = (60 / t60_s for t60_s in (damping.low_t60_s, damping.high_t60_s))
    lost_db = (low + max(0.0, high - low) * share) * period / rate_hz
    hz = partial * rate_hz / period
    over = np.clip((hz - BAND_ENDS_HZ[0]) / (BAND_ENDS_HZ[1] - BAND_ENDS_HZ[0]), 0, 1)
    size_of = 10 ** (-lost_db / 20) * np.cos(np.pi / 2 * over) ** 2
    audible_hz = np.minimum(partial, STIFF_TO_HZ * period / rate_hz)
    late = period / np.sqrt((1 + np.sqrt(1 + 4 * stiffness * audible_hz**2)) / 2)
    turned = np.exp(-2j * np.pi * partial / period * (late - centre))
    taps = np.roll(np.fft.irfft(size_of * turned, size), size // 2)
    inside = np.flatnonzero(np.abs(taps) > MIN_TAP * np.abs(taps).max()) - size // 2
    first, last = max(-(centre // 2), int(inside[0])), min(centre // 2, int(inside[-1]))
    kernel = taps[size // 2 + first : size // 2 + last + 1]
    kernel = kernel * (size_of[0] / kernel.sum())
    loudest = float(np.abs(np.fft.rfft(kernel, 4 * size)).max())
    kernel = kernel * min(1.0, float(size_of[0]) / loudest)  # no partial may grow
    return kernel, centre + first


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

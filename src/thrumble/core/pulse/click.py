"""The click: a short falling sine with a hard edge, higher on accents. The browser, the simulated
player and the ear use this one sound.
"""

from collections.abc import Sequence
from typing import Protocol

import numpy as np

from thrumble.core.music.meter import Meter
from thrumble.core.signal import Samples

CLICK_S = 0.03
ACCENT_HZ, PLAIN_HZ = 1976.0, 1318.5


class TimedBar(Protocol):
    """A bar in seconds from bar 1 beat 1. `number` counts from 1, 0 is a pick-up."""

    @property
    def number(self) -> int: ...
    @property
    def start_s(self) -> float: ...
    @property
    def end_s(self) -> float: ...
    @property
    def meter(self) -> Meter: ...


class Timed(Protocol):
    """What a click needs to know of a riff: its bars in order of play, and how long a round
    lasts.
    """

    @property
    def bars(self) -> Sequence[TimedBar]: ...
    @property
    def round_s(self) -> float: ...


def click_sound(rate_hz: int, *, accent: bool) -> Samples:
    """One click, float32, peak near 0.9; the first sample is already sound, so its frame is its
    time. Shape (frames,).
    """
    t = np.arange(int(CLICK_S * rate_hz)) / rate_hz
    wave = np.cos(2 * np.pi * (ACCENT_HZ if accent else PLAIN_HZ) * t) * np.exp(-t / 0.006)
    return np.asarray(0.9 * wave, dtype=np.float32)


def click_times(timed: Timed, *, rounds: int, count_in_bars: int) -> list[tuple[float, bool]]:
    """Every click of a take, seconds from bar 1 beat 1, and whether it is accented: count-in bars
    in the first meter, then all bars.

    The pick-up is played inside the count-in.
    """
    first = next(bar for bar in timed.bars if bar.number >= 1)
    clicks = []
    for k in range(-count_in_bars, 0):
        clicks += _bar_clicks(first, (k - 0) * (first.end_s - first.start_s))
    for n in range(rounds):
        for bar in timed.bars:
            if bar.number >= 1:
                clicks += _bar_clicks(bar, n * timed.round_s + bar.start_s)
    return clicks


def _bar_clicks(bar: TimedBar, start_s: float) -> list[tuple[float, bool]]:
    beat_s = (bar.end_s - bar.start_s) / bar.meter.beats
    return [(start_s + k * beat_s, k == 0) for k in range(bar.meter.beats)]


def click_track(
    clicks: list[tuple[float, bool]], *, start_s: float, rate_hz: int, frames: int
) -> Samples:
    """The clicks as sound; `start_s` is where bar 1 beat 1 lies. Clicks outside the span are left
    out. Shape (frames,).
    """
    track = np.zeros(frames, dtype=np.float32)
    sounds = {accent: click_sound(rate_hz, accent=accent) for accent in (True, False)}
    for time_s, accent in clicks:
        at = round((start_s + time_s) * rate_hz)
        if 0 <= at < frames:
            sound = sounds[accent][: frames - at]
            track[at : at + sound.size] += sound
    return track

"""Sounds of known pitch and length."""

import numpy as np

from thrumble.core.ear.front.conditioning import WORK_RATE_HZ

RATE = WORK_RATE_HZ


def string(
    length_s: float, *, t60_s: float = 3.0, stop_s: float | None = None, hz: float = 110.0
) -> np.ndarray:
    """A plucked tone of ten partials, silenced at `stop_s` within 10 ms."""
    t = np.arange(int(length_s * RATE)) / RATE
    tone = sum(np.sin(2 * np.pi * hz * k * t) / k for k in range(1, 11)) * 10 ** (-3 * t / t60_s)
    if stop_s is not None:
        tone *= np.clip(1 - (t - stop_s) / 0.01, 0, 1)
    return np.asarray(0.4 * tone, dtype=np.float32)


def with_sounds(length_s: float, *sounds: tuple[float, np.ndarray]) -> np.ndarray:
    out = np.random.default_rng(1).normal(0, 1e-4, int(length_s * RATE)).astype(np.float32)
    for at_s, sound in sounds:
        at = round(at_s * RATE)
        out[at : at + sound.size] += sound[: max(0, out.size - at)]
    return out

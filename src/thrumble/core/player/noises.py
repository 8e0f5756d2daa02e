"""What the hands are heard doing between the hits: laid on the strings to stop them, sliding along
the windings on the way to another place. None of it is a hit.
"""

import itertools

import numpy as np
from numpy.typing import NDArray

from thrumble.core.music.pitch import frequency_hz
from thrumble.core.player.flaws import Flaws
from thrumble.core.player.rendering import Plan
from thrumble.core.riff.model import Riff
from thrumble.core.signal import Samples, filtered, high_pass, low_pass

TOUCH_DB, SQUEAK_DB = (-36.0, -20.0), (-44.0, -22.0)  # against the hit before
MOVE_FRETS = 2  # from which on fingers slide
SQUEAK_S, BEFORE_NEXT_S = (0.04, 0.16), (0.005, 0.06)
LEVEL_S = 0.06


def add_noises(
    strings: Samples,
    riff: Riff,
    plans: list[Plan],
    flaws: Flaws,
    rate_hz: int,
    rng: np.random.Generator,
) -> None:
    """Adds the hands' noises to the sound of all strings, shape (frames,), in place."""
    played = [plan for plan in plans if plan.played]
    for plan, following in itertools.zip_longest(played, played[1:]):
        level = _level(strings, plan.time_s, rate_hz)
        if plan.ring_end == "stop" and rng.random() < flaws.touch:
            noise = _touch(_root_hz(riff, plan), rate_hz, rng)
            gain = level * 10 ** (rng.uniform(*TOUCH_DB) / 20)
            _put(strings, noise * gain, plan.end_s + float(rng.normal(0, 0.003)), rate_hz)
        if following is None or _moved_frets(plan, following) < MOVE_FRETS:
            continue
        if rng.random() < flaws.squeak:
            noise = _squeak(rate_hz, rng)
            ends_s = following.time_s - float(rng.uniform(*BEFORE_NEXT_S))
            gain = level * 10 ** (rng.uniform(*SQUEAK_DB) / 20)
            _put(strings, noise * gain, ends_s - noise.size / rate_hz, rate_hz)


def _level(strings: Samples, at_s: float, rate_hz: int) -> float:
    first = round(at_s * rate_hz)
    part = strings[max(0, first) : first + int(LEVEL_S * rate_hz)]
    return float(np.sqrt(np.mean(np.square(part, dtype=np.float64)))) if part.size else 0.0


def _put(strings: Samples, noise: Samples, at_s: float, rate_hz: int) -> None:
    first = max(0, round(at_s * rate_hz))
    part = strings[first : first + noise.size]
    part += noise[: part.size].astype(np.float32)


def _root_hz(riff: Riff, plan: Plan) -> float:
    notes = plan.due.hit.notes if plan.due else ()
    midis = [m for note in notes if (m := riff.instrument.midi(note)) is not None]
    return frequency_hz(min(midis)) if midis else 110.0


def _moved_frets(before: Plan, after: Plan) -> int:
    """How far the hand slides between two hits; open strings ask for no move."""
    if before.due is None or after.due is None:
        return 0
    places = [[n.fret for n in due.hit.notes if n.fret] for due in (before.due, after.due)]
    return abs(min(places[1]) - min(places[0])) if all(places) else 0


def _unit(sound: NDArray[np.floating]) -> Samples:
    return np.asarray(
        sound / max(1e-9, float(np.sqrt(np.mean(np.square(sound))))), dtype=np.float32
    )


def _touch(root_hz: float, rate_hz: int, rng: np.random.Generator) -> Samples:
    """A soft blow of the fingers, and what of the string they leave ringing for a moment."""
    long_s = float(np.exp(rng.uniform(np.log(0.004), np.log(0.02))))
    t = np.arange(int((5 * long_s + 0.05) * rate_hz)) / rate_hz
    begin = np.clip(t / float(rng.uniform(0.001, 0.005)), 0, 1)
    struck = rng.standard_normal(t.size) * begin * np.exp(-t / long_s)
    blow = filtered(
        struck.astype(np.float32),
        rate_hz,
        high_pass(float(rng.uniform(80, 400))),
        low_pass(float(rng.uniform(1200, 4500))),
    )
    left = sum(
        rng.uniform(0, 1) * np.sin(2 * np.pi * k * root_hz * t + rng.uniform(0, 6))
        for k in (1, 2, 3, 4, 5)
    ) * (begin * np.exp(-t / float(rng.uniform(0.01, 0.05))))
    share = float(rng.uniform(0, 0.8))
    both = (1 - share) * _unit(blow) + share * _unit(left)
    return np.asarray(both, dtype=np.float32)


def _squeak(rate_hz: int, rng: np.random.Generator) -> Samples:
    """Fingers along the windings: a rough tone that glides with the hand's speed."""
    frames = int(rng.uniform(*SQUEAK_S) * rate_hz)
    way = np.linspace(0, 1, frames)
    low, high = float(rng.uniform(600, 1600)), float(rng.uniform(1.2, 2.8))
    speed = np.sin(np.pi * np.clip(way, 0.08, 0.92)) ** 0.5 if rng.random() < 0.5 else way
    slow = 0.05 * 0.95 ** np.arange(120)
    rough = np.convolve(rng.standard_normal(frames), slow)[:frames]
    phase = 2 * np.pi * np.cumsum(low * (1 + (high - 1) * speed + 0.06 * rough)) / rate_hz
    tone = np.sin(phase) + 0.5 * np.sin(2 * phase) + 0.3 * rng.standard_normal(frames)
    return _unit(tone * np.sin(np.pi * way) ** 0.7)

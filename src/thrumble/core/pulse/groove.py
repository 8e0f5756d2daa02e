"""A drummer to play along with: bass drum, snare and cymbal, synthesised, in a few grooves. A
groove is a bar's pattern in beats; the cymbal's off-beats swing with the riff.
"""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from thrumble.core.pulse.click import Timed, TimedBar
from thrumble.core.signal import Samples

HAT_S, SNARE_S, KICK_S = 0.08, 0.22, 0.28
SEED = 7
LOUD, SOFT = 1.0, 0.55


Swing = Callable[[TimedBar], float | None]


@dataclass(frozen=True, slots=True)
class Stroke:
    """One drum stroke, seconds from bar 1 beat 1; `level` linear."""

    at_s: float
    drum: str
    level: float


@dataclass(frozen=True, slots=True)
class Groove:
    """`kick` and `snare`: the beats of a bar, from 0, by how many beats it has; `hats`: cymbal
    strokes a beat.
    """

    title: str
    kick: Callable[[int], tuple[float, ...]]
    snare: Callable[[int], tuple[float, ...]]
    hats: int


def _every(first: float, step: float) -> Callable[[int], tuple[float, ...]]:
    return lambda beats: tuple(float(b) for b in np.arange(first, beats, step))


GROOVES = {
    "backbeat": Groove("backbeat, eighths on the cymbal", _every(0, 2), _every(1, 2), 2),
    "half-time": Groove("half-time", _every(0, 4), _every(2, 4), 2),
    "four": Groove("bass drum on every beat", _every(0, 1), _every(1, 2), 2),
    "sixteenths": Groove("backbeat, sixteenths on the cymbal", _every(0, 2), _every(1, 2), 4),
}


def groove_strokes(timed: Timed, name: str, *, rounds: int, swing: Swing) -> list[Stroke]:
    """Every stroke of a groove through `rounds` rounds, in time. `swing`: of a bar, long to short
    of its beats' halves, None for straight. Raises KeyError for a groove that is not there.
    """
    groove = GROOVES[name]
    out: list[Stroke] = []
    for n in range(rounds):
        for bar in timed.bars:
            if bar.number >= 1:
                out += _bar(bar, groove, n * timed.round_s, swing(bar))
    return sorted(out, key=lambda stroke: stroke.at_s)


def _bar(bar: TimedBar, groove: Groove, offset_s: float, swing: float | None) -> list[Stroke]:
    """In eighths-meters of six, nine or twelve the drummer counts in threes."""
    beats, each = bar.meter.beats, (bar.end_s - bar.start_s) / bar.meter.beats
    compound = bar.meter.unit >= 8 and beats % 3 == 0 and beats > 3
    if compound:
        beats, each = beats // 3, each * 3
    hats = 3 if compound else groove.hats
    off = 0.5 if swing is None or compound else swing / (swing + 1)
    start = offset_s + bar.start_s
    out = [Stroke(start + beat * each, "kick", LOUD) for beat in groove.kick(beats)]
    out += [Stroke(start + beat * each, "snare", LOUD) for beat in groove.snare(beats)]
    for k in range(beats * hats):
        beat, part = divmod(k, hats)
        place = part / hats
        if not compound and place:
            half, inside = divmod(part * 2, hats)
            long = off if not half else 1 - off
            place = half * off + inside / hats * long
        out.append(Stroke(start + (beat + place) * each, "hat", SOFT if part else LOUD))
    return out


def drum_sounds(rate_hz: int) -> dict[str, Samples]:
    """Each drum's sound, float32, peak near 0.9. Shapes (frames,)."""
    rng = np.random.default_rng(SEED)

    def time(seconds: float) -> np.ndarray:
        return np.arange(int(seconds * rate_hz)) / rate_hz

    t = time(KICK_S)
    kick = np.sin(2 * np.pi * (48 * t + 4.2 * (1 - np.exp(-t / 0.03)))) * np.exp(-t / 0.09)
    t = time(SNARE_S)
    noise = np.diff(rng.standard_normal(t.size + 1))
    snare = 0.35 * noise * np.exp(-t / 0.05) + 0.6 * np.sin(2 * np.pi * 186 * t) * np.exp(-t / 0.06)
    t = time(HAT_S)
    hat = np.diff(rng.standard_normal(t.size + 2), 2) * np.exp(-t / 0.016)
    return {
        name: np.asarray(0.9 * wave / np.max(np.abs(wave)), dtype=np.float32)
        for name, wave in (("kick", kick), ("snare", snare), ("hat", 0.5 * hat))
    }


LEVELS = {"kick": 0.9, "snare": 0.6, "hat": 0.22}


def groove_track(strokes: list[Stroke], *, start_s: float, rate_hz: int, frames: int) -> Samples:
    """The strokes as sound; `start_s` is where bar 1 beat 1 lies. Shape (frames,)."""
    track = np.zeros(frames, dtype=np.float32)
    sounds = drum_sounds(rate_hz)
    for stroke in strokes:
        at = round((start_s + stroke.at_s) * rate_hz)
        if 0 <= at < frames:
            sound = sounds[stroke.drum][: frames - at]
            track[at : at + sound.size] += sound * np.float32(stroke.level * LEVELS[stroke.drum])
    return track

"""A drummer to play along with: bass drum, snare and cymbals, synthesised, in a few grooves. A
groove is a bar's pattern in beats; the cymbal's off-beats swing with the riff, and the riff's
accents get the bass drum and a crash of their own.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from thrumble.core.pulse.click import TimedBar
from thrumble.core.signal import Samples

HAT_S, SNARE_S, KICK_S, CRASH_S = 0.08, 0.22, 0.28, 0.9
SEED = 7
LOUD, SOFT = 1.0, 0.55
SHUFFLE = 2.0
SAME_S = 0.02  # strokes of one drum this near are one

Swing = Callable[[TimedBar], float | None]
Beats = Callable[[int], tuple[float, ...]]


@dataclass(frozen=True, slots=True)
class Stroke:
    """One drum stroke, seconds from bar 1 beat 1; `level` linear."""

    at_s: float
    drum: str
    level: float


@dataclass(frozen=True, slots=True)
class Groove:
    """`kick` and `snare`: the beats of a bar, from 0, by how many beats it has; `hats`: cymbal
    strokes in each beat, as shares of it in sixteenths of a straight beat; `swing`: long to short
    if the riff is straight, None to stay so.
    """

    title: str
    kick: Beats
    snare: Beats
    hats: tuple[int, ...]
    swing: float | None = None


def _every(first: float, step: float) -> Beats:
    return lambda beats: tuple(float(b) for b in np.arange(first, beats, step))


def _gallop(beats: int) -> tuple[float, ...]:
    """Long, short, short on every beat."""
    return tuple(beat + share for beat in range(beats) for share in (0.0, 0.5, 0.75))


EIGHTHS, SIXTEENTHS, QUARTERS = (0, 2), (0, 1, 2, 3), (0,)
GROOVES = {
    "backbeat": Groove("straight, eighths on the cymbal", _every(0, 2), _every(1, 2), EIGHTHS),
    "half-time": Groove("half-time", _every(0, 4), _every(2, 4), EIGHTHS),
    "shuffle": Groove("shuffle", _every(0, 2), _every(1, 2), EIGHTHS, SHUFFLE),
    "gallop": Groove("gallop on the bass drum", _gallop, _every(1, 2), EIGHTHS),
    "stop-time": Groove("stop-time: the one and your accents", _every(0, 64), _every(64, 1), ()),
    "four": Groove("bass drum on every beat", _every(0, 1), _every(1, 2), EIGHTHS),
    "sixteenths": Groove("sixteenths on the cymbal", _every(0, 2), _every(1, 2), SIXTEENTHS),
    "quarters": Groove("quarters on the cymbal", _every(0, 2), _every(1, 2), QUARTERS),
}
GROOVE_TITLES = {name: groove.title for name, groove in GROOVES.items()}
DRUM_LEVELS = {"kick": 0.9, "snare": 0.6, "hat": 0.22, "crash": 0.3}


def groove_bar(
    bar: TimedBar, name: str, swing: float | None, accents: Sequence[float] = ()
) -> list[Stroke]:
    """The strokes of one bar, in time. `swing`: of its beats' halves, long to short, None for
    straight; `accents`: of the riff, seconds. In eighths-meters of six, nine or twelve the drummer
    counts in threes. Raises KeyError for a groove that is not there.
    """
    groove = GROOVES[name]
    beats, each = bar.meter.beats, (bar.end_s - bar.start_s) / bar.meter.beats
    compound = bar.meter.unit >= 8 and beats % 3 == 0 and beats > 3
    if compound:
        beats, each = beats // 3, each * 3
    ratio = swing if swing is not None else groove.swing
    off = 0.5 if ratio is None or compound else ratio / (ratio + 1)
    out = [Stroke(bar.start_s + beat * each, "kick", LOUD) for beat in groove.kick(beats)]
    out += [Stroke(bar.start_s + beat * each, "snare", LOUD) for beat in groove.snare(beats)]
    for beat in range(beats):
        for share, level in _cymbal(groove, off, compound=compound):
            out.append(Stroke(bar.start_s + (beat + share) * each, "hat", level))
    for at_s in accents:
        out += [
            Stroke(at_s, drum, LOUD)
            for drum in ("kick", "crash")
            if not any(s.drum == drum and abs(s.at_s - at_s) < SAME_S for s in out)
        ]
    return sorted(out, key=lambda stroke: stroke.at_s)


def _cymbal(groove: Groove, off: float, *, compound: bool) -> list[tuple[float, float]]:
    """The cymbal's strokes in a beat, as shares of it, and how loud."""
    if not groove.hats:
        return []
    if compound:
        return [(0.0, LOUD), (1 / 3, SOFT), (2 / 3, SOFT)]
    shares = {0: 0.0, 1: off / 2, 2: off, 3: off + (1 - off) / 2}
    return [(shares[step], SOFT if step else LOUD) for step in groove.hats]


@lru_cache(maxsize=8)
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
    t = time(CRASH_S)
    crash = np.diff(rng.standard_normal(t.size + 2), 2) * np.exp(-t / 0.25)
    return {
        name: np.asarray(0.9 * wave / np.max(np.abs(wave)), dtype=np.float32)
        for name, wave in (("kick", kick), ("snare", snare), ("hat", 0.5 * hat), ("crash", crash))
    }

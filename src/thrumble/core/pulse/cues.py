"""What keeps time for a player, sound by sound: the kind of click, the groove, the bars that stay
silent, the count-in. The browser sounds these cues, the ear knows them, the simulated player plays
to them.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from enum import StrEnum
from functools import lru_cache

import numpy as np

from thrumble.core.pulse import spoken
from thrumble.core.pulse.click import TimedBar, click_sound
from thrumble.core.pulse.groove import DRUM_LEVELS, Swing, drum_sounds, groove_bar
from thrumble.core.signal import Samples

SOFT = 0.45  # of what lies between the beats
MAX_COUNT_BARS = 8
TWO_BEATS = 0
RANDOM_BARS = 240
SHUFFLE = 2.0


class Click(StrEnum):
    """Where the click falls."""

    BEATS = "beats"
    EIGHTHS = "eighths"
    TRIPLETS = "triplets"
    SIXTEENTHS = "sixteenths"
    SHUFFLE = "shuffle"
    TWO_FOUR = "two-four"
    ONE = "one"
    OFF_BEATS = "off-beats"
    GROUPS = "groups"
    NONE = "none"


class Silence(StrEnum):
    """Which bars are left to the player alone."""

    NONE = "none"
    TWO_TWO = "two-two"
    RANDOM = "random"
    FADE = "fade"


class Backing(StrEnum):
    """What a second guitar plays along: nothing, the riff itself, or its other part."""

    NONE = "none"
    RIFF = "riff"
    OTHER = "other"


class Voice(StrEnum):
    """Who counts in."""

    CLICK = "click"
    SPOKEN = "spoken"


@dataclass(frozen=True, slots=True, kw_only=True)
class Pulse:
    """What a player chose to hear. `groove`: a name of GROOVES, or empty; `count_bars`: 0 for the
    last two beats only, up to 8; `seed`: of the bars left out at random; levels linear, 0 to 1.
    """

    click: Click = Click.BEATS
    groove: str = ""
    silence: Silence = Silence.NONE
    seed: int = 0
    count_bars: int = 1
    voice: Voice = Voice.CLICK
    click_level: float = 1.0
    groove_level: float = 0.7


@dataclass(frozen=True, slots=True, kw_only=True)
class BeatGrid:
    """What keeping time needs to know of a riff at a tempo. `groups`: the places that are counted
    from accent to accent, and which of them begin a group; `accents`: accented hits. Seconds from
    bar 1 beat 1.
    """

    bars: Sequence[TimedBar]
    begin_s: float
    round_s: float
    swing: Swing
    accents: tuple[float, ...]
    groups: tuple[tuple[float, bool], ...]

    @property
    def counted(self) -> list[TimedBar]:
        """The bars without the pick-up."""
        return [bar for bar in self.bars if bar.number >= 1]


@dataclass(frozen=True, slots=True)
class Cue:
    """One sound. `at_s`: of its first sample, seconds from bar 1 beat 1; `level` linear; `bar`: in
    the round from 0, -1 in the count-in.
    """

    at_s: float
    sound: str
    level: float
    bar: int


def round_cues(grid: BeatGrid, pulse: Pulse) -> list[Cue]:
    """Everything that sounds in one round, in time, as if no bar were silent."""
    out: list[Cue] = []
    for index, bar in enumerate(grid.counted):
        swing = grid.swing(bar)
        for at_s, sound, level in _clicks(bar, pulse.click, swing, grid.groups):
            out.append(Cue(at_s, sound, level * pulse.click_level, index))
        if pulse.groove:
            accent = [at for at in grid.accents if bar.start_s <= at < bar.end_s]
            for stroke in groove_bar(bar, pulse.groove, swing, accent):
                level = stroke.level * DRUM_LEVELS[stroke.drum] * pulse.groove_level
                out.append(Cue(stroke.at_s, stroke.drum, level, index))
    return sorted(out, key=lambda cue: cue.at_s)


def _clicks(
    bar: TimedBar, kind: Click, swing: float | None, groups: Sequence[tuple[float, bool]]
) -> Iterator[tuple[float, str, float]]:
    """The clicks of a bar: second, sound, level."""
    beats = bar.meter.beats
    beat_s = (bar.end_s - bar.start_s) / beats
    if kind is Click.GROUPS:
        for at_s, first in groups:
            if bar.start_s <= at_s < bar.end_s:
                yield at_s, "accent" if first else "plain", 1.0 if first else SOFT
        return
    for beat in range(beats):
        for share, level in _beat(kind, beat, beats, swing):
            sound = "accent" if beat == 0 and share == 0 else "plain"
            yield bar.start_s + (beat + share) * beat_s, sound, level


def _beat(kind: Click, beat: int, beats: int, swing: float | None) -> list[tuple[float, float]]:
    """Where a beat clicks, as shares of it, and how loud."""
    ratio = SHUFFLE if swing is None and kind is Click.SHUFFLE else swing
    off = 0.5 if ratio is None else ratio / (ratio + 1)
    inside: dict[Click, list[float]] = {
        Click.EIGHTHS: [off],
        Click.SHUFFLE: [off],
        Click.TRIPLETS: [1 / 3, 2 / 3],
        Click.SIXTEENTHS: [off / 2, off, off + (1 - off) / 2],
    }
    if kind is Click.OFF_BEATS:
        return [(off, 1.0)]
    heard_beats = {
        Click.NONE: False,
        Click.ONE: beat == 0,
        Click.TWO_FOUR: beat % 2 == 1 or beats == 1,
    }
    if not heard_beats.get(kind, True):
        return []
    return [(0.0, 1.0), *((share, SOFT) for share in inside.get(kind, []))]


def count_in_s(grid: BeatGrid, pulse: Pulse) -> float:
    """How long the count-in lasts, seconds: whole bars like the first, or two beats of it; never
    shorter than the pick-up.
    """
    first = grid.counted[0]
    bar_s = first.end_s - first.start_s
    if pulse.count_bars == TWO_BEATS:
        count_s = min(2, first.meter.beats) * bar_s / first.meter.beats
    else:
        count_s = pulse.count_bars * bar_s
    return count_s if count_s >= -grid.begin_s - 1e-9 else bar_s * np.ceil(-grid.begin_s / bar_s)


def count_cues(grid: BeatGrid, pulse: Pulse) -> list[Cue]:
    """The count-in: every beat of it, the first of each bar accented; spoken beats begin so early
    that their vowels fall on the beat.
    """
    first = grid.counted[0]
    beats = first.meter.beats
    beat_s = (first.end_s - first.start_s) / beats
    count = round(count_in_s(grid, pulse) / beat_s)
    level = max(pulse.click_level, SOFT)  # nobody begins without being counted in
    out = []
    for k in range(-count, 0):
        number = k % beats + 1
        if pulse.voice is Voice.SPOKEN and number <= len(spoken.SIZES):
            at_s = k * beat_s - spoken.LEADS[number - 1] / spoken.RATE_HZ
            out.append(Cue(at_s, f"say-{number}", level, -1))
        else:
            out.append(Cue(k * beat_s, "accent" if number == 1 else "plain", level, -1))
    return out


def bar_levels(pulse: Pulse) -> tuple[float, ...]:
    """How loud each bar is, 0 to 1, over and over: bar n of all that is played takes number n
    modulo the length.
    """
    if pulse.silence is Silence.TWO_TWO:
        return (1.0, 1.0, 0.0, 0.0)
    if pulse.silence is Silence.FADE:
        going = tuple(10 ** (-0.3 * k) for k in range(1, 9))  # 6 dB a bar
        return (*(1.0,) * 4, *going, *(0.0,) * 4)
    if pulse.silence is Silence.RANDOM:
        return _at_random(pulse.seed)
    return (1.0,)


def _at_random(seed: int) -> tuple[float, ...]:
    """Silent stretches of one to three bars between one to four that sound; two to begin with."""
    rng = np.random.default_rng(seed)
    out = [1.0, 1.0]
    while len(out) < RANDOM_BARS:
        out += [0.0] * int(rng.integers(1, 4)) + [1.0] * int(rng.integers(1, 5))
    return tuple(out[:RANDOM_BARS])


def take_cues(grid: BeatGrid, pulse: Pulse, *, rounds: int, bars_before: int = 0) -> list[Cue]:
    """Everything that sounds in a take, in time; `bars_before`: played already since the count-in,
    which is then over.
    """
    levels = bar_levels(pulse)
    round_cue = round_cues(grid, pulse)
    out = [] if bars_before else count_cues(grid, pulse)
    for number in range(rounds):
        first = bars_before + number * len(grid.counted)
        for cue in round_cue:
            level = cue.level * levels[(first + cue.bar) % len(levels)]
            if level > 0:
                out.append(Cue(cue.at_s + number * grid.round_s, cue.sound, level, cue.bar))
    return sorted(out, key=lambda cue: cue.at_s)


SOUNDS = ("accent", "plain", *DRUM_LEVELS, *(f"say-{n + 1}" for n in range(len(spoken.SIZES))))


def sound_of(name: str, rate_hz: int, voice: bytes) -> Samples:
    """A cue's sound, float32, peak near 0.9. Shape (frames,). `voice`: as of `spoken.words_of`.
    Raises KeyError for one that is not there.
    """
    if name in ("accent", "plain"):
        return _click(rate_hz, name == "accent")
    drums = name in DRUM_LEVELS
    return drum_sounds(rate_hz)[name] if drums else spoken.words_of(voice, rate_hz)[name]


@lru_cache(maxsize=8)
def _click(rate_hz: int, accent: bool) -> Samples:
    return click_sound(rate_hz, accent=accent)


def cue_track(
    cues: Sequence[Cue], *, start_s: float, rate_hz: int, frames: int, voice: bytes
) -> Samples:
    """The cues as sound; `start_s` is where bar 1 beat 1 lies. What lies outside the span is left
    out. Shape (frames,).
    """
    track = np.zeros(frames, dtype=np.float32)
    for cue in cues:
        at = round((start_s + cue.at_s) * rate_hz)
        if 0 <= at < frames:
            sound = sound_of(cue.sound, rate_hz, voice)[: frames - at]
            track[at : at + sound.size] += sound * np.float32(cue.level)
    return track

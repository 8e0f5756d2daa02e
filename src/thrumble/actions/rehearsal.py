"""A riff to listen to before it is played: by the simulated guitarist, steady and in time."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from thrumble.core.errors import BadInput
from thrumble.core.player.flaws import Flaws
from thrumble.core.player.perform import perform
from thrumble.core.player.sound import Tone
from thrumble.core.pulse.click import TimedBar, click_times, click_track
from thrumble.core.pulse.groove import GROOVES, groove_strokes, groove_track
from thrumble.core.riff.excerpt import take_bars
from thrumble.core.riff.expand import ExpandedRiff, expand
from thrumble.core.riff.model import Riff
from thrumble.core.signal import Samples
from thrumble.formats.audio import write_wav16

WHOLE_RATE_HZ = 48_000
MOST_ALONE_S = 3600.0
RATE_HZ = 24_000  # a guitar's amplifier gives nothing above 6 kHz; half the time of 48 kHz
LEAD_S = 0.05
MOST_S = 90.0
STEADY = Flaws(timing=1.5, level=0.4)
CLICK_DB = -9.0
DRUMS = 0.7  # beside a guitar whose peak is 0.7
BEATS = ("none", "click", *GROOVES)
SEED = 4  # the same guitar every time


@dataclass(frozen=True, slots=True)
class Rehearsal:
    """Sound as WAV, 16 bit, and where in it one round begins and ends, seconds: it may go round and
    round between the two.
    """

    wav: bytes
    begin_s: float
    end_s: float


def rehearse(
    riff: Riff, *, tone: Tone, tempo_bpm: float | None, beat: str, bars: tuple[int, int] | None
) -> Rehearsal:
    """The riff, or some of its bars, as it should sound. `beat`: what keeps time beside it,
    `none`, `click` or a groove. Raises BadTempo, BadInput for bars that are not there and for more
    than a minute and a half.
    """
    chosen = take_bars(riff, *bars) if bars else riff
    expanded = expand(chosen, tempo_bpm)
    if expanded.round_s - expanded.begin_s > MOST_S:
        raise BadInput(
            f"that is {expanded.round_s - expanded.begin_s:.0f} s of sound: choose bars of "
            f"{MOST_S:.0f} s at most"
        )
    take = perform(
        chosen,
        tempo_bpm=tempo_bpm,
        seed=SEED,
        tone=tone,
        flaws=STEADY,
        rate_hz=RATE_HZ,
        lead_s=LEAD_S,
        click_db=CLICK_DB if beat == "click" else None,
    )
    samples = take.samples
    if beat in GROOVES:
        samples = _with_drums(samples, expanded, beat, start_s=take.start_s)
    begin_s = LEAD_S
    end_s = take.start_s + expanded.round_s
    return Rehearsal(write_wav16(samples, take.rate_hz), begin_s, end_s)


def _with_drums(samples: Samples, expanded: ExpandedRiff, name: str, *, start_s: float) -> Samples:
    """The guitar with the drums under it, as loud as before."""
    strokes = groove_strokes(expanded, name, rounds=1, swing=swing_of(expanded))
    drums = groove_track(strokes, start_s=start_s, rate_hz=RATE_HZ, frames=samples.size)
    both = samples + drums * np.float32(DRUMS)
    loudest = max(1e-6, float(np.max(np.abs(both))))
    return np.asarray(both * (0.8 / loudest), dtype=np.float32)


def timekeeping(riff: Riff, *, groove: str | None, rounds: int, tempo_bpm: float | None) -> bytes:
    """The click or a groove alone as WAV: a bar of click, then all rounds. Raises BadTempo, and
    BadInput for a groove that is not there or more than an hour.
    """
    if groove is not None and groove not in GROOVES:
        raise BadInput(f"there are the grooves {', '.join(GROOVES)}; found {groove[:40]!r}")
    expanded = expand(riff, tempo_bpm)
    first = next(bar for bar in expanded.bars if bar.number >= 1)
    start_s = max(first.end_s - first.start_s, -expanded.begin_s)
    length_s = start_s + rounds * expanded.round_s + 1.0
    if length_s > MOST_ALONE_S:
        raise BadInput(f"that is {length_s / 60:.0f} minutes of click: ask for fewer rounds")
    frames = round(length_s * WHOLE_RATE_HZ)
    clicks = click_times(expanded, rounds=rounds, count_in_bars=1)
    if groove is not None:
        clicks = [(at, accent) for at, accent in clicks if at < 0]
    track = click_track(clicks, start_s=start_s, rate_hz=WHOLE_RATE_HZ, frames=frames)
    if groove is not None:
        strokes = groove_strokes(expanded, groove, rounds=rounds, swing=swing_of(expanded))
        track += groove_track(strokes, start_s=start_s, rate_hz=WHOLE_RATE_HZ, frames=frames)
    return write_wav16(track * np.float32(0.7), WHOLE_RATE_HZ)


def swing_of(expanded: ExpandedRiff) -> Callable[[TimedBar], float | None]:
    """How each bar's beats swing: a shuffle on what halves the beat does, one on less leaves the
    halves where they are.
    """
    riff = expanded.riff
    feels = {section.name: section.feel or riff.feel for section in riff.sections}
    sections = {bar.number: bar.section for bar in expanded.bars}

    def of(bar: TimedBar) -> float | None:
        feel = feels.get(sections[bar.number], riff.feel)
        halves = feel.unit * 2 == bar.meter.beat
        return float(feel.ratio) if feel.ratio is not None and halves else None

    return of

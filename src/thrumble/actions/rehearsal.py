"""A riff to listen to before it is played: by the simulated guitarist, steady and in time."""

from dataclasses import dataclass

import numpy as np

from thrumble.core.errors import BadInput
from thrumble.core.player.flaws import Flaws
from thrumble.core.player.perform import perform
from thrumble.core.player.sound import Tone
from thrumble.core.pulse.cues import Click, Pulse, Silence, count_in_s, cue_track, take_cues
from thrumble.core.pulse.groove import GROOVES
from thrumble.core.riff.beat_grid import beat_grid
from thrumble.core.riff.editing.excerpt import take_bars
from thrumble.core.riff.expand import ExpandedRiff, expand
from thrumble.core.riff.model import Riff
from thrumble.core.signal import Samples
from thrumble.formats.audio import write_wav16
from thrumble.trained import VOICE

WHOLE_RATE_HZ = 48_000
MAX_ALONE_S = 3600.0
RATE_HZ = 24_000  # a guitar's amplifier gives nothing above 6 kHz; half the time of 48 kHz
LEAD_S = 0.05
MAX_S = 90.0
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
    if expanded.round_s - expanded.begin_s > MAX_S:
        raise BadInput(
            f"that is {expanded.round_s - expanded.begin_s:.0f} s of sound: choose bars of "
            f"{MAX_S:.0f} s at most"
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
    pulse = Pulse(click=Click.NONE, groove=name, groove_level=DRUMS)
    cues = [cue for cue in take_cues(beat_grid(expanded), pulse, rounds=1) if cue.bar >= 0]
    both = samples + cue_track(
        cues, start_s=start_s, rate_hz=RATE_HZ, frames=samples.size, voice=VOICE
    )
    loudest = max(1e-6, float(np.max(np.abs(both))))
    return np.asarray(both * (0.8 / loudest), dtype=np.float32)


def timekeeping(
    riff: Riff,
    *,
    groove: str | None,
    rounds: int,
    tempo_bpm: float | None,
    click: str = "",
    silence: str = "none",
) -> bytes:
    """The click or a groove alone as WAV: a bar of count-in, then all rounds. `click`: its kind,
    beside a groove too; empty for beats, or none beside a groove. Raises BadTempo, and BadInput for
    what is not there or lasts more than an hour.
    """
    _check_named("groove", groove or "backbeat", tuple(GROOVES))
    _check_named("click", click or "beats", tuple(Click))
    _check_named("silence", silence, tuple(Silence))
    pulse = Pulse(
        click=Click(click or ("none" if groove else "beats")),
        groove=groove or "",
        silence=Silence(silence),
        groove_level=1.0,
    )
    expanded = expand(riff, tempo_bpm)
    time = beat_grid(expanded)
    start_s = count_in_s(time, pulse)
    length_s = start_s + rounds * expanded.round_s + 1.0
    if length_s > MAX_ALONE_S:
        raise BadInput(f"that is {length_s / 60:.0f} minutes of click: ask for fewer passes")
    frames = round(length_s * WHOLE_RATE_HZ)
    cues = take_cues(time, pulse, rounds=rounds)
    track = cue_track(cues, start_s=start_s, rate_hz=WHOLE_RATE_HZ, frames=frames, voice=VOICE)
    return write_wav16(track * np.float32(0.7), WHOLE_RATE_HZ)


def _check_named(what: str, name: str, names: tuple[str, ...]) -> None:
    if name not in names:
        raise BadInput(f"there is no {what} {name[:40]!r}: choose {', '.join(names)}")

"""What a player hears while playing, and the ear then knows: click, groove, count-in, and a second
guitar by the simulated player.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import soxr

from thrumble.core.ear.front.conditioning import WORK_RATE_HZ
from thrumble.core.errors import BadInput
from thrumble.core.player.perform import perform
from thrumble.core.player.sound import Tone
from thrumble.core.pulse.cues import Backing, Cue, bar_levels, cue_track, take_cues
from thrumble.core.riff.beat_grid import beat_grid
from thrumble.core.riff.editing.parts import Part, has_parts, take_part
from thrumble.core.riff.expand import ExpandedRiff, expand
from thrumble.core.riff.model import Riff
from thrumble.core.signal import Samples
from thrumble.formats.accompaniment_settings import AccompanimentSettings
from thrumble.trained import VOICE

BACKING_RATE_HZ = 24_000
BACKING_SEED = 4  # the same guitar every time
MAX_BACKING_S = 120.0
BACKING_LEAD_S = 0.1  # even the steadiest hand comes a little early


@dataclass(frozen=True, slots=True)
class Backed:
    """One round of a second guitar at BACKING_RATE_HZ, peak 0.7; `start_s`: where in it bar 1 beat
    1 lies.
    """

    samples: Samples
    start_s: float


def backings_of(riff: Riff) -> list[Backing]:
    """The accompaniments that a riff offers: none, its own part, its second part."""
    other = [Backing.OTHER] if has_parts(riff) else []
    return [Backing.NONE, Backing.RIFF, *other]


@lru_cache(maxsize=8)
def backing(riff: Riff, what: Backing, tempo_bpm: float) -> Backed:
    """The riff, or its other part, by the simulated player, in time and as written. Raises
    BadTempo, and BadInput if there is no other part, or for a round of more than two minutes.
    """
    chosen = take_part(riff, Part.SIGNATURE).riff if what is Backing.OTHER else riff
    expanded = expand(chosen, tempo_bpm)
    if expanded.round_s > MAX_BACKING_S:
        raise BadInput(
            f"one pass lasts {expanded.round_s:.0f} s: the second guitar plays along for up to "
            f"{MAX_BACKING_S:.0f} s, so choose fewer bars or none to play along"
        )
    made = perform(
        chosen,
        tempo_bpm=tempo_bpm,
        seed=BACKING_SEED,
        tone=Tone.CRUNCH,
        rate_hz=BACKING_RATE_HZ,
        lead_s=BACKING_LEAD_S,
    )
    return Backed(made.samples, made.start_s)


def cues_of(expanded: ExpandedRiff, settings: AccompanimentSettings, rounds: int) -> list[Cue]:
    """The cues of a take: every click, drum hit and spoken count."""
    return take_cues(
        beat_grid(expanded), settings.pulse(), rounds=rounds, bars_before=settings.bars_before
    )


def accompaniment_sound(
    expanded: ExpandedRiff,
    settings: AccompanimentSettings,
    *,
    rounds: int,
    start_s: float,
    rate_hz: int,
) -> Samples:
    """The whole accompaniment as one sound. `start_s`: where bar 1 beat 1 lies. Shape (n,)."""
    frames = round((start_s + rounds * expanded.round_s + 2.0) * rate_hz)
    cues = cues_of(expanded, settings, rounds)
    track = cue_track(cues, start_s=start_s, rate_hz=rate_hz, frames=frames, voice=VOICE)
    if settings.backing is not Backing.NONE:
        guitar = backing(expanded.riff, settings.backing, expanded.tempo_bpm)
        levels = bar_levels(settings.pulse())
        for number in range(rounds):
            at_s = start_s + number * expanded.round_s
            _add(track, _round(guitar, expanded, settings, levels, number, rate_hz), at_s, rate_hz)
    return track


def accompaniment_for_analysis(
    expanded: ExpandedRiff,
    settings: AccompanimentSettings,
    *,
    rounds: int,
    start_s: float,
    rate_hz: int,
) -> Samples:
    """What the ear takes for known: as it sounded, frame by frame at the take's own rate, then at
    the ear's; in file time.
    """
    sound = accompaniment_sound(expanded, settings, rounds=rounds, start_s=start_s, rate_hz=rate_hz)
    return np.asarray(soxr.resample(sound, rate_hz, WORK_RATE_HZ), dtype=np.float32)


@dataclass(frozen=True, slots=True)
class _Piece:
    """Sound, and where in it bar 1 beat 1 lies."""

    samples: Samples
    start_s: float


def _round(
    guitar: Backed,
    expanded: ExpandedRiff,
    settings: AccompanimentSettings,
    levels: Sequence[float],
    number: int,
    rate_hz: int,
) -> _Piece:
    """One round of the second guitar, bar by bar as loud as the bars are. Its pick-up sounds once,
    before everything.
    """
    samples = soxr.resample(guitar.samples, BACKING_RATE_HZ, rate_hz)
    samples = samples * np.float32(settings.backing_level)
    first = number == 0 and settings.bars_before == 0
    start_s = guitar.start_s
    if not first:
        samples = samples[round(start_s * rate_hz) :]
        start_s = 0.0
    bars = [bar for bar in expanded.bars if bar.number >= 1]
    before = settings.bars_before + number * len(bars)
    for k, bar in enumerate(bars):
        begin = round((start_s + bar.start_s) * rate_hz) if k or not first else 0
        end = samples.size if k == len(bars) - 1 else round((start_s + bar.end_s) * rate_hz)
        samples[begin:end] *= np.float32(levels[(before + k) % len(levels)])
    return _Piece(samples, start_s)


def _add(track: Samples, piece: _Piece, at_s: float, rate_hz: int) -> None:
    begin = round((at_s - piece.start_s) * rate_hz)
    skipped = max(0, -begin)
    begin = max(0, begin)
    room = min(piece.samples.size - skipped, track.size - begin)
    if room > 0:
        track[begin : begin + room] += piece.samples[skipped : skipped + room]


def load_accompaniment(settings: dict[str, object] | None) -> AccompanimentSettings:
    """What was heard beside a take as it was kept; the plain click if nobody noted it."""
    return (
        AccompanimentSettings()
        if settings is None
        else AccompanimentSettings.model_validate(settings)
    )

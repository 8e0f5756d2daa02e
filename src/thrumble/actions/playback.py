"""A take to listen to: any stored format as 16-bit WAV, with the click mixed in where it was due if
wanted. Block by block, into a file.
"""

from collections.abc import Iterator
from pathlib import Path

import numpy as np
import soundfile
from numpy.typing import NDArray

from thrumble.actions.accompaniment import accompaniment_sound, cues_of
from thrumble.core.ear.reading import Reading
from thrumble.core.pulse.cues import Cue, sound_of
from thrumble.core.riff.expand import expand
from thrumble.core.riff.model import Riff
from thrumble.formats.accompaniment_settings import AccompanimentSettings
from thrumble.formats.audio import Recording, read_audio
from thrumble.trained import VOICE

CLICK_LEVEL = 0.5
PEAK = 0.8


def listening_copy(
    source: Path,
    target: Path,
    riff: Riff,
    reading: Reading | None,
    *,
    settings: AccompanimentSettings,
    click: bool,
) -> None:
    """Writes the take as a WAV that every browser plays and can jump about in, with the click or
    groove that it was played to. Without a reading's start that is left out.
    """
    recording = read_audio(source)
    loudest = max((float(np.abs(mono).max(initial=0.0)) for mono in _mono(recording)), default=0.0)
    gain = PEAK / max(1e-6, loudest)
    clicks = (
        _Clicks(_cues(riff, reading, settings), reading.start_s or 0.0, recording.rate_hz)
        if click and reading and reading.start_s is not None
        else None
    )
    with soundfile.SoundFile(
        target, "w", samplerate=recording.rate_hz, channels=1, format="WAV", subtype="PCM_16"
    ) as out:
        at = 0
        for mono in _mono(recording):
            mixed = mono * np.float32(gain)
            if clicks:
                mixed = mixed * np.float32(1 - CLICK_LEVEL / 2) + CLICK_LEVEL * clicks.between(
                    at, at + mono.size
                )
            out.write(np.clip(mixed, -1, 1))
            at += mono.size


STEM_KINDS = {"wav": ("WAV", "PCM_24"), "flac": ("FLAC", "PCM_24")}


def take_stem(source: Path, target: Path, kind: str) -> None:
    """Writes the take as it was recorded, all its channels, as WAV or FLAC of 24 bit."""
    recording = read_audio(source)
    container, subtype = STEM_KINDS[kind]
    with soundfile.SoundFile(
        target,
        "w",
        samplerate=recording.rate_hz,
        channels=recording.channels,
        format=container,
        subtype=subtype,
    ) as out:
        for block in recording.blocks():
            out.write(np.clip(block, -1, 1))


def click_stem(
    source: Path,
    target: Path,
    riff: Riff,
    reading: Reading,
    *,
    settings: AccompanimentSettings,
    kind: str,
) -> None:
    """Writes what was to be heard beside a take, alone, as long as the take to the frame and in
    step with it: as WAV or FLAC of 24 bit.
    """
    recording = read_audio(source)
    track = accompaniment_sound(
        expand(riff, reading.tempo_bpm),
        settings,
        rounds=reading.rounds,
        start_s=reading.start_s or 0.0,
        rate_hz=recording.rate_hz,
    )
    frames = sum(len(block) for block in recording.blocks())
    whole = np.zeros(frames, dtype=np.float32)
    whole[: track.size] = track[:frames]
    loudest = max(1.0, float(np.abs(whole).max(initial=0.0)) / PEAK)
    container, subtype = STEM_KINDS[kind]
    soundfile.write(target, whole / loudest, recording.rate_hz, format=container, subtype=subtype)


def _cues(riff: Riff, reading: Reading, settings: AccompanimentSettings) -> list[Cue]:
    return cues_of(expand(riff, reading.tempo_bpm), settings, reading.rounds)


def _mono(recording: Recording) -> Iterator[NDArray[np.float32]]:
    for block in recording.blocks():
        yield block.mean(axis=1, dtype=np.float32)


class _Clicks:
    """The click or groove of a take as sound, rendered piece by piece."""

    def __init__(self, cues: list[Cue], start_s: float, rate_hz: int) -> None:
        self._cues = [(round((start_s + cue.at_s) * rate_hz), cue) for cue in cues]
        self._rate_hz = rate_hz

    def between(self, first: int, end: int) -> NDArray[np.float32]:
        """The click's sound from one frame up to, not including, another."""
        track = np.zeros(end - first, dtype=np.float32)
        for frame, cue in self._cues:
            sound = sound_of(cue.sound, self._rate_hz, VOICE)
            begin, stop = max(first, frame), min(end, frame + sound.size)
            if begin < stop:
                piece = sound[begin - frame : stop - frame]
                track[begin - first : stop - first] += np.float32(cue.level) * piece
        return track

"""A take to listen to: any stored format as 16-bit WAV, with the click mixed in where it was due if
wanted. Block by block, into a file.
"""

from collections.abc import Iterator
from pathlib import Path

import numpy as np
import soundfile
from numpy.typing import NDArray

from thrumble.core.ear.reading import Reading
from thrumble.core.pulse.click import click_sound, click_times, click_track
from thrumble.core.riff.expand import expand
from thrumble.core.riff.model import Riff
from thrumble.formats.audio import Recording, read_audio

CLICK_LEVEL = 0.5
PEAK = 0.8


def listening_copy(
    source: Path, target: Path, riff: Riff, reading: Reading | None, *, click: bool
) -> None:
    """Writes the take as a WAV that every browser plays and can jump about in. Without a reading's
    start the click is left out.
    """
    recording = read_audio(source)
    loudest = max((float(np.abs(mono).max(initial=0.0)) for mono in _mono(recording)), default=0.0)
    gain = PEAK / max(1e-6, loudest)
    clicks = (
        _Clicks(riff, reading, recording.rate_hz)
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


def click_stem(target: Path, riff: Riff, reading: Reading) -> None:
    """Writes the click where it was due in a take, alone and as long as the take: WAV, 16 bit."""
    expanded = expand(riff, reading.tempo_bpm)
    due = click_times(expanded, rounds=reading.rounds, count_in_bars=1)
    frames = round(reading.duration_s * reading.sample_rate)
    track = click_track(
        due, start_s=reading.start_s or 0.0, rate_hz=reading.sample_rate, frames=frames
    )
    soundfile.write(
        target, track * np.float32(PEAK), reading.sample_rate, format="WAV", subtype="PCM_16"
    )


def _mono(recording: Recording) -> Iterator[NDArray[np.float32]]:
    for block in recording.blocks():
        yield block.mean(axis=1, dtype=np.float32)


class _Clicks:
    """The clicks of a take as sound, piece by piece."""

    def __init__(self, riff: Riff, reading: Reading, rate_hz: int) -> None:
        expanded = expand(riff, reading.tempo_bpm)
        start_s = reading.start_s or 0.0
        due = click_times(expanded, rounds=reading.rounds, count_in_bars=1)
        self._frames = [(round((start_s + time_s) * rate_hz), accent) for time_s, accent in due]
        self._sounds = {accent: click_sound(rate_hz, accent=accent) for accent in (True, False)}

    def between(self, first: int, end: int) -> NDArray[np.float32]:
        """The clicks that sound from one frame until before another."""
        track = np.zeros(end - first, dtype=np.float32)
        for frame, accent in self._frames:
            sound = self._sounds[accent]
            begin, stop = max(first, frame), min(end, frame + sound.size)
            if begin < stop:
                track[begin - first : stop - first] += sound[begin - frame : stop - frame]
        return track

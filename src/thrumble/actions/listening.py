"""The way from files to a reading, without a store: the same road for the command line, the worker
and the benchmarks.
"""

from thrumble.core.ear.reading import Reading
from thrumble.core.ear.take import TakeInfo, read_recording
from thrumble.core.riff.expand import expand
from thrumble.core.riff.model import Riff
from thrumble.formats.audio import read_audio
from thrumble.formats.exchange import read_any
from thrumble.trained import EAR


def read_riff(data: bytes) -> Riff:
    """A riff from JSON, text or MIDI, told apart by how it begins. Raises RiffError."""
    return read_any(data).riff


def listen(riff: Riff, audio: bytes, *, tempo_bpm: float | None, info: TakeInfo) -> Reading:
    """Decodes a take and reads it against a riff. Raises BadAudio, BadTempo, RiffError."""
    return read_recording(read_audio(audio), expand(riff, tempo_bpm), info, ear=EAR)

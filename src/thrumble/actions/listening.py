"""The way from files to a reading, without a store: the same road for the command line, the worker
and the benchmarks.
"""

from thrumble.core.ear.reading import Reading
from thrumble.core.ear.take import TakeInfo, read_recording
from thrumble.core.errors import RiffError
from thrumble.core.riff.expand import expand
from thrumble.core.riff.model import Riff
from thrumble.core.riff.text import parse_riff
from thrumble.formats.audio import read_audio
from thrumble.formats.riff_json import read_riff_json


def read_riff(data: bytes) -> Riff:
    """A riff from JSON or text, told apart by the first character. Raises RiffError."""
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError:
        raise RiffError(
            "a riff is text or JSON in UTF-8; this file is neither", place="file"
        ) from None
    if not text.strip():
        raise RiffError("the riff is empty; write a title, a tempo and a section", place="file")
    return read_riff_json(text) if text.lstrip().startswith("{") else parse_riff(text)


def listen(riff: Riff, audio: bytes, *, tempo_bpm: float | None, info: TakeInfo) -> Reading:
    """Decodes a take and reads it against a riff. Raises BadAudio, BadTempo, RiffError."""
    return read_recording(read_audio(audio), expand(riff, tempo_bpm), info)

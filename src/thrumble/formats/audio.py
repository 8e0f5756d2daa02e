"""Audio files to samples and back. What a file is, is judged by decoding it, never by its name; length is limited while decoding."""

import io
from dataclasses import dataclass

import numpy as np
import soundfile
from numpy.typing import NDArray

from thrumble.core.errors import BadAudio

MAX_BYTES = 100_000_000
MAX_S = 600.0
RATES_HZ = (8000, 192000)
MAX_CHANNELS = 8
BLOCK = 1 << 18
KINDS = "WAV, FLAC, OGG (Vorbis or Opus), MP3, M4A or WebM"


@dataclass(frozen=True, slots=True)
class Recording:
    """Decoded sound: float32 samples, shape (n, channels), nominally within [-1, 1]."""

    samples: NDArray[np.float32]
    rate_hz: int

    @property
    def duration_s(self) -> float:
        return self.samples.shape[0] / self.rate_hz


def read_audio(data: bytes) -> Recording:
    """Decodes any supported file. Raises BadAudio, with what to do, for anything else."""
    if not data:
        raise BadAudio("the file is empty: export or copy it again")
    if len(data) > MAX_BYTES:
        raise BadAudio(f"the file has {len(data) / 1e6:.0f} MB, {MAX_BYTES // 1_000_000} are allowed: cut it to the riff")
    try:
        recording = _by_libsndfile(data)
    except soundfile.LibsndfileError:
        recording = _by_av(data)
    if recording.samples.shape[0] == 0:
        raise BadAudio("the file holds no sound, not a single sample: export it again")
    if not np.isfinite(recording.samples).all():
        raise BadAudio("the file holds samples that are not numbers (NaN or infinite): export it again")
    return recording


def _check(rate_hz: int, channels: int) -> None:
    if not RATES_HZ[0] <= rate_hz <= RATES_HZ[1]:
        raise BadAudio(f"a sample rate of {rate_hz} Hz cannot be read: save the take with {RATES_HZ[0]} to {RATES_HZ[1]} Hz")
    if not 1 <= channels <= MAX_CHANNELS:
        raise BadAudio(f"{channels} channels are too many: save the take in mono or stereo")


def _too_long() -> BadAudio:
    return BadAudio(f"the take is longer than {MAX_S / 60:.0f} minutes: cut it to the riff")


def _by_libsndfile(data: bytes) -> Recording:
    with soundfile.SoundFile(io.BytesIO(data)) as file:
        _check(file.samplerate, file.channels)
        blocks, frames = [], 0
        # read block by block: a header may promise little and hold hours
        while (block := file.read(BLOCK, dtype="float32", always_2d=True)).shape[0]:
            frames += block.shape[0]
            if frames > MAX_S * file.samplerate:
                raise _too_long()
            blocks.append(block)
        samples = np.concatenate(blocks) if blocks else np.zeros((0, 1), np.float32)
        return Recording(samples, file.samplerate)


def _by_av(data: bytes) -> Recording:
    import av  # a tenth of a second to import, and only phones and browsers need it

    blocks: list[NDArray[np.float32]] = []
    frames = 0
    try:
        with av.open(io.BytesIO(data)) as container:
            if not container.streams.audio:
                raise BadAudio(f"there is no sound in this file: send {KINDS}")
            stream = container.streams.audio[0]
            rate_hz = int(stream.codec_context.sample_rate or 0)
            _check(rate_hz, stream.codec_context.channels)
            for frame in container.decode(stream):
                block = frame.to_ndarray()
                if not frame.format.is_planar:
                    block = block.reshape(-1, len(frame.layout.channels)).T
                if block.dtype.kind in "iu":
                    block = block.astype(np.float32) / float(np.iinfo(block.dtype).max)
                frames += block.shape[1]
                if frames > MAX_S * rate_hz:
                    raise _too_long()
                blocks.append(np.asarray(block.T, dtype=np.float32))
    except (av.FFmpegError, ValueError, IndexError) as error:
        raise BadAudio(f"this is no audio file that can be read, or it is cut off: send {KINDS}") from error
    return Recording(np.concatenate(blocks) if blocks else np.zeros((0, 1), np.float32), rate_hz)


def write_flac(samples: NDArray[np.float32], rate_hz: int) -> tuple[bytes, int]:
    """Samples as 24-bit FLAC, and how many lay beyond full scale (they are clipped to it)."""
    beyond = int(np.count_nonzero(np.abs(samples) > 1.0))
    out = io.BytesIO()
    soundfile.write(out, np.clip(samples, -1.0, 1.0), rate_hz, format="FLAC", subtype="PCM_24")
    return out.getvalue(), beyond


def write_wav(samples: NDArray[np.float32], rate_hz: int) -> bytes:
    """Samples as 32-bit float WAV, exact."""
    out = io.BytesIO()
    soundfile.write(out, samples, rate_hz, format="WAV", subtype="FLOAT")
    return out.getvalue()

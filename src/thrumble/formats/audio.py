"""Audio files to samples and back. What a file is, is judged by decoding it, never by its name;
length and memory are bounded while decoding.
"""

import io
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import Any, BinaryIO

import numpy as np
import soundfile
from numpy.typing import NDArray

from thrumble.core.errors import BadAudio

MAX_BYTES = 100_000_000
MAX_S = 600.0
RATES_HZ = (8000, 192000)
MAX_CHANNELS = 8
BLOCK = 1 << 16
UNKNOWN_FRAMES = 1 << 60  # libsndfile says 2^63 - 1 for a length that the file leaves open
KEPT_BYTES = 1 << 26  # of decoded sound; more is decoded again whenever it is gone through
KINDS = "WAV, FLAC, OGG (Vorbis or Opus), MP3, M4A or WebM"
HEADS = (b"RIFF", b"RF64", b"fLaC", b"OggS", b"ID3", b"\x1aE\xdf\xa3")
Blocks = Iterator[NDArray[np.float32]]


class Recording:
    """A decoded file that can be gone through again and again. `blocks()`: float32, shape (n,
    channels), nominally within [-1, 1].
    """

    def __init__(self, source: bytes | Path) -> None:
        self._source = source
        self._decode, self.rate_hz, self.channels = _opened(source)
        self._kept: list[NDArray[np.float32]] | None = []
        size = 0
        for block in self._checked():
            size += block.nbytes
            if size > KEPT_BYTES:
                self._kept = None
                return
            self._kept.append(block)
        if not size:
            raise BadAudio("the file holds no sound, not a single sample: export it again")

    def blocks(self) -> Blocks:
        """The whole sound in order. Raises BadAudio if a long file turns out to be damaged on
        the way.
        """
        return iter(self._kept) if self._kept is not None else self._checked()

    @property
    def samples(self) -> NDArray[np.float32]:
        """All of it at once, for sounds that are known to be short."""
        return np.concatenate(list(self.blocks()))

    @property
    def duration_s(self) -> float:
        return sum(len(block) for block in self.blocks()) / self.rate_hz

    def _checked(self) -> Blocks:
        """The decoder's blocks as long as they are numbers and not too many: a header may promise
        little and hold hours.
        """
        frames = 0
        try:
            for block in self._decode(self._source):
                frames += block.shape[0]
                if frames > MAX_S * self.rate_hz:
                    raise BadAudio(
                        f"the take is longer than {MAX_S / 60:.0f} minutes: cut it to the riff"
                    )
                if not np.isfinite(block).all():
                    raise BadAudio(
                        "the file holds samples that are not numbers (NaN or infinite): export it "
                        "again"
                    )
                if block.shape[0]:
                    yield block
        except (BadAudio, MemoryError):
            raise
        except (
            Exception
        ) as error:  # whatever a decoder trips over in a file from outside, it is the file
            raise _unreadable() from error


def read_audio(source: bytes | Path) -> Recording:
    """Opens any supported file. Raises BadAudio, with what to do, for anything else."""
    size = source.stat().st_size if isinstance(source, Path) else len(source)
    if not size:
        raise BadAudio("the file is empty: export or copy it again")
    if size > MAX_BYTES:
        raise BadAudio(
            f"the file has {size / 1e6:.0f} MB, {MAX_BYTES // 1_000_000} are allowed: cut it to "
            "the riff"
        )
    return Recording(source)


def looks_like_audio(head: bytes) -> bool:
    """Whether a file's first bytes are those of a kind that can be read; a quick look, decoding has
    the last word.
    """
    mp3 = any(head[k] == 0xFF and head[k + 1] >= 0xE0 for k in range(min(len(head) - 1, 2048)))
    return head.startswith(HEADS) or head[4:8] == b"ftyp" or mp3


def _unreadable() -> BadAudio:
    return BadAudio(f"this is no audio file that can be read, or it is cut off: send {KINDS}")


def _check(rate_hz: int, channels: int) -> tuple[int, int]:
    if not RATES_HZ[0] <= rate_hz <= RATES_HZ[1]:
        raise BadAudio(
            f"a sample rate of {rate_hz} Hz cannot be read: save the take with {RATES_HZ[0]} to "
            f"{RATES_HZ[1]} Hz"
        )
    if not 1 <= channels <= MAX_CHANNELS:
        raise BadAudio(f"{channels} channels are too many: save the take in mono or stereo")
    return rate_hz, channels


def _file(source: bytes | Path) -> BinaryIO | str:
    return str(source) if isinstance(source, Path) else io.BytesIO(source)


def _opened(source: bytes | Path) -> tuple[Any, int, int]:
    """The decoder that takes the file, its rate and channels."""
    try:
        with soundfile.SoundFile(_file(source)) as file:
            # streaming encoders leave a FLAC's length open, and libsndfile cannot read such a file
            decode = _by_av if file.frames > UNKNOWN_FRAMES else _by_libsndfile
            return decode, *_check(file.samplerate, file.channels)
    except BadAudio:
        raise
    except Exception:
        return _by_av, *_av_facts(source)


def _by_libsndfile(source: bytes | Path) -> Blocks:
    with soundfile.SoundFile(_file(source)) as file:
        while (block := file.read(BLOCK, dtype="float32", always_2d=True)).shape[0]:
            yield block


def _av_facts(source: bytes | Path) -> tuple[int, int]:
    import av  # a tenth of a second to import, and only phones and browsers need it

    try:
        with av.open(_file(source)) as container:
            if not container.streams.audio:
                raise BadAudio(f"there is no sound in this file: send {KINDS}")
            context = container.streams.audio[0].codec_context
            return _check(int(context.sample_rate or 0), int(context.channels))
    except BadAudio:
        raise
    except Exception as error:
        raise _unreadable() from error


def _by_av(source: bytes | Path) -> Blocks:
    import av

    with av.open(_file(source), "r") as container:
        stream = container.streams.audio[0]
        channels = int(stream.codec_context.channels)
        for frame in container.decode(stream):
            block: NDArray[Any] = frame.to_ndarray()
            if not frame.format.is_planar:
                block = block.reshape(-1, len(frame.layout.channels)).T
            if block.dtype.kind in "iu":
                block = block.astype(np.float32) / float(np.iinfo(block.dtype).max)
            if block.shape[0] != channels:
                raise ValueError("the number of channels changes on the way")
            yield np.ascontiguousarray(block.T, dtype=np.float32)


def encode_flac(blocks: Iterable[NDArray[np.float32]], rate_hz: int, file: BinaryIO) -> int:
    """Mono samples as 24-bit FLAC into an open file, block by block; says how many lay beyond full
    scale (they are clipped to it).
    """
    beyond = 0
    with soundfile.SoundFile(
        file, "w", samplerate=rate_hz, channels=1, format="FLAC", subtype="PCM_24"
    ) as out:
        for block in blocks:
            beyond += int(np.count_nonzero(np.abs(block) > 1.0))
            out.write(np.clip(block, -1.0, 1.0))
    return beyond


def write_flac(samples: NDArray[np.float32], rate_hz: int) -> tuple[bytes, int]:
    """Samples at hand as 24-bit FLAC, and how many lay beyond full scale."""
    out = io.BytesIO()
    beyond = encode_flac([samples], rate_hz, out)
    return out.getvalue(), beyond


def write_wav16(samples: NDArray[np.float32], rate_hz: int) -> bytes:
    """Samples within [-1, 1] as 16-bit WAV, for listening."""
    out = io.BytesIO()
    soundfile.write(out, np.clip(samples, -1, 1), rate_hz, format="WAV", subtype="PCM_16")
    return out.getvalue()


def write_wav(samples: NDArray[np.float32], rate_hz: int) -> bytes:
    """Samples as 32-bit float WAV, exact."""
    out = io.BytesIO()
    soundfile.write(out, samples, rate_hz, format="WAV", subtype="FLOAT")
    return out.getvalue()

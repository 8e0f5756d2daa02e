"""Audio files: every promised kind decodes to the same sound, and everything else gives one clear
error.
"""

import io
import struct
import zlib

import av
import numpy as np
import pytest
import soundfile

from thrumble.core.errors import BadAudio
from thrumble.formats import audio
from thrumble.formats.audio import read_audio, write_flac, write_wav

RATE = 48000
TONE = (0.5 * np.sin(2 * np.pi * 440 * np.arange(RATE) / RATE)).astype(np.float32)


def by_soundfile(kind: str, subtype: str, rate: int = RATE, samples: np.ndarray = TONE) -> bytes:
    out = io.BytesIO()
    soundfile.write(out, samples, rate, format=kind, subtype=subtype)
    return out.getvalue()


def by_av(container: str, codec: str) -> bytes:
    out = io.BytesIO()
    with av.open(out, "w", format=container) as file:
        stream = file.add_stream(codec, rate=RATE)
        stream.layout = "mono"
        frame = av.AudioFrame.from_ndarray(TONE[np.newaxis], format="fltp", layout="mono")
        frame.sample_rate = RATE
        for packet in [*stream.encode(frame), *stream.encode(None)]:
            file.mux(packet)
    return out.getvalue()


KINDS = {
    "wav16": lambda: by_soundfile("WAV", "PCM_16"),
    "wav-float": lambda: by_soundfile("WAV", "FLOAT"),
    "flac": lambda: by_soundfile("FLAC", "PCM_24"),
    "vorbis": lambda: by_soundfile("OGG", "VORBIS"),
    "opus": lambda: by_soundfile("OGG", "OPUS"),
    "mp3": lambda: by_soundfile("MP3", "MPEG_LAYER_III"),
    "m4a": lambda: by_av("mp4", "aac"),
    "webm": lambda: by_av("webm", "libopus"),
}


@pytest.mark.parametrize("kind", list(KINDS))
def test_every_promised_kind_decodes(kind: str) -> None:
    recording = read_audio(KINDS[kind]())
    mono = recording.samples.mean(axis=1)
    assert recording.rate_hz == RATE and recording.duration_s == pytest.approx(1.0, abs=0.05)
    spectrum = np.abs(np.fft.rfft(mono[4800:43200]))
    assert np.argmax(spectrum) * RATE / 38400 == pytest.approx(440, abs=2)
    assert np.sqrt(2 * np.mean(mono[4800:43200] ** 2)) == pytest.approx(0.5, abs=0.03)


@pytest.mark.parametrize("rate", [8000, 22050, 96000, 192000])
def test_rates_from_8_to_192_khz_and_stereo_decode(rate: int) -> None:
    stereo = np.stack([TONE, TONE], axis=1)
    recording = read_audio(by_soundfile("WAV", "PCM_24", rate, stereo))
    assert (recording.rate_hz, recording.samples.shape) == (rate, (RATE, 2))


def nan_wav() -> bytes:
    return by_soundfile("WAV", "FLOAT", samples=np.array([0.1, np.nan, 0.2], dtype=np.float32))


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "empty"),
        (b"\0" * 4000, "no audio file"),
        (b"hello, this is a text" * 50, "no audio file"),
        (by_soundfile("FLAC", "PCM_16")[:60], "no audio file|no sound"),
        (nan_wav(), "not numbers"),
        (by_soundfile("WAV", "PCM_16", samples=TONE[:0]), "no sound"),
        (by_soundfile("WAV", "PCM_16", rate=4000), "sample rate"),
        (by_soundfile("WAV", "PCM_16", samples=np.zeros((10, 9), np.float32)), "too many"),
        (zlib.compress(b"x" * 9999), "no audio file"),
    ],
    ids=[
        "nothing",
        "zeros",
        "text",
        "cut short",
        "not a number",
        "no samples",
        "a slow rate",
        "nine channels",
        "packed",
    ],
)
def test_everything_else_gives_one_clear_error(data: bytes, words: str) -> None:
    with pytest.raises(BadAudio, match=words):
        read_audio(data)


def test_a_file_is_judged_by_its_sound_not_by_a_header_that_lies() -> None:
    data = bytearray(by_soundfile("WAV", "PCM_16"))
    data[40:44] = struct.pack("<I", 2**31)  # promises hours
    assert read_audio(bytes(data)).duration_s == pytest.approx(1.0, abs=0.01)


def test_hours_in_a_small_file_are_stopped_while_decoding(monkeypatch: pytest.MonkeyPatch) -> None:
    bomb = by_soundfile("FLAC", "PCM_16", 8000, np.zeros(8000 * 700, np.float32))
    assert len(bomb) < 100_000
    with pytest.raises(BadAudio, match="longer than 10 minutes"):
        read_audio(bomb)
    monkeypatch.setattr(audio, "MAX_S", 0.5)
    with pytest.raises(BadAudio, match="longer than"):
        read_audio(by_av("mp4", "aac"))


def test_oversized_files_are_refused_before_decoding(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(audio, "MAX_BYTES", 1000)
    with pytest.raises(BadAudio, match="cut it"):
        read_audio(by_soundfile("WAV", "PCM_16"))


def test_flac_of_a_take_is_24_bit_and_counts_what_was_beyond_full_scale() -> None:
    data, beyond = write_flac(np.array([0.0, 1.5, -1.2, 0.123456], dtype=np.float32), RATE)
    back = read_audio(data).samples[:, 0]
    assert beyond == 2 and soundfile.info(io.BytesIO(data)).subtype == "PCM_24"
    assert back[3] == pytest.approx(0.123456, abs=2**-22)
    assert np.array_equal(read_audio(write_wav(TONE, RATE)).samples[:, 0], TONE)


def test_a_flac_whose_length_was_left_open_is_read() -> None:
    """As streaming encoders write it: the number of samples in the header is 0."""
    samples = np.sin(np.arange(96_000) / 20).astype(np.float32) * 0.5
    data = bytearray(write_flac(samples, 48_000)[0])
    facts = slice(18, 26)  # rate, channels, depth, and the number of samples in the last 36 bits
    data[facts] = (int.from_bytes(data[facts]) >> 36 << 36).to_bytes(8)
    found = read_audio(bytes(data))
    assert found.rate_hz == 48_000 and found.duration_s == 2.0
    assert np.abs(found.samples[:, 0] - samples).max() < 1e-4

"""Writes the words one to twelve for the spoken count-in: the text-to-speech program of Debian's
package espeak-ng says them, and their sound becomes resources/voice.bin. What it prints stands in
core/pulse/spoken.py.

python -m training.voice
"""

import subprocess
import tempfile
import zlib
from pathlib import Path

import numpy as np
import soundfile
import soxr
from numpy.typing import NDArray

RATE_HZ = 11025
WORDS = ["one", "two", "three", "four", "five", "six"]
WORDS += ["seven", "eight", "nine", "ten", "eleven", "twelve"]
OUT = Path(__file__).parent.parent / "src/thrumble/resources/voice.bin"


def say(word: str, folder: Path) -> NDArray[np.float64]:
    """A word at RATE_HZ, peak 1, trimmed to what sounds."""
    path = folder / "word.wav"
    voice = ["-v", "en-gb", "-s", "240", "-p", "35", "-a", "160"]
    subprocess.run(["espeak-ng", *voice, "-w", str(path), word], check=True)
    samples, rate = soundfile.read(path)
    samples = soxr.resample(samples, rate, RATE_HZ)
    samples /= np.abs(samples).max()
    loud = np.flatnonzero(_smooth(samples, 110) > 0.03 * _smooth(samples, 110).max())
    samples = samples[loud[0] : loud[-1] + 1]
    steps = np.arange(samples.size)
    return np.asarray(samples * np.minimum(1, steps / 20) * np.minimum(1, steps[::-1] / 60))


def vowel(samples: NDArray[np.float64]) -> int:
    """Frames to where the vowel has come in."""
    low = _smooth(np.convolve(samples, np.ones(9) / 9, "same"), 165)
    return int(np.flatnonzero(low > 0.45 * low.max())[0])


def _smooth(samples: NDArray[np.float64], size: int) -> NDArray[np.float64]:
    return np.asarray(np.sqrt(np.convolve(samples**2, np.ones(size) / size, "same")))


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        words = [say(word, Path(folder)) for word in WORDS]
    companded = [np.sign(w) * np.log1p(255 * np.abs(w)) / np.log(256) for w in words]
    raw = b"".join(np.round((c + 1) * 63.5).astype(np.uint8).tobytes() for c in companded)
    OUT.write_bytes(zlib.compress(raw, 9))
    print(f"SIZES = {tuple(w.size for w in words)}")
    print(f"LEADS = {tuple(vowel(w) for w in words)}")


if __name__ == "__main__":
    main()

"""The spoken count: the words one to twelve, as long as the voice says them, and their sound from
its recording. Lengths and leads are printed by training/voice.py, which writes the recording.
"""

import zlib
from functools import lru_cache

import numpy as np
import soxr

from thrumble.core.signal import Samples

RATE_HZ = 11025
SIZES = (2640, 2003, 2344, 2571, 3087, 3294, 3451, 2228, 3116, 2309, 3656, 3434)
# frames from a word's first sound to its vowel, where the ear hears the beat
LEADS = (387, 487, 772, 889, 881, 778, 782, 100, 0, 494, 112, 762)


@lru_cache(maxsize=4)
def words_of(voice: bytes, rate_hz: int) -> dict[str, Samples]:
    """The sound of each word at a rate, float32, peak 0.9, by its cue's name (`say-1`). Shapes
    (frames,).

    voice : the recording, compressed; companded to seven bits (mu law) at RATE_HZ.
    """
    raw = np.frombuffer(zlib.decompress(voice), dtype=np.uint8)
    companded = raw.astype(np.float32) / 63.5 - 1
    wave = np.sign(companded) * np.expm1(np.abs(companded) * np.log(256)) / 255
    words = np.split(wave.astype(np.float32), np.cumsum(SIZES)[:-1])
    return {
        f"say-{n + 1}": np.asarray(0.9 * soxr.resample(word, RATE_HZ, rate_hz), np.float32)
        for n, word in enumerate(words)
    }

"""Onset detectors of general libraries on one file: prints CPU seconds (median of five, after a
first call) and onsets, as JSON.

Run by benchmarks/speed.py with the interpreter of an environment that holds librosa and aubio,
apart from the project's own:

    .tools/bin/uv venv .local/detectors -p .venv/bin/python
    .tools/bin/uv pip install --python .local/detectors/bin/python --group benchmark
"""

import json
import statistics
import sys
import time
from collections.abc import Callable

import aubio
import librosa
import numpy as np
import soundfile

HOP = 128


def by_librosa(samples: np.ndarray, rate_hz: int) -> list[float]:
    return [
        float(t)
        for t in librosa.onset.onset_detect(y=samples, sr=rate_hz, hop_length=HOP, units="time")
    ]


def by_aubio(samples: np.ndarray, rate_hz: int) -> list[float]:
    detector = aubio.onset("default", 512, HOP, rate_hz)
    out = []
    for start in range(0, samples.size - HOP + 1, HOP):
        if detector(samples[start : start + HOP])[0]:
            out.append(float(detector.get_last_s()))
    return out


def timed(
    work: Callable[[np.ndarray, int], list[float]], samples: np.ndarray, rate_hz: int
) -> dict[str, object]:
    onsets, times = work(samples, rate_hz), []
    for _ in range(5):
        begin = time.process_time()
        work(samples, rate_hz)
        times.append(time.process_time() - begin)
    return {"cpu_s": statistics.median(times), "onsets_s": onsets}


if __name__ == "__main__":
    sound, rate = soundfile.read(sys.argv[1], dtype="float32")
    print(
        json.dumps(
            {"librosa": timed(by_librosa, sound, rate), "aubio": timed(by_aubio, sound, rate)}
        )
    )

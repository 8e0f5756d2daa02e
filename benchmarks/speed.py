"""How fast the ear and the shell are, and how much memory ten minutes take.

    python -m benchmarks.speed [--detectors .local/detectors/bin/python]

CPU seconds on one core, after import; the median of five. Set OPENBLAS_NUM_THREADS=1, as the worker
does. With an interpreter that holds librosa
and aubio (see benchmarks/detectors.py), their onset detectors hear the same minute in the same run,
at its own rate and at half of it.
"""

import argparse
import json
import os
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import mir_eval
import numpy as np
import soundfile
import soxr

from thrumble.core.ear.take import TakeInfo, read_take
from thrumble.core.player.flaws import Flaws
from thrumble.core.player.perform import perform
from thrumble.core.riff.expand import expand
from thrumble.core.riff.notation.text import parse_riff
from thrumble.demo import riff_texts
from thrumble.trained import EAR

RIFF = parse_riff(riff_texts()["1-sluice-gate"])


def cpu_of(samples, rate_hz: int, info: TakeInfo) -> float:  # type: ignore[no-untyped-def]
    """Median CPU seconds of five readings."""
    times = []
    for _ in range(5):
        begin = time.process_time()
        read_take(samples, rate_hz, expand(RIFF), info, ear=EAR)
        times.append(time.process_time() - begin)
    return statistics.median(times)


MEMORY = """
import re, sys, numpy as np
from benchmarks.speed import RIFF
from thrumble.core.ear.take import TakeInfo, read_take
from thrumble.core.riff.expand import expand
samples = np.load(sys.argv[1])
# rusage would count the parent's peak
peak = lambda: int(re.search(r"VmHWM:\\s+(\\d+)", open("/proc/self/status").read())[1])
before = peak()
read_take(samples, 48000, expand(RIFF), TakeInfo(start_s=1.0, rounds=int(sys.argv[2])))
print((peak() - before) / 1024)
"""


def memory_of(samples, rounds: int) -> float:  # type: ignore[no-untyped-def]
    """Peak MB over what a fresh process holds with the take already loaded."""
    with tempfile.NamedTemporaryFile(suffix=".npy") as file:
        np.save(file, samples)
        file.flush()
        done = subprocess.run(
            [sys.executable, "-c", MEMORY, file.name, str(rounds)],
            check=True,
            capture_output=True,
            text=True,
        )
    return float(done.stdout)


def other_detectors(interpreter: str) -> None:
    """Time and F-measure of librosa's and aubio's onset detectors beside the whole reading, on one
    minute.
    """
    take = perform(RIFF, seed=1, rounds=2, rate_hz=44100, flaws=Flaws(timing=9, wrong=0.07))
    reading = read_take(
        take.samples,
        take.rate_hz,
        expand(RIFF),
        TakeInfo(start_s=take.start_s, rounds=2),
        ear=EAR,
    )
    heard = sorted(
        [h.onset_s for h in reading.hits if h.onset_s is not None]
        + [e.onset_s for e in reading.extra_onsets]
    )
    true = np.sort([h.onset_s for h in take.hits if h.onset_s is not None])
    rows = [
        (
            "the whole reading, start given",
            cpu_of(take.samples, take.rate_hz, TakeInfo(start_s=take.start_s, rounds=2)),
            np.array(heard),
        )
    ]
    for rate in (take.rate_hz, take.rate_hz // 2):
        with tempfile.TemporaryDirectory() as folder:
            soundfile.write(
                f"{folder}/take.wav", soxr.resample(take.samples, take.rate_hz, rate), rate
            )
            command = [
                interpreter,
                str(Path(__file__).parent / "detectors.py"),
                f"{folder}/take.wav",
            ]
            alone = {
                **os.environ,
                "OMP_NUM_THREADS": "1",
                "OPENBLAS_NUM_THREADS": "1",
                "NUMBA_NUM_THREADS": "1",
            }
            found = json.loads(
                subprocess.run(
                    command, check=True, capture_output=True, text=True, env=alone
                ).stdout
            )
        rows += [
            (
                f"{name}'s onset detector, hop 128 at {rate / 1000:g} kHz",
                one["cpu_s"],
                np.array(one["onsets_s"]),
            )
            for name, one in found.items()
        ]
    print("\n| on one minute | CPU s | F ±25 ms | F ±10 ms |\n| --- | --- | --- | --- |")
    for name, seconds, onsets in rows:
        pairs = mir_eval.util.match_events(true, onsets, 0.05)
        onsets = np.maximum(0, onsets - np.median([onsets[j] - true[i] for i, j in pairs]))
        scores = [mir_eval.onset.f_measure(true, onsets, window=w)[0] for w in (0.025, 0.010)]
        print(f"| {name} | {seconds:.2f} | {scores[0]:.3f} | {scores[1]:.3f} |")


def main() -> None:
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("--detectors", help="an interpreter with librosa and aubio")
    arguments = parser.parse_args()
    if arguments.detectors:
        other_detectors(arguments.detectors)
    print("| what | seconds |\n| --- | --- |")
    for rounds, name in ((2, "1 min"), (4, "2 min"), (10, "5 min"), (20, "10 min")):
        take = perform(RIFF, seed=1, rounds=rounds, rate_hz=48000)
        seconds = take.samples.size / take.rate_hz
        given = cpu_of(take.samples, take.rate_hz, TakeInfo(start_s=take.start_s, rounds=rounds))
        grown = memory_of(take.samples, rounds)
        found = cpu_of(take.samples, take.rate_hz, TakeInfo(rounds=rounds))
        print(
            f"| reading {seconds:.0f} s ({name}), start given: CPU, and per minute | {given:.2f}, "
            f"{given / seconds * 60:.2f} |"
        )
        print(
            f"| the same, start found: CPU, and per minute | {found:.2f}, "
            f"{found / seconds * 60:.2f} |"
        )
        print(f"| the same: memory over the process's own, MB | {grown:.0f} |", flush=True)
    with tempfile.TemporaryDirectory() as folder:
        take = perform(parse_riff(riff_texts()["6-stop-planks"]), seed=1)
        soundfile.write(Path(folder) / "take.wav", take.samples, take.rate_hz)
        (Path(folder) / "riff.txt").write_text(riff_texts()["6-stop-planks"])
        times = []
        for _ in range(5):
            begin = time.perf_counter()
            subprocess.run(
                [
                    sys.executable,
                    "-m",
                    "thrumble.cli",
                    "analyze",
                    f"{folder}/riff.txt",
                    f"{folder}/take.wav",
                ],
                check=True,
                capture_output=True,
            )
            times.append(time.perf_counter() - begin)
        print(
            f"| thrumble analyze of {take.samples.size / take.rate_hz:.0f} s, start-up and all, "
            f"wall | {statistics.median(times):.2f} |"
        )


if __name__ == "__main__":
    main()

"""Are the probabilities of chords, stray strings and stops calibrated? Takes with wrong frets,
stray strings and late stops; of what is said with a probability, how much is right.

python -m benchmarks.certainty [--takes N] [--fit] [--write]
(sampled guitars if their packages are installed; --fit uses the takes that the constants in
`core/ear/measure/certainty.py` were fitted on, the default others)
"""

import argparse
import itertools
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path

import numpy as np

from benchmarks.findings import DELAY_MS, STEADY, Trial, fits, riffs
from benchmarks.sampled import FOLDER, LEARNT, SampledGuitar
from thrumble.core.coach.verdict.judgement import LATE_STOP_MS
from thrumble.core.ear.measure.certainty import stop_late_probability
from thrumble.core.ear.reading import HeardKind
from thrumble.core.ear.take import TakeInfo, read_take
from thrumble.core.player.guitars import ModelGuitar
from thrumble.core.player.perform import perform
from thrumble.core.player.sound import Tone, draw_setup
from thrumble.core.riff.expand import expand
from thrumble.core.riff.model import Articulation, Riff
from thrumble.trained import EAR

DOCUMENT = Path(__file__).parent.parent / "docs/accuracy/certainty.md"
FIT_SEED, SEED = 990_000, 880_000
FLAWS: tuple[dict[str, float], ...] = (
    {"stop": 70, "stop_spread": 50},
    {"fret": 0.15},
    {"stray": 0.2},
    {},
    {"stop": 20, "stop_spread": 25},
    {"fret": 0.05, "stray": 0.05},
)
EDGES = (0.0, 0.5, 0.7, 0.9, 0.98, 0.99, 1.0)


@dataclass(frozen=True, slots=True)
class Job:
    """One take to make and read."""

    riff: Riff
    flaws: dict[str, float]
    tone: Tone
    seed: int
    sampled: bool


@dataclass(frozen=True, slots=True)
class Said:
    """One statement: about what, its probability, and whether it is right."""

    about: str
    probability: float
    right: bool


def jobs(count: int, seed: int) -> list[Job]:
    """Takes with each flaw in turn, over the riffs that can show it, tones and guitars."""
    known, tones = riffs(), list(Tone)
    have_samples = (FOLDER / f"{LEARNT}.sf2").exists()
    out = []
    for number in range(count):
        flaws = FLAWS[number % len(FLAWS)]
        trial = Trial("", tuple(flaws.items()), frozenset())
        fitting = [riff for riff in known if fits(trial, riff)]
        turn = number // len(FLAWS)
        out.append(
            Job(
                riff=fitting[number * 7 % len(fitting)],
                flaws=flaws,
                tone=tones[turn % len(tones)],
                seed=seed + number,
                sampled=have_samples and turn // len(tones) % 2 == 1,
            )
        )
    return out


def run(job: Job) -> list[Said]:
    """What is said of the hits of one take that were heard as what they are."""
    setup = draw_setup(job.tone, np.random.default_rng(job.seed))
    guitar = partial(SampledGuitar, notes=LEARNT) if job.sampled else ModelGuitar
    flaws = replace(STEADY, **job.flaws)
    take = perform(job.riff, seed=job.seed, flaws=flaws, setup=setup, guitar=guitar)
    info = TakeInfo(start_s=take.start_s, delay_ms=DELAY_MS, delay_spread_ms=1.0)
    reading = read_take(take.samples, take.rate_hz, expand(job.riff), info, ear=EAR)
    truth = {hit.index: hit for hit in take.hits if hit.index is not None}
    out = []
    for hit in reading.hits:
        real = truth[hit.index]
        if not real.played or hit.onset_s is None:
            continue
        is_open = real.articulation is Articulation.OPEN
        if hit.heard_articulation is HeardKind.OPEN and is_open:
            if hit.chord_ok is not None and hit.chord_probability is not None:
                is_right = hit.chord_ok == (real.fret_error == 0)
                about = "chord as written" if hit.chord_ok else "chord fretted wrong"
                out.append(Said(about, hit.chord_probability, is_right))
            if hit.stray_strings is not None and hit.stray_probability is not None:
                is_right = bool(hit.stray_strings) == bool(real.stray_strings)
                about = "stray string rings" if hit.stray_strings else "no stray string"
                if not real.fret_error:
                    out.append(Said(about, hit.stray_probability, is_right))
        if hit.stop_late_ms is not None and real.stop_late_ms is not None:
            late = stop_late_probability(hit.stop_late_ms, LATE_STOP_MS, hit.ring_end)
            said_late, is_late = hit.stop_late_ms >= LATE_STOP_MS, real.stop_late_ms >= LATE_STOP_MS
            about = "stop rings on" if said_late else "stop in time"
            out.append(Said(about, late if said_late else 1 - late, said_late == is_late))
    return out


def lines_of(said: list[Said]) -> list[str]:
    """A row for each kind of statement and span of probabilities, and the mean error."""
    lines = ["| said | probability | statements | mean probability | right |"]
    lines.append("| --- | --- | --- | --- | --- |")
    gap = 0.0
    for about in sorted({statement.about for statement in said}):
        for low, high in itertools.pairwise(EDGES):
            span = [s for s in said if s.about == about and low <= s.probability < high]
            if not span:
                continue
            mean = float(np.mean([s.probability for s in span]))
            right = float(np.mean([s.right for s in span]))
            gap += len(span) * abs(mean - right)
            lines.append(
                f"| {about} | {low:.2f} to {high:.2f} | {len(span)} | {mean:.3f} | {right:.3f} |"
            )
    lines += ["", f"Mean error over all {len(said)} statements: {gap / max(1, len(said)):.4f}."]
    return lines


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--takes", type=int, default=216)
    parser.add_argument("--fit", action="store_true")
    parser.add_argument("--write", action="store_true")
    args = parser.parse_args()
    with ProcessPoolExecutor(2) as pool:
        takes = jobs(args.takes, FIT_SEED if args.fit else SEED)
        said = [statement for heard in pool.map(run, takes, chunksize=4) for statement in heard]
    lines = lines_of(said)
    print("\n".join(lines))
    if args.write:
        head = [
            "# How sure is the analysis of chords, stray strings and stops?",
            "",
            "Made by `python -m benchmarks.certainty --write`: takes of the simulated guitarist "
            "with wrong frets, stray strings and late stops, in three tones, on modelled guitars "
            "and, if their packages are installed, sampled ones. The probabilities were fitted "
            "on other takes.",
            "",
        ]
        DOCUMENT.write_text("\n".join([*head, *lines, ""]))


if __name__ == "__main__":
    main()

"""Are the findings right? Every flaw of the simulated guitarist in several sizes, alone and in
pairs, on all demo riffs and twenty invented ones, in three tones, on modelled and sampled guitars;
players without a flaw; and players with a few wrong hits, all of which have to be listed.

python -m benchmarks.findings [--takes N] [--pairs N] [--clean N] [--few N] [--write]
(sampled guitars if their packages are installed)
"""

import argparse
import itertools
from collections import Counter, defaultdict
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path

import numpy as np

from benchmarks.corpus import draw_riff
from benchmarks.sampled import FOLDER, LEARNT, SampledGuitar
from thrumble.core.coach.verdict.articulation import (
    DeadHitsRing,
    NotAsWritten,
    OpenHitsChoked,
    PalmMutesRing,
)
from thrumble.core.coach.verdict.finding import Finding
from thrumble.core.coach.verdict.findings import LABELS, find_findings
from thrumble.core.coach.verdict.hits import ExtraHits, MissedHits, UnevenLevel
from thrumble.core.coach.verdict.judgement import judge
from thrumble.core.coach.verdict.strings import StopsRingOn, StrayStrings, WrongFrets
from thrumble.core.coach.verdict.tempo import Drift, Swing
from thrumble.core.coach.verdict.timing import LateAfterShifts, LeadOrLag, LooseTiming, Tiring
from thrumble.core.coach.verdict.whole_take import Clean
from thrumble.core.ear.reading import Reading
from thrumble.core.ear.take import TakeInfo, read_take
from thrumble.core.player.flaws import Flaws
from thrumble.core.player.guitars import ModelGuitar
from thrumble.core.player.perform import Performance, perform
from thrumble.core.player.sound import Tone, draw_setup
from thrumble.core.riff.expand import DueHit, expand
from thrumble.core.riff.model import Articulation, Riff
from thrumble.core.riff.notation.text import parse_riff
from thrumble.core.riff.shifts import shifts_mm
from thrumble.core.signal import rms_db
from thrumble.demo import riff_texts
from thrumble.trained import EAR

DOCUMENT = Path(__file__).parent.parent / "docs/accuracy/findings.md"
STEADY = Flaws(timing=7, level=1.0)
UNEVEN_DB = 3.0
MIN = 0.05  # share of hits that a flaw has to spoil, by the truth
DELAY_MS = 9.0  # known, so that a bias can be told
FEW_WRONG = (2, 6)  # wrong hits of a take: too few to name a cause, and all to be listed
FEW_FLAWS = ({"wrong": 0.04}, {"ringing": 0.06}, {"choked": 0.06}, {"missed": 0.04})
SOUNDS = frozenset(
    kind.kind for kind in (PalmMutesRing, OpenHitsChoked, DeadHitsRing, NotAsWritten)
)


@dataclass(frozen=True, slots=True)
class Trial:
    """A flaw in one size: what it changes, and the kinds that name it rightly."""

    name: str
    changes: tuple[tuple[str, float], ...]
    right: frozenset[str]


def _trial(name: str, right: type[Finding] | frozenset[str], **changes: float) -> Trial:
    kinds = right if isinstance(right, frozenset) else frozenset({right.kind})
    return Trial(name, tuple(changes.items()), kinds)


# sizes that spoil a twentieth of the hits or more
TRIALS = [
    *(_trial(f"drift {d:+d} bpm a minute", Drift, drift=d) for d in (12, -14, 8, -8)),
    *(_trial(f"late after shifts by {ms} ms", LateAfterShifts, shift=ms) for ms in (35, 60)),
    *(_trial(f"swing {r}", Swing, swing=r) for r in (1.2, 3.2)),
    *(_trial(f"spread {ms} ms", LooseTiming, timing=ms) for ms in (16, 25)),
    *(_trial(f"tiring by {ms} ms", Tiring, tiring=ms) for ms in (40, 55)),
    *(_trial(f"bias {ms:+d} ms", LeadOrLag, bias=ms) for ms in (25, -25)),
    *(_trial(f"{share:.0%} missed", MissedHits, missed=share) for share in (0.06, 0.15)),
    *(_trial(f"{share:.0%} extra", ExtraHits, extra=share) for share in (0.08, 0.15)),
    *(_trial(f"{share:.0%} of palms ring", PalmMutesRing, ringing=share) for share in (0.2, 0.4)),
    *(_trial(f"{share:.0%} of opens choked", OpenHitsChoked, choked=share) for share in (0.2, 0.4)),
    *(_trial(f"{share:.0%} of all otherwise", SOUNDS, wrong=share) for share in (0.1, 0.2)),
    *(_trial(f"stops late by {ms} ms", StopsRingOn, stop=ms, stop_spread=10) for ms in (110, 180)),
    *(_trial(f"{share:.0%} a fret off", WrongFrets, fret=share) for share in (0.3,)),
    *(_trial(f"{share:.0%} stray strings", StrayStrings, stray=share) for share in (0.4,)),
    *(_trial(f"level uneven by {db} dB", UnevenLevel, level=db) for db in (6,)),
]


def riffs() -> list[Riff]:
    """The demo's riffs and twenty invented ones."""
    demo = [parse_riff(text) for text in riff_texts().values()]
    return demo + [draw_riff(7000 + number)[0] for number in range(20)]


def fits(trial: Trial, riff: Riff) -> bool:
    """Whether a riff can show a flaw at all: wide shifts, a shuffle, stops, enough mutes or
    chords.
    """
    expanded = expand(riff)
    kinds = Counter(due.hit.articulation for due in expanded.hits)
    n = len(expanded.hits)
    wide = sum(mm >= 145 for mm in shifts_mm(expanded.hits, riff.instrument))
    chords = sum(
        len(due.hit.notes) > 1 and due.slot_s > 0.25 and due.hit.articulation is Articulation.OPEN
        for due in expanded.hits
    )
    need = {
        "shift": wide >= 5,
        "swing": riff.feel.ratio is not None,
        "stop": sum(due.hit.stop for due in expanded.hits) >= 5,
        "ringing": kinds[Articulation.PALM] >= 0.3 * n,
        "choked": kinds[Articulation.OPEN] >= 0.3 * n,
        "fret": chords >= 12,
        "stray": chords >= 12,
    }
    least = 24 if "stop" in dict(trial.changes) else 48
    return n >= least and all(need.get(name, True) for name, _ in trial.changes)


@dataclass(frozen=True, slots=True)
class Job:
    """One take to make, read and judge."""

    trials: tuple[Trial, ...]
    riff: Riff
    tone: Tone
    seed: int
    sampled: bool


@dataclass(frozen=True, slots=True)
class Heard:
    """What was detected in a job's take, the share of hits that each of its flaws truly spoilt, and
    the indices of the hits that truly sounded wrong or were missed.
    """

    reading: Reading
    spoilt: tuple[float, ...]
    wrong: frozenset[int]


def spoilt(trial: Trial, take: Performance, riff: Riff) -> float:
    """The share of due hits that a flaw spoilt, by the truth: off the mark, missing, sounding
    otherwise, not silent in time.
    """
    due = [hit for hit in take.hits if hit.index is not None]
    slots = expand(riff).hits
    late = {
        id(h): (h.onset_s - h.expected_s) * 1000 for h in due if h.played and h.onset_s is not None
    }
    middle = 0.0 if "bias" in dict(trial.changes) else float(np.median(list(late.values())))
    off = sum(
        abs(late[id(h)] - middle) > min(20.0, 250 * slots[h.index].slot_s)
        for h in due
        if id(h) in late and h.index is not None
    )
    name = trial.changes[0][0]
    count = {
        "missed": sum(not h.played for h in due),
        "extra": sum(h.index is None for h in take.hits),
        "ringing": sum(
            h.played and h.planned == Articulation.PALM and h.articulation == Articulation.OPEN
            for h in due
        ),
        "choked": sum(
            h.played and h.planned == Articulation.OPEN and h.articulation != Articulation.OPEN
            for h in due
        ),
        "wrong": sum(h.played and h.planned != h.articulation for h in due),
        "stop": sum((h.stop_late_ms or 0) >= 60 for h in due),
        "fret": sum(bool(h.fret_error) for h in due),
        "stray": sum(bool(h.stray_strings) for h in due),
        "level": _uneven(take, slots),
    }.get(name, off)
    return count / len(due)


def _uneven(take: Performance, slots: tuple[DueHit, ...]) -> int:
    """How many hits of the commonest kind are recorded more than 3 dB off their own middle: what
    an amplifier squeezes flat nobody hears.
    """
    groups: dict[tuple[str, int], list[float]] = defaultdict(list)
    for hit in take.hits:
        if hit.index is None or hit.onset_s is None or slots[hit.index].hit.accent:
            continue
        begin = int(hit.onset_s * take.rate_hz)
        level_db = rms_db(take.samples[begin : begin + int(0.06 * take.rate_hz)])
        groups[str(hit.planned), len(slots[hit.index].hit.notes)].append(level_db)
    levels = np.array(max(groups.values(), key=len))
    return int((np.abs(levels - np.median(levels)) > UNEVEN_DB).sum())


def run(job: Job) -> Heard:
    """Plays and hears one take."""
    changes = dict(change for trial in job.trials for change in trial.changes)
    rng = np.random.default_rng(job.seed)
    setup = draw_setup(job.tone, rng)
    guitar = partial(SampledGuitar, notes=LEARNT) if job.sampled else ModelGuitar
    take = perform(
        job.riff, seed=job.seed, flaws=replace(STEADY, **changes), setup=setup, guitar=guitar
    )
    info = TakeInfo(start_s=take.start_s, delay_ms=DELAY_MS, delay_spread_ms=1.0)
    reading = read_take(take.samples, take.rate_hz, expand(job.riff), info, ear=EAR)
    wrong = frozenset(
        hit.index
        for hit in take.hits
        if hit.index is not None and (not hit.played or hit.articulation != hit.planned)
    )
    return Heard(reading, tuple(spoilt(trial, take, job.riff) for trial in job.trials), wrong)


def listed(job: Job, heard: Heard) -> frozenset[int]:
    """The hits that any finding of a take names."""
    judgement = judge(heard.reading, expand(job.riff))
    return frozenset(key.index for finding in find_findings(judgement) for key in finding.hits)


def kinds_of(job: Job, heard: Heard) -> list[str]:
    """The kinds of finding of a take, most costly first."""
    return [finding.kind for finding in find_findings(judge(heard.reading, expand(job.riff)))]


def jobs(trials: list[tuple[Trial, ...]], takes: int, seed: int) -> list[Job]:
    """So many takes for each combination, over the riffs that can show it, tones and guitars in
    turn.
    """
    known, tones = riffs(), list(Tone)
    have_samples = (FOLDER / f"{LEARNT}.sf2").exists()
    out = []
    for number, combined in enumerate(trials):
        fitting = [riff for riff in known if all(fits(trial, riff) for trial in combined)]
        for k in range(takes if fitting else 0):
            riff = fitting[(k * 5 + number) % len(fitting)]
            out.append(
                Job(
                    combined,
                    riff,
                    tones[k % 3],
                    seed * 100_000 + number * 1000 + k,
                    have_samples and k % 2 == 1,
                )
            )
    return out


def few_jobs(takes: int) -> list[Job]:
    """Takes with a small share of wrong or missing hits."""
    flaws = [
        (Trial(f"few: {next(iter(changes))}", tuple(changes.items()), frozenset()),)
        for changes in FEW_FLAWS
    ]
    return jobs(flaws, -(-takes // len(flaws)), 4)


def slips_table(slips: list[tuple[Job, Heard]]) -> str:
    """How many of the takes with a few wrong hits have all of them listed."""
    low, high = FEW_WRONG
    few = [(job, heard) for job, heard in slips if low <= len(heard.wrong) <= high]
    whole = sum(heard.wrong <= listed(job, heard) for job, heard in few)
    hits = sum(len(heard.wrong) for _, heard in few)
    named = sum(len(heard.wrong & listed(job, heard)) for job, heard in few)
    return "\n".join(
        [
            "| a few wrong hits | asked | reached |",
            "| --- | --- | --- |",
            f"| {low} to {high} wrong hits: all of them listed, {len(few)} takes | 0.95 | "
            f"{whole / max(1, len(few)):.3f} |",
            f"| of their {hits} wrong hits, listed | | {named / max(1, hits):.3f} |",
        ]
    )


def pairs() -> list[tuple[Trial, ...]]:
    """Every flaw in its larger size with every other that another kind of cause names."""
    largest = {trial.changes[0][0]: trial for trial in TRIALS}
    return [
        (a, b)
        for a, b in itertools.combinations(largest.values(), 2)
        if not a.right & b.right and not (a.right | b.right) <= SOUNDS
    ]


def main() -> None:
    parser = argparse.ArgumentParser(prog="python -m benchmarks.findings", description=__doc__)
    parser.add_argument("--takes", type=int, default=12, help="for each size of each flaw")
    parser.add_argument("--pairs", type=int, default=2, help="takes for each pair of flaws")
    parser.add_argument("--clean", type=int, default=150, help="takes without a flaw")
    parser.add_argument("--few", type=int, default=120, help="takes with a few wrong hits")
    parser.add_argument("--write", action="store_true", help=f"store the table in {DOCUMENT.name}")
    asked = parser.parse_args()
    alone = jobs([(trial,) for trial in TRIALS], asked.takes, 1)
    both = jobs(pairs(), asked.pairs, 2)
    clean = jobs([()], asked.clean, 3)
    with ProcessPoolExecutor(2) as pool:
        heard = list(pool.map(run, [*alone, *both, *clean], chunksize=4))
        few = few_jobs(asked.few)
        slips = list(zip(few, pool.map(run, few, chunksize=4), strict=True))
    text = f"{tables(alone, both, clean, heard)}\n\n{slips_table(slips)}"
    print(text)
    if asked.write:
        DOCUMENT.write_text(text + "\n")


def tables(alone: list[Job], both: list[Job], clean: list[Job], heard: list[Heard]) -> str:
    """Everything in Markdown. Takes in which a flaw happened to spoil less than a twentieth of the
    hits are left out.
    """
    large = [all(share >= MIN for share in one.spoilt) for one in heard]
    every = [
        (job, kinds_of(job, one))
        for job, one, enough in zip([*alone, *both, *clean], heard, large, strict=True)
        if enough
    ]
    alone, both, clean = (
        [job for job, _ in every if len(job.trials) == count] for count in (1, 2, 0)
    )
    named = [kinds for count in (1, 2, 0) for job, kinds in every if len(job.trials) == count]
    first, second = len(alone), len(alone) + len(both)
    rows: dict[str, list[tuple[Job, list[str]]]] = defaultdict(list)
    for job, kinds in zip(alone, named[:first], strict=True):
        rows[job.trials[0].name].append((job, kinds))
    lines = [
        "# Are the findings right?",
        "",
        "Made by `python -m benchmarks.findings --write`: the simulated guitarist with known flaws "
        "beside a steady hand (spread 7 ms), all demo "
        "riffs and twenty invented ones that can show the flaw, three tones, modelled guitars "
        "and, where their packages are installed, "
        "sampled ones; only takes in which the flaw truly spoilt a twentieth of the hits.",
        "",
        "| flaw | takes | first finding right | found at all | first instead | found and not "
        "there |",
        "| --- | --- | --- | --- | --- | --- |",
    ]
    right = false = total = 0
    for name, cases in rows.items():
        hits = sum(bool(kinds) and kinds[0] in job.trials[0].right for job, kinds in cases)
        anywhere = sum(any(kind in job.trials[0].right for kind in kinds) for job, kinds in cases)
        others = Counter(
            str(kinds[0]) for job, kinds in cases if kinds[0] not in job.trials[0].right
        )
        wrong = sum(
            any(kind not in job.trials[0].right and kind in LABELS for kind in kinds)
            for job, kinds in cases
        )
        right, false, total = right + hits, false + wrong, total + len(cases)
        instead = ", ".join(f"{kind} {count}" for kind, count in others.most_common(3))
        lines.append(
            f"| {name} | {len(cases)} | {hits / len(cases):.2f} | {anywhere / len(cases):.2f} | "
            f"{instead} | {wrong} |"
        )
    named_both = sum(
        all(any(kind in trial.right for kind in kinds) for trial in job.trials)
        for job, kinds in zip(both, named[first:second], strict=True)
    )
    called = sum(kinds == [Clean.kind] for kinds in named[second:])
    accused = Counter(str(kind) for kinds in named[second:] for kind in kinds if kind != Clean.kind)
    missing: Counter[str] = Counter()
    for job, kinds in zip(both, named[first:second], strict=True):
        missing.update(
            trial.changes[0][0]
            for trial in job.trials
            if not any(kind in trial.right for kind in kinds)
        )
    lines += [
        "",
        "| | asked | reached |",
        "| --- | --- | --- |",
        f"| one flaw: first finding right, {total} takes | 0.96 | {right / max(1, total):.3f} |",
        f"| one flaw: a finding that is not there | 0.02 at most | {false / max(1, total):.3f} |",
        f"| two flaws: both found, {len(both)} takes | 0.90 | "
        f"{named_both / max(1, len(both)):.3f} |",
        f"| no flaw: called clean, {len(clean)} takes | 0.98 | "
        f"{called / max(1, len(clean)):.3f} ({dict(accused) or 'nobody accused'}) |",
        "",
        "In pairs the ones not found are most often: "
        f"{', '.join(f'{name} {count}' for name, count in missing.most_common(6)) or 'none'}.",
    ]
    return "\n".join(lines)


if __name__ == "__main__":
    main()

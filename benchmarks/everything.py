"""Every table of the ear, in one go: docs/accuracy/hearing.md, the short ones of
docs/accuracy/summary.md and the README, and the figures that the application's page shows.

    python -m benchmarks.everything [--folder ../shared/takes] [--takes 80]

Takes some twenty minutes on two cores. Simulated seeds are apart from those the ear was trained on.
"""

import argparse
import json
from collections.abc import Callable, Iterator
from functools import partial
from multiprocessing import Pool
from pathlib import Path
from typing import Any

import numpy as np

from benchmarks.cases import (
    Score,
    folder_takes,
    heard_by_the_ear,
    measure,
    merged,
    scored,
    simulated_take,
)
from benchmarks.conditions import CONDITIONS, worsened
from benchmarks.figures import cells, headline, timing
from benchmarks.finer_tables import chord_table, stop_table
from benchmarks.hearing import report, simulated_score
from benchmarks.palms import sweep, with_profile
from benchmarks.plans import leaning
from benchmarks.swings import swing_run
from benchmarks.tables import articulation_table, onset_table, share, start_lines, table
from thrumble.core.player.sound import Tone
from thrumble.trained import EAR

ROOT = Path(__file__).parent.parent
DOCUMENT = ROOT / "docs/accuracy/hearing.md"
SUMMARY, README = ROOT / "docs/accuracy/summary.md", ROOT / "README.md"
SHORT_BEGIN = "<!-- accuracy: written by benchmarks/everything.py -->"
SHORT_END = "<!-- end of accuracy -->"
# the rows of the summary that the README shows, and what they are called there
SHORT = {
    "hits found": "hits found",
    "timing error, median, ms": "timing error, median, ms",
    "three classes": "open, palm mute or dead: right",
    "played unlike the plan": "played other than written: right",
}
FIGURES = ROOT / "src/thrumble/web/certainty/figures.json"
BEGIN, END = "<!-- hearing: written by benchmarks/everything.py -->", "<!-- end of hearing -->"
SWINGS, PLANS, SWEPT, GUITARS, STOPS, CHORDS, FAST = 500, 24, 90, 30, 120, 16, 40
STOPS_DRAWN: dict[str, float] = {"stop": 70.0, "stop_spread": 75.0}
HURRY = 1.5  # times the tempo that the riff's style asks for
CHORDS_DRAWN: dict[str, float] = {"stray": 0.25, "fret": 0.06, "wrong": 0.02}


def stops_of(job: tuple[int, bool, Tone]) -> Score:
    number, sampled, tone = job
    return scored(iter([simulated_take(number, 12, sampled=sampled, tone=tone, **STOPS_DRAWN)]))


def chords_of(job: tuple[int, bool, Tone]) -> Score:
    number, sampled, tone = job
    return scored(iter([simulated_take(number, 13, sampled=sampled, tone=tone, **CHORDS_DRAWN)]))


def fast_of(job: tuple[int, bool]) -> Score:
    number, sampled = job
    return scored(iter([simulated_take(number, 16, sampled=sampled, hurry=HURRY)]))


def condition_of(job: tuple[str, int]) -> tuple[str, Score]:
    name, number = job
    take = worsened(simulated_take(number, 14, sampled=number % 2 == 1), name)
    score = Score()
    measure(take, heard_by_the_ear(take), score)
    return name, score


def jobs(count: int) -> list[tuple[int, bool, Tone]]:
    return [(n, sampled, tone) for tone in Tone for sampled in (False, True) for n in range(count)]


def spread(work: Callable[[Any], Any], what: Any) -> list[Any]:
    with Pool() as pool:
        return pool.map(work, what, chunksize=2)


def conditions_table() -> list[str]:
    by_name: dict[str, list[Score]] = {name: [] for name in CONDITIONS}
    for name, score in spread(condition_of, [(name, n) for name in CONDITIONS for n in range(14)]):
        by_name[name].append(score)
    rows = []
    for name, parts in by_name.items():
        score = merged(parts)
        cases = [c for c in score.cases if c.played]
        errors = np.abs([c.error_ms for c in cases if c.error_ms is not None])
        known = [c for c in cases if c.heard is not None]
        rows.append(
            (
                name,
                share(errors.size, len(cases)),
                f"{np.mean(score.f25):.3f}",
                f"{np.median(errors):.2f}",
                f"{np.percentile(errors, 95):.1f}",
                share(sum(c.heard == c.real for c in known), len(known)),
                str(int(np.sum([e[1] - e[2] for e in score.extras]))),
            )
        )
    return table(
        (
            "condition",
            "found",
            "F ±25 ms",
            "error median, ms",
            "95 %, ms",
            "three classes",
            "false extra hits",
        ),
        rows,
    )


def plan_lines() -> tuple[list[str], tuple[str, str]]:
    n, changed, hits, moved = np.array(spread(leaning, range(PLANS))).sum(axis=0).tolist()
    one, tenth = f"{changed / n:.4f}", f"{moved / hits:.4f}"
    return [
        f"Rewriting one hit's articulation changed its verdict in {one} of {n} cases; "
        f"rewriting a tenth of all hits changed {tenth} of {hits} verdicts.",
        "",
    ], (one, tenth)


def swing_lines() -> tuple[list[str], tuple[str, str]]:
    runs = [
        run for run in spread(swing_run, range(SWINGS)) if run[1] is not None and run[2] is not None
    ]
    asked, true, heard, low, high = np.array(runs, dtype=float).T
    near, covered = (
        share(int((np.abs(heard - true) <= 0.05).sum()), len(runs)),
        share(int(((low <= asked) & (asked <= high)).sum()), len(runs)),
    )
    text = (
        f"{len(runs)} shuffles of ratios 1.4 to 2.8: heard within 0.05 of the true onsets' own "
        f"ratio in {near}; "
        f"the 95 % interval covers the ratio played for in {covered}."
    )
    return [text, ""], (near, covered)


def palm_lines() -> tuple[list[str], str]:
    rows, ranks = [], []
    for sampled in (False, True):
        found = spread(partial(sweep, sampled=sampled), range(SWEPT))
        rank = np.array([f[0] for f in found])
        ranks.append(float(np.median(rank)))
        said = [pair_ for f in found for pair_ in f[1]]
        cells = [
            share(sum(s == kind for k, s in said if k == kind), sum(k == kind for k, _ in said))
            for kind in ("back", "pocket", "forward")
        ]
        rows.append(
            (
                "sampled" if sampled else "modelled",
                str(len(found)),
                f"{np.median(rank):.2f}",
                f"{np.percentile(rank, 10):.2f}",
                *cells,
            )
        )
    head = (
        "guitars",
        "n",
        "rank of scale and palm, median",
        "worst tenth",
        "ringing said too far back",
        "middling said in the pocket",
        "dead said too far forward",
    )
    return table(head, rows), f"{ranks[0]:.2f} modelled, {ranks[1]:.2f} sampled"


def profile_lines() -> tuple[list[str], dict[str, Any]]:
    rows: list[tuple[str, ...]] = []
    figures: dict[str, Any] = {}
    for sampled in (False, True):
        both = spread(partial(with_profile, sampled=sampled), range(GUITARS))
        for name, which in (("without", 0), ("with", 1)):
            cases = [
                c for pair_ in both for c in pair_[which].cases if c.played and c.heard is not None
            ]
            unlike = [c for c in cases if c.real != c.planned]
            right, other = (
                sum(c.heard == c.real for c in cases),
                sum(c.heard == c.real for c in unlike),
            )
            palms = [
                c
                for c in cases
                if c.depth is not None and c.said_depth is not None and c.real == "palm"
            ]
            off = f"{np.median([abs((c.said_depth or 0) - (c.depth or 0)) for c in palms]):.2f}"
            source = "sampled" if sampled else "modelled"
            rows.append(
                (
                    f"{source}, {name}",
                    str(len(cases)),
                    share(right, len(cases)),
                    str(len(unlike)),
                    share(other, len(unlike)),
                    off,
                )
            )
            entry = figures.setdefault(name, {"n": 0, "right": 0, "unlike": 0, "unlike_right": 0})
            for key, value in (
                ("n", len(cases)),
                ("right", right),
                ("unlike", len(unlike)),
                ("unlike_right", other),
            ):
                entry[key] += value
    return table(
        ("examples", "hits", "three classes", "unlike the plan", "right of these", "depth, error"),
        rows,
    ), figures


def main() -> None:
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("--folder", type=Path, default=ROOT.parent / "shared/takes")
    parser.add_argument("--takes", type=int, default=80)
    arguments = parser.parse_args()
    simulated = simulated_score(arguments.takes, 11)
    folder = scored(folder_takes(arguments.folder)) if arguments.folder.exists() else None
    found = simulated_score(arguments.takes // 2, 15, start_given=False)
    plan, leaning_figures = plan_lines()
    swing, swing_figures = swing_lines()
    palm, rank = palm_lines()
    profile, profile_figures = profile_lines()
    stops = merged(spread(stops_of, jobs(STOPS // 6)))
    chords = merged(spread(chords_of, jobs(CHORDS)))
    fast = merged(
        spread(fast_of, [(number, sampled) for sampled in (False, True) for number in range(FAST)])
    )
    worse = conditions_table()
    DOCUMENT.write_text(
        "\n".join(
            _document(
                simulated, folder, found, plan, swing, palm, profile, stops, chords, fast, worse
            )
        ).rstrip()
        + "\n"
    )
    sets = {"simulated": headline(simulated)} | ({"folder": headline(folder)} if folder else {})
    _write_summaries(sets, leaning_figures, swing_figures, rank, stops)
    note = (
        f"{len(simulated.f25)} simulated takes that the ear wasn't trained on, of guitars like "
        "those it learned from"
    )
    before = json.loads(FIGURES.read_text())
    others = ("unmet", "real_strings")  # of the benchmarks of these names
    shown = {name: before[name] for name in others if name in before} | {
        "engine": EAR.version,
        "note": note,
        "cells": cells(simulated),
        "timing": timing(simulated),
        "profile": profile_figures,
    }
    FIGURES.write_text(json.dumps(shown, indent=1) + "\n")


def _document(
    simulated: Score,
    folder: Score | None,
    found: Score,
    plan: list[str],
    swing: list[str],
    palm: list[str],
    profile: list[str],
    stops: Score,
    chords: Score,
    fast: Score,
    worse: list[str],
) -> Iterator[str]:
    yield f"# How well the ear hears, engine {EAR.version}"
    yield ""
    yield "Written by `python -m benchmarks.everything`. Unsure counts as wrong. A figure stands"
    yield "where its cell holds 200 cases or more;"
    yield "elsewhere a share with its 95 % Wilson interval."
    for name, lines in (
        ("Simulated takes, modelled and sampled guitars", report(simulated)),
        (
            "A folder of takes from two other sound banks, none of which the ear was trained on",
            report(folder) if folder else iter(["not measured"]),
        ),
        (
            "Start and tempo unknown, simulated",
            iter([*start_lines(found), *articulation_table(found.cases)]),
        ),
        ("Leaning on the plan", iter(plan)),
        ("Swing", iter(swing)),
        ("The palm finder", iter(palm)),
        ("With the player's own examples", iter(profile)),
        ("Stops drawn from 40 ms early to 250 ms late", iter(stop_table(stops.cases))),
        ("Wrong frets and stray strings drawn often", iter(chord_table(chords.cases))),
        ("Takes half as fast again", iter([*onset_table(fast), *articulation_table(fast.cases)])),
        ("Recordings made worse", iter(worse)),
    ):
        yield ""
        yield f"## {name}"
        yield ""
        yield from lines


def _write_summaries(
    sets: dict[str, dict[str, str]],
    leaning_: tuple[str, str],
    swing: tuple[str, str],
    rank: str,
    stops: Score,
) -> None:
    told = [
        abs((c.said_late_ms or 0) - (c.late_ms or 0))
        for c in stops.cases
        if c.late_ms is not None and c.said_late_ms is not None and c.tone != "high gain"
    ]
    asked = [
        ("hits found", "0.98", "found"),
        ("onset F-measure ±25 ms", "0.985", "f25"),
        ("±10 ms", "0.97", "f10"),
        ("timing error, median, ms", "0.8", "median"),
        ("timing error, 95 %, ms", "5", "p95"),
        ("open or muted", "0.97", "two"),
        ("three classes", "0.95", "three"),
        ("played unlike the plan", "0.90", "unlike"),
        ("unsure", "0.05 at most", "unsure"),
    ]
    rows = [
        (name, want, sets["simulated"][key], sets.get("folder", {}).get(key, ""))
        for name, want, key in asked
    ]
    rows += [
        ("verdicts changed by their own plan", "0.01 at most", leaning_[0], ""),
        ("by a tenth of all plans", "0.02 at most", leaning_[1], ""),
        ("swing within 0.05 of the true onsets'", "", swing[0], ""),
        ("swing interval covers", "0.93 to 0.97", swing[1], ""),
        ("palm's place and scale, rank", "0.9", rank, ""),
        ("stop time, clean and crunch, median, ms", "15", f"{np.median(told):.0f}", ""),
    ]
    block = "\n".join(
        [BEGIN, *table(("what", "target", "simulated", "folder of takes"), rows)[:-1], END]
    )
    _put(SUMMARY, BEGIN, END, block)
    short = [(SHORT[row[0]], *row[2:]) for row in rows if row[0] in SHORT]
    lines = table(("what", "simulated", "sound banks"), short)[:-1]
    _put(README, SHORT_BEGIN, SHORT_END, "\n".join([SHORT_BEGIN, *lines, SHORT_END]))


def _put(document: Path, begin: str, end: str, block: str) -> None:
    """Puts a block into a document in place of the one between two marks."""
    text = document.read_text()
    before, after = text[: text.index(begin)], text[text.index(end) + len(end) :]
    document.write_text(before + block + after)


if __name__ == "__main__":
    main()

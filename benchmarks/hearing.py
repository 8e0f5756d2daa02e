"""How well the ear hears: takes with truth, measured hit by hit, with the plan-only baseline beside
every figure.

    python -m benchmarks.hearing FOLDER [--start given|found]
    python -m benchmarks.hearing --simulated 60 [--seed 3] [--guitar modelled|sampled|both] [--start
    given|found]

The baseline repeats the riff without listening: every hit on its place, as written. Unsure counts
as wrong. A figure is printed where its
cell holds 200 cases or more; elsewhere n and a Wilson interval.
"""

import argparse
from collections.abc import Callable, Iterator
from functools import partial
from multiprocessing import Pool
from pathlib import Path

import numpy as np
from scipy.stats import binomtest, spearmanr

from benchmarks.cases import KINDS, Case, Score, folder_takes, merged, scored, simulated_take

CELL = 200
SLOTS = ((0, 100), (100, 150), (150, 250), (250, 1e9))
LATE_MS = 60
DEPTHS = (0.4, 0.75)  # light below, tight above
LEAST_PALMS = 12
Wanted = Callable[[Case], bool]


def share(right: int, n: int) -> str:
    """A share; with its 95 % interval by Wilson where the cell is small."""
    if n == 0:
        return "none"
    if n >= CELL:
        return f"{right / n:.3f}"
    interval = binomtest(right, n).proportion_ci(0.95, method="wilson")
    return f"{right / n:.2f} ({interval.low:.2f} to {interval.high:.2f})"


def table(head: tuple[str, ...], rows: list[tuple[str, ...]]) -> list[str]:
    """Markdown."""
    return ["| " + " | ".join(row) + " |" for row in (head, ("---",) * len(head), *rows)] + [""]


def pair(right: int, said: int, true: int) -> tuple[str, str]:
    """Precision and recall."""
    return share(right, said), share(right, true)


def groups(cases: list[Case]) -> list[tuple[str, Wanted]]:
    """The cells that every table of hits is broken into."""
    out: list[tuple[str, Wanted]] = [("all", lambda _: True)]
    out += [(tone, lambda c, tone=tone: c.tone == tone) for tone in sorted({c.tone for c in cases})]
    for low, high in SLOTS:
        name = (
            f"slot under {high} ms"
            if not low
            else f"slot {low} to {high} ms"
            if high < 1e8
            else f"slot {low} ms or more"
        )
        out.append((name, lambda c, a=low, b=high: a <= c.slot_ms < b))
    sources = sorted({c.source for c in cases})
    return out + [
        (f"source {s}", lambda c, s=s: c.source == s) for s in sources if len(sources) > 1
    ]


def onset_table(score: Score) -> list[str]:
    rows = []
    for name, wanted in groups(score.cases):
        cases = [c for c in score.cases if wanted(c)]
        errors = np.abs([c.error_ms for c in cases if c.error_ms is not None])
        played, said = sum(c.played for c in cases), [c for c in cases if c.heard is None]
        takes = [
            k
            for k, (t, s) in enumerate(zip(score.tones, score.sources, strict=True))
            if name in ("all", t, f"source {s}")
        ]
        f25, f10 = (
            f"{np.mean([f[k] for k in takes]):.3f}" if takes else "" for f in (score.f25, score.f10)
        )
        if not errors.size:
            continue
        missed = pair(sum(not c.played for c in said), len(said), sum(not c.played for c in cases))
        middle, tail = (f"{np.percentile(errors, q):.2f}" for q in (50, 95))
        rows.append(
            (name, str(len(cases)), share(errors.size, played), f25, f10, middle, tail, *missed)
        )
    head = (
        "hits",
        "due",
        "found",
        "F ±25 ms",
        "F ±10 ms",
        "error median, ms",
        "95 %, ms",
        "missed: precision",
        "recall",
    )
    extras = np.array(score.extras).sum(axis=0)
    lines = table(head, rows)
    wrong, found = pair(int(extras[2]), int(extras[1]), int(extras[0]))
    lines.append(
        f"Extra hits: precision {wrong}, recall {found}, of {extras[0]}. Plan only: missed and "
        "extra hits are never named, recall 0."
    )
    return [*lines, ""]


def start_lines(score: Score) -> list[str]:
    starts, tempi = np.abs(score.starts_ms), np.array(score.tempo_off)
    if not starts.size:
        return []
    silent = int(np.sum((starts > 25) & ~np.array(score.cautioned)))
    return [
        f"Start, after the take's own median deviation: median {np.median(starts):.1f} ms; within "
        f"5 ms {share(int((starts <= 5).sum()), starts.size)}; "
        f"off by more than 25 ms without a caution {silent} of {starts.size}. Tempo within "
        f"0.2 %: {share(int((tempi <= 0.002).sum()), tempi.size)}.",
        "",
    ]


def articulation_row(name: str, cases: list[Case]) -> tuple[str, ...]:
    """The ear, and the plan repeated without listening."""
    known = [c for c in cases if c.played and c.heard is not None]
    two, three = sum(c.muted_right for c in known), sum(c.heard == c.real for c in known)
    recalls = [
        np.mean([c.heard == kind for c in known if c.real == kind])
        for kind in KINDS
        if any(c.real == kind for c in known)
    ]
    unsure = sum(c.heard == "unsure" for c in known)
    balanced = f"{np.mean(recalls):.3f}" if len(known) >= CELL else "-"
    n = len(known)
    return (
        name,
        str(n),
        share(two, n),
        share(three, n),
        balanced,
        share(unsure, n),
        share(sum(c.planned == c.real for c in known), n),
    )


def articulation_table(cases: list[Case]) -> list[str]:
    cells = groups(cases)
    unlike: list[tuple[str, Wanted]] = [
        (f"unlike the plan, {name}", lambda c, wanted=wanted: c.real != c.planned and wanted(c))
        for name, wanted in cells
        if "slot" not in name
    ]
    cells += [
        ("high gain, slot under 100 ms", lambda c: c.tone == "high gain" and c.slot_ms < 100),
        *unlike,
    ]
    cells += [
        ("open single notes", lambda c: c.strings == 1 and c.real == "open"),
        ("palm-muted chords", lambda c: c.strings > 1 and c.real == "palm"),
    ]
    rows = [articulation_row(name, [c for c in cases if wanted(c)]) for name, wanted in cells]
    head = (
        "hits",
        "n",
        "open or muted",
        "three classes",
        "balanced",
        "unsure",
        "plan only, three classes",
    )
    return table(head, [row for row in rows if row[1] != "0"])


def reliability_table(cases: list[Case]) -> list[str]:
    """How often what was given a chance was so: every kind's chance of every hit is one
    statement.
    """
    told = [
        (p, c.real == kind)
        for c in cases
        if c.played and c.chances
        for kind, p in zip(KINDS, c.chances, strict=True)
    ]
    given, right = np.array([p for p, _ in told]), np.array([r for _, r in told])
    best = [
        (
            c.chance,
            c.heard == c.real
            or (c.heard == "unsure" and KINDS[int(np.argmax(c.chances))] == c.real),
        )
        for c in cases
        if c.played and c.chance
    ]
    rows = []
    for low, high in [
        (0.0, 0.02),
        (0.02, 0.1),
        (0.1, 0.3),
        (0.3, 0.5),
        (0.5, 0.7),
        (0.7, 0.85),
        (0.85, 0.95),
        (0.95, 0.99),
        (0.99, 1.001),
    ]:
        inside = (given >= low) & (given < high)
        if inside.any():
            mean = float(given[inside].mean())
            rows.append(
                (
                    f"{low:.2f} to {min(high, 1):.2f}",
                    str(int(inside.sum())),
                    f"{mean:.3f}",
                    share(int(right[inside].sum()), int(inside.sum())),
                )
            )
    chances = np.array([p for p, _ in best])
    gap = abs(float(chances.mean()) - float(np.mean([r for _, r in best]))) if best else 0.0
    return [
        *table(("chance given", "n", "mean given", "was so"), rows),
        f"Mean chance of the kind named against how often it was right: {gap:.3f} apart.",
        "",
    ]


def depth_lines(cases: list[Case]) -> list[str]:
    """Rank correlation of the muting of palms within each take and over all, and light, full and
    tight told apart.
    """
    rows = []
    for name, wanted in groups(cases):
        palms = [
            c
            for c in cases
            if wanted(c) and c.depth is not None and c.said_depth is not None and c.real == "palm"
        ]
        by_take: dict[str, list[Case]] = {}
        for c in palms:
            by_take.setdefault(c.take, []).append(c)
        ranks = [_rank(own) for own in by_take.values() if len(own) >= LEAST_PALMS]
        if len(palms) < LEAST_PALMS or not ranks:
            continue
        muting = [
            c
            for c in cases
            if wanted(c) and c.real in ("palm", "open") and c.said_depth is not None
        ]
        rank_all = float(
            spearmanr([c.depth or 0.0 for c in muting], [c.said_depth for c in muting]).statistic
        )
        named = sum(_class(c.depth) == _class(c.said_depth) for c in palms)
        off = float(np.median([abs(c.depth - c.said_depth) for c in palms]))  # type: ignore[operator]
        rows.append(
            (
                name,
                str(len(palms)),
                f"{np.median(ranks):.2f}",
                f"{_rank(palms):.2f}",
                f"{rank_all:.2f}",
                f"{off:.2f}",
                share(named, len(palms)),
            )
        )
    head = (
        "palms",
        "n",
        "rank in a take, median",
        "rank over all palms",
        "with open hits",
        "error, median",
        "light, full or tight right",
    )
    return table(head, rows) if rows else []


def _rank(cases: list[Case]) -> float:
    return float(spearmanr([c.depth for c in cases], [c.said_depth for c in cases]).statistic)


def _class(depth: float | None) -> int:
    return int(np.searchsorted(DEPTHS, depth or 0.0, side="right"))


def stop_table(cases: list[Case]) -> list[str]:
    """Only takes whose stops were drawn; a stop cut by the next hit, or on a string that had died,
    has no truth.
    """
    rows = []
    for name, wanted in groups(cases):
        asked = [
            c
            for c in cases
            if wanted(c) and c.stop and c.late_ms is not None and c.heard is not None
        ]
        told = [c for c in asked if c.said_late_ms is not None]
        if not told:
            continue
        errors = np.abs([c.said_late_ms - c.late_ms for c in told])  # type: ignore[operator]
        late, said = (
            [c.late_ms >= LATE_MS for c in asked],
            [(c.said_late_ms or 0) >= LATE_MS for c in asked],
        )  # type: ignore[operator]
        deaf = np.median([abs(c.late_ms) for c in asked])  # type: ignore[arg-type]
        both = sum(a and b for a, b in zip(late, said, strict=True))
        rows.append(
            (
                name,
                str(len(asked)),
                share(len(told), len(asked)),
                f"{np.median(errors):.0f}",
                f"{deaf:.0f}",
                *pair(both, sum(said), sum(late)),
            )
        )
    head = (
        "stops",
        "n",
        "measured",
        "error median, ms",
        "plan only, ms",
        f"late by {LATE_MS} ms: precision",
        "recall",
    )
    return table(head, rows) if rows else []


def chord_table(cases: list[Case]) -> list[str]:
    """Strays apart: strings with a partial that no written note has. The others can be told by
    loudness alone.
    """
    rows = []
    for name, wanted in groups(cases):
        open_hits = [c for c in cases if wanted(c) and c.heard == "open" and c.real == "open"]
        told = [c for c in open_hits if c.chord_ok is not None]
        if not told or "slot" in name:
            continue
        wrong = [c for c in open_hits if c.fret_error]
        found = [c for c in told if c.chord_ok is False]
        heard = [c for c in open_hits if c.said_strays is not None]
        strays = [c for c in heard if c.strays]
        named = [c for c in heard if c.said_strays]
        right = sum(_named(c) for c in named)
        apart = [c for c in strays if c.stray_apart]
        rows.append(
            (
                name,
                str(len(open_hits)),
                share(len(told), len(open_hits)),
                *pair(sum(c.fret_error != 0 for c in found), len(found), len(wrong)),
                share(len(heard), len(open_hits)),
                *pair(right, len(named), len(strays)),
                str(len(apart)),
                share(sum(_named(c) for c in apart), len(apart)),
            )
        )
    head = (
        "open hits",
        "n",
        "chord told",
        "wrong fret: precision",
        "recall",
        "strays told",
        "stray: precision",
        "recall",
        "strays apart",
        "recall",
    )
    return table(head, rows) if rows else []


def _named(case: Case) -> bool:
    return bool(set(case.said_strays or ()) & set(case.strays))


def strum_table(cases: list[Case]) -> list[str]:
    rows = []
    for name, wanted in groups(cases):
        strummed = [
            c for c in cases if wanted(c) and c.strum_ms and c.strings > 1 and c.heard is not None
        ]
        told = [c for c in strummed if c.said_strum_ms is not None]
        if len(told) < 3 or "slot" in name:
            continue
        real, said = np.array([c.strum_ms for c in told]), np.array([c.said_strum_ms for c in told])
        deaf = np.abs(real - np.median(real))
        rows.append(
            (
                name,
                str(len(strummed)),
                share(len(told), len(strummed)),
                f"{np.median(np.abs(real - said)):.2f}",
                f"{np.percentile(np.abs(real - said), 90):.1f}",
                f"{np.median(deaf):.2f}",
            )
        )
    head = ("chords", "n", "told", "error median, ms", "90 %, ms", "always the middle, ms")
    return table(head, rows) if rows else []


def level_lines(cases: list[Case]) -> list[str]:
    both = [
        (c.level_db, c.said_level_db)
        for c in cases
        if c.level_db is not None and c.said_level_db is not None and c.tone == "clean"
    ]
    if not both:
        return []
    errors = np.abs([said - true for true, said in both])
    return [
        "Level of a hit against the take's middle, clean: error median "
        f"{np.median(errors):.1f} dB over {len(both)} hits.",
        "",
    ]


def report(score: Score) -> Iterator[str]:
    """All tables, as Markdown."""
    yield f"{len(score.f25)} takes, {len(score.cases)} due hits."
    yield ""
    yield from onset_table(score)
    yield from start_lines(score)
    yield from articulation_table(score.cases)
    yield from reliability_table(score.cases)
    yield from depth_lines(score.cases)
    yield from stop_table(score.cases)
    yield from chord_table(score.cases)
    yield from strum_table(score.cases)
    yield from level_lines(score.cases)


def one(number: int, *, seed: int, sampled: bool, start_given: bool) -> Score:
    return scored(iter([simulated_take(number, seed, sampled=sampled)]), start_given=start_given)


def simulated_score(
    count: int,
    seed: int,
    *,
    guitars: tuple[str, ...] = ("modelled", "sampled"),
    start_given: bool = True,
) -> Score:
    """`count` takes of each guitar."""
    parts: list[Score] = []
    with Pool() as pool:
        for guitar in guitars:
            parts += pool.map(
                partial(one, seed=seed, sampled=guitar == "sampled", start_given=start_given),
                range(count),
                chunksize=2,
            )
    return merged(parts)


def main() -> None:
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("folder", type=Path, nargs="?")
    parser.add_argument("--simulated", type=int, default=0)
    parser.add_argument("--seed", type=int, default=3)
    parser.add_argument("--guitar", choices=("modelled", "sampled", "both"), default="both")
    parser.add_argument("--start", choices=("given", "found"), default="given")
    arguments = parser.parse_args()
    given = arguments.start == "given"
    guitars = ("modelled", "sampled") if arguments.guitar == "both" else (arguments.guitar,)
    if arguments.simulated:
        score = simulated_score(
            arguments.simulated, arguments.seed, guitars=guitars, start_given=given
        )
    else:
        score = scored(folder_takes(arguments.folder), start_given=given)
    print("\n".join(report(score)))


if __name__ == "__main__":
    main()

"""Tables of how well the ear hears: onsets, starts, articulations, how sure it is, depth."""

from collections.abc import Callable

import numpy as np
from scipy.stats import binomtest, spearmanr

from benchmarks.cases import KINDS, Case, Score

CELL = 200
SLOTS = ((0, 100), (100, 150), (150, 250), (250, 1e9))
LATE_MS = 60
DEPTHS = (0.4, 0.75)  # light below, tight above
MIN_PALMS = 12
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
        name = f"slot {low} to {high} ms"
        if not low:
            name = f"slot under {high} ms"
        elif high > 1e8:
            name = f"slot {low} ms or more"
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
        ranks = [_rank(own) for own in by_take.values() if len(own) >= MIN_PALMS]
        if len(palms) < MIN_PALMS or not ranks:
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

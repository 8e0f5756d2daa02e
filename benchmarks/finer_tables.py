"""Tables of the finer measures: stops, chords, strums, levels."""

import numpy as np

from benchmarks.cases import Case
from benchmarks.tables import LATE_MS, groups, pair, share, table


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
            [(c.late_ms or 0) >= LATE_MS for c in asked],
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

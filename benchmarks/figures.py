"""Figures of a score: those of the application's page, and the headline of the README."""

from collections.abc import Callable
from typing import Any

import numpy as np

from benchmarks.cases import Case, Score
from benchmarks.tables import SLOTS, share


def cells(score: Score) -> list[dict[str, Any]]:
    """What the application's page shows: tone by slot length."""
    out = []
    for tone in ("clean", "crunch", "high gain"):
        for low, high in SLOTS:
            cases = [
                c for c in score.cases if c.tone == tone and low <= c.slot_ms < high and c.played
            ]
            known = [c for c in cases if c.heard is not None]
            errors = [abs(c.error_ms) for c in cases if c.error_ms is not None]
            if not known:
                continue
            out.append(
                {
                    "tone": tone,
                    "from_ms": low,
                    "to_ms": None if high > 1e8 else high,
                    "n": len(known),
                    "found": len(errors) / len(cases),
                    "muted": sum(c.muted_right for c in known) / len(known),
                    "kinds": sum(c.heard == c.real for c in known) / len(known),
                    "unlike_n": sum(c.real != c.planned for c in known),
                    "unlike": (
                        sum(c.heard == c.real for c in known if c.real != c.planned)
                        / max(1, sum(c.real != c.planned for c in known))
                    ),
                }
            )
    return out


def timing(score: Score) -> dict[str, dict[str, float]]:
    """The same page's errors of time, tone by tone."""
    out = {}
    for tone in ("clean", "crunch", "high gain"):
        errors = np.abs(
            [c.error_ms for c in score.cases if c.tone == tone and c.error_ms is not None]
        )
        if errors.size:
            out[tone] = {
                "middle_ms": float(np.median(errors)),
                "tail_ms": float(np.percentile(errors, 95)),
            }
    return out


def headline(score: Score, wanted: Callable[[Case], bool] = lambda _: True) -> dict[str, str]:
    cases = [c for c in score.cases if wanted(c)]
    known = [c for c in cases if c.played and c.heard is not None]
    unlike = [c for c in known if c.real != c.planned]
    errors = np.abs([c.error_ms for c in cases if c.error_ms is not None])
    return {
        "found": share(errors.size, sum(c.played for c in cases)),
        "f25": f"{np.mean(score.f25):.3f}",
        "f10": f"{np.mean(score.f10):.3f}",
        "median": f"{np.median(errors):.2f}",
        "p95": f"{np.percentile(errors, 95):.1f}",
        "two": share(sum(c.muted_right for c in known), len(known)),
        "three": share(sum(c.heard == c.real for c in known), len(known)),
        "unlike": share(sum(c.heard == c.real for c in unlike), len(unlike)),
        "unsure": share(sum(c.heard == "unsure" for c in known), len(known)),
    }

"""The ear as it ships on guitars that nothing was trained on: takes of banks of sampled notes, dry
and through the same amplifiers as all others.

    python -m benchmarks.unmet [--takes 80]

Needs fluidsynth and the banks, from Debian's timgm6mb-soundfont and csound-soundfont. Writes
docs/accuracy/unseen-guitars.md and what the application's page on certainty shows of it.
"""

import argparse
import json
from functools import partial
from multiprocessing import Pool
from pathlib import Path
from typing import Any

import numpy as np

from benchmarks.cases import Score, merged, scored, simulated_take
from benchmarks.sampled import UNMET
from benchmarks.tables import share, table
from thrumble.trained import EAR

ROOT = Path(__file__).parent.parent
FIGURES = ROOT / "src/thrumble/web/certainty/figures.json"
DOCUMENT = ROOT / "docs/accuracy/unseen-guitars.md"
TONES = ("clean", "crunch", "high gain")


def read(number: int, notes: str) -> Score:
    """One take of a bank, heard by the ear as it ships."""
    return scored(iter([simulated_take(number, 11, sampled=True, notes=notes)]))


def counted(score: Score, tone: str | None = None) -> dict[str, Any]:
    """How many hits came out right, of one tone or of all; errors of time in ms."""
    cases = [c for c in score.cases if tone in (None, c.tone) and c.played]
    known = [c for c in cases if c.heard is not None]
    unlike = [c for c in known if c.real != c.planned]
    errors = np.abs([c.error_ms for c in cases if c.error_ms is not None])
    return {
        "tone": tone,
        "played": len(cases),
        "found": int(errors.size),
        "n": len(known),
        "muted_right": sum(c.muted_right for c in known),
        "kinds_right": sum(c.heard == c.real for c in known),
        "unlike": len(unlike),
        "unlike_right": sum(c.heard == c.real for c in unlike),
        "tail_ms": float(np.percentile(errors, 95)),
    }


def row(bank: str, found: dict[str, Any]) -> tuple[str, ...]:
    """One line of the document."""
    return (
        bank,
        found["tone"] or "all",
        str(found["n"]),
        share(found["found"], found["played"]),
        f"{found['tail_ms']:.1f}",
        share(found["muted_right"], found["n"]),
        share(found["kinds_right"], found["n"]),
        share(found["unlike_right"], found["unlike"]),
    )


def main() -> None:
    """Measures, writes the document and the page's figures."""
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("--takes", type=int, default=80, help="takes of each bank")
    arguments = parser.parse_args()
    rows, scores = [], []
    for notes in UNMET:
        with Pool() as pool:
            score = merged(pool.map(partial(read, notes=notes), range(arguments.takes), 2))
        scores.append(score)
        rows += [row(notes, counted(score, tone)) for tone in (None, *TONES)]
    head = (
        "bank",
        "tone",
        "hits",
        "found",
        "error 95 %, ms",
        "open or muted",
        "three classes",
        "unlike the plan",
    )
    text = [
        f"# Guitars that nothing was trained on, engine {EAR.version}",
        "",
        f"Written by `python -m benchmarks.unmet --takes {arguments.takes}`: simulated takes of",
        "sampled notes of two banks. Unsure counts as wrong. No real hand is among them yet.",
        "",
    ]
    DOCUMENT.write_text("\n".join([*text, *table(head, rows)]).rstrip() + "\n")
    both = merged(scores)
    shown = json.loads(FIGURES.read_text())
    shown["unmet"] = {
        "engine": EAR.version,
        "banks": len(UNMET),
        "rows": [counted(both, tone) for tone in TONES],
    }
    FIGURES.write_text(json.dumps(shown, indent=1) + "\n")


if __name__ == "__main__":
    main()

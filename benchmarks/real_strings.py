"""The ear on strings of every age, with echo and with the noise of the hand: guitars that nothing
was trained on, behind amplifiers that nobody here wrote.

    python -m benchmarks.real_strings [--takes 24] [--only NAME]

Needs what `benchmarks/recorded.py` and `benchmarks/amplifiers.py` name, and the banks of
`benchmarks/unmet.py`. Writes docs/accuracy/real-strings.md and what the application's page on
certainty shows of it; with --only it prints one row and writes nothing.
"""

import argparse
import json
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial
from multiprocessing import Pool
from pathlib import Path
from typing import Any

import numpy as np

from benchmarks.amplifiers import amplify_by_plugins
from benchmarks.cases import Case, Score, Take, merged, scored, simulated_take
from benchmarks.corpus import PLAIN, Surroundings
from benchmarks.palms import SIX, with_profile
from benchmarks.recorded import NOTES
from benchmarks.sampled import UNMET
from benchmarks.tables import share, table
from thrumble.core.ear.model.ear import Ear
from thrumble.trained import EAR

ROOT = Path(__file__).parent.parent
FIGURES = ROOT / "src/thrumble/web/certainty/figures.json"
DOCUMENT = ROOT / "docs/accuracy/real-strings.md"
SEED = 23
TONES = ("clean", "crunch", "high gain")
WRONG = 0.1  # share of hits played unlike the plan: enough of them to tell


@dataclass(frozen=True, slots=True)
class Set:
    """A row: what sounds, and in which surroundings."""

    table: str
    name: str
    notes: str
    around: Surroundings = PLAIN


REAL = Surroundings(touch=0.8, squeak=0.4)
SETS = (
    Set("strings", "fresh", UNMET[0]),
    Set("strings", "worn", UNMET[0], Surroundings(wear=0.55)),
    Set("strings", "dead", UNMET[0], Surroundings(wear=1.0)),
    Set("strings", "recorded, worn", NOTES),
    Set("strings", "recorded, dead", NOTES, Surroundings(wear=0.6)),
    Set("echo", "none", NOTES, REAL),
    Set("echo", "slap or later", NOTES, replace(REAL, echo=True)),
    Set("hand noise", "none", NOTES),
    Set("hand noise", "at stops", NOTES, Surroundings(touch=1.0)),
    Set("hand noise", "squeaks", NOTES, Surroundings(squeak=1.0)),
)


def made(number: int, what: Set, **changed: float) -> Take:
    """One take of a set; `changed`: flaws set otherwise."""
    return simulated_take(
        number,
        SEED,
        sampled=True,
        notes=what.notes,
        around=what.around,
        amplifier=amplify_by_plugins,
        wrong=WRONG,
        extra=0.04,
        missed=0.03,
        **changed,
    )


def read(number: int, what: Set, start_given: bool = True, ear: Ear = EAR) -> Score:
    """One take of a set, heard by an ear."""
    return scored(iter([made(number, what)]), start_given=start_given, ear=ear)


def _recall(cases: list[Case], kind: str) -> tuple[int, int]:
    own = [c for c in cases if c.real == kind]
    return sum(c.heard == kind for c in own), len(own)


def figures(score: Score, tone: str | None = None) -> dict[str, Any]:
    """What a set came to, of one tone or of all: pairs of right and all; errors of time in ms."""
    cases = [c for c in score.cases if tone in (None, c.tone)]
    played = [c for c in cases if c.played]
    known = [c for c in played if c.heard is not None]
    recalls = [_recall(known, kind) for kind in ("open", "palm", "dead")]
    errors = np.abs([c.error_ms for c in cases if c.error_ms is not None])
    unlike = [c for c in known if c.real != c.planned]
    surely = [c for c in known if (c.chance or 0) >= 0.9]
    extras = [e for e, own in zip(score.extras, score.tones, strict=True) if tone in (None, own)]
    true, said, right = (
        (sum(column) for column in zip(*extras, strict=True)) if extras else (0,) * 3
    )
    gone = [c for c in cases if not c.played]
    said_gone = [c for c in cases if c.heard is None]
    gone_right = sum(c.heard is None for c in gone)

    def right_of(own: list[Case]) -> tuple[int, int]:
        return sum(c.heard == c.real for c in own), len(own)

    return {
        "takes": len(extras),
        "found": (int(errors.size), len(played)),
        "tail_ms": float(np.percentile(errors, 95)) if errors.size else None,
        "kinds": right_of(known),
        "balanced": float(np.mean([a / n for a, n in recalls if n])) if known else None,
        "open_singles": right_of([c for c in known if c.real == "open" and c.strings == 1]),
        "palm_chords": right_of([c for c in known if c.real == "palm" and c.strings > 1]),
        "dead": recalls[2],
        "unlike": right_of(unlike),
        "plan": (sum(c.planned == c.real for c in known), len(known)),
        "sure": right_of(surely),
        "extra_precision": (right, said),
        "extra_recall": (right, true),
        "missed_precision": (gone_right, len(said_gone)),
        "missed_recall": (gone_right, len(gone)),
    }


WEARS = (("fresh", 0.0), ("worn", 0.55), ("dead", 1.0))
GUITARS = 20  # of each age


def profiled(seed: int, wear: float) -> tuple[Score, Score]:
    """One guitar so worn, every other one sampled, read without and with six examples."""
    around = Surroundings(wear=wear)
    return with_profile(seed, sampled=seed % 2 == 1, around=around, examples=SIX)


def profile_rows() -> list[tuple[str, ...]]:
    """What six examples give, by the strings' age."""
    rows: list[tuple[str, ...]] = []
    for name, wear in WEARS:
        with Pool() as pool:
            pairs = pool.map(partial(profiled, wear=wear), range(900, 900 + GUITARS), 1)
        for how, parts in (
            ("without", [one for one, _ in pairs]),
            ("with six", [two for _, two in pairs]),
        ):
            found = figures(merged(parts))
            rows.append(
                (
                    name,
                    how,
                    str(found["kinds"][1]),
                    share(*found["kinds"]),
                    share(*found["open_singles"]),
                    share(*found["unlike"]),
                    share(*found["sure"]),
                )
            )
    return rows


COLUMNS: tuple[tuple[str, str], ...] = (
    ("found", "found"),
    ("tail_ms", "error 95 %, ms"),
    ("kinds", "three classes"),
    ("balanced", "balanced"),
    ("open_singles", "open single notes"),
    ("palm_chords", "palm-muted chords"),
    ("dead", "dead"),
    ("unlike", "unlike the plan"),
    ("sure", "right where surely"),
    ("extra_precision", "extra, precision"),
    ("extra_recall", "extra, recall"),
    ("missed_precision", "missed, precision"),
    ("missed_recall", "missed, recall"),
    ("plan", "repeating the plan"),
)


def row(name: str, tone: str, found: dict[str, Any]) -> tuple[str, ...]:
    """One line of the document."""

    def shown(key: str) -> str:
        value = found[key]
        if value is None:
            return "none"
        if isinstance(value, tuple):
            return share(*value) if value[1] else "none"
        return f"{value:.1f}" if key.endswith("_ms") else f"{value:.3f}"

    return (name, tone, *(shown(key) for key, _ in COLUMNS))


def measured(what: Set, takes: int, ear: Ear = EAR, run: Callable[..., Score] = read) -> Score:
    """All takes of a set."""
    with Pool() as pool:
        return merged(pool.map(partial(run, what=what, ear=ear), range(takes), 1))


def main() -> None:
    """Measures, writes the document and the page's figures."""
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("--takes", type=int, default=24, help="takes of each row")
    parser.add_argument("--only", help="the one row of this name")
    arguments = parser.parse_args()
    head = ("", "tone", *(title for _, title in COLUMNS))
    text = [
        f"# Strings of every age, echo and the hand's noise, engine {EAR.version}",
        "",
        f"Written by `python -m benchmarks.real_strings --takes {arguments.takes}`: an electric",
        "guitar that was really recorded, and a bank of sampled notes, neither ever trained on,",
        "behind plug-in amplifiers and speakers that nobody here wrote. A tenth of the hits is",
        "unlike the plan. Unsure counts as wrong. The palm is still computed.",
        "",
    ]
    shown: list[dict[str, Any]] = []
    tables: dict[str, list[tuple[str, ...]]] = {}
    for what in SETS:
        if arguments.only not in (None, what.name):
            continue
        score = measured(what, arguments.takes)
        found = {tone: figures(score, tone) for tone in (None, *TONES)}
        rows = [row(what.name, tone or "all", found[tone]) for tone in (None, *TONES)]
        tables.setdefault(what.table, []).extend(rows)
        shown.append({"table": what.table, "name": what.name, **found[None]})
        print("\n".join(table(head, rows)), flush=True)
    if arguments.only:
        return
    for name, rows in tables.items():
        text += [f"## By {name}", "", *table(head, rows), ""]
    titles = ("strings", "examples", "hits", "three classes", "open single notes")
    more = ("unlike the plan", "right where surely")
    rows = profile_rows()
    print("\n".join(table((*titles, *more), rows)), flush=True)
    text += [
        "## Six examples of the player's own, by age",
        "",
        f"{GUITARS} modelled and sampled guitars of each age, two open hits, a light, a full and a",
        "tight palm and a dead hit kept of each.",
        "",
        *table((*titles, *more), rows),
        "",
    ]
    DOCUMENT.write_text("\n".join(text).rstrip() + "\n")
    kept = json.loads(FIGURES.read_text())
    kept["real_strings"] = {"engine": EAR.version, "rows": shown}
    FIGURES.write_text(json.dumps(kept, indent=1) + "\n")


if __name__ == "__main__":
    main()

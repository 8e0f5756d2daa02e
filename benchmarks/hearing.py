"""How well the ear hears: a folder of takes with truth, measured hit by hit, with the plan-only baseline beside every figure.

    python -m benchmarks.hearing FOLDER [--start given|found] [--json OUT]
    python -m benchmarks.hearing --simulated 60 [--seed 3]

The baseline repeats the riff without listening: every hit on its place, as written. Unsure counts as wrong. A figure is printed where its
cell holds 200 cases or more; elsewhere n and a Wilson interval.
"""

import argparse
import json
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import mir_eval
import numpy as np

from benchmarks.corpus import draw_take
from thrumble.core.ear.reading import HitState, Reading
from thrumble.core.ear.take import TakeInfo, read_take
from thrumble.core.riff.expand import ExpandedRiff, expand
from thrumble.formats.audio import read_audio
from thrumble.formats.riff_json import read_riff_json
from thrumble.formats.truth_json import truth_document

CELL = 200
FOUND_S = 0.05
KINDS = ("open", "palm", "dead")
SLOTS = ((0, 100), (100, 150), (150, 250), (250, 1e9))


@dataclass(frozen=True, slots=True)
class Case:
    """One due hit: its truth and what was heard."""

    tone: str
    source: str
    slot_ms: float
    strings: int
    planned: str
    played: bool
    real: str | None
    heard: str | None
    error_ms: float | None  # after the take's own median error
    late_ms: float | None = None  # of a written stop, true
    said_late_ms: float | None = None


@dataclass(slots=True)
class Score:
    """All that was measured."""

    cases: list[Case] = field(default_factory=list)
    f25: list[float] = field(default_factory=list)
    f10: list[float] = field(default_factory=list)
    starts_ms: list[float] = field(default_factory=list)
    extras: list[tuple[int, int, int]] = field(default_factory=list)  # true, said, right


def measure(truth: dict[str, Any], expanded: ExpandedRiff, reading: Reading, score: Score) -> None:
    """Adds one take to the score."""
    played = np.sort([h["onset_s"] for h in truth["hits"] if h["played"]])
    heard = np.sort([h.onset_s for h in reading.hits if h.onset_s is not None] + [e.onset_s for e in reading.extra_onsets])
    pairs = mir_eval.util.match_events(played, heard, FOUND_S) if len(played) and len(heard) else []
    shift = float(np.median([heard[j] - played[i] for i, j in pairs])) if pairs else 0.0
    for window, out in ((0.025, score.f25), (0.010, score.f10)):
        out.append(mir_eval.onset.f_measure(played, np.maximum(heard - shift, 0), window=window)[0] if len(heard) else 0.0)
    by_index = {h.index: h for h in reading.hits if h.round == 1}
    errors = {}
    for hit in truth["hits"]:
        mine = by_index.get(hit["index"]) if hit["index"] is not None else None
        if (
            mine
            and hit["played"]
            and mine.onset_s is not None
            and abs(mine.onset_s - hit["onset_s"]) <= min(FOUND_S, hit["slot_ms"] / 2000)
        ):
            errors[hit["index"]] = (mine.onset_s - hit["onset_s"]) * 1000
    bias = float(np.median(list(errors.values()))) if errors else 0.0
    for hit in truth["hits"]:
        if hit["index"] is None or hit.get("not_reached") or hit["index"] not in by_index:
            continue
        mine = by_index[hit["index"]]
        score.cases.append(Case(
            tone=truth["condition"]["sound"], source=str(truth.get("source", "simulated")).split(" ")[0].strip(","), slot_ms=hit["slot_ms"],
            strings=len(expanded.hits[hit["index"]].hit.notes), planned=hit["planned"], played=hit["played"], real=hit["articulation"],
            heard=None if mine.state is not HitState.PLAYED else str(mine.heard_articulation),
            error_ms=errors[hit["index"]] - bias if hit["index"] in errors else None, late_ms=hit.get("stop_late_ms"), said_late_ms=mine.stop_late_ms,
        ))  # fmt: skip
    extras = np.sort([h["onset_s"] for h in truth["hits"] if h["index"] is None])
    said = np.sort([e.onset_s for e in reading.extra_onsets])
    right = len(mir_eval.util.match_events(extras, said, FOUND_S)) if len(extras) and len(said) else 0
    score.extras.append((len(extras), len(said), right))
    if reading.start_s is not None:
        lag = float(np.median([h["onset_s"] - h["expected_s"] for h in truth["hits"] if h["played"] and h["index"] is not None]))
        off = reading.start_s - truth["start_s"]
        score.starts_ms.append(min((off, off - lag), key=abs) * 1000)


def wilson(right: int, n: int) -> str:
    """A share with its 95 % interval by Wilson."""
    if n == 0:
        return "none"
    p, z = right / n, 1.96
    middle, reach = (p + z * z / (2 * n)) / (1 + z * z / n), z * np.sqrt(p * (1 - p) / n + z * z / (4 * n * n)) / (1 + z * z / n)
    return f"{p:.3f}" if n >= CELL else f"{p:.2f} ({max(0, middle - reach):.2f} to {min(1, middle + reach):.2f})"


def articulation_row(name: str, cases: list[Case]) -> str:
    """One line of the articulation table: the ear, and the plan repeated without listening."""
    known = [c for c in cases if c.played and c.heard is not None]
    three = sum(c.heard == c.real for c in known)
    two = sum((c.heard == "open") == (c.real == "open") and c.heard in KINDS for c in known)
    plan = sum(c.planned == c.real for c in known)
    recalls = [np.mean([c.heard == kind for c in known if c.real == kind]) for kind in KINDS if any(c.real == kind for c in known)]
    unsure = sum(c.heard == "unsure" for c in known)
    balanced = f"{np.mean(recalls):.3f}" if len(known) >= CELL else "-"
    return f"| {name} | {len(known)} | {wilson(two, len(known))} | {wilson(three, len(known))} | {balanced} | {unsure} | {wilson(plan, len(known))} |"


def precision_recall(right: int, said: int, true: int) -> str:
    return f"precision {right / said if said else float('nan'):.2f}, recall {right / true if true else float('nan'):.2f} (of {true}, said {said})"


def report(score: Score) -> Iterator[str]:
    """The table, as Markdown."""
    cases = score.cases
    found = [c for c in cases if c.error_ms is not None]
    errors = np.abs([c.error_ms for c in found])
    played = sum(c.played for c in cases)
    share = len(found) / max(1, played)
    yield f"{len(score.f25)} takes, {len(cases)} due hits; hits found {share:.3f}."
    yield f"Onset F-measure: ±25 ms {np.mean(score.f25):.3f}, ±10 ms {np.mean(score.f10):.3f}."
    yield f"Timing error after each take's own bias: median {np.median(errors):.2f} ms, 95th percentile {np.percentile(errors, 95):.1f} ms."
    missed, said = [c for c in cases if not c.played], [c for c in cases if c.heard is None]
    yield "Missed hits: " + precision_recall(sum(not c.played for c in said), len(said), len(missed)) + "; plan only: recall 0."
    true, told, right = (sum(e[k] for e in score.extras) for k in range(3))
    yield "Extra hits: " + precision_recall(right, told, true) + "; plan only: recall 0."
    starts = np.abs(score.starts_ms)
    yield f"Start error: median {np.median(starts):.1f} ms, 95th percentile {np.percentile(starts, 95):.1f} ms, within 25 ms {np.mean(starts <= 25):.2f}."
    stops = [(c.late_ms, c.said_late_ms) for c in cases if c.late_ms is not None and c.heard is not None]
    given = [abs(said - true) for true, said in stops if said is not None]
    if given:
        late, told_late = [t >= 60 for t, _ in stops], [(s or 0) >= 60 for _, s in stops]
        yield (
            f"Stops: error median {np.median(given):.0f} ms over {len(given)} of {len(stops)}; late by 60 ms or more: "
            + precision_recall(sum(a and b for a, b in zip(late, told_late, strict=True)), sum(told_late), sum(late))
            + "."
        )
    yield ""
    yield "| hits | n | open or muted | three classes | balanced | unsure | plan only, three classes |"
    yield "| --- | --- | --- | --- | --- | --- | --- |"
    groups: list[tuple[str, Callable[[Case], bool]]] = [
        ("all", lambda c: c.played),
        ("played unlike the plan", lambda c: c.real != c.planned),
    ]
    groups += [(tone, lambda c, tone=tone: c.tone == tone) for tone in sorted({c.tone for c in cases})]
    groups += [
        (f"slot {low} to {high} ms" if high < 1e8 else f"slot {low} ms or more", lambda c, a=low, b=high: a <= c.slot_ms < b)
        for low, high in SLOTS
    ]
    groups += [(f"source {s}", lambda c, s=s: c.source == s) for s in sorted({c.source for c in cases})]
    groups += [
        (f"unlike the plan, source {s}", lambda c, s=s: c.source == s and c.real != c.planned) for s in sorted({c.source for c in cases})
    ]
    groups += [
        ("open single notes", lambda c: c.strings == 1 and c.real == "open"),
        ("palm-muted chords", lambda c: c.strings > 1 and c.real == "palm"),
    ]
    for name, wanted in groups:
        yield articulation_row(name, [c for c in cases if wanted(c)])


def folder_takes(folder: Path) -> Iterator[tuple[dict[str, Any], ExpandedRiff, np.ndarray, int]]:
    """Truth, due hits and sound of every take of a folder."""
    for path in sorted(folder.glob("*.truth.json")):
        truth = json.loads(path.read_text())
        riff = read_riff_json((folder / truth["riff"]).read_bytes())
        recording = read_audio((folder / truth["audio"]).read_bytes())
        yield truth, expand(riff, truth["tempo_bpm"]), recording.samples, recording.rate_hz


def simulated_takes(count: int, seed: int) -> Iterator[tuple[dict[str, Any], ExpandedRiff, np.ndarray, int]]:
    """The same of simulated takes; their seeds are apart from those the ear was trained on."""
    for k in range(count):
        riff, performance, _ = draw_take(seed * 10_000_000 + k)
        yield truth_document(performance, riff="", audio=""), expand(riff), performance.samples, performance.rate_hz


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("folder", type=Path, nargs="?")
    parser.add_argument("--simulated", type=int, default=0)
    parser.add_argument("--seed", type=int, default=3)
    parser.add_argument("--start", choices=("given", "found"), default="given")
    arguments = parser.parse_args()
    takes = simulated_takes(arguments.simulated, arguments.seed) if arguments.simulated else folder_takes(arguments.folder)
    score = Score()
    for truth, expanded, samples, rate_hz in takes:
        info = TakeInfo(start_s=truth["start_s"] if arguments.start == "given" else None, rounds=1)
        measure(truth, expanded, read_take(samples, rate_hz, expanded, info), score)
    print("\n".join(report(score)))


if __name__ == "__main__":
    main()

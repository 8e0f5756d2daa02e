"""How far a verdict leans on the plan: the riff's articulations are rewritten, the sound is not,
and the takes are read again.
"""

from dataclasses import replace

import numpy as np

from benchmarks.cases import Take, simulated_take
from thrumble.core.ear.take import TakeInfo, read_take
from thrumble.core.riff.expand import ExpandedRiff
from thrumble.core.riff.model import Articulation
from thrumble.trained import EAR

SINGLES = 8  # hits of a take rewritten one at a time
SHARE = 0.1


def rewritten(expanded: ExpandedRiff, chosen: list[int], rng: np.random.Generator) -> ExpandedRiff:
    """The riff with other articulations at the chosen hits."""
    hits = list(expanded.hits)
    for k in chosen:
        others = [kind for kind in Articulation if kind is not hits[k].hit.articulation]
        hits[k] = replace(
            hits[k], hit=replace(hits[k].hit, articulation=others[int(rng.integers(2))])
        )
    return replace(expanded, hits=type(expanded.hits)(hits))


def verdicts(take: Take, expanded: ExpandedRiff) -> list[str | None]:
    reading = read_take(
        take.samples,
        take.rate_hz,
        expanded,
        TakeInfo(start_s=take.truth["start_s"], rounds=1),
        ear=EAR,
    )
    return [
        None if hit.heard_articulation is None else hit.heard_articulation.value
        for hit in reading.hits
    ]


def leaning(number: int, seed: int = 8) -> tuple[int, int, int, int]:
    """Of one take: hits rewritten one at a time, how many of them changed; all verdicts under a
    rewritten tenth, how many of them changed.
    """
    take = simulated_take(number, seed, sampled=number % 2 == 1)
    rng = np.random.default_rng([seed, number])
    before = verdicts(take, take.expanded)
    heard = [k for k, verdict in enumerate(before) if verdict is not None]
    singles = rng.permutation(heard)[:SINGLES].tolist()
    changed = sum(
        verdicts(take, rewritten(take.expanded, [k], rng))[k] != before[k] for k in singles
    )
    tenth = rng.permutation(heard)[: max(1, round(SHARE * len(heard)))].tolist()
    after = verdicts(take, rewritten(take.expanded, tenth, rng))
    return (
        len(singles),
        changed,
        len(before),
        sum(a != b for a, b in zip(after, before, strict=True)),
    )

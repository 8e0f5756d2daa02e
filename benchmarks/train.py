"""Trains the ear's two networks on simulated takes and writes src/thrumble/core/ear/weights.py.

    python -m benchmarks.train [--takes 400] [--seed 9]

Data: benchmarks/corpus.py, made here from the project's own simulated player; nothing else. Deterministic for a seed.
"""

import argparse
from dataclasses import dataclass
from functools import partial
from multiprocessing import Pool
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from benchmarks.corpus import draw_take
from benchmarks.fit import fit_network
from thrumble.core.ear.articulation import KINDS, measure_hits
from thrumble.core.ear.conditioning import condition
from thrumble.core.ear.network import Array, pack
from thrumble.core.ear.onsets import measure_candidates
from thrumble.core.ear.spectrum import bands_of

OUT = Path(__file__).parent.parent / "src/thrumble/core/ear/weights.py"
NEAR_S = 0.012  # a candidate this near a true onset, and nearest to it, is that hit


@dataclass(frozen=True, slots=True)
class Examples:
    """What one take teaches."""

    candidates: Array
    struck: NDArray[np.int_]
    hits: Array
    kinds: NDArray[np.int_]


def examples_of(number: int, seed: int) -> Examples:
    """Measures and truth of one simulated take."""
    _, performance, _ = draw_take(seed * 1_000_000 + number)
    heard = condition(performance.samples, performance.rate_hz)
    bands = bands_of(heard.samples)
    times, measures = measure_candidates(heard.samples, bands)
    played = sorted((h for h in performance.hits if h.onset_s is not None and h.articulation), key=lambda h: h.onset_s or 0.0)
    onsets = np.array([h.onset_s for h in played], dtype=float)
    struck = np.zeros(times.size, dtype=int)
    for onset in onsets:
        nearest = int(np.argmin(np.abs(times - onset)))
        struck[nearest] |= abs(times[nearest] - onset) < NEAR_S
    hits = measure_hits(heard.samples, bands, onsets, np.append(onsets[1:], heard.duration_s))
    return Examples(measures, struck, hits, np.array([KINDS.index(h.articulation) for h in played if h.articulation]))


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--takes", type=int, default=400)
    parser.add_argument("--seed", type=int, default=9)
    arguments = parser.parse_args()
    with Pool() as pool:
        examples = pool.map(partial(examples_of, seed=arguments.seed), range(arguments.takes), chunksize=4)
    candidates = np.concatenate([e.candidates for e in examples])
    struck = np.concatenate([e.struck for e in examples])
    onsets = fit_network(candidates, struck, hidden=(16,), outputs=1, decay=1e-4)
    hits, kinds = np.concatenate([e.hits for e in examples]), np.concatenate([e.kinds for e in examples])
    articulation = fit_network(hits, kinds, hidden=(), outputs=3, decay=1e-3)
    print(f"{len(struck)} candidates, {struck.sum()} struck; {len(kinds)} hits, {np.bincount(kinds)} open, palm, dead")
    lines = [
        '"""The ear\'s trained numbers; written by benchmarks/train.py from simulated takes, never by hand. See network.unpack."""',
        "", "# ruff: noqa: E501", f'ONSETS = "{pack(onsets)}"', f'ARTICULATION = "{pack(articulation)}"', "",
    ]  # fmt: skip
    OUT.write_text("\n".join(lines))


if __name__ == "__main__":
    main()

"""Trains the ear's small networks and writes src/thrumble/core/ear/weights.py.

    python -m benchmarks.train [--takes 500] [--seed 9]

Data: benchmarks/corpus.py, made here: even takes from the project's own modelled guitar, odd ones from sampled notes (benchmarks/sampled.py;
FluidR3 GM, MIT licence). No take of the folder that the ear is measured on, nor its sound banks, is used. Deterministic for a seed.
"""

import argparse
from dataclasses import dataclass
from functools import partial
from multiprocessing import Pool
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from benchmarks.corpus import draw_take
from benchmarks.fit import fit_network, near, one_of, place_of, struck_or_not
from thrumble.core.ear.articulation import KINDS, measure_hits
from thrumble.core.ear.conditioning import condition
from thrumble.core.ear.envelope import Envelope
from thrumble.core.ear.network import Array, Network, pack
from thrumble.core.ear.onsets import measure_candidates
from thrumble.core.ear.placing import LAGS_S, measure_places
from thrumble.core.ear.spectrum import bands_of
from thrumble.core.ear.strumming import CLASSES_MS, measure_strums

OUT = Path(__file__).parent.parent / "src/thrumble/core/ear/weights.py"
NEAR_S = 0.012  # a candidate this near a true onset, and nearest to it, is that hit
PLACED = 60  # hits of a take that teach placing
PLACE_SPREAD_S = 0.0012
ONSET_ERROR_S = 0.0005


@dataclass(frozen=True, slots=True)
class Examples:
    """What takes teach. `depths`: NaN for dead hits. `places`: measures (n, lags, inputs) and the true places from there, seconds."""

    candidates: Array
    struck: NDArray[np.int_]
    places: NDArray[np.float32]
    places_s: Array
    hits: Array
    kinds: NDArray[np.int_]
    depths: Array
    strums: NDArray[np.float32]
    strums_ms: Array


def examples_of(number: int, seed: int) -> Examples:
    """Measures and truth of one simulated take."""
    _, performance, _ = draw_take(seed * 1_000_000 + number, sampled=number % 2 == 1)
    heard = condition(performance.samples, performance.rate_hz)
    bands, envelope = bands_of(heard.samples), Envelope(heard.samples)
    times, measures = measure_candidates(envelope, bands)
    played = sorted((h for h in performance.hits if h.onset_s is not None and h.articulation), key=lambda h: h.onset_s or 0.0)
    onsets = np.array([h.onset_s for h in played], dtype=float)
    distances = np.abs(times - onsets[:, np.newaxis])
    nearest = distances.argmin(axis=1)
    struck = np.zeros(times.size, dtype=int)
    struck[nearest[distances.min(axis=1) < NEAR_S]] = 1
    off = onsets - times[nearest]
    chosen = np.flatnonzero((off > LAGS_S[0]) & (off < LAGS_S[-1]))
    chosen = np.sort(np.random.default_rng([seed, number]).permutation(chosen)[:PLACED])
    hits = measure_hits(heard.samples, bands, onsets, np.append(onsets[1:], heard.duration_s))
    kinds = np.array([KINDS.index(h.articulation) for h in played if h.articulation])
    depths = np.array([h.depth if h.depth is not None else np.nan for h in played], dtype=float)
    depths[kinds == 0] = 0.0
    strummed = np.array([k for k, h in enumerate(played) if h.strum_ms], dtype=int)
    heard_s = onsets[strummed] + np.random.default_rng([seed, number, 2]).normal(0, ONSET_ERROR_S, strummed.size)
    strums_ms = np.array([played[k].strum_ms for k in strummed], dtype=float)
    return Examples(
        measures, struck, measure_places(envelope, times[nearest[chosen]]), off[chosen], hits, kinds, depths,
        measure_strums(envelope, heard_s), strums_ms,
    )  # fmt: skip


def gather(takes: range, seed: int) -> Examples:
    """All takes' examples together; even numbers are of the modelled guitar, odd ones of sampled notes."""
    with Pool() as pool:
        parts = pool.map(partial(examples_of, seed=seed), takes, chunksize=4)
    return Examples(*(np.concatenate([getattr(p, name) for p in parts]) for name in Examples.__slots__))


def fit(e: Examples) -> dict[str, Network]:
    """The networks by their names in weights.py."""
    wanted = np.exp(-0.5 * ((LAGS_S - e.places_s[:, np.newaxis]) / PLACE_SPREAD_S) ** 2)
    wanted /= wanted.sum(axis=1, keepdims=True)
    told = np.isfinite(e.depths)
    muted = e.depths[told] > 0
    shares = np.where(muted, 1.0, 0.5 * muted.sum() / max(1, (~muted).sum()))
    flat = e.places.reshape(-1, e.places.shape[2])
    return {
        "ONSETS": fit_network(e.candidates, struck_or_not(e.struck), hidden=(16,), outputs=1, decay=1e-4),
        "PLACES": fit_network(flat, place_of(wanted), hidden=(20,), outputs=1, decay=1e-4, steps=200),
        "ARTICULATION": fit_network(e.hits, one_of(e.kinds), hidden=(32,), outputs=len(KINDS), decay=3e-3),
        "STRUM": fit_network(
            e.strums, one_of(np.abs(CLASSES_MS - e.strums_ms[:, np.newaxis]).argmin(axis=1)), hidden=(24,), outputs=CLASSES_MS.size, decay=1e-3,
            steps=300,
        ),
        "DEPTH": fit_network(e.hits[told], near(e.depths[told], shares), hidden=(24,), outputs=1, decay=3e-4),
    }  # fmt: skip


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--takes", type=int, default=500)
    parser.add_argument("--seed", type=int, default=9)
    arguments = parser.parse_args()
    examples = gather(range(arguments.takes), arguments.seed)
    print(f"{examples.struck.size} candidates, {examples.struck.sum()} struck; {np.bincount(examples.kinds)} open, palm, dead")
    write(fit(examples))


def write(networks: dict[str, Network]) -> None:
    lines = [
        '"""The ear\'s trained numbers; written by benchmarks/train.py, never by hand. See network.unpack."""',
        "",
        "# ruff: noqa: E501",
    ]
    lines += [f'{name} = "{pack(network)}"' for name, network in networks.items()]
    OUT.write_text("\n".join(lines) + "\n")


if __name__ == "__main__":
    main()

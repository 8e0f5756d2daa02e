"""Trains the ear's small networks and writes src/thrumble/core/ear/weights.py.

    python -m benchmarks.train [--takes 800] [--seed 9]

Data: benchmarks/corpus.py, made here: even takes from the project's own modelled guitar, odd ones from sampled notes (benchmarks/sampled.py;
FluidR3 GM, MIT licence). No take of the folder that the ear is measured on, nor its sound banks, is used. Deterministic for a seed.
"""

import argparse
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from multiprocessing import Pool
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from benchmarks.corpus import draw_take
from benchmarks.fit import Matrix, Rows, fit_network, near, one_of, place_of, struck_or_not
from thrumble.core.ear.articulation import KINDS, measure_hits
from thrumble.core.ear.chords import STRAY_MEASURES, Ringing, measure_strays
from thrumble.core.ear.conditioning import Heard, condition
from thrumble.core.ear.envelope import Envelope
from thrumble.core.ear.network import Array, Network, pack
from thrumble.core.ear.onsets import measure_candidates
from thrumble.core.ear.placing import PLACES_S, around_places, measure_places
from thrumble.core.ear.spectrum import bands_of
from thrumble.core.ear.strumming import CLASSES_MS, measure_strums
from thrumble.core.player.rendering import PlayedHit
from thrumble.core.riff.expand import expand
from thrumble.core.riff.model import Articulation, Riff, note_midi, open_midi

OUT = Path(__file__).parent.parent / "src/thrumble/core/ear/weights.py"
PLACE_SPREAD_S = 0.0012
ONSET_ERROR_S = 0.0005
STRAYS, STRAYS_BELIEVED = 0.12, 0.03  # share of hits with a stray string here, and what is believed of a player before listening


@dataclass(frozen=True, slots=True)
class Examples:
    """What takes teach; measures are kept at half precision. `depths`: NaN for dead hits. `places`: measures around candidates, and the true
    places from there, seconds."""

    candidates: NDArray[np.float16]
    struck: NDArray[np.int_]
    places: NDArray[np.float16]
    places_s: Array
    hits: NDArray[np.float32]
    kinds: NDArray[np.int_]
    depths: Array
    strums: NDArray[np.float32]
    strums_ms: Array
    strays: Array
    rang: NDArray[np.int_]


def examples_of(number: int, seed: int) -> Examples:
    """Measures and truth of one simulated take."""
    riff, performance, _ = draw_take(seed * 1_000_000 + number, sampled=number % 2 == 1, stray=STRAYS)
    heard = condition(performance.samples, performance.rate_hz)
    bands, envelope = bands_of(heard.samples), Envelope(heard.samples)
    times, measures = measure_candidates(envelope, bands)
    played = sorted((h for h in performance.hits if h.onset_s is not None and h.articulation), key=lambda h: h.onset_s or 0.0)
    onsets = np.array([h.onset_s for h in played], dtype=float)
    nearest = np.abs(times - onsets[:, np.newaxis]).argmin(axis=1)
    off = onsets - times[nearest]
    chosen = np.flatnonzero((off > PLACES_S[0]) & (off < PLACES_S[-1]))  # from there the hit can be placed: the candidate is that hit
    struck = np.zeros(times.size, dtype=int)
    struck[nearest[chosen]] = 1
    hits = measure_hits(heard.samples, bands, onsets, np.append(onsets[1:], heard.duration_s))
    kinds = np.array([KINDS.index(h.articulation) for h in played if h.articulation])
    depths = np.array([h.depth if h.depth is not None else np.nan for h in played], dtype=float)
    depths[kinds == 0] = 0.0
    strummed = np.array([k for k, h in enumerate(played) if h.strum_ms], dtype=int)
    heard_s = onsets[strummed] + np.random.default_rng([seed, number, 2]).normal(0, ONSET_ERROR_S, strummed.size)
    strums_ms = np.array([played[k].strum_ms for k in strummed], dtype=float)
    return Examples(
        measures.astype(np.float16), struck, measure_places(heard.samples, times[nearest[chosen]]).astype(np.float16), off[chosen],
        hits.astype(np.float32), kinds, depths,
        measure_strums(envelope, heard_s), strums_ms, *_strays_of(riff, played, heard),
    )  # fmt: skip


def _strays_of(riff: Riff, played: list[PlayedHit], heard: Heard) -> tuple[Array, NDArray[np.int_]]:
    """The measures of every string that should have kept silent under a ringing chord, and whether it did."""
    due = expand(riff).hits
    rings, rang = [], []
    for hit, following in zip(played, [*played[1:], None], strict=True):
        if hit.index is None or hit.fret_error or hit.articulation is not Articulation.OPEN or hit.onset_s is None:
            continue
        notes = due[hit.index].hit.notes
        silent = {n: open_midi(riff, n) for n in range(1, len(riff.tuning) + 1) if n not in {note.string for note in notes}}
        ends = [heard.duration_s, hit.onset_s + (hit.ring_s or 0.0), following.onset_s if following and following.onset_s else np.inf]
        rings.append(Ringing(hit.onset_s, min(ends), tuple(m for note in notes if (m := note_midi(riff, note)) is not None), silent))
        rang.append([int(n in hit.stray_strings) for n in silent])
    measures = measure_strays(heard.samples, rings)
    told = [k for k, rows in enumerate(measures) if len(rows)]
    if not told:
        return np.zeros((0, STRAY_MEASURES)), np.zeros(0, dtype=int)
    return np.concatenate([measures[k] for k in told]), np.concatenate([rang[k] for k in told])


def gather(takes: range, seed: int) -> Examples:
    """All takes' examples together; even numbers are of the modelled guitar, odd ones of sampled notes."""
    with Pool() as pool:
        parts = pool.map(partial(examples_of, seed=seed), takes, chunksize=4)
    return Examples(*(np.concatenate([getattr(p, name) for p in parts]) for name in Examples.__slots__))


def fit(e: Examples) -> dict[str, Network]:
    """The networks by their names in weights.py."""
    wanted = np.exp(-0.5 * ((PLACES_S - e.places_s[:, np.newaxis]) / PLACE_SPREAD_S) ** 2)
    wanted = (wanted / wanted.sum(axis=1, keepdims=True)).astype(np.float32)
    told = np.isfinite(e.depths)
    depths, muted = e.depths[told], e.depths[told] > 0
    shares = np.where(muted, 1.0, 0.5 * muted.sum() / max(1, (~muted).sum()))
    classes = np.abs(CLASSES_MS - e.strums_ms[:, np.newaxis]).argmin(axis=1)
    return {
        "ONSETS": fit_network(
            _rows_of(e.candidates), e.struck.size, struck_or_not(e.struck), hidden=(64, 32), outputs=1, decay=0.4, passes=10, batch=1024
        ),
        "PLACES": fit_network(
            lambda rows: around_places(e.places[rows].astype(np.float32)), e.places_s.size, place_of(wanted), hidden=(64, 32), outputs=1,
            decay=0.01, passes=10, batch=256,
        ),
        "ARTICULATION": fit_network(_rows_of(e.hits), e.kinds.size, one_of(e.kinds), hidden=(64,), outputs=len(KINDS), decay=0.5, passes=16),
        "STRUM": fit_network(_rows_of(e.strums), classes.size, one_of(classes), hidden=(64, 32), outputs=CLASSES_MS.size, decay=0.3, passes=20),
        "STRAYS": _less_likely(
            fit_network(_rows_of(e.strays), e.rang.size, struck_or_not(e.rang), hidden=(32, 16), outputs=1, decay=0.1, passes=15),
            float(np.log(STRAYS_BELIEVED / STRAYS)),
        ),
        "DEPTH": fit_network(_rows_of(e.hits[told]), depths.size, near(depths, shares), hidden=(64, 32), outputs=1, decay=0.3, passes=16),
    }  # fmt: skip


def _less_likely(network: Network, by: float) -> Network:
    """The same network of one output for a world in which the log odds are other by so much."""
    *layers, (weights, biases) = network.layers
    return Network(network.centre, network.scale, (*layers, (weights, biases + by)))


def _rows_of(measures: NDArray[np.floating]) -> Callable[[Rows], Matrix]:
    return lambda rows: measures[rows].astype(np.float32)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--takes", type=int, default=800)
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

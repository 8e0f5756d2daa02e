"""Trains the ear's small networks and writes src/thrumble/resources/ear.bin.

    python -m training.train [--takes 1600] [--loud 800] [--ringing 800] [--guitars 300] [--seed
    9] [--examples FILE] [--keep NAME ...]

Data: benchmarks/corpus.py, made here: even takes from the project's own modelled guitar, odd ones
from sampled notes (benchmarks/sampled.py: FluidR3 GM, MIT licence; a recorded bass and a recorded
steel-string guitar, CC BY 3.0), on strings of any age, some with an echo or the noise of the hand;
then as many more at high gain as `--loud` says, where hits are hardest to place; `--ringing` takes
more whose chords often have a stray string, for those alone; and single hits of `--guitars` more
guitars. No take of the folder that the ear is measured on, nor its sound banks, nor the recorded
electric guitar, is used. Deterministic for a seed. What was gathered is kept in FILE, if one is
named, and taken from there the next time; delete it when the ear's measures change.
"""

import argparse
import os
from collections.abc import Callable, Collection
from concurrent.futures import ThreadPoolExecutor
from datetime import date
from functools import partial
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from thrumble.core.ear.align.onsets import CANDIDATES
from thrumble.core.ear.measure.articulation import HITS, KINDS
from thrumble.core.ear.measure.chords import STRAYS
from thrumble.core.ear.measure.placing import (
    AROUND_PLACE,
    PLACES_S,
    around_places,
)
from thrumble.core.ear.measure.strumming import CLASSES_MS, STRUMS
from thrumble.core.ear.model.ear import NUMBER, Ear, pack_ear
from thrumble.core.ear.model.network import Network
from thrumble.trained import EAR
from training.colour import recoloured_hits
from training.examples import SOURCES, Examples, gathered, together, within
from training.fit import (
    Matrix,
    Rows,
    fit_network,
    fit_several,
    fit_whitening,
    near,
    one_of,
    place_of,
    struck_or_not,
)

OUT = Path(__file__).parent.parent / "src/thrumble/resources/ear.bin"
PLACE_SPREAD_S = 0.0012
STRAYS_BELIEVED = 0.03  # what is believed of a player before listening
LAYOUTS = {
    "articulation": HITS,
    "depth": HITS,
    "onsets": CANDIDATES,
    "places": AROUND_PLACE,
    "sound": HITS,
    "strays": STRAYS,
    "strum": STRUMS,
}


def options(description: str) -> argparse.ArgumentParser:
    """The options of a command that trains."""
    parser = argparse.ArgumentParser(
        description=description, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("--takes", type=int, default=1600)
    parser.add_argument("--loud", type=int, default=800)
    parser.add_argument("--ringing", type=int, default=800)
    parser.add_argument("--guitars", type=int, default=300)
    parser.add_argument("--seed", type=int, default=9)
    parser.add_argument("--examples", type=Path)
    parser.add_argument("--keep", nargs="*", default=[], help="networks to leave as they are")
    return parser


def fits_of(e: Examples) -> dict[str, Callable[[], Network]]:
    """What fits each network, by its name."""
    wanted = np.exp(-0.5 * ((PLACES_S - e.places_s[:, np.newaxis]) / PLACE_SPREAD_S) ** 2)
    wanted = np.where(
        within(e.places_s)[:, np.newaxis],
        wanted / np.maximum(1e-9, wanted.sum(axis=1, keepdims=True)),
        0,
    ).astype(np.float32)
    told = np.isfinite(e.depths)
    depths, muted = e.depths[told], e.depths[told] > 0
    shares = np.where(muted, 1.0, 0.5 * muted.sum() / max(1, (~muted).sum()))
    classes = np.abs(CLASSES_MS - e.strums_ms[:, np.newaxis]).argmin(axis=1)
    palms = e.hits[told]
    return {
        "places": partial(
            fit_network,
            lambda rows: around_places(e.places[rows].astype(np.float32)),
            e.places_s.size,
            place_of(wanted),
            hidden=(64, 32),
            outputs=1,
            decay=0.01,
            passes=10,
            batch=256,
        ),
        "onsets": partial(
            fit_several,
            3,
            _rows_of(e.candidates),
            e.struck.size,
            struck_or_not(e.struck),
            hidden=(96, 48),
            outputs=1,
            decay=0.25,
            passes=14,
            batch=1024,
        ),
        "articulation": partial(
            fit_network,
            _recoloured(e.hits),
            e.kinds.size,
            one_of(e.kinds),
            hidden=(160,),
            outputs=len(KINDS),
            decay=0.3,
            passes=24,
        ),
        "strum": partial(
            fit_network,
            _rows_of(e.strums),
            classes.size,
            one_of(classes),
            hidden=(64, 32),
            outputs=CLASSES_MS.size,
            decay=0.3,
            passes=20,
        ),
        "strays": partial(
            fit_network,
            _rows_of(e.strays),
            e.rang.size,
            struck_or_not(e.rang),
            hidden=(160, 64),
            outputs=1,
            decay=0.1,
            passes=20,
        ),
        "depth": partial(
            fit_network,
            _rows_of(palms),
            depths.size,
            near(depths, shares),
            hidden=(64, 32),
            outputs=1,
            decay=1.0,
            passes=16,
        ),
        "sound": partial(fit_whitening, e.hits),
    }


def fit(e: Examples, keep: Collection[str] = ()) -> dict[str, Network]:
    """The networks by their names, those of `keep` as they are; as many at a time as
    there are processors.
    """
    wanted = {name: one for name, one in fits_of(e).items() if name not in keep}
    with ThreadPoolExecutor(os.cpu_count()) as threads:
        running = {name: threads.submit(one) for name, one in wanted.items()}
        networks = {name: one.result() for name, one in running.items()}
    if "strays" in networks:
        rarer = float(np.log(STRAYS_BELIEVED / e.drawn.mean()))
        networks["strays"] = _less_likely(networks["strays"], rarer)
    return networks | {name: EAR.networks[name] for name in keep}


def _less_likely(network: Network, by: float) -> Network:
    """The same network of one output for a world in which the log odds are other by so much."""
    *layers, (weights, biases) = network.layers
    return Network(network.centre, network.scale, (*layers, (weights, biases + by)))


def _rows_of(measures: NDArray[np.floating]) -> Callable[[Rows], Matrix]:
    return lambda rows: measures[rows].astype(np.float32)


def _recoloured(measures: NDArray[np.floating]) -> Callable[[Rows], Matrix]:
    rng = np.random.default_rng(0)
    return lambda rows: recoloured_hits(measures[rows].astype(np.float32), rng)


def main() -> None:
    arguments = options(__doc__ or "").parse_args()
    examples = together(list(gathered(arguments).values()))
    print(
        f"{examples.struck.size} candidates, {examples.struck.sum()} struck; "
        f"{np.bincount(examples.kinds)} open, palm, dead"
    )
    networks = fit(examples, arguments.keep)
    layouts = {name: layout.text for name, layout in LAYOUTS.items()}
    trained = Ear(
        number=NUMBER,
        layouts=tuple(layouts.items()),
        training=tuple(_record(arguments, examples).items()),
        **networks,
    )
    OUT.write_bytes(pack_ear(trained))


def _record(arguments: argparse.Namespace, e: Examples) -> dict[str, str]:
    """What the networks were trained with, for people."""
    takes = f"--takes {arguments.takes} --loud {arguments.loud} --ringing {arguments.ringing}"
    command = f"training.train {takes} --guitars {arguments.guitars} --seed {arguments.seed}"
    record = {
        "command": command,
        "sources": ", ".join(SOURCES),
        "candidates": f"{e.struck.size}, {e.struck.sum()} of them struck",
        "hits": str(e.kinds.size),
        "date": date.today().isoformat(),
    }
    if arguments.keep:
        record["command"] += " --keep " + " ".join(arguments.keep)
        before = dict(EAR.training)["command"]
        record["kept"] = f"{', '.join(arguments.keep)}, of engine {EAR.number}: {before}"
    return record


if __name__ == "__main__":
    main()

"""Trains the ear's small networks and writes src/thrumble/core/ear/model/weights.py.

    python -m training.train [--takes 1600] [--loud 800] [--ringing 800] [--guitars 300] [--seed
    9] [--examples FILE]

Data: benchmarks/corpus.py, made here: even takes from the project's own modelled guitar, odd ones
from sampled notes (benchmarks/sampled.py;
FluidR3 GM, MIT licence); then as many more at high gain as `--loud` says, where hits are hardest to
place; `--ringing` takes more whose chords
often have a stray string, for those alone; and single hits of `--guitars` more guitars. No take of
the folder that the ear is measured on, nor
its sound banks, is used. Deterministic for a seed. What was gathered is kept in FILE, if one is
named, and taken from there the next time; delete
it when the ear's measures change.
"""

import argparse
import json
import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from datetime import date
from functools import partial
from multiprocessing import Pool
from pathlib import Path

import numpy as np
import soxr
from benchmarks.corpus import draw_take, with_behind
from benchmarks.palms import RATE_HZ, drawn_guitar
from numpy.typing import NDArray

from thrumble.core.ear.align.onsets import CANDIDATES, REFINE_S, attack_near, measure_candidates
from thrumble.core.ear.front.conditioning import Heard, condition
from thrumble.core.ear.front.envelope import Envelope
from thrumble.core.ear.front.spectrum import bands_of
from thrumble.core.ear.measure.articulation import HITS, KINDS, measure_hits
from thrumble.core.ear.measure.chords import STRAYS, Ringing, measure_strays
from thrumble.core.ear.measure.placing import (
    AROUND_PLACE,
    PLACES_S,
    around_places,
    measure_places,
)
from thrumble.core.ear.measure.strumming import CLASSES_MS, STRUMS, measure_strums
from thrumble.core.ear.model.network import Array, Network, pack
from thrumble.core.player.perform import Performance
from thrumble.core.player.rendering import PlayedHit
from thrumble.core.player.single import LEAD_S, strike
from thrumble.core.player.sound import Tone
from thrumble.core.riff.expand import expand
from thrumble.core.riff.model import Articulation, Riff
from thrumble.core.signal import Samples
from training.colour import recoloured_hits
from training.fit import Matrix, Rows, fit_network, near, one_of, place_of, struck_or_not

OUT = Path(__file__).parent.parent / "src/thrumble/core/ear/model/weights.py"
PLACE_SPREAD_S = 0.0012
ONSET_ERROR_S = 0.0005
# share of hits with a stray string, in all takes and in those that are heard for it alone
STRAY_SHARE, MANY_STRAYS = 0.12, 0.4
STRAYS_BELIEVED = 0.03  # what is believed of a player before listening
WRONG, EXTRA = (
    0.25,
    0.03,
)  # hits unlike the plan, which the networks never see, and extra hits: many, to learn from
FAR, FAR_DB = (
    0.15,
    (-36.0, -18.0),
)  # share of takes with another guitar behind, and its level under the playing
NOISY, NOISE_DB = 0.1, (-60.0, -36.0)  # with noise, and its level under the peak
NARROW, NARROW_HZ = 0.1, (8000, 16000)  # at a low sample rate
HURRIED, HURRY = (
    0.25,
    (1.2, 1.6),
)  # share of takes played faster than the riff's style asks, and by how much
OTHERS = 0.1  # of the candidates that are no hit, looked at for a place beside those that are
SINGLE_PALMS = 12  # of every guitar that is heard hit by hit
SOURCES = ("modelled", "sampled")  # of takes and guitars with even and odd numbers
LAYOUTS = {
    "articulation": HITS,
    "depth": HITS,
    "onsets": CANDIDATES,
    "places": AROUND_PLACE,
    "strays": STRAYS,
    "strum": STRUMS,
}


@dataclass(frozen=True, slots=True)
class Examples:
    """What takes teach; measures are kept at half precision. `depths`: NaN for dead hits. `places`:
    measures around candidates, and where from
    there the nearest hit is, seconds. `drawn`: how often a stray was drawn where this one was, or
    was not."""

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
    drawn: Array


def examples_of(number: int, tone: Tone | None, seed: int) -> Examples:
    """Measures and truth of one simulated take; a tone of None is drawn."""
    rng = np.random.default_rng([seed, number, 4])
    hurry = float(rng.uniform(*HURRY)) if rng.random() < HURRIED else 1.0
    riff, performance, _ = draw_take(
        seed * 1_000_000 + number,
        tone,
        sampled=number % 2 == 1,
        hurry=hurry,
        stray=STRAY_SHARE,
        wrong=WRONG,
        extra=EXTRA,
    )
    heard = condition(*as_recorded(performance, number, seed))
    bands, envelope = bands_of(heard.samples), Envelope(heard.samples)
    times, measures = measure_candidates(envelope, bands)
    played = _played(performance)
    onsets = np.array([h.onset_s for h in played], dtype=float)
    nearest = np.abs(times - onsets[:, np.newaxis]).argmin(axis=1)
    off = onsets - times[nearest]
    struck = np.zeros(times.size, dtype=int)
    struck[nearest[_within(off)]] = 1  # from there the hit can be placed: the candidate is that hit
    others = np.flatnonzero(
        (rng.random(times.size) < OTHERS) & ~np.isin(np.arange(times.size), nearest)
    )
    others_off = (onsets - times[others, np.newaxis])[
        np.arange(others.size), np.abs(times[others, np.newaxis] - onsets).argmin(axis=1)
    ]
    about = times[np.concatenate([nearest, others])]
    hits = measure_hits(heard.samples, bands, onsets, np.append(onsets[1:], heard.duration_s))
    kinds = np.array([KINDS.index(h.articulation) for h in played if h.articulation])
    depths = np.array([h.depth if h.depth is not None else np.nan for h in played], dtype=float)
    depths[kinds == 0] = 0.0
    strummed = np.array([k for k, h in enumerate(played) if h.strum_ms], dtype=int)
    heard_s = onsets[strummed] + np.random.default_rng([seed, number, 2]).normal(
        0, ONSET_ERROR_S, strummed.size
    )
    strums_ms = np.array([played[k].strum_ms for k in strummed], dtype=float)
    return Examples(
        measures.astype(np.float16),
        struck,
        measure_places(heard.samples, about).astype(np.float16),
        np.concatenate([off, others_off]),
        hits.astype(np.float32),
        kinds,
        depths,
        measure_strums(envelope, heard_s),
        strums_ms,
        *_strays_of(riff, played, heard, STRAY_SHARE),
    )


def _played(performance: Performance) -> list[PlayedHit]:
    return sorted(
        (h for h in performance.hits if h.onset_s is not None and h.articulation),
        key=lambda h: h.onset_s or 0.0,
    )


def _within(off_s: Array) -> NDArray[np.bool_]:
    """Of hits so far from a candidate: whether one of its places is theirs."""
    return (off_s > PLACES_S[0]) & (off_s < PLACES_S[-1])


def ringing_of(number: int, seed: int) -> tuple[Array, NDArray[np.int_], Array]:
    """Of one more take, what its ringing chords and their stray strings teach."""
    riff, performance, _ = draw_take(
        seed * 1_000_000 + 700_000 + number, sampled=number % 2 == 1, stray=MANY_STRAYS, wrong=WRONG
    )
    return _strays_of(
        riff,
        _played(performance),
        condition(*as_recorded(performance, 700_000 + number, seed)),
        MANY_STRAYS,
    )


def as_recorded(performance: Performance, number: int, seed: int) -> tuple[Samples, int]:
    """The take as it is, mostly; else with another guitar far behind, with noise, or at a low
    sample rate.
    """
    rng = np.random.default_rng([seed, number, 3])
    samples, rate_hz = performance.samples, performance.rate_hz
    if rng.random() < FAR:
        _, other, _ = draw_take(
            seed * 1_000_000 + 500_000 + number, sampled=bool(rng.random() < 0.5)
        )
        samples = with_behind(
            samples, rate_hz, other.samples, other.rate_hz, float(rng.uniform(*FAR_DB))
        )
    if rng.random() < NOISY:
        level = 10 ** (rng.uniform(*NOISE_DB) / 20) * float(np.abs(samples).max())
        samples = samples + np.float32(level) * rng.standard_normal(samples.size, dtype=np.float32)
    if rng.random() < NARROW:
        narrow = int(rng.integers(*NARROW_HZ))
        return np.asarray(soxr.resample(samples, rate_hz, narrow), dtype=np.float32), narrow
    return samples, rate_hz


def _strays_of(
    riff: Riff, played: list[PlayedHit], heard: Heard, share: float
) -> tuple[Array, NDArray[np.int_], Array]:
    """The measures of every string that should have kept silent under a ringing chord, whether it
    rang, and how often one was drawn.
    """
    due = expand(riff).hits
    rings, rang = [], []
    for hit, following in zip(played, [*played[1:], None], strict=True):
        if (
            hit.index is None
            or hit.fret_error
            or hit.articulation is not Articulation.OPEN
            or hit.onset_s is None
        ):
            continue
        notes = due[hit.index].hit.notes
        silent = {
            n: riff.instrument.open_midi(n)
            for n in range(1, len(riff.tuning) + 1)
            if n not in {note.string for note in notes}
        }
        ends = [
            heard.duration_s,
            hit.onset_s + (hit.ring_s or 0.0),
            following.onset_s if following and following.onset_s else np.inf,
        ]
        rings.append(
            Ringing(
                hit.onset_s,
                min(ends),
                tuple(m for note in notes if (m := riff.instrument.midi(note)) is not None),
                silent,
            )
        )
        rang.append([int(n in hit.stray_strings) for n in silent])
    measures = measure_strays(heard.samples, rings)
    told = [k for k, rows in enumerate(measures) if len(rows)]
    rows = np.concatenate([np.zeros((0, STRAYS.size)), *(measures[k] for k in told)])
    return (
        rows,
        np.array([own for k in told for own in rang[k]], dtype=int),
        np.full(len(rows), share),
    )


def singles_of(number: int, seed: int) -> tuple[NDArray[np.float32], NDArray[np.int_], Array]:
    """Measures, kinds and depths of single hits of one guitar, as the palm finder hears them: palms
    of any depth, open and dead hits.
    """
    guitar, setup, rng = drawn_guitar(seed * 1_000_000 + number, sampled=number % 2 == 1)
    rows, kinds, depths = [], [], []
    root = float(rng.uniform(38, 52))
    for kind, count in (
        (Articulation.PALM, SINGLE_PALMS),
        (Articulation.OPEN, 2),
        (Articulation.DEAD, 2),
    ):
        for _ in range(count):
            depth = (
                float(rng.uniform(0, 1))
                if kind is Articulation.PALM
                else 0.0
                if kind is Articulation.OPEN
                else np.nan
            )
            sound = strike(
                guitar,
                setup,
                kind,
                depth=max(0.0, depth),
                midi=[root] if rng.random() < 0.5 else [root, root + 7],
                rng=rng,
            )
            heard = condition(sound, RATE_HZ)
            onset_s = attack_near(Envelope(heard.samples), np.array([LEAD_S]), reach_s=REFINE_S)
            rows.append(
                measure_hits(
                    heard.samples, bands_of(heard.samples), onset_s, np.array([heard.duration_s])
                )
            )
            kinds.append(KINDS.index(kind))
            depths.append(depth)
    return np.concatenate(rows).astype(np.float32), np.array(kinds), np.array(depths)


def gather(takes: int, loud: int, ringing: int, guitars: int, seed: int) -> dict[str, Examples]:
    """The examples of every source: of `takes` takes, of `loud` more at high gain, of `ringing`
    more for stray strings, and of single hits of
    other guitars; all counted together."""
    wanted = [
        (number, None if number < takes else Tone.HIGH_GAIN, seed) for number in range(takes + loud)
    ]
    with Pool() as pool:
        parts = pool.starmap(examples_of, wanted, chunksize=4)
        rang = pool.map(partial(ringing_of, seed=seed), range(ringing), chunksize=4)
        alone = pool.map(partial(singles_of, seed=seed), range(guitars), chunksize=4)
    out = {}
    for parity, source in enumerate(SOURCES):
        whole = {name: [getattr(p, name) for p in parts[parity::2]] for name in Examples.__slots__}
        for names, more in (
            (("hits", "kinds", "depths"), alone),
            (("strays", "rang", "drawn"), rang),
        ):
            for name, parts_of_it in zip(names, zip(*more[parity::2], strict=True), strict=False):
                whole[name] += parts_of_it
        out[source] = Examples(**{name: np.concatenate(rows) for name, rows in whole.items()})
    return out


def together(sources: list[Examples]) -> Examples:
    """One behind the other."""
    return Examples(
        **{name: np.concatenate([getattr(e, name) for e in sources]) for name in Examples.__slots__}
    )


def gathered(arguments: argparse.Namespace) -> dict[str, Examples]:
    """What `gather` gives for the command's options, or what it gave an earlier one. Raises
    ValueError where the file is of other options.
    """
    asked = [arguments.takes, arguments.loud, arguments.ringing, arguments.guitars, arguments.seed]
    file: Path | None = arguments.examples
    if file is None or not file.exists():
        examples = gather(*asked)
        if file is not None:
            np.savez(
                file,
                asked=asked,
                **{
                    f"{source}.{name}": getattr(e, name)
                    for source, e in examples.items()
                    for name in Examples.__slots__
                },
            )
        return examples
    with np.load(file) as kept:
        if kept["asked"].tolist() != asked:
            raise ValueError(f"{file} was gathered with other options: {kept['asked'].tolist()}")
        return {
            source: Examples(**{name: kept[f"{source}.{name}"] for name in Examples.__slots__})
            for source in SOURCES
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
    return parser


def fit(e: Examples) -> dict[str, Network]:
    """The networks by their names in weights.py; as many at a time as there are processors."""
    wanted = np.exp(-0.5 * ((PLACES_S - e.places_s[:, np.newaxis]) / PLACE_SPREAD_S) ** 2)
    wanted = np.where(
        _within(e.places_s)[:, np.newaxis],
        wanted / np.maximum(1e-9, wanted.sum(axis=1, keepdims=True)),
        0,
    ).astype(np.float32)
    told = np.isfinite(e.depths)
    depths, muted = e.depths[told], e.depths[told] > 0
    shares = np.where(muted, 1.0, 0.5 * muted.sum() / max(1, (~muted).sum()))
    classes = np.abs(CLASSES_MS - e.strums_ms[:, np.newaxis]).argmin(axis=1)
    palms = e.hits[told]
    fits = {
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
            fit_network,
            _rows_of(e.candidates),
            e.struck.size,
            struck_or_not(e.struck),
            hidden=(64, 32),
            outputs=1,
            decay=0.4,
            passes=10,
            batch=1024,
        ),
        "articulation": partial(
            fit_network,
            _recoloured(e.hits),
            e.kinds.size,
            one_of(e.kinds),
            hidden=(96,),
            outputs=len(KINDS),
            decay=0.3,
            passes=16,
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
    }
    with ThreadPoolExecutor(os.cpu_count()) as threads:
        running = {name: threads.submit(one) for name, one in fits.items()}
        networks = {name: one.result() for name, one in running.items()}
    networks["strays"] = _less_likely(
        networks["strays"], float(np.log(STRAYS_BELIEVED / e.drawn.mean()))
    )
    return networks


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
    OUT.write_text(written(fit(examples), _record(arguments, examples)))


def _record(arguments: argparse.Namespace, e: Examples) -> dict[str, str]:
    """What the networks were trained with, for people."""
    takes = f"--takes {arguments.takes} --loud {arguments.loud} --ringing {arguments.ringing}"
    return {
        "command": f"training.train {takes} --guitars {arguments.guitars} --seed {arguments.seed}",
        "sources": ", ".join(SOURCES),
        "candidates": f"{e.struck.size}, {e.struck.sum()} of them struck",
        "hits": str(e.kinds.size),
        "date": date.today().isoformat(),
    }


def written(networks: dict[str, Network], training: dict[str, str]) -> str:
    """The module that the ear's weights are."""
    lines = [
        '"""The ear\'s trained numbers; written by training/train.py, never by hand."""',
        "",
        "# ruff: noqa: E501",
        f"TRAINING = {_table(training)}",
        f"LAYOUTS = {_table({name: layout.text for name, layout in LAYOUTS.items()})}",
        f"WEIGHTS = {_table({name: pack(network) for name, network in sorted(networks.items())})}",
    ]
    return "\n".join(lines) + "\n"


def _table(entries: dict[str, str]) -> str:
    rows = (f"    {json.dumps(name)}: {json.dumps(text)}," for name, text in entries.items())
    return "\n".join(["{", *rows, "}"])


if __name__ == "__main__":
    main()

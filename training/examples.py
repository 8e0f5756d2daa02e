"""What takes teach the networks: measures and truth of takes that are drawn here, gathered on all
processors, and kept in a file where one is named.
"""

import argparse
from dataclasses import dataclass
from functools import partial
from multiprocessing import Pool
from pathlib import Path

import numpy as np
import soxr
from benchmarks.corpus import draw_surroundings, draw_take, with_behind
from benchmarks.palms import RATE_HZ, drawn_guitar
from benchmarks.sampled import LEARNT
from numpy.typing import NDArray

from thrumble.core.ear.align.onsets import REFINE_S, attack_near, measure_candidates
from thrumble.core.ear.front.conditioning import Conditioned, condition
from thrumble.core.ear.front.envelope import Envelope
from thrumble.core.ear.front.spectrum import bands_of
from thrumble.core.ear.measure.articulation import KINDS, measure_hits
from thrumble.core.ear.measure.chords import STRAYS, Ringing, measure_strays
from thrumble.core.ear.measure.placing import (
    PLACES_S,
    measure_places,
)
from thrumble.core.ear.measure.strumming import measure_strums
from thrumble.core.ear.model.network import Array
from thrumble.core.player.perform import Performance
from thrumble.core.player.rendering import PlayedHit
from thrumble.core.player.single import LEAD_S, strike
from thrumble.core.player.sound import Tone
from thrumble.core.riff.expand import expand
from thrumble.core.riff.model import Articulation, Riff
from thrumble.core.signal import Samples

ONSET_ERROR_S = 0.0005
# share of hits with a stray string, in all takes and in those that are heard for it alone
STRAY_SHARE, MANY_STRAYS = 0.12, 0.4
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
        notes=notes_of(rng),
        hurry=hurry,
        around=draw_surroundings(rng),
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
    struck[nearest[within(off)]] = 1  # from there the hit can be placed: the candidate is that hit
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


def notes_of(rng: np.random.Generator) -> str:
    """The notes of a sampled guitar: mostly a bank's, else recorded ones."""
    return str(rng.choice([LEARNT, "recorded-bass", "recorded-steel"], p=[0.6, 0.2, 0.2]))


def _played(performance: Performance) -> list[PlayedHit]:
    return sorted(
        (h for h in performance.hits if h.onset_s is not None and h.articulation),
        key=lambda h: h.onset_s or 0.0,
    )


def within(off_s: Array) -> NDArray[np.bool_]:
    """Of hits so far from a candidate: whether one of its places is theirs."""
    return (off_s > PLACES_S[0]) & (off_s < PLACES_S[-1])


def ringing_of(number: int, seed: int) -> tuple[Array, NDArray[np.int_], Array]:
    """Of one more take, what its ringing chords and their stray strings teach."""
    rng = np.random.default_rng([seed, number, 6])
    riff, performance, _ = draw_take(
        seed * 1_000_000 + 700_000 + number,
        sampled=number % 2 == 1,
        notes=notes_of(rng),
        around=draw_surroundings(rng),
        stray=MANY_STRAYS,
        wrong=WRONG,
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
    riff: Riff, played: list[PlayedHit], heard: Conditioned, share: float
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
    around = draw_surroundings(np.random.default_rng([seed, number, 7]))
    guitar, setup, rng = drawn_guitar(
        seed * 1_000_000 + number, sampled=number % 2 == 1, around=around
    )
    rows, kinds, depths = [], [], []
    root = float(rng.uniform(38, 52))
    for kind, count in (
        (Articulation.PALM, SINGLE_PALMS),
        (Articulation.OPEN, 2),
        (Articulation.DEAD, 2),
    ):
        for _ in range(count):
            depth = 0.0 if kind is Articulation.OPEN else np.nan
            if kind is Articulation.PALM:
                depth = float(rng.uniform(0, 1))
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

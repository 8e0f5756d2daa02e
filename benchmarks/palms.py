"""The palm finder and the profile, measured: a hand moved along the bridge of many guitars, and
takes read with and without examples of theirs.
"""

from collections.abc import Callable
from contextlib import suppress

import numpy as np
from scipy.stats import spearmanr

from benchmarks.cases import Score, Take, measure
from benchmarks.corpus import PLAIN, Surroundings, draw_riff
from benchmarks.sampled import SampledGuitar
from thrumble.core.ear.measure.articulation import Profile
from thrumble.core.ear.take import TakeInfo, read_take
from thrumble.core.errors import BadAudio
from thrumble.core.player.flaws import Flaws
from thrumble.core.player.guitars import Guitar, ModelGuitar
from thrumble.core.player.perform import perform
from thrumble.core.player.single import strike
from thrumble.core.player.sound import Setup, Tone, draw_setup
from thrumble.core.riff.expand import expand
from thrumble.core.riff.model import Articulation
from thrumble.core.rig.palm import (
    MeasuredExample,
    Place,
    SingleHit,
    measure_example,
    measure_single,
    profile_of,
)
from thrumble.core.signal import Samples
from thrumble.formats.truth_json import truth_document
from thrumble.trained import EAR

RATE_HZ = 48000
PALMS = 12
OTHERS = (Articulation.OPEN, Articulation.OPEN, Articulation.DEAD, Articulation.DEAD)
EXAMPLES = (
    (Articulation.OPEN, 0.0, 4),
    (Articulation.PALM, 0.25, 2),
    (Articulation.PALM, 0.6, 4),
    (Articulation.PALM, 0.9, 2),
    (Articulation.DEAD, 0.0, 4),
)

# what a player keeps in two minutes
SIX = (
    (Articulation.OPEN, 0.0, 2),
    (Articulation.PALM, 0.25, 1),
    (Articulation.PALM, 0.6, 1),
    (Articulation.PALM, 0.9, 1),
    (Articulation.DEAD, 0.0, 1),
)


def drawn_guitar(
    seed: int, *, sampled: bool, around: Surroundings = PLAIN
) -> tuple[Guitar, Setup, np.random.Generator]:
    """One guitar of a bench of them; the same seed draws the same."""
    rng = np.random.default_rng([seed, 5])
    setup = around.of(draw_setup(list(Tone)[seed % 3], rng), np.random.default_rng([seed, 8]))
    return (SampledGuitar if sampled else ModelGuitar)(setup, rng), setup, rng


def sweep(seed: int, *, sampled: bool) -> tuple[float, list[tuple[str, str]]]:
    """Of one guitar: rank correlation of the palm's place with the scale shown (0 if all palms
    were shown at one place), and what was said of
    open, middling and dead hits."""
    guitar, setup, rng = drawn_guitar(seed, sampled=sampled)
    midi = [float(rng.choice([38, 40, 42, 45]))] + ([] if rng.random() < 0.5 else [0.0])
    midi = midi if len(midi) == 1 else [midi[0], midi[0] + 7]
    depths, scales, said = [], [], []
    for k in range(PALMS + len(OTHERS)):
        kind = (*PALMS * [Articulation.PALM], *OTHERS)[k]
        depth = float(rng.uniform(0, 1)) if kind is Articulation.PALM else 0.0
        hit = _heard(strike(guitar, setup, kind, depth=depth, midi=midi, rng=rng))
        if hit is None:
            continue
        if kind is Articulation.PALM:
            depths.append(depth)
            scales.append(hit.scale)
            if 0.4 <= depth <= 0.75:
                said.append(("pocket", hit.place.value))
        else:
            said.append(
                (
                    Place.BACK.value if kind is Articulation.OPEN else Place.FORWARD.value,
                    hit.place.value,
                )
            )
    return float(spearmanr(depths, scales).statistic) if len(set(scales)) > 1 else 0.0, said


def _heard(sound: Samples) -> SingleHit | None:
    try:
        return measure_single(sound, RATE_HZ, ear=EAR)
    except BadAudio:
        return None


def with_profile(
    seed: int,
    *,
    sampled: bool,
    around: Surroundings = PLAIN,
    examples: tuple[tuple[Articulation, float, int], ...] = EXAMPLES,
) -> tuple[Score, Score]:
    """One take of a guitar read without and with examples of that guitar."""
    guitar, setup, rng = drawn_guitar(seed, sampled=sampled, around=around)
    kept = []
    for kind, depth, count in examples:
        for k, midi in enumerate(rng.choice([40.0, 43.0, 45.0, 47.0], count)):
            played = float(np.clip(rng.normal(depth, 0.06), 0, 1))
            sound = strike(
                guitar,
                setup,
                kind,
                depth=played,
                midi=[midi] if k % 2 else [midi, midi + 7],
                rng=rng,
            )
            with suppress(BadAudio):
                heard = measure_example(sound, RATE_HZ, ear=EAR)
                kept.append(
                    MeasuredExample(heard, kind, depth if kind is Articulation.PALM else None)
                )
    riff, _ = draw_riff(90_000 + seed)
    same: Callable[[Setup, np.random.Generator], Guitar] = lambda _setup, _rng: guitar  # noqa: E731
    take = perform(
        riff, seed=seed, flaws=Flaws(timing=8, wrong=0.12, missed=0.01), setup=setup, guitar=same
    )
    truth = truth_document(take, riff="", audio="")
    case = Take(
        f"profile {seed} {sampled}",
        "sampled" if sampled else "modelled",
        truth,
        expand(riff),
        take.samples,
        take.rate_hz,
    )
    out = []
    for profile in (None, profile_of(kept)):
        info = TakeInfo(
            start_s=take.start_s, **({"profile": profile} if isinstance(profile, Profile) else {})
        )
        score = Score()
        measure(case, read_take(take.samples, take.rate_hz, case.expanded, info, ear=EAR), score)
        out.append(score)
    return out[0], out[1]

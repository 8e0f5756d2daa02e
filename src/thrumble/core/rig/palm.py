"""The palm finder: one struck note or chord in a second of sound, placed between ringing free and
choked.

Too far back, the palm hardly touches the strings and they ring. In the pocket the note is short and
still has its pitch. Too far forward the
palm lies over the sounding length: the hit is choked and the pitch is gone.
"""

from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from thrumble.core.ear.align.onsets import find_candidates
from thrumble.core.ear.front.conditioning import WORK_RATE_HZ, Conditioned, condition
from thrumble.core.ear.front.envelope import Envelope
from thrumble.core.ear.front.spectrum import Bands, bands_of
from thrumble.core.ear.measure.articulation import (
    HITS,
    KINDS,
    NO_PROFILE,
    Profile,
    classify_hits,
    measure_hits,
    mute_depths,
)
from thrumble.core.ear.measure.placing import place_hits
from thrumble.core.ear.model.ear import Ear
from thrumble.core.ear.model.network import Array
from thrumble.core.errors import BadAudio
from thrumble.core.riff.model import Articulation
from thrumble.core.signal import Samples

EIGHT = 8
MIN_HITS = 3
LIGHTEST, TIGHTEST = 0.2, 0.88  # depths between which a palm lies in the pocket
LIGHT = 0.4  # examples of palm mutes up to this depth are light ones
CHOKED_CLARITY = 0.35
MAX_S = 3.0
STEADY_FRAME_S, MIN_STEADY_FRAMES, STEADY_DB = 0.05, 8, 1.5
LEVEL_S = 0.060


class Place(StrEnum):
    """Where the palm lies."""

    BACK = "back"
    POCKET = "pocket"
    FORWARD = "forward"


@dataclass(frozen=True, slots=True, kw_only=True)
class SingleHit:
    """One hit by itself. `scale`: 0 ringing free, 1 choked. `decay_s`: until 20 dB under its peak,
    None if it outlasts the sound.
    `clarity`: 0 noise to 1 a clear pitch. `level_db`: RMS of the first 60 ms, dBFS. `chances`: of
    open, palm and dead, by the generic ear
    and the profile. `measures`: what the ear sees of it, shape (HITS.size,)."""

    onset_s: float
    scale: float
    depth: float
    decay_s: float | None
    clarity: float
    level_db: float
    peak_db: float
    chances: tuple[float, float, float]
    place: Place
    measures: Array


@dataclass(frozen=True, slots=True, kw_only=True)
class Repeatability:
    """How alike the last hits were: their number, the middle of their depth and its robust spread,
    and how many lay in the pocket.
    """

    hits: int
    middle: float
    spread: float
    in_pocket: int


def measure_single(
    samples: NDArray[np.floating], rate_hz: int, profile: Profile = NO_PROFILE, *, ear: Ear
) -> SingleHit:
    """Hears the first loud hit in up to three seconds of sound. Raises BadAudio if there is
    none. Samples of shape (n,) or (n, channels).
    """
    conditioned, onset_s, measures = _hear(samples, rate_hz, ear)
    if _is_steady(conditioned.samples):
        raise BadAudio(
            "this is a steady sound, not a hit: damp all strings, then hit one string or chord"
        )
    chances = classify_hits(measures, np.array([-1]), ear, profile)[0]
    depth = float(mute_depths(measures, ear)[0])
    clarity = float(np.clip(measures[0, HITS.column("clarity early")], 0, 1))
    begin = int(onset_s * WORK_RATE_HZ)
    piece = conditioned.samples[begin : begin + int(LEVEL_S * WORK_RATE_HZ)]
    decay_s = _decay_s(conditioned.samples[begin:])
    open_, dead = (
        float(chances[KINDS.index(Articulation.OPEN)]),
        float(chances[KINDS.index(Articulation.DEAD)]),
    )
    scale = float(np.clip(depth * (1 - open_) * (1 - dead) + dead * max(0.94, depth), 0, 1))
    place = Place.POCKET
    boundary = _open_below(profile, ear)
    if boundary is not None:  # the player's own light mutes say where ringing begins
        rings = _log_odds_damped(measures, ear)[0] < boundary
        scale = min(scale, LIGHTEST - 0.01) if rings else max(scale, LIGHTEST)
    if scale < LIGHTEST:
        place = Place.BACK
    elif scale > TIGHTEST or clarity < CHOKED_CLARITY:
        place = Place.FORWARD
    return SingleHit(
        onset_s=round(onset_s, 5),
        scale=round(scale, 3),
        depth=round(depth, 3),
        decay_s=decay_s,
        clarity=round(clarity, 3),
        level_db=round(
            10 * float(np.log10(np.mean(np.square(piece, dtype=np.float64)) + 1e-20))
            + conditioned.gain_db,
            1,
        ),
        peak_db=round(conditioned.gain_db, 1),
        chances=(open_, float(chances[KINDS.index(Articulation.PALM)]), dead),
        place=place,
        measures=measures[0],
    )


def _log_odds_damped(measures: Array, ear: Ear) -> Array:
    """Log-odds that hits don't ring open, by the classifier without any examples, shape (n,)."""
    open_ = classify_hits(measures, np.full(len(measures), -1), ear, NO_PROFILE)[
        :, KINDS.index(Articulation.OPEN)
    ]
    return np.asarray(np.log((1 - open_ + 1e-6) / (open_ + 1e-6)))


def _open_below(profile: Profile, ear: Ear) -> float | None:
    """The log-odds under which a hit of this tone rings open: half way between the medians of its
    open examples and of its light mutes. None if either has too few, or if they don't differ.
    """
    is_open = profile.kinds == KINDS.index(Articulation.OPEN)
    is_light = (profile.kinds == KINDS.index(Articulation.PALM)) & (profile.depths <= LIGHT)
    if min(is_open.sum(), is_light.sum()) < MIN_HITS:
        return None
    odds = _log_odds_damped(profile.measures, ear)
    rings, damped = float(np.median(odds[is_open])), float(np.median(odds[is_light]))
    return (rings + damped) / 2 if damped > rings else None


def _hear(
    samples: NDArray[np.floating], rate_hz: int, ear: Ear
) -> tuple[Conditioned, float, Array]:
    """The sound made ready, its first loud onset, and the ear's measures of it, one row."""
    if samples.shape[0] > MAX_S * rate_hz:
        raise BadAudio(f"one hit at a time: send {MAX_S:.0f} seconds of sound at most")
    conditioned = condition(samples, rate_hz)
    if conditioned.silent:
        raise BadAudio("we heard nothing: check your cable and the input level")
    bands = bands_of(conditioned.samples)
    onset_s = _first_loud_onset(conditioned.samples, bands, ear)
    ends = np.array([conditioned.duration_s])
    return conditioned, onset_s, measure_hits(conditioned.samples, bands, np.array([onset_s]), ends)


def _is_steady(samples: Samples) -> bool:
    """Whether a sound goes on from its first moment to its last at one level, as hum does."""
    frame = int(STEADY_FRAME_S * WORK_RATE_HZ)
    count = samples.size // frame
    if count < MIN_STEADY_FRAMES:
        return False
    power = np.square(samples[: count * frame].reshape(count, frame), dtype=np.float64).mean(axis=1)
    low, high = np.percentile(10 * np.log10(power + 1e-12), (5, 95))
    return bool(high - low < STEADY_DB)


def _first_loud_onset(samples: Samples, bands: Bands, ear: Ear) -> float:
    envelope = Envelope(samples)
    candidates = find_candidates(envelope, bands, ear)
    sure = candidates.times_s[candidates.log_odds > 0]
    if not sure.size:
        raise BadAudio("we heard sound but no hit: hit one string or chord and let it ring")
    levels = envelope.level_db(envelope.energy, sure, sure + 0.05)
    loud = sure[levels > levels.max() - 12]
    return float(place_hits(samples, loud[:1], ear)[0])


def _decay_s(piece: Samples) -> float | None:
    """From the loudest 10 ms until 20 dB under them for good; None if that is not reached."""
    n = WORK_RATE_HZ // 100
    count = piece.size // n
    if count < 4:
        return None
    level = 10 * np.log10(
        np.mean(np.square(piece[: count * n].reshape(count, n), dtype=np.float64), axis=1) + 1e-12
    )
    top = int(np.argmax(level[:20]))
    over = np.flatnonzero(level > level[top] - 20)
    return None if over[-1] >= count - 2 else round(float((over[-1] + 1 - top) * 0.01), 3)


def repeatability(depths: list[float], places: list[Place]) -> Repeatability | None:
    """How steady the palm is over the last eight hits; None for fewer than three."""
    last, where = np.array(depths[-EIGHT:]), places[-EIGHT:]
    if last.size < MIN_HITS:
        return None
    middle = float(np.median(last))
    spread = float(1.4826 * np.median(np.abs(last - middle)))
    return Repeatability(
        hits=last.size,
        middle=round(middle, 3),
        spread=round(spread, 3),
        in_pocket=sum(p is Place.POCKET for p in where),
    )


@dataclass(frozen=True, slots=True)
class ExampleHit:
    """What the ear sees of one hit by itself: `measures` of shape (HITS.size,), and the level of
    its sound, dBFS.
    """

    measures: Array
    peak_db: float


def measure_example(samples: NDArray[np.floating], rate_hz: int, *, ear: Ear) -> ExampleHit:
    """Measures an example, shape (n,) or (n, channels), without judging it. Raises BadAudio if
    there is no hit.
    """
    conditioned, _, measures = _hear(samples, rate_hz, ear)
    return ExampleHit(measures[0], round(conditioned.gain_db, 1))


@dataclass(frozen=True, slots=True)
class MeasuredExample:
    """One hit the player kept: what was measured of it, what it was played as, and for a palm how
    deep it was meant, None if that is not known.
    """

    heard: ExampleHit
    kind: Articulation
    depth: float | None = None


def profile_of(examples: list[MeasuredExample]) -> Profile:
    """The ear's profile from single hits, all brought to one level, as the hits of a take are."""
    if not examples:
        return NO_PROFILE
    rows = np.array([example.heard.measures for example in examples])
    peaks = np.array([example.heard.peak_db for example in examples])
    rows[:, HITS.column("level")] += (peaks - peaks.max()) / 10
    return Profile(
        rows,
        np.array([KINDS.index(example.kind) for example in examples], dtype=np.intp),
        np.array([np.nan if example.depth is None else example.depth for example in examples]),
    )

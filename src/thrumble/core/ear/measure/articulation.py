"""Open, palm-muted or dead: from a hit's own sound, with probabilities. The hit's own plan plays no
part.

Evidence up to the next onset at most: how groups of bands stand to one another and fall, in windows
from the attack on, and how clear the pitch
is (damping by soft contact takes the high partials first: Fletcher and Rossing); and the spectra
themselves at moments from just before the
attack to 0.2 s after. A generic network, trained on simulated
guitars, then learns this take: the weights of its last layer are moved towards what the take's
*other* hits say, each labelled by the generic
opinion and its plan together, the plan being right only most of the time. Every hit is judged by
weights that never saw its own plan.
"""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from thrumble.core.ear.front.conditioning import WORK_RATE_HZ
from thrumble.core.ear.front.spectrum import BAND_EDGES_HZ, HOP_S, Bands, grouped_power
from thrumble.core.ear.model.ear import Decisions, Ear
from thrumble.core.ear.model.layout import Layout
from thrumble.core.ear.model.network import Array, softmax
from thrumble.core.riff.model import Articulation
from thrumble.core.signal import Samples
from thrumble.core.transforms import irfft, rfft

GROUPS_HZ = ((70, 250), (250, 700), (700, 1800), (1800, 4500), (4500, 10500))
GROUP_OF = [
    (BAND_EDGES_HZ[:-1] >= low * 0.99) & (BAND_EDGES_HZ[:-1] < high * 0.99)
    for low, high in GROUPS_HZ
]  # the bands of each group
WINDOWS_S = (
    (0.002, 0.014),
    (0.014, 0.034),
    (0.034, 0.060),
    (0.060, 0.095),
    (0.095, 0.140),
    (0.140, 0.200),
)
CLEAR_S = 0.009  # the analysis window reaches this far ahead: stop short of the next onset
PITCH_WINDOW_S = 0.055
PITCH_LAGS_HZ = (30.0, 500.0)
PITCH_ROWS = 128  # pieces at a time: bounds memory
PITCH_FFT = 2048  # holds a piece and its longest lag

KINDS = (Articulation.OPEN, Articulation.PALM, Articulation.DEAD)
MOMENTS = np.array(
    [-8, -4, -2, 0, 1, 2, 3, 4, 6, 8, 10, 13, 16, 20, 25, 30, 36, 43, 50, 58, 67, 77, 88, 100]
)  # frames from the onset
TOGETHER = 2  # neighbouring bands taken as one there
SHAPED = (0, 1, 3)  # windows whose spectral shape by groups is looked at
BODY = 1  # the window that the others' levels are measured against
OTHERS = (0, 2, 3, 4, 5)
HITS = Layout(
    (
        *((f"shape in window {k}", len(GROUPS_HZ)) for k in SHAPED),
        *((f"change in window {k}", len(GROUPS_HZ)) for k in OTHERS),
        ("change of level", len(OTHERS)),
        ("level", 1),
        ("level before", len(GROUPS_HZ)),
        ("clarity early", 1),
        ("clarity late", 1),
        ("flatness early", 1),
        ("flatness late", 1),
        ("free time", 1),
        ("spectra", MOMENTS.size * (BAND_EDGES_HZ.size - 1) // TOGETHER),
    )
)  # levels in tens of dB against the take's peak, clarity 0 to 1, time in fifths of a second
FOLDS = 6
ROUNDS, STEPS = 2, 25


@dataclass(frozen=True, slots=True)
class Profile:
    """Hits the player recorded on purpose: measures as of `measure_hits`, shape (n, HITS.size), the
    index into KINDS of each, and how deep each
    palm was meant, 0 to 1, NaN if that is not known."""

    measures: Array
    kinds: NDArray[np.intp]
    depths: Array


NO_PROFILE = Profile(np.zeros((0, HITS.size)), np.zeros(0, dtype=np.intp), np.zeros(0))


def measure_hits(samples: Samples, bands: Bands, onsets_s: Array, ends_s: Array) -> Array:
    """What the classifier sees of each hit, shape (n, HITS.size); no hits give no rows. `ends_s`:
    the next onset, or the take's end, seconds.
    """
    if not onsets_s.size:
        return np.zeros((0, HITS.size))
    running = np.concatenate(
        [np.zeros((1, len(GROUPS_HZ))), np.cumsum(grouped_power(bands, GROUP_OF), axis=0)]
    )
    free_s = np.clip(ends_s - onsets_s - CLEAR_S, 0.016, 0.2)
    levels = np.stack(
        [_window_db(running, onsets_s, free_s, *window) for window in WINDOWS_S], axis=1
    )  # hits, windows, groups
    before = _window_db(running, onsets_s, np.full(onsets_s.size, 1.0), -0.022, -0.011)
    total = 10 * np.log10(np.power(10, levels / 10).sum(axis=2))  # hits, windows
    shape = levels - total[:, :, np.newaxis]
    clarity = _clarity(samples, onsets_s, free_s)
    columns = {f"shape in window {k}": shape[:, k] for k in SHAPED}
    columns |= {f"change in window {k}": levels[:, k] - levels[:, BODY] for k in OTHERS}
    columns |= {
        "change of level": total[:, OTHERS] - total[:, [BODY]],
        "level": total[:, [BODY]],
        "level before": before - levels[:, BODY],
        "clarity early": clarity[:, [0]] * 10,
        "clarity late": clarity[:, [1]] * 10,
        "flatness early": clarity[:, [2]] * 10,
        "flatness late": clarity[:, [3]] * 10,
        "free time": free_s[:, np.newaxis] * 50,
        "spectra": _spectra(bands, onsets_s, free_s),
    }
    return np.asarray(HITS.join(columns) / 10)


def _spectra(bands: Bands, onsets_s: Array, free_s: Array) -> Array:
    """Levels at MOMENTS against their mean, dB; a moment past the free time is replaced by its
    end.
    """
    first, last = (
        np.round(at / HOP_S).astype(np.intp)[:, np.newaxis] for at in (onsets_s, onsets_s + free_s)
    )
    frames = np.clip(np.minimum(first + MOMENTS, last), 0, bands.level_db.shape[0] - 1)
    levels = (
        bands.level_db[frames].reshape(onsets_s.size, -1, TOGETHER).mean(axis=2, dtype=np.float64)
    )
    return np.asarray(levels - levels.mean(axis=1, keepdims=True))


def _window_db(
    running: Array, onsets_s: Array, free_s: Array, start_s: float, end_s: float
) -> Array:
    """Group levels in a window after each onset; a window past the free time is replaced by the
    free time's last part.
    """
    length = end_s - start_s
    begin = onsets_s + np.minimum(start_s, np.maximum(free_s - length, min(start_s, 0.002)))
    finish = onsets_s + np.minimum(end_s, np.maximum(free_s, 0.014))
    low = np.clip(np.round(begin / HOP_S).astype(int), 0, running.shape[0] - 2)
    high = np.clip(np.round(finish / HOP_S).astype(int), low + 1, running.shape[0] - 1)
    return np.asarray(
        10 * np.log10((running[high] - running[low]) / (high - low)[:, np.newaxis] + 1e-12)
    )


def _clarity(samples: Samples, onsets_s: Array, free_s: Array) -> Array:
    """Pitch clarity early and late in each hit: the largest normalised autocorrelation at the lags
    of a guitar; and spectral flatness.
    """
    out = np.zeros((onsets_s.size, 4))
    lengths = (np.minimum(PITCH_WINDOW_S, np.maximum(free_s, 0.03)) * WORK_RATE_HZ).astype(int)
    for place in (0, 1):
        starts_s = (
            np.full(free_s.size, 0.006)
            if place == 0
            else np.clip(free_s - PITCH_WINDOW_S, 0.006, 0.07)
        )
        begins = ((onsets_s + starts_s) * WORK_RATE_HZ).astype(int)
        lasting = np.minimum(lengths, samples.size - begins)
        for length in np.unique(
            lasting[lasting >= 300]
        ):  # most hits have the whole window: they are taken together
            rows = np.flatnonzero(lasting == length)
            for part in np.array_split(rows, -(-rows.size // PITCH_ROWS)):
                pieces = samples[begins[part][:, np.newaxis] + np.arange(length)]
                out[part, place], out[part, 2 + place] = _pitched(pieces)
    return out


def _pitched(pieces: Samples) -> tuple[Array, Array]:
    """Clarity and flatness of short pieces of sound, shape (n, samples)."""
    size = pieces.shape[1]
    window, shape = _pitch_window(size)
    spectrum = rfft(pieces * window, PITCH_FFT)
    spectral = spectrum.real**2 + spectrum.imag**2
    auto = irfft(spectral, PITCH_FFT)
    low, high = (
        int(WORK_RATE_HZ / PITCH_LAGS_HZ[1]),
        min(int(WORK_RATE_HZ / PITCH_LAGS_HZ[0]), int(size * 0.62)),
    )
    clarity = np.max(auto[:, low:high] / shape[low:high], axis=1, initial=0.0) / (
        auto[:, 0] + 1e-12
    )
    middle = (
        spectral[:, int(200 / WORK_RATE_HZ * PITCH_FFT) : int(4000 / WORK_RATE_HZ * PITCH_FFT)]
        + 1e-14
    )
    return clarity, (np.mean(np.log10(middle), axis=1) - np.log10(np.mean(middle, axis=1))) / 2


@lru_cache(maxsize=512)
def _pitch_window(size: int) -> tuple[Samples, Samples]:
    """A Hann window and its own autocorrelation, by which that of a windowed piece is divided."""
    window = np.hanning(size).astype(np.float32)
    spectrum = np.fft.rfft(window, PITCH_FFT)
    shape = np.fft.irfft(spectrum.real**2 + spectrum.imag**2, PITCH_FFT)
    return window, np.asarray(np.maximum(shape / shape[0], 0.02), dtype=np.float32)


def classify_hits(
    measures: Array,
    planned: NDArray[np.intp],
    ear: Ear,
    profile: Profile = NO_PROFILE,
    novelty: float = 0.0,
) -> Array:
    """Probabilities of open, palm and dead, shape (n, 3), each row from the hit's sound and what
    the take's other hits taught.

    planned : index into KINDS per hit, -1 if the hit is not in the riff.
    profile : the player's own examples in this tone, whose kinds are known.
    strange : how far the sound is from the training's (`familiarity.novelty`); without examples
    the odds are the more modest the farther.
    """
    if not len(measures):
        return np.zeros((0, 3))
    network, decisions = ear.articulation, ear.decisions
    written = planned >= 0
    inputs = _with_ones(network.features(measures))
    generic = np.concatenate([network.layers[-1][0], network.layers[-1][1][np.newaxis]])
    beyond = 0.0 if len(profile.kinds) else max(0.0, novelty - decisions.familiar_to)
    sharpen = decisions.sharpen / (1 + decisions.doubt * beyond)
    if not written.any() and not len(profile.kinds):  # nothing to learn from
        return np.asarray(softmax(sharpen * (inputs @ generic)))
    labels = np.full((len(measures), 3), 1 / 3)
    labels[written] = decisions.plan_wrong / 2
    labels[written, planned[written]] = 1 - decisions.plan_wrong
    examples = _with_ones(network.features(profile.measures)) if len(profile.kinds) else inputs[:0]
    sure = np.eye(3)[profile.kinds]
    examples, sure = (
        np.repeat(examples, decisions.example_weight, axis=0),
        np.repeat(sure, decisions.example_weight, axis=0),
    )
    fold = np.arange(len(inputs)) % FOLDS
    shown = np.concatenate(
        [fold[:, np.newaxis] != np.arange(FOLDS), np.ones((len(examples), FOLDS), dtype=bool)]
    )
    weights = _learn(
        np.concatenate([inputs, examples]),
        np.concatenate([labels, sure]),
        shown,
        generic,
        decisions,
    )
    scores = np.einsum("nf,nfk->nk", inputs, weights[fold])
    return np.asarray(softmax(sharpen * scores))


def _with_ones(features: NDArray[np.floating]) -> Array:
    return np.concatenate([features, np.ones((len(features), 1))], axis=1)


def mute_depths(
    measures: Array, ear: Ear, written: Array | None = None, profile: Profile = NO_PROFILE
) -> Array:
    """How deep each hit is muted, 0 ringing free to 1 tight; shape (n,).

    What counts as tight differs from guitar to guitar. Where the player kept palms of known depth,
    all are moved by the middle of their
    differences. Else, with `written` (the plan's depths, NaN if no palm mute is), each is moved
    towards what is written for the *other*
    hits, and only part of the way, so that a take that is muted too lightly all along still shows
    it.
    """
    if not len(measures):
        return np.zeros(0)
    decisions = ear.decisions
    depths = np.clip(ear.depth.outputs(measures)[:, 0], 0, 1)
    measured = np.isfinite(profile.depths)
    if measured.sum() >= decisions.least_palms:
        depths_read = np.clip(ear.depth.outputs(profile.measures[measured])[:, 0], 0, 1)
        return _moved(depths, float(np.median(profile.depths[measured] - depths_read)))
    if written is None:
        return depths
    fold = np.arange(depths.size) % FOLDS
    with_depth = np.isfinite(written) & (depths > decisions.lightest_palm)
    out = np.array(depths)
    for k in range(FOLDS):
        others = with_depth & (fold != k)
        count = int(others.sum())
        if count:
            out[fold == k] = _moved(
                depths[fold == k],
                float(np.median(written[others] - depths[others]))
                * decisions.depth_trust
                * count
                / (count + 4),
            )
    return out


def _moved(depths: Array, offset: float) -> Array:
    """An open string stays open: the move fades out towards depth 0."""
    return np.clip(depths + offset * np.clip(depths / 0.3, 0, 1), 0, 1)


def _learn(
    inputs: Array,
    labels: Array,
    shown: NDArray[np.bool_],
    generic: Array,
    decisions: Decisions,
) -> Array:
    """Weights moved towards the take, shape (folds, inputs, kinds), once for each column of `shown`
    (n, folds): which hits it may see. Each step
    is Boehning's (1992) fixed bound on the curvature, which never overshoots."""
    of = shown.T[:, :, np.newaxis]  # folds, hits, 1
    hold = decisions.hold_hits
    curvature = np.linalg.inv(0.5 * (inputs.T @ (of * inputs)) + hold * np.eye(inputs.shape[1]))
    weights = np.tile(generic, (shown.shape[1], 1, 1))
    for _ in range(ROUNDS):
        target = softmax(inputs @ weights) * labels
        target /= target.sum(axis=-1, keepdims=True)
        for _ in range(STEPS):
            off = softmax(inputs @ weights) - target
            slope = inputs.T @ (of * off) + hold * (weights - generic)
            weights = weights - curvature @ slope
    return weights

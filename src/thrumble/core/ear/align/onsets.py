"""Where strings may have been struck: candidates, each placed to a fraction of a millisecond and
given its odds of being a hit.

Spectral flux on log bands against the loudest of the last few frames (Boeck and Widmer 2013: a
ringing string that wavers gives none)
finds nearly every hit among many false ones. The raw high-passed envelope, whose sharpest relative
rise is the attack, places each. A small
trained network (weights.py, from simulated takes) then weighs eleven measures of the moment and the
spectra from 36 ms before it to 44 ms
after. What the riff expects plays no part here.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from thrumble.core.ear.front.conditioning import WORK_RATE_HZ
from thrumble.core.ear.front.envelope import FLOOR_POWER, Envelope
from thrumble.core.ear.front.spectrum import BAND_EDGES_HZ, BLOCK, HOP_S, Bands, Matrix
from thrumble.core.ear.model.ear import Decisions, Ear
from thrumble.core.ear.model.layout import Layout
from thrumble.core.ear.model.network import Array
from thrumble.core.signal import Samples

LAG = 5  # frames, 10 ms: a flux over less misses soft palms, over more blurs sixteenths
SPAN = 3  # frames around the lag whose loudest is the reference
NEAR = 8  # frames, 16 ms: two peaks closer than this are one
MIN_DB = 0.35  # mean rise of the bands below which nothing was struck
MIN_STEP_DB = 0.05  # a smaller rise of the whole level cannot be told from none
REFINE_S = 0.009
ROWS = 512  # candidates refined at a time: bounds memory
# where the attack lies from the peak of the flux, on average, and how far from there it may be
PLACE_S = 0.0015
PLACE_SPREAD_S = 0.0025
MOMENTS = np.array(
    [-18, -14, -10, -8, -6, -5, -4, -3, -2, -1, 0, 1, 2, 3, 4, 5, 6, 8, 10, 14, 18, 22]
)  # frames from the candidate
WEIGHED = 1024  # candidates at a time: bounds memory
RISES = Layout(
    tuple(
        (name, 1)
        for name in (
            "flux",
            "rise",
            "sharp rise",
            "level step",
            "level",
            "level before",
            "high bands' change",
            "low bands' long change",
            "bands that rose",
            "bands' fall",
            "flux against its rivals",
        )
    )
)  # levels in tens of dB so that all are of order one
CANDIDATES = Layout((*RISES.groups, ("spectra", MOMENTS.size * (BAND_EDGES_HZ.size - 1))))


@dataclass(frozen=True, slots=True)
class Candidates:
    """Possible onsets: seconds from the take's start, increasing; `log_odds` of being a hit,
    natural, from the sound alone; `added_db`, how loud what sets in there is by itself, against the
    take's loud moments. Each of shape (n,).
    """

    times_s: Array
    log_odds: Array
    added_db: Array

    def where(self, mask: NDArray[np.bool_]) -> "Candidates":
        """The candidates that a boolean mask selects."""
        return Candidates(self.times_s[mask], self.log_odds[mask], self.added_db[mask])


NO_CANDIDATES = Candidates(np.zeros(0), np.zeros(0), np.zeros(0))


def find_candidates(envelope: Envelope, bands: Bands, ear: Ear) -> Candidates:
    """Every rise that could be a hit at all; choosing among them is the matcher's work. Empty for a
    flat take.
    """
    times_s, measures = _rises(envelope, bands)
    if not times_s.size:
        return NO_CANDIDATES
    odds = np.concatenate(
        [
            ear.onsets.outputs(
                _with_surroundings(measures[k : k + WEIGHED], times_s[k : k + WEIGHED], bands)
            )[:, 0]
            for k in range(0, times_s.size, WEIGHED)
        ]
    )
    level_db = 10 * measures[:, RISES.column("level")]
    step_db = 10 * measures[:, RISES.column("level step")]
    added_db = level_db + 10 * np.log10(1 - 10 ** (-np.maximum(step_db, MIN_STEP_DB) / 10))
    return Candidates(times_s, odds, added_db).where(level_db > ear.decisions.too_quiet_db)


def likely(candidates: Candidates, decisions: Decisions) -> Candidates:
    """The candidates that could be a hit somewhere in the riff."""
    return candidates.where(candidates.log_odds > decisions.hopeless_log_odds)


def measure_candidates(envelope: Envelope, bands: Bands) -> tuple[Array, Matrix]:
    """Times of the candidates in seconds, shape (n,), and all that the network sees of them, shape
    (n, CANDIDATES.size).
    """
    times_s, measures = _rises(envelope, bands)
    return times_s, _with_surroundings(measures, times_s, bands)


def _with_surroundings(measures: Array, times_s: Array, bands: Bands) -> Matrix:
    """The measures, and the bands' levels at MOMENTS around each time against their mean there,
    tens of dB.
    """
    frames = np.round(times_s / HOP_S).astype(np.intp)[:, np.newaxis] + MOMENTS
    levels = bands.level_db[np.clip(frames, 0, bands.level_db.shape[0] - 1)] / np.float32(10)
    levels -= levels.mean(axis=(1, 2), keepdims=True)
    return np.concatenate(
        [measures.astype(np.float32), levels.reshape(times_s.size, MOMENTS.size * levels.shape[2])],
        axis=1,
    )


def _rises(envelope: Envelope, bands: Bands) -> tuple[Array, Array]:
    """Times of the candidates, shape (n,), and their measures, shape (n, RISES.size)."""
    strength = _onset_strength(bands)
    smooth = np.convolve(strength, np.array([0.25, 0.5, 0.25], np.float32), "same")
    frames = _peaks(smooth, NEAR)
    frames = frames[smooth[frames] >= MIN_DB]
    if not frames.size:
        return np.zeros(0), np.zeros((0, RISES.size))
    times, rises = _refine(envelope, np.asarray(frames * HOP_S + PLACE_S, dtype=np.float64))
    order = np.argsort(times, kind="stable")
    times, frames, rises = times[order], frames[order], rises[order]
    return times, _measures(times, frames, rises, smooth, bands, envelope)


def _onset_strength(bands: Bands) -> NDArray[np.float32]:
    """Mean rise of the log bands in dB against the loudest of SPAN frames around LAG before; one
    value a frame, nothing below zero.
    """
    level, near = bands.level_db, SPAN // 2
    out = np.zeros(level.shape[0], dtype=np.float32)
    for start in range(LAG, level.shape[0], BLOCK):
        end = min(start + BLOCK, level.shape[0])
        before = level[max(0, start - LAG - near) : end - LAG + near]
        skipped = near - min(near, start - LAG)
        before = np.concatenate([np.repeat(before[:1], skipped, axis=0), before])
        reference = np.maximum.reduce([before[k : k + end - start] for k in range(SPAN)])
        out[start:end] = np.maximum(level[start:end] - reference, 0).mean(axis=1)
    return out


def _peaks(curve: NDArray[np.float32], near: int) -> NDArray[np.intp]:
    """Frames that are the largest within `near` frames on both sides."""
    padded = np.pad(curve, near, constant_values=-1)
    highest = np.lib.stride_tricks.sliding_window_view(padded, 2 * near + 1).max(axis=1)
    return np.flatnonzero((curve >= highest) & (curve > 0))


def attack_near(envelope: Envelope, about_s: Array, *, reach_s: float) -> Array:
    """The sharpest relative rise within reach of each time, and there the foot of the attack;
    seconds. Shape (n,) as `about_s`.
    """
    return _refine(envelope, about_s, reach_s)[0]


def _refine(envelope: Envelope, about_s: Array, reach_s: float = REFINE_S) -> tuple[Array, Array]:
    """Moves rough times to the sharpest relative rise within reach; also gives that rise (natural
    log of the energy ratio).
    """
    after, before, reach = (int(t * WORK_RATE_HZ) for t in (0.0018, 0.006, reach_s))
    times, rises = np.array(about_s), np.zeros(about_s.size)
    prior = -0.5 * (np.arange(-reach, reach) / (PLACE_SPREAD_S * WORK_RATE_HZ)) ** 2
    floor = FLOOR_POWER + 1e-6 * envelope.mean_sharp
    around = np.arange(-reach - before, reach + after)
    for start in range(0, about_s.size, ROWS):
        centres = np.round(about_s[start : start + ROWS] * WORK_RATE_HZ).astype(int)
        centres = np.clip(
            centres, reach + before, max(reach + before, envelope.size - reach - after)
        )
        window = envelope.sharp[np.minimum(centres[:, np.newaxis] + around, envelope.size - 1)]
        energy = np.cumsum(np.square(window, dtype=np.float64), axis=1)
        energy = np.concatenate([np.zeros((energy.shape[0], 1)), energy], axis=1)
        here = energy[:, before : before + 2 * reach]
        loud = np.log(
            (energy[:, before + after : before + after + 2 * reach] - here) / after + floor
        )
        rise = loud - np.log((here - energy[:, : 2 * reach]) / before + floor)
        best = np.argmax(rise + 0.35 * loud + prior, axis=1)
        times[start : start + ROWS] = (
            _feet(envelope.sharp, centres - reach + best, after) / WORK_RATE_HZ
        )
        rises[start : start + ROWS] = rise[np.arange(best.size), best]
    return times, rises


def _feet(sharp: Samples, best: NDArray[np.intp], after: int) -> Array:
    """The first sample of each attack: where the envelope passes a tenth of its next peak, coming
    from the quiet before.
    """

    def window(low: int, high: int) -> Samples:
        return np.asarray(
            sharp[np.clip(best[:, np.newaxis] + np.arange(low, high), 0, sharp.size - 1)]
        )

    peak = window(0, 3 * after).max(axis=1)
    quiet = np.sqrt(np.mean(np.square(window(-4 * after, -(after // 2))), axis=1))
    level = np.maximum(
        quiet + 0.1 * np.maximum(0.0, peak - quiet), np.where(peak > 5 * quiet, 2.5 * quiet, 0.0)
    )
    over = window(-after, 3 * after) > level[:, np.newaxis]
    first = np.argmax(over, axis=1)
    return np.where(over.any(axis=1), best - after + first, best).astype(np.float64)


def _measures(
    times: Array,
    frames: NDArray[np.intp],
    rises: Array,
    strength: NDArray[np.float32],
    bands: Bands,
    envelope: Envelope,
) -> Array:
    """The measures of RISES, shape (n, RISES.size)."""
    level = bands.level_db
    now = np.minimum(frames + 2, level.shape[0] - 1)
    change = level[now] - level[np.maximum(frames - LAG - 1, 0)]
    high, low = BAND_EDGES_HZ[:-1] > 2500, BAND_EDGES_HZ[:-1] < 450
    long_change = (
        level[np.minimum(frames + 7, level.shape[0] - 1)] - level[np.maximum(frames - 10, 0)]
    )
    grid = np.arange(0, envelope.size / WORK_RATE_HZ, 0.02)
    loud_db = np.percentile(envelope.level_db(envelope.energy, grid, grid + 0.02), 95)
    after = envelope.level_db(envelope.energy, times, times + 0.012)
    before = envelope.level_db(envelope.energy, times - 0.012, times - 0.001)
    sharp = envelope.level_db(envelope.sharp_energy, times, times + 0.006) - envelope.level_db(
        envelope.sharp_energy, times - 0.008, times - 0.001
    )
    strengths = strength[frames].astype(np.float64)
    rival = np.zeros(times.size)
    for k in (1, 2, 3, 4):  # candidates are 16 ms apart or more before they are refined
        near = times[k:] - times[:-k] < 0.045
        rival[k:] = np.maximum(rival[k:], np.where(near, strengths[:-k], 0.0))
        rival[:-k] = np.maximum(rival[:-k], np.where(near, strengths[k:], 0.0))
    columns = {
        "flux": np.log(strengths),
        "rise": rises / 3,
        "sharp rise": sharp / 10,
        "level step": (after - before) / 10,
        "level": (after - loud_db) / 10,
        "level before": (before - loud_db) / 10,
        "high bands' change": change[:, high].mean(axis=1) / 10,
        "low bands' long change": long_change[:, low].mean(axis=1) / 10,
        "bands that rose": (change > 3).mean(axis=1),
        "bands' fall": np.minimum(change, 0).mean(axis=1) / 10,
        "flux against its rivals": np.log((strengths + 0.2) / (rival + 0.2)),
    }
    parts = {name: np.asarray(c, dtype=np.float64)[:, np.newaxis] for name, c in columns.items()}
    return np.asarray(RISES.join(parts))

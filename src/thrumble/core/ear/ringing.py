"""How loud each hit is, how long it rang, and what ended it.

The ring ends where the hit's own level has fallen 20 dB under its peak for good, or where the next onset cuts it (then it is not measured
beyond that: it is censored). An end is a stop if the last of the fall was steep, a decay if it was slow.
"""

from dataclasses import dataclass

import numpy as np

from thrumble.core.ear.conditioning import WORK_RATE_HZ
from thrumble.core.ear.envelope import Envelope
from thrumble.core.ear.network import Array
from thrumble.core.ear.spectrum import HOP_S, Bands, grouped_power
from thrumble.core.signal import Samples

FALL_DB = 20.0
STAY_FRAMES = 8  # 16 ms under the line, so that a beating chord does not count as ended
LEVEL_S = 0.060
STEEP_DB_PER_S = 250.0  # a hand on the strings falls faster than this, a free or palm-muted string slower
ROOM_S = 0.012  # what the analysis window adds to a sharp end
NEXT_GUARD_S = 0.014
REST_FROM_S, REST_LEAST_S = 0.03, 0.03


@dataclass(frozen=True, slots=True)
class Ring:
    """`ring_s` from the onset; None where the hit never stood 20 dB above the noise. `end`: stop, next, decay or end (of the take).
    `stopped_s`: from the onset to the foot of the final fall, None unless it stopped."""

    ring_s: float | None
    end: str | None
    stopped_s: float | None


def hit_levels_db(samples: Samples, onsets_s: Array, slots_s: Array, gain_db: float) -> Array:
    """RMS of the first 60 ms of each hit, or of its slot if that is shorter, in dBFS of the file."""
    out = np.empty(onsets_s.size)
    for k, (onset, slot) in enumerate(zip(onsets_s, slots_s, strict=True)):
        begin = int(onset * WORK_RATE_HZ)
        piece = samples[begin : begin + max(32, int(min(LEVEL_S, slot) * WORK_RATE_HZ))]
        out[k] = 10 * np.log10(np.mean(np.square(piece, dtype=np.float64)) + 1e-20) + gain_db if piece.size else -200.0
    return out


def rest_levels_db(envelope: Envelope, onset_s: float, begin_s: float, end_s: float) -> float | None:
    """Level of the rest from `begin_s`, where silence is written, to `end_s`, the next onset, against the hit's own first 60 ms; None where the
    rest is too short to hear."""
    first, last = begin_s + REST_FROM_S, end_s - NEXT_GUARD_S
    if last - first < REST_LEAST_S or begin_s <= onset_s:
        return None
    spans = envelope.level_db(envelope.energy, np.array([onset_s, first]), np.array([min(onset_s + LEVEL_S, begin_s), last]))
    return float(spans[1] - spans[0])


def measure_rings(bands: Bands, onsets_s: Array, nexts_s: Array, *, take_end_s: float) -> list[Ring]:
    """The ring of every hit up to the next onset (`nexts_s`; infinite for the last)."""
    power = grouped_power(bands, [np.ones(bands.level_db.shape[1], dtype=bool)])[:, 0]
    level = 10 * np.log10(power + 1e-12)
    quiet = float(np.percentile(level, 2))
    return [_ring(level, quiet, onset, following, take_end_s) for onset, following in zip(onsets_s, nexts_s, strict=True)]


def _ring(level: Array, quiet_db: float, onset_s: float, next_s: float, take_end_s: float) -> Ring:
    first = round(onset_s / HOP_S)
    cut = min(next_s - NEXT_GUARD_S, take_end_s)
    last = min(level.size, round(cut / HOP_S))
    piece = level[first:last]
    if piece.size < 10:
        return Ring(max(0.0, cut - onset_s), "next" if next_s < take_end_s else "end", None)
    top = float(piece[:30].max())
    line = top - FALL_DB
    if quiet_db > line - 3:
        return Ring(None, None, None)
    under = piece < line
    runs = np.convolve(under, np.ones(STAY_FRAMES), "valid") == STAY_FRAMES
    at = int(np.argmax(runs)) if runs.any() else -1
    if at < 0:
        tail = int(np.argmax(~under[::-1]))
        if next_s < take_end_s and tail < 3:
            return Ring(next_s - onset_s, "next", None)
        at = piece.size - tail
        if next_s >= take_end_s and tail < 3:
            return Ring(take_end_s - onset_s, "end", None)
    foot = _foot(piece, at)
    steep = (piece[foot] - piece[min(at, piece.size - 1)]) / max(HOP_S, (at - foot) * HOP_S)
    stopped = steep > STEEP_DB_PER_S
    return Ring(max(0.0, at * HOP_S - (ROOM_S if stopped else 0.0)), "stop" if stopped else "decay", foot * HOP_S if stopped else None)


def _foot(piece: Array, at: int) -> int:
    """Where the last fall began: back from the end for as long as the level rises by half a dB a frame or more."""
    k = min(at, piece.size - 1)
    while k > 4 and piece[k - 4] - piece[k] > 2.0:
        k -= 1
    return k

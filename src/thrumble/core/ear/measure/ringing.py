"""How loud each hit is, how long it rang, and what ended it.

The ring ends where the hit's own level has fallen 20 dB under its peak for good, or where the next
onset cuts it (then it is not measured
beyond that: it is censored). It was stopped if somewhere the level fell far faster than the string
had by itself, and stayed down: there the hand
fell. What a room or a gate does after that moment changes nothing about it.
"""

from dataclasses import dataclass

import numpy as np

from thrumble.core.ear.front.conditioning import WORK_RATE_HZ
from thrumble.core.ear.front.envelope import Envelope
from thrumble.core.ear.front.spectrum import HOP_S, Bands, grouped_power
from thrumble.core.ear.model.network import Array
from thrumble.core.signal import Samples

FALL_DB = 20.0
STAY_FRAMES = 8  # 16 ms under the line, so that a beating chord does not count as ended
LEVEL_S = 0.060
LAP = 11  # frames, 22 ms: over so long a hand's fall is looked for
SETTLED = 14  # frames: an attack's own fall is over
HAND_DB = 6.0  # a hand makes the level fall by so much more than before, within a lap
STAYS_DB = 4.0  # and it never comes back so near
CLEAR_DB = 10.0  # what stands less over the floor cannot be seen to end
HUM_FRAMES = 20
ROOM_S = 0.012  # what the analysis window adds to a sharp end
NEXT_GUARD_S = 0.014
REST_FROM_S, REST_LEAST_S = 0.03, 0.03


@dataclass(frozen=True, slots=True)
class Ring:
    """`ring_s` from the onset; None if the hit never stood 20 dB above the noise. `end`: stop,
    next, decay or end (of the take).
    `stopped_s`: from the onset to the foot of the final fall, None unless it stopped."""

    ring_s: float | None
    end: str | None
    stopped_s: float | None


def hit_levels_db(samples: Samples, onsets_s: Array, slots_s: Array, gain_db: float) -> Array:
    """RMS of the first 60 ms of each hit, or of its slot if that is shorter, in dBFS of the file.
    `onsets_s`, `slots_s` and the answer of shape (hits,).
    """
    out = np.empty(onsets_s.size)
    for k, (onset, slot) in enumerate(zip(onsets_s, slots_s, strict=True)):
        begin = int(onset * WORK_RATE_HZ)
        piece = samples[begin : begin + max(32, int(min(LEVEL_S, slot) * WORK_RATE_HZ))]
        out[k] = (
            10 * np.log10(np.mean(np.square(piece, dtype=np.float64)) + 1e-20) + gain_db
            if piece.size
            else -200.0
        )
    return out


def rest_levels_db(
    envelope: Envelope, onset_s: float, begin_s: float, end_s: float
) -> float | None:
    """Level of the rest from `begin_s`, where silence is written, to `end_s`, the next onset,
    against the hit's own first 60 ms; None if the
    rest is too short to hear."""
    first, last = begin_s + REST_FROM_S, end_s - NEXT_GUARD_S
    if last - first < REST_LEAST_S or begin_s <= onset_s:
        return None
    spans = envelope.level_db(
        envelope.energy,
        np.array([onset_s, first]),
        np.array([min(onset_s + LEVEL_S, begin_s), last]),
    )
    return float(spans[1] - spans[0])


def measure_rings(
    bands: Bands, onsets_s: Array, nexts_s: Array, *, take_end_s: float
) -> list[Ring]:
    """The ring of every hit up to the next onset (`nexts_s`; infinite for the last). Both of shape
    (hits,), file times in seconds; no hits give no rings.
    """
    power = grouped_power(bands, [np.ones(bands.level_db.shape[1], dtype=bool)])[:, 0]
    level = 10 * np.log10(power + 1e-12)
    hum_free = np.convolve(
        power, np.ones(HUM_FRAMES) / HUM_FRAMES, "same"
    )  # a window over a period of hum and more
    floor = 10 * float(np.log10(np.percentile(hum_free, 2) + 1e-12))
    smooth = np.convolve(np.pad(level, 2, mode="edge"), np.ones(5) / 5, "valid")
    return [
        _ring(level, smooth, floor, onset, following, take_end_s)
        for onset, following in zip(onsets_s, nexts_s, strict=True)
    ]


def _ring(
    level: Array, smooth: Array, floor_db: float, onset_s: float, next_s: float, take_end_s: float
) -> Ring:
    first = round(onset_s / HOP_S)
    cut = min(next_s - NEXT_GUARD_S, take_end_s)
    piece = level[first : min(level.size, round(cut / HOP_S))]
    censored = "next" if next_s < take_end_s else "end"
    if piece.size < 10:
        return Ring(max(0.0, cut - onset_s), censored, None)
    top = float(piece[:30].max())
    if top - floor_db < CLEAR_DB:
        return Ring(None, None, None)
    under = piece < max(top - FALL_DB, floor_db + 3)
    runs = np.convolve(under, np.ones(STAY_FRAMES), "valid") == STAY_FRAMES
    at = int(np.argmax(runs)) if runs.any() else piece.size
    foot = _hand(smooth[first : first + piece.size], floor_db)
    if foot is not None and foot <= at:
        ended = at if at < piece.size else foot
        return Ring(
            max(0.0, ended * HOP_S - (ROOM_S if at < piece.size else 0.0)), "stop", foot * HOP_S
        )
    if at < piece.size:
        return Ring(at * HOP_S, "decay", None)
    return Ring(min(next_s, take_end_s) - onset_s, censored, None)


def _hand(smooth: Array, floor_db: float) -> int | None:
    """The frame at which a hand fell on the strings: the largest fall beyond what the string does
    by itself, if it lasts; None without one.
    """
    if smooth.size < 3 * LAP:
        return None
    k = np.arange(SETTLED, smooth.size - LAP)
    before = np.maximum(0.0, smooth[np.maximum(k - 2 * LAP, 2)] - smooth[k - LAP // 3])
    excess = smooth[k - LAP // 3] - smooth[k + LAP - LAP // 3] - before
    place = int(np.argmax(excess))
    if excess[place] < HAND_DB:
        return None
    middle = int(k[place])
    held = float(smooth[max(0, middle - LAP) : middle].max())
    came_back = float(smooth[middle + LAP - 3 :].max(initial=-200.0)) > held - STAYS_DB
    if held - floor_db < CLEAR_DB or came_back:
        return None
    over = np.flatnonzero(smooth[: middle + LAP // 2] >= held - 1.5)
    return int(over[-1]) if over.size else middle

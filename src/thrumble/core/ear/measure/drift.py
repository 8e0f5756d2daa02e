"""What changes along a take, and where it begins: the tempo drifts, the spread grows, the level
falls, as with a tiring hand.

Each is a line that lies flat and then bends (a hinge). The bend is set where it explains most; it
counts only if so good a bend would come
about by chance in fewer than one take in a hundred (an F test, its line raised for the choice of
the place; checked on steady takes).
"""

import numpy as np

from thrumble.core.ear.model.network import Array
from thrumble.core.ear.reading import Change, ChangeKind, HitReading
from thrumble.core.riff.expand import DueHit

MIN_HITS = 32
JOINTS = 24
SURE_F = 15.0
MIN_BPM, MIN_SPREAD_MS, MIN_DB = 0.5, 3.0, 1.5  # smaller changes are not worth a word
SMOOTH = 8  # hits: each one's absolute deviation is taken from the middle of so many on either side


def find_drift(played: list[tuple[HitReading, DueHit]], tempo_bpm: float) -> list[Change]:
    """The changes of a take's played hits, in order of time; empty for a steady or short take."""
    if len(played) < MIN_HITS:
        return []
    at = np.array([hit.expected_s for hit, _ in played])
    late = np.array([hit.deviation_ms for hit, _ in played], dtype=float) / 1000
    changes = [_tempo(at, late, tempo_bpm), _spread(at, late), _level(at, played)]
    out = []
    for kind, change in zip(ChangeKind, changes, strict=True):
        if change is not None:
            place, amount = change
            hit = played[int(np.argmin(np.abs(at - place)))][0]
            out.append(
                (place, Change(kind=kind, bar=hit.bar, round=hit.round, amount=round(amount, 1)))
            )
    return [change for _, change in sorted(out, key=lambda pair: pair[0])]


def _tempo(at: Array, late: Array, tempo_bpm: float) -> tuple[float, float] | None:
    """A lateness that begins to grow or shrink steadily: the tempo has moved by so many bpm. A
    hinge over a steady lean, which is none.
    """
    bend = hinge(at, late)
    if bend is None:
        return None
    place, slope = bend
    bpm = -slope * tempo_bpm
    return (place, bpm) if abs(bpm) >= MIN_BPM else None


def _spread(at: Array, late: Array) -> tuple[float, float] | None:
    away = np.abs(late - _running_middle(late))
    bend = hinge(at, np.log(away + 0.002))
    if bend is None or bend[1] <= 0:
        return None
    before, after = away[at < bend[0]], away[at >= bend[0] + 0.6 * (at[-1] - bend[0])]
    if before.size < SMOOTH or after.size < SMOOTH:
        return None
    grown = 1.4826 * 1000 * float(np.median(after) - np.median(before))
    return (bend[0], grown) if grown >= MIN_SPREAD_MS else None


def _level(at: Array, played: list[tuple[HitReading, DueHit]]) -> tuple[float, float] | None:
    """Hits are compared within their kind, number of strings and accent."""
    levels = np.array(
        [np.nan if hit.relative_level_db is None else hit.relative_level_db for hit, _ in played]
    )
    kinds = np.array(
        [f"{hit.heard_articulation} {len(due.hit.notes)} {due.hit.accent}" for hit, due in played]
    )
    if np.isnan(levels).any():
        return None
    for kind in set(kinds.tolist()):
        levels[kinds == kind] -= np.median(levels[kinds == kind])
    plausible = np.abs(levels) < 12
    bend = hinge(at[plausible], levels[plausible]) if plausible.sum() >= MIN_HITS else None
    if bend is None:
        return None
    fallen = bend[1] * float(at[-1] - bend[0])
    return (bend[0], fallen) if fallen <= -MIN_DB else None


def _running_middle(values: Array) -> Array:
    padded = np.pad(values, SMOOTH, mode="reflect")
    return np.asarray(
        np.median(np.lib.stride_tricks.sliding_window_view(padded, 2 * SMOOTH + 1), axis=1)
    )


def hinge(x: Array, y: Array) -> tuple[float, float] | None:
    """Where `y` leaves its level, and its slope from there; None if a level explains it as well.
    Needs x increasing. Both of shape (n,).
    """
    level = y - y.mean()
    flat = float(level @ level)
    best = (0.0, 0.0, 0.0)
    for place in np.linspace(x[0], x[0] + 0.75 * (x[-1] - x[0]), JOINTS):
        ramp = np.maximum(0.0, x - place)
        ramp = ramp - ramp.mean()
        power = float(ramp @ ramp)
        slope = float(ramp @ level) / power
        best = max(best, (slope * slope * power, float(place), slope))
    gained, place, slope = best
    left = max(1e-12, (flat - gained) / (x.size - 3))
    ramp = np.maximum(0.0, x - place)
    rest = level - slope * (ramp - ramp.mean())
    follows = float(
        np.clip(rest[1:] @ rest[:-1] / max(1e-12, rest @ rest), 0.0, 0.9)
    )  # hits that lean on the one before tell less
    return (place, slope) if gained / left >= SURE_F * (1 + follows) / (1 - follows) else None

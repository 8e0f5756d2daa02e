"""Mute ramps as they were played: whether the palm went from one depth to the other as written,
and how much louder it got, from a line through the depths that were heard.
"""

import numpy as np

from thrumble.core.chance import t_two_sided_95
from thrumble.core.ear.model.network import Array
from thrumble.core.ear.reading import HitReading, HitState, RampReading
from thrumble.core.riff.expand import DueHit
from thrumble.core.riff.ramps import ramp_runs

MIN_HITS = 4  # fewer say nothing about a slope
ENOUGH = 1 / 3  # of the written change: less is no ramp, more is one
TOO_FEW = "too few of its hits were heard as palm mutes"
TOO_UNEVEN = "the mutes go up and down too much to tell"


def measure_ramps(hits: list[HitReading], due: list[tuple[DueHit, int]]) -> list[RampReading]:
    """Every ramp of every round, in order; `due` runs beside `hits`."""
    return [
        _measured([hits[k] for k in run], [due[k][0] for k in run])
        for run in ramp_runs(due_hit.hit for due_hit, _ in due)
    ]


def _measured(hits: list[HitReading], due: list[DueHit]) -> RampReading:
    first, last = hits[0], hits[-1]
    written = [float(due_hit.hit.depth or 0) for due_hit in due]
    place = np.linspace(0, 1, len(hits))
    measured = [
        (at, hit.mute_depth)
        for at, hit in zip(place, hits, strict=True)
        if hit.state is HitState.PLAYED and hit.mute_depth is not None
    ]
    levels = [
        (at, hit.level_db)
        for at, hit in zip(place, hits, strict=True)
        if hit.state is HitState.PLAYED and hit.level_db is not None
    ]
    rise = round(_slope(levels), 1) if len(levels) > 2 else None
    fields: dict[str, object] = {
        "first_index": first.index,
        "last_index": last.index,
        "round": first.round,
        "section": first.section,
        "bar": first.bar,
        "at": first.at,
        "written": (written[0], written[-1]),
        "rise_db": rise,
    }
    if len(measured) < MIN_HITS:
        return RampReading(**fields, kept=None, why=TOO_FEW)  # type: ignore[arg-type]
    at, depth = np.array(measured, dtype=float).T
    line, reach = _line(at, depth)
    change = written[-1] - written[0]
    slope = float(line[0]) * (1 if change > 0 else -1)
    ramp_change = None
    if slope - reach > ENOUGH * abs(change):
        ramp_change = True
    elif slope + reach < ENOUGH * abs(change):
        ramp_change = False
    return RampReading(
        **fields,  # type: ignore[arg-type]
        heard=(round(float(line[1]), 2), round(float(line[0] + line[1]), 2)),
        kept=ramp_change,
        why=TOO_UNEVEN if ramp_change is None else None,
    )


def _slope(placed: list[tuple[float, float]]) -> float:
    at, value = np.array(placed, dtype=float).T
    return float(np.polyfit(at, value, 1)[0])


def _line(at: Array, depth: Array) -> tuple[Array, float]:
    """Slope and start of the line through the depths, and the reach of the slope's 95 % interval.
    Shapes (n,), n of 4 or more.
    """
    line = np.polyfit(at, depth, 1)
    residual = depth - np.polyval(line, at)
    freedom = at.size - 2
    spread = np.sqrt(np.sum(residual**2) / freedom / np.sum((at - at.mean()) ** 2))
    return line, float(t_two_sided_95(freedom) * spread)

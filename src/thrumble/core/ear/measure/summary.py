"""A take in figures: bias, spread, drift, swing, articulation, level. Every figure over what was
measured; None if too little was.
"""

from collections.abc import Callable

import numpy as np

from thrumble.core.ear.measure.drift import find_drift
from thrumble.core.ear.measure.swing import measure_swing
from thrumble.core.ear.model.network import Array
from thrumble.core.ear.reading import ExtraOnset, HeardKind, HitReading, HitState, Summary
from thrumble.core.riff.expand import DueHit, ExpandedRiff
from thrumble.core.riff.model import Stroke

MIN_HITS = 4
MIN_FOR_DRIFT = 16


def robust_spread(values: Array) -> float:
    """1.4826 times the median absolute deviation from the median. Values of shape (n,), at least
    one.
    """
    return float(1.4826 * np.median(np.abs(values - np.median(values))))


def summarise(
    hits: list[HitReading],
    extras: list[ExtraOnset],
    due: list[tuple[DueHit, int]],
    expanded: ExpandedRiff,
    *,
    bias_known: bool,
) -> Summary:
    """The summary of a take's hits; `due` runs beside `hits`."""
    played = [
        (hit, d) for hit, (d, _) in zip(hits, due, strict=True) if hit.state is HitState.PLAYED
    ]
    deviations = np.array([hit.deviation_ms for hit, _ in played], dtype=float)
    levels = np.array(
        [hit.relative_level_db for hit, _ in played if hit.relative_level_db is not None],
        dtype=float,
    )
    classified = [hit for hit, _ in played if hit.heard_articulation is not None]
    sure = [hit for hit in classified if hit.heard_articulation is not HeardKind.UNSURE]
    enough = deviations.size >= MIN_HITS
    swing, by_bar = measure_swing(hits, due, expanded)
    return Summary(
        matched=len(played),
        missed=sum(hit.state is HitState.MISSED for hit in hits),
        extra=len(extras),
        unsure=len(classified) - len(sure),
        bias_ms=round(float(np.median(deviations)), 2) if enough and bias_known else None,
        spread_ms=round(robust_spread(deviations), 2) if enough else None,
        drift_bpm_per_min=_drift(played, expanded.tempo_bpm),
        swing_ratio=swing.ratio if swing else None,
        swing_interval=swing.interval if swing else None,
        swing_bars=by_bar,
        articulation_correct=round(
            sum(h.heard_articulation == h.expected_articulation.value for h in sure) / len(sure), 4
        )
        if sure
        else None,
        level_spread_db=round(robust_spread(levels), 2) if levels.size >= MIN_HITS else None,
        accent_db=_contrast(played, lambda d: d.hit.accent),
        up_stroke_db=_contrast(played, lambda d: d.hit.stroke is Stroke.UP),
        changes=find_drift(played, expanded.tempo_bpm),
    )


def _drift(played: list[tuple[HitReading, DueHit]], tempo_bpm: float) -> float | None:
    """Change of tempo along the take, bpm a minute: twice the curvature of the deviations."""
    if len(played) < MIN_FOR_DRIFT:
        return None
    at = np.array([hit.expected_s for hit, _ in played])
    late = np.array([hit.deviation_ms for hit, _ in played], dtype=float) / 1000
    if at[-1] - at[0] < 8:
        return None
    keep = np.abs(late - np.median(late)) < 4 * max(0.005, robust_spread(late))
    curve = np.polyfit(at[keep] - at[0], late[keep], 2)[0]
    return round(float(-2 * curve * tempo_bpm * 60), 2)


def _contrast(
    played: list[tuple[HitReading, DueHit]], marked: Callable[[DueHit], bool]
) -> float | None:
    """By how many dB the marked hits stand over the others of the same articulation, number of
    strings and accent or stroke.
    """
    groups: dict[tuple[str | int | bool, ...], tuple[list[float], list[float]]] = {}
    for hit, due in played:
        if hit.relative_level_db is not None and hit.heard_articulation is not None:
            also = (
                due.hit.accent + (due.hit.stroke is Stroke.UP) - marked(due)
            )  # whether the hit bears the other of the two marks as well
            key = (hit.heard_articulation.value, min(2, len(due.hit.notes)), also)
            groups.setdefault(key, ([], []))[marked(due)].append(hit.relative_level_db)
    steps = [
        (float(np.median(loud) - np.median(plain)), len(loud))
        for plain, loud in groups.values()
        if len(plain) >= 3 and len(loud) >= 3
    ]
    return (
        round(sum(step * n for step, n in steps) / sum(n for _, n in steps), 2) if steps else None
    )

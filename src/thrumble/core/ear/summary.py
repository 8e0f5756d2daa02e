"""A take in figures: bias, spread, drift, swing, articulation, level. Every figure over what was measured; None where too little was."""

from collections.abc import Sequence
from fractions import Fraction

import numpy as np

from thrumble.core.ear.network import Array
from thrumble.core.ear.reading import ExtraOnset, HitReading, HitState, Summary, Verdict
from thrumble.core.music.feel import Feel
from thrumble.core.riff.expand import DueHit, ExpandedRiff

LEAST_HITS = 4
LEAST_FOR_DRIFT = 16
LEAST_PAIRS = 4


def robust_spread(values: Array) -> float:
    """1.4826 times the median absolute deviation from the median."""
    return float(1.4826 * np.median(np.abs(values - np.median(values))))


def summarise(
    hits: list[HitReading], extras: list[ExtraOnset], due: list[tuple[DueHit, int]], expanded: ExpandedRiff, *, bias_known: bool
) -> Summary:
    """The summary of a take's hits; `due` runs beside `hits`."""
    played = [(hit, d) for hit, (d, _) in zip(hits, due, strict=True) if hit.state is HitState.PLAYED]
    deviations = np.array([hit.deviation_ms for hit, _ in played], dtype=float)
    levels = np.array([hit.relative_level_db for hit, _ in played if hit.relative_level_db is not None], dtype=float)
    sure = [hit for hit, _ in played if hit.heard_articulation is not Verdict.UNSURE]
    enough = deviations.size >= LEAST_HITS
    swing = _swing(hits, due, expanded)
    return Summary(
        matched=len(played),
        missed=sum(hit.state is HitState.MISSED for hit in hits),
        extra=len(extras),
        unsure=len(played) - len(sure),
        bias_ms=round(float(np.median(deviations)), 2) if enough and bias_known else None,
        spread_ms=round(robust_spread(deviations), 2) if enough else None,
        drift_bpm_per_min=_drift(played, expanded.tempo_bpm),
        swing_ratio=swing[0] if swing else None,
        swing_interval=swing[1] if swing else None,
        articulation_correct=round(sum(h.heard_articulation == h.expected_articulation.value for h in sure) / len(sure), 4)
        if sure
        else None,
        level_spread_db=round(robust_spread(levels), 2) if levels.size >= LEAST_HITS else None,
        accent_db=_accent(played),
    )


def _drift(played: list[tuple[HitReading, DueHit]], tempo_bpm: float) -> float | None:
    """Change of tempo along the take, bpm a minute: twice the curvature of the deviations."""
    if len(played) < LEAST_FOR_DRIFT:
        return None
    at = np.array([hit.expected_s for hit, _ in played])
    late = np.array([hit.deviation_ms for hit, _ in played], dtype=float) / 1000
    if at[-1] - at[0] < 8:
        return None
    keep = np.abs(late - np.median(late)) < 4 * max(0.005, robust_spread(late))
    curve = np.polyfit(at[keep] - at[0], late[keep], 2)[0]
    return round(float(-2 * curve * tempo_bpm * 60), 2)


def _accent(played: list[tuple[HitReading, DueHit]]) -> float | None:
    """By how many dB accented hits stand out over unaccented ones of the same articulation and number of strings."""
    groups: dict[tuple[str, int], tuple[list[float], list[float]]] = {}
    for hit, due in played:
        if hit.relative_level_db is not None:
            key = (hit.expected_articulation.value, min(2, len(due.hit.notes)))
            groups.setdefault(key, ([], []))[due.hit.accent].append(hit.relative_level_db)
    steps = [
        (float(np.median(loud) - np.median(plain)), len(loud)) for plain, loud in groups.values() if len(plain) >= 3 and len(loud) >= 3
    ]
    return round(sum(step * n for step, n in steps) / sum(n for _, n in steps), 2) if steps else None


def _feel_of(due: DueHit, expanded: ExpandedRiff) -> Feel:
    section = next((s for s in expanded.riff.sections if s.name == due.identity.section), None)
    return section.feel if section and section.feel else expanded.riff.feel


def _swing(hits: Sequence[HitReading], due: list[tuple[DueHit, int]], expanded: ExpandedRiff) -> tuple[float, tuple[float, float]] | None:
    """The long-to-short ratio of the pairs that were wholly played (both halves and the next pair's start), and its 95 % interval.

    The ratio is that of the mean long part to the mean short part; the interval comes from their scatter (delta method).
    """
    longs, shorts = [], []
    for k in range(len(hits) - 2):
        (first, number), feel = due[k], _feel_of(due[k][0], expanded)
        if feel.ratio is None:
            continue
        trio = [hits[k].onset_s, hits[k + 1].onset_s, hits[k + 2].onset_s]
        written = (
            first.hit.at % (2 * feel.unit) == 0,
            due[k + 1][0].hit.at - first.hit.at == feel.unit,
            _follows(first, due[k + 2][0], feel.unit, expanded),
        )
        if all(written) and due[k + 2][1] == number and trio[0] is not None and trio[1] is not None and trio[2] is not None:
            longs.append(trio[1] - trio[0])
            shorts.append(trio[2] - trio[1])
    if len(longs) < LEAST_PAIRS:
        return None
    long, short = np.array(longs), np.array(shorts)
    ratio = float(long.mean() / short.mean())
    residual = (long - ratio * short) / short.mean()
    error = float(residual.std(ddof=1) / np.sqrt(long.size))
    reach = _student(long.size - 1) * error
    return round(ratio, 3), (round(ratio - reach, 3), round(ratio + reach, 3))


def _follows(first: DueHit, third: DueHit, unit: Fraction, expanded: ExpandedRiff) -> bool:
    """Whether the third hit stands one whole pair after the first, across the bar line too."""
    if third.bar == first.bar:
        return third.hit.at - first.hit.at == 2 * unit
    length = next(bar.meter.length for bar in expanded.bars if bar.number == first.bar)
    return third.bar == first.bar + 1 and third.hit.at == 0 and first.hit.at + 2 * unit == length


def _student(freedom: int) -> float:
    """97.5 % point of Student's t, by the Cornish-Fisher expansion (within 0.5 % from 3 degrees of freedom)."""
    z = 1.959964
    g1 = (z**3 + z) / 4
    g2 = (5 * z**5 + 16 * z**3 + 3 * z) / 96
    g3 = (3 * z**7 + 19 * z**5 + 17 * z**3 - 15 * z) / 384
    return z + g1 / freedom + g2 / freedom**2 + g3 / freedom**3

"""The swing that was heard: the ratio of the long to the short part of swung pairs, with an
interval, in the whole take and bar by bar.

The ratio is that of the mean long part to the mean short part. Its error comes from the scatter of
the pairs (delta method) with one
correction: neighbouring pairs share an onset, whose own error enters both with the same sign, so
that their sum scatters by more than
independent pairs would.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction

import numpy as np

from thrumble.core.chance import t_two_sided_95
from thrumble.core.ear.reading import HitReading, SwingBar
from thrumble.core.music.feel import Feel
from thrumble.core.riff.expand import DueHit, ExpandedRiff

MIN_PAIRS = 4
MIN_IN_BAR = 2


@dataclass(frozen=True, slots=True)
class Swing:
    """A ratio and its 95 % interval."""

    ratio: float
    interval: tuple[float, float]


@dataclass(frozen=True, slots=True)
class Pair:
    """A swung pair that was wholly played: the hit it begins with, its two parts, seconds."""

    index: int
    bar: int
    round: int
    long_s: float
    short_s: float
    begin_s: float
    end_s: float


def measure_swing(
    hits: list[HitReading], due: list[tuple[DueHit, int]], expanded: ExpandedRiff
) -> tuple[Swing | None, list[SwingBar]]:
    """The take's swing, None below four whole pairs; and that of every bar with two pairs or more,
    by the take's own scatter.
    """
    pairs = swung_pairs(hits, due, expanded)
    if len(pairs) < MIN_PAIRS:
        return None, []
    ratio = _ratio(pairs)
    scatter = _scatter_s(pairs, ratio)
    bars = []
    for number, bar in sorted({(p.round, p.bar) for p in pairs}):
        mine = [p for p in pairs if (p.round, p.bar) == (number, bar)]
        if len(mine) >= MIN_IN_BAR:
            measured_ratio = _ratio(mine)
            reach = t_two_sided_95(len(pairs) - 1) * _error(mine, measured_ratio, scatter)
            bars.append(
                SwingBar(
                    bar=bar,
                    round=number,
                    ratio=round(measured_ratio, 3),
                    interval=(round(measured_ratio - reach, 3), round(measured_ratio + reach, 3)),
                )
            )
    reach = t_two_sided_95(len(pairs) - 1) * _error(pairs, ratio, scatter)
    return Swing(round(ratio, 3), (round(ratio - reach, 3), round(ratio + reach, 3))), bars


def _ratio(pairs: list[Pair]) -> float:
    return sum(p.long_s for p in pairs) / sum(p.short_s for p in pairs)


def _scatter_s(pairs: list[Pair], ratio: float) -> float:
    """Standard deviation of one onset, from the pairs' residuals long - ratio * short, each of
    which mixes three onsets.
    """
    residual = np.array([p.long_s - ratio * p.short_s for p in pairs])
    return float(
        np.sqrt(np.sum(residual**2) / (residual.size - 1) / (1 + (1 + ratio) ** 2 + ratio**2))
    )


def _error(pairs: list[Pair], ratio: float, scatter_s: float) -> float:
    """Standard error of the ratio. In the sum of all residuals a pair's middle onset counts 1 + r
    times, its first once and its last r times,
    and one that is the last of a pair and the first of the next 1 + r times."""
    ends = {round(p.end_s, 4) for p in pairs}
    shared = sum(round(p.begin_s, 4) in ends for p in pairs)
    n = len(pairs)
    variance = (1 + ratio) ** 2 * (n + shared) + (1 + ratio**2) * (n - shared)
    return float(np.sqrt(variance)) * scatter_s / sum(p.short_s for p in pairs)


def swung_pairs(
    hits: Sequence[HitReading], due: Sequence[tuple[DueHit, int]], expanded: ExpandedRiff
) -> list[Pair]:
    """The pairs wholly played: both halves and the start of what follows. `due`: each hit's own,
    and its round.
    """
    out = []
    for k in range(len(hits) - 2):
        (first, number), feel = due[k], _feel_of(due[k][0], expanded)
        trio = [hits[k].onset_s, hits[k + 1].onset_s, hits[k + 2].onset_s]
        if feel.ratio is None or due[k + 2][1] != number or any(t is None for t in trio):
            continue
        swung = (
            first.hit.at % (2 * feel.unit) == 0 and due[k + 1][0].hit.at - first.hit.at == feel.unit
        )
        if swung and _follows(first, due[k + 2][0], feel.unit, expanded):
            a, b, c = (t for t in trio if t is not None)
            out.append(Pair(first.index, first.bar, number, b - a, c - b, a, c))
    return out


def _feel_of(due: DueHit, expanded: ExpandedRiff) -> Feel:
    section = next((s for s in expanded.riff.sections if s.name == due.identity.section), None)
    return section.feel if section and section.feel else expanded.riff.feel


def _follows(first: DueHit, third: DueHit, unit: Fraction, expanded: ExpandedRiff) -> bool:
    """Whether the third hit stands one whole pair after the first, across the bar line too."""
    if third.bar == first.bar:
        return third.hit.at - first.hit.at == 2 * unit
    length = next(bar.meter.length for bar in expanded.bars if bar.number == first.bar)
    return third.bar == first.bar + 1 and third.hit.at == 0 and first.hit.at + 2 * unit == length

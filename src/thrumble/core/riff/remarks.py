"""What looks like a slip in a riff that can be played all the same: a bar with a hit too many, or
more hits than anybody picks.
"""

from collections import defaultdict
from dataclasses import dataclass
from fractions import Fraction
from itertools import pairwise

from thrumble.core.riff.expand import DueHit, ExpandedRiff

USUAL_PARTS = frozenset({1, 2, 3, 4, 6, 8, 12, 16, 24})  # of a beat
MIN_GAP_S = 0.055  # 18 strokes a second: alternate sixteenths at 270 bpm
MAX_REMARKS = 4


@dataclass(frozen=True, slots=True)
class Remark:
    """A bar as it is counted along the play order, and what is odd about it."""

    bar: int
    words: str


def remarks_of(expanded: ExpandedRiff) -> list[Remark]:
    """The first odd bars of a riff, each written bar once, four at most; empty if none is."""
    hits: dict[int, list[DueHit]] = defaultdict(list)
    for due in expanded.hits:
        hits[due.bar].append(due)
    seen: set[tuple[str, int]] = set()
    remarks = []
    for bar in expanded.bars:
        written = (bar.section, bar.bar_in_section)
        if bar.number < 1 or written in seen:
            continue
        seen.add(written)
        words = _uneven(hits[bar.number], bar.meter.beat, str(bar.meter)) or _crowded(
            hits[bar.number], expanded.tempo_bpm
        )
        if words:
            remarks.append(Remark(bar.number, words))
    return remarks[:MAX_REMARKS]


def _uneven(hits: list[DueHit], beat: Fraction, meter: str) -> str:
    """A bar whose hits divide no beat in a usual way: mostly one hit too many or too few."""
    parts = {(due.hit.at / beat).denominator for due in hits}
    if parts <= USUAL_PARTS:
        return ""
    count = len(hits)
    return f"{count} hits don't divide {meter} evenly: check for one too many or too few"


def _crowded(hits: list[DueHit], tempo_bpm: float) -> str:
    gaps_s = [after.due_s - before.due_s for before, after in pairwise(hits)]
    quickest_s = min(gaps_s, default=1.0)
    if quickest_s >= MIN_GAP_S:
        return ""
    return (
        f"{1 / quickest_s:.0f} hits a second at {tempo_bpm:g} bpm is faster than anybody picks: "
        "check the length of its hits"
    )

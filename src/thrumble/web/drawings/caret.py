"""Where the caret may stand in a bar of the strip."""

from dataclasses import dataclass
from fractions import Fraction

from thrumble.core.music.feel import bar_feel
from thrumble.core.riff.expand import ExpandedRiff, PlayedBar
from thrumble.web.drawings.strip import bar_hits


@dataclass(frozen=True, slots=True)
class CaretPlace:
    """A place in a bar where the caret may stand: as written, and if it lies in the drawing, in
    hundredths of the bar's width.
    """

    at: Fraction
    x: float
    width: float
    what: str  # hit, or gap where none begins


def caret_places(expanded: ExpandedRiff, bar: PlayedBar, grid: Fraction) -> list[CaretPlace]:
    """The places of a bar on a grid, and those of its hits, in order; swung as they are played."""
    hits = [due.hit.at for due in bar_hits(expanded, bar) if due.bar == bar.number]
    length = bar.meter.length
    steps = {k * grid for k in range(int(length / grid) + 1) if k * grid < length}
    places = sorted(steps | set(hits))
    section_feel = next((s.feel for s in expanded.riff.sections if s.name == bar.section), None)
    feel = bar_feel(section_feel or expanded.riff.feel, length, hits)
    x = [float(feel.played(at) / length) * 100 for at in places] + [100.0]
    return [
        CaretPlace(at, round(begin, 3), round(end - begin, 3), "hit" if at in hits else "gap")
        for at, begin, end in zip(places, x, x[1:], strict=False)
    ]

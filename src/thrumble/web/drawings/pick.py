"""The pick's way under the strip: strings as lines, the lowest at the bottom, each stroke a heavy
line from where it starts to where it rests, the way through the air between them thin.
"""

from dataclasses import dataclass
from itertools import pairwise

from thrumble.core.neck.picking import PickPath, PickStroke
from thrumble.core.riff.expand import ExpandedRiff, PlayedBar
from thrumble.core.riff.model import Stroke
from thrumble.web.drawings.bars import WHOLE_PX

STRING_PX, TOP_PX, LEAN_PX = 9.0, 5.0, 6.0


@dataclass(frozen=True, slots=True)
class PickLine:
    """A stroke. `css`: down, up or fingers, and whether it is in trouble."""

    path: str
    css: str
    title: str


@dataclass(frozen=True, slots=True)
class PickBar:
    """One bar of the pick's way."""

    width: float
    height: float
    strings: list[float]
    strokes: list[PickLine]
    air: list[str]
    label: str


def pick_bar(expanded: ExpandedRiff, bar: PlayedBar, path: PickPath) -> PickBar:
    """The pick's way through one bar."""
    width = round(float(bar.meter.length) * WHOLE_PX, 1)
    strings = len(expanded.riff.tuning)
    troubled = {conflict.index: conflict.words for conflict in path.conflicts}
    placed = []
    for stroke in path.strokes:
        due = expanded.hits[stroke.index]
        if due.bar == bar.number:
            x = (due.due_s - bar.start_s) / (bar.end_s - bar.start_s) * width
            placed.append((round(x + 2, 1), stroke))
    lines = [_line(x, stroke, troubled.get(stroke.index, "")) for x, stroke in placed]
    air = [
        f"M{x + LEAN_PX} {_gap(stroke.rest)}L{y} {_gap(other.start)}"
        for (x, stroke), (y, other) in pairwise(placed)
    ]
    return PickBar(
        width=width,
        height=2 * TOP_PX + strings * STRING_PX,
        strings=[_gap(string) - STRING_PX / 2 for string in range(1, strings + 1)],
        strokes=lines,
        air=air,
        label=f"Pick path of bar {bar.number}: " + "; ".join(line.title for line in lines),
    )


def _gap(number: int) -> float:
    """Where a gap between strings lies; 0 is outside string 1."""
    return TOP_PX + number * STRING_PX


def _line(x: float, stroke: PickStroke, trouble: str) -> PickLine:
    strings = " ".join(map(str, stroke.passes))
    if stroke.stroke is Stroke.FINGERS:
        who = ", ".join(f"{name} on {string}" for string, name in stroke.plucked)
        marks = "".join(
            f"M{x} {_gap(string) - STRING_PX / 2:g}h{LEAN_PX}" for string in stroke.passes
        )
        return PickLine(marks, "fingers", who)
    down = stroke.stroke is Stroke.DOWN
    title = f"{'down' if down else 'up'} through {strings}" + (f". {trouble}" if trouble else "")
    css = ("down" if down else "up") + (" trouble" if trouble else "")
    path = f"M{x} {_gap(stroke.start)}L{x + LEAN_PX} {_gap(stroke.rest)}"
    return PickLine(path, css, title)

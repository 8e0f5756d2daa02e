"""Two sets of readings compared, as JSON, `thrumble.comparison/1`, and as CSV."""

import csv
import io
from typing import Any, Literal

from pydantic import Field

from thrumble.core.coach.comparing.comparison import Comparison, Difference
from thrumble.core.counting import counted
from thrumble.formats.document import Document, Interval, Number

DIGITS = 3
COLUMNS = ("name", "section", "bar", "at", "a", "b", "difference", "low", "high", "clear")


class SideJson(Document):
    """The takes that one side of a comparison was made of."""

    takes: int
    rounds: int = Field(description="whole passes")


class MeasureJson(Document):
    """One measure of both sides."""

    name: str = Field(description="such as spread_ms; a reader ignores unknown ones")
    a: Number | None
    b: Number | None
    difference: Number | None = Field(description="B minus A; null if not compared")
    interval: Interval | None = Field(description="95 %, adjusted for all comparisons")
    clear: bool = Field(description="the interval excludes 0")
    why: str = Field("", description="why it was not compared")


class HitDifferenceJson(Document):
    """One hit of the riff on both sides."""

    section: str
    bar: int
    at: str = Field(description="fraction of a whole note from the bar's start")
    name: Literal["late_ms"]
    difference: Number
    interval: Interval
    clear: bool


class ComparisonJson(Document):
    """Two sets of takes of one riff compared."""

    format: Literal["thrumble.comparison/1"]
    a: SideJson
    b: SideJson
    figures: list[MeasureJson]
    hits: list[HitDifferenceJson]
    cautions: list[str]


def comparison_document(comparison: Comparison, takes: tuple[int, int]) -> dict[str, Any]:
    """The document. `takes`: how many of A and B."""
    sides = [
        {"takes": count, "rounds": rounds}
        for count, rounds in zip(takes, comparison.rounds, strict=True)
    ]
    return ComparisonJson.checked(
        {
            "format": "thrumble.comparison/1",
            "a": sides[0],
            "b": sides[1],
            "figures": [_figure(difference) for difference in comparison.differences],
            "hits": [
                {
                    "section": place.section,
                    "bar": place.bar,
                    "at": place.at,
                    "name": "late_ms",
                    "difference": round(place.value, DIGITS),
                    "interval": [round(end, DIGITS) for end in place.interval],
                    "clear": place.clear,
                }
                for place in comparison.places
            ],
            "cautions": list(comparison.cautions),
        }
    )


def _figure(difference: Difference) -> dict[str, Any]:
    fields: dict[str, Any] = {
        "name": difference.metric.name,
        "a": _rounded(difference.a),
        "b": _rounded(difference.b),
        "difference": _rounded(difference.value),
        "interval": None
        if difference.interval is None
        else [round(e, DIGITS) for e in difference.interval],
        "clear": difference.clear,
    }
    return fields | {"why": difference.why} if difference.why else fields


def _rounded(value: float | None) -> float | None:
    return None if value is None else round(value, DIGITS)


def comparison_csv(comparison: Comparison) -> str:
    """A row a figure, then a row a place."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(COLUMNS)
    for difference in comparison.differences:
        low, high = difference.interval or (None, None)
        figures = [_rounded(v) for v in (difference.a, difference.b, difference.value, low, high)]
        writer.writerow([difference.metric.name, "", "", "", *figures, difference.clear])
    for place in comparison.places:
        figures = [_rounded(v) for v in (place.a_ms, place.b_ms, place.value, *place.interval)]
        writer.writerow(["late_ms", place.section, place.bar, place.at, *figures, place.clear])
    return out.getvalue()


def comparison_lines(comparison: Comparison) -> list[str]:
    """The comparison in a few lines of text: first what differs, then what doesn't."""
    out = [
        f"A: {counted(comparison.rounds[0], 'pass', 'passes')}, B: "
        f"{counted(comparison.rounds[1], 'pass', 'passes')}; "
        "95 % intervals, adjusted for all comparisons"
    ]
    for difference in comparison.differences:
        out.append(difference_line(difference))
    clear = [place for place in comparison.places if place.clear]
    if clear:
        worst = max(clear, key=lambda place: abs(place.value))
        out.append(
            f"the timing differs at {len(clear)} of "
            f"{counted(len(comparison.places), 'place')}; most at "
            f"bar {worst.bar} at {worst.at}: {worst.value:+.0f} ms"
        )
    elif comparison.places:
        places = counted(len(comparison.places), "place")
        out.append(f"no clear difference in timing at any of {places}")
    return out + [f"  ({words})" for words in comparison.cautions]


def difference_line(difference: Difference) -> str:
    """One figure in a line."""
    name = f"{difference.metric.words}:"
    if (
        difference.a is None
        or difference.b is None
        or difference.interval is None
        or difference.value is None
    ):
        return f"{name} not compared: {difference.why}"
    digits = 2 if difference.metric.unit in ("", "dB") else 1
    unit = f" {difference.metric.unit}" if difference.metric.unit else ""
    low, high = (f"{end:+.{digits}f}" for end in difference.interval)
    sentence = f"{name} {difference.a:.{digits}f} and {difference.b:.{digits}f}{unit}, "
    if not difference.clear:
        unclear = "too early to say" if difference.is_open else "no clear difference"
        return f"{sentence}{unclear} ({low} to {high})"
    return f"{sentence}B {difference.value:+.{digits}f}{unit} ({low} to {high})"

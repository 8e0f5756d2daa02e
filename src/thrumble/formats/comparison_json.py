"""Two sets of readings compared, as JSON, `thrumble.comparison/1`, and as CSV."""

import csv
import io
from typing import Any

from thrumble.core.coach.comparing.comparison import Comparison, Difference
from thrumble.core.counting import counted

DIGITS = 3
COLUMNS = ("name", "section", "bar", "at", "a", "b", "difference", "low", "high", "clear")


def comparison_document(found: Comparison, takes: tuple[int, int]) -> dict[str, Any]:
    """The document. `takes`: how many of A and B."""
    sides = [
        {"takes": count, "rounds": rounds}
        for count, rounds in zip(takes, found.rounds, strict=True)
    ]
    return {
        "format": "thrumble.comparison/1",
        "a": sides[0],
        "b": sides[1],
        "figures": [_figure(one) for one in found.differences],
        "hits": [
            {
                "section": one.section,
                "bar": one.bar,
                "at": one.at,
                "name": "late_ms",
                "difference": round(one.value, DIGITS),
                "interval": [round(end, DIGITS) for end in one.interval],
                "clear": one.clear,
            }
            for one in found.places
        ],
        "cautions": list(found.cautions),
    }


def _figure(one: Difference) -> dict[str, Any]:
    told: dict[str, Any] = {
        "name": one.metric.name,
        "a": _rounded(one.a),
        "b": _rounded(one.b),
        "difference": _rounded(one.value),
        "interval": None if one.interval is None else [round(e, DIGITS) for e in one.interval],
        "clear": one.clear,
    }
    return told | {"why": one.why} if one.why else told


def _rounded(value: float | None) -> float | None:
    return None if value is None else round(value, DIGITS)


def comparison_csv(found: Comparison) -> str:
    """A row a figure, then a row a place."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(COLUMNS)
    for one in found.differences:
        low, high = one.interval or (None, None)
        figures = [_rounded(v) for v in (one.a, one.b, one.value, low, high)]
        writer.writerow([one.metric.name, "", "", "", *figures, one.clear])
    for place in found.places:
        figures = [_rounded(v) for v in (place.a_ms, place.b_ms, place.value, *place.interval)]
        writer.writerow(["late_ms", place.section, place.bar, place.at, *figures, place.clear])
    return out.getvalue()


def comparison_lines(found: Comparison) -> list[str]:
    """The same in a few lines: what differs, then what does not."""
    out = [
        f"A: {counted(found.rounds[0], 'round')}, B: {counted(found.rounds[1], 'round')}; "
        "95 % intervals, adjusted for all comparisons"
    ]
    for one in found.differences:
        out.append(difference_line(one))
    clear = [one for one in found.places if one.clear]
    if clear:
        worst = max(clear, key=lambda one: abs(one.value))
        out.append(
            f"the timing differs at {len(clear)} of {counted(len(found.places), 'place')}; most at "
            f"bar {worst.bar} at {worst.at}: {worst.value:+.0f} ms"
        )
    elif found.places:
        places = counted(len(found.places), "place")
        out.append(f"no clear difference in timing at any of {places}")
    return out + [f"  ({words})" for words in found.cautions]


def difference_line(one: Difference) -> str:
    """One figure in a line."""
    name = f"{one.metric.words}:"
    if one.a is None or one.b is None or one.interval is None or one.value is None:
        return f"{name} not compared: {one.why}"
    digits = 2 if one.metric.unit in ("", "dB") else 1
    unit = f" {one.metric.unit}" if one.metric.unit else ""
    low, high = (f"{end:+.{digits}f}" for end in one.interval)
    told = f"{name} {one.a:.{digits}f} and {one.b:.{digits}f}{unit}, "
    if not one.clear:
        unclear = "too early to say" if one.is_open else "no clear difference"
        return f"{told}{unclear} ({low} to {high})"
    return f"{told}B {one.value:+.{digits}f}{unit} ({low} to {high})"

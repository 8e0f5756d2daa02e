"""Rows of the trial's tables: what was tried, what was asked, what was seen."""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Row:
    """One thing tried. `held`: whether what was asked held; None for a figure that nothing was
    asked of.
    """

    what: str
    asked: str
    seen: str
    held: bool | None = None


def lines(rows: list[Row]) -> list[str]:
    """A table in Markdown."""
    mark = {True: "yes", False: "**no**", None: ""}
    head = ["| tried | asked | seen | held |", "| --- | --- | --- | --- |"]
    return head + [f"| {row.what} | {row.asked} | {row.seen} | {mark[row.held]} |" for row in rows]

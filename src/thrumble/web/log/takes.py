"""The takes behind a figure of the log, in words."""

from dataclasses import dataclass
from datetime import datetime

from thrumble.core.coach.verdict.finding import early_or_late
from thrumble.core.coach.verdict.findings import LABELS
from thrumble.core.counting import counted
from thrumble.store.practice.logbook import Behind
from thrumble.store.takes.take_lists import TakeLine
from thrumble.web.shared.takes import TakeLineView, take_line


@dataclass(frozen=True, slots=True)
class BehindView:
    """The list, each take with what happened at the place asked for."""

    title: str
    meta: str
    lines: list[tuple[TakeLineView, str]]
    back: str


def behind_view(
    behind: Behind,
    bar: int | None,
    title: str | None,
    count: int,
    lines: list[TakeLine],
    late: dict[int, float | None],
    now: datetime,
) -> BehindView:
    """Takes, and what they were chosen by; `late`: how late each was at the place of a bar."""
    chosen = []
    if behind.section is not None:
        chosen.append(f"section {behind.section}")
    if bar is not None:
        chosen.append(f"bar {bar}")
    if behind.day is not None:
        chosen.append(f"played on {behind.day.day} {behind.day:%B}")
    if behind.week is not None:
        chosen.append(f"in the week of {behind.week.day} {behind.week:%B}")
    if behind.tempo_bpm is not None:
        chosen.append(f"at {behind.tempo_bpm} bpm")
    if behind.cause is not None:
        chosen.append(LABELS[behind.cause])
    return BehindView(
        title=title or "Takes",
        meta=", ".join([counted(count, "take"), *chosen]),
        lines=[(take_line(line, now), _there(late.get(line.take.id))) for line in lines],
        back="/log/practice" if behind.riff_id is None else f"/log?riff={behind.riff_id}",
    )


def _there(late_ms: float | None) -> str:
    return "" if late_ms is None else f"{early_or_late(late_ms)} there"

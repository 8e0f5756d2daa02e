"""The log in words and drawings: what holds a riff back, how it moved, what was played when."""

from dataclasses import dataclass
from datetime import date, timedelta

from thrumble.core.coach.clean_speed import CleanSpeed, Round
from thrumble.core.coach.habits import Habit
from thrumble.core.coach.helped import Helped, Measure
from thrumble.core.counting import counted, days_ago
from thrumble.core.riff.drills import TABLE, DrillKind
from thrumble.core.riff.expand import ExpandedRiff
from thrumble.store.logbook import LoggedRiff, PlayedDay
from thrumble.web.drawings.slots import OFF_MS, OFTEN, SlotBar, slot_bars
from thrumble.web.drawings.speed import SpeedChart, speed_chart

WEEKS = 6
MOST_TABS = 10
LEAST_FULL_MINUTES = 1.0  # what fills a day's square at least
WHAT = {"timing": "timing alone", "muting": "muting alone", "stops": "stops alone"}


@dataclass(frozen=True, slots=True)
class RiffTab:
    """A riff to choose."""

    title: str
    href: str
    when: str
    here: bool


@dataclass(frozen=True, slots=True)
class SpeedRow:
    """A clean speed of a part: a section, or timing, muting, stops alone."""

    name: str
    speed: str
    interval: str
    weakest: bool


@dataclass(frozen=True, slots=True)
class DaySquare:
    """A day of the calendar: how full, in percent."""

    title: str
    top: int
    full: int
    today: bool


@dataclass(frozen=True, slots=True)
class HelpRow:
    """What a drill did so far."""

    name: str
    change: str
    times: str


@dataclass(frozen=True, slots=True, kw_only=True)
class RiffLog:
    """One riff's log."""

    riff_id: int
    title: str
    figure: str
    under: str
    sentence: str
    chart: SpeedChart | None
    parts: list[SpeedRow]
    slots: list[SlotBar]
    slots_of: str


@dataclass(frozen=True, slots=True, kw_only=True)
class LogView:
    """The page."""

    tabs: list[RiffTab]
    riff: RiffLog | None
    meta: str
    weeks: list[list[DaySquare]]
    helped: list[HelpRow]


def riff_log(
    riff: LoggedRiff,
    expanded: ExpandedRiff,
    rounds: list[Round],
    told: CleanSpeed | None,
    parts: dict[str, CleanSpeed],
    whats: dict[str, CleanSpeed],
    habits: tuple[int, list[Habit]],
) -> RiffLog:
    """A riff's log. `parts`: clean speed by section; `whats`: of timing, muting, stops alone."""
    takes, places = habits
    figure, under = "–", "no round played to its end yet"
    if told is not None:
        figure = f"{told.now.bpm:.0f}"
        under = f"clean speed, {told.now.low:.0f} to {told.now.high:.0f} bpm"
    return RiffLog(
        riff_id=riff.riff_id,
        title=riff.title,
        figure=figure,
        under=under,
        sentence=_sentence(riff, told, parts, whats, places),
        chart=None if told is None else speed_chart(told, rounds, riff.tempo_bpm),
        parts=_rows(parts, whats),
        slots=slot_bars(expanded, places),
        slots_of=f"last {counted(takes, 'take')}",
    )


def _sentence(
    riff: LoggedRiff,
    told: CleanSpeed | None,
    parts: dict[str, CleanSpeed],
    whats: dict[str, CleanSpeed],
    places: list[Habit],
) -> str:
    """How far it is, and what holds it back."""
    if told is None:
        return "Play it through once: then there is something to tell from."
    to_go = riff.tempo_bpm - told.now.bpm
    if to_go <= 0:
        begin = f"You have it: clean at {told.now.bpm:.0f}, written at {riff.tempo_bpm:g}."
    else:
        begin = f"{to_go:.0f} bpm to go."
    back = _holds_back(parts, whats, places)
    return f"{begin} {back}" if back else begin


def _holds_back(
    parts: dict[str, CleanSpeed], whats: dict[str, CleanSpeed], places: list[Habit]
) -> str:
    late = [one for one in places if one.late_ms is not None and abs(one.late_ms) >= OFF_MS]
    wrong = [one for one in places if one.wrong is not None and one.wrong >= OFTEN]
    if late:
        worst = max(late, key=lambda one: abs(one.late_ms or 0))
        way = "late" if (worst.late_ms or 0) > 0 else "early"
        return (
            f"What holds you back: bar {worst.bar} of section {worst.section} is "
            f"{abs(worst.late_ms or 0):.0f} ms {way} by habit"
            + (f", and {counted(len(late) - 1, 'place')} more." if len(late) > 1 else ".")
        )
    if wrong:
        worst = max(wrong, key=lambda one: one.wrong or 0)
        return (
            f"What holds you back: a hit in bar {worst.bar} of section {worst.section} sounds "
            f"wrong {worst.wrong or 0:.0%} of the time."
        )
    if len(parts) > 1:
        name = min(parts, key=lambda one: parts[one].now.bpm)
        best = max(parts.values(), key=lambda one: one.now.bpm)
        if best.now.bpm - parts[name].now.bpm > 2:
            return f"Section {name} is the slowest, at {parts[name].now.bpm:.0f}."
    if len(whats) > 1:
        name = min(whats, key=lambda one: whats[one].now.bpm)
        return f"Your {WHAT[name].split(' ')[0]} sets the limit."
    return ""


def _rows(parts: dict[str, CleanSpeed], whats: dict[str, CleanSpeed]) -> list[SpeedRow]:
    weakest = min(parts, key=lambda one: parts[one].now.bpm, default="")
    rows = [
        _row(f"section {name}", told, weakest=name == weakest and len(parts) > 1)
        for name, told in parts.items()
    ]
    return rows + [_row(WHAT[name], told, weakest=False) for name, told in whats.items()]


def _row(name: str, told: CleanSpeed, *, weakest: bool) -> SpeedRow:
    now = told.now
    return SpeedRow(name, f"{now.bpm:.0f}", f"{now.low:.0f} to {now.high:.0f}", weakest)


def log_view(
    riffs: list[LoggedRiff],
    chosen: RiffLog | None,
    days: list[PlayedDay],
    helped: list[Helped],
    today: date,
) -> LogView:
    """The whole page."""
    here = None if chosen is None else chosen.riff_id
    strokes = sum(one.strokes for one in days)
    minutes = sum(one.minutes for one in days)
    meta = (
        f"{counted(sum(one.takes for one in days), 'take')} in {WEEKS} weeks · "
        f"{minutes:.0f} min of playing · {counted(strokes, 'stroke')}"
    )
    return LogView(
        tabs=[
            RiffTab(
                one.title,
                f"?riff={one.riff_id}",
                days_ago((today - one.last).days),
                one.riff_id == here,
            )
            for one in _shown(riffs, here)
        ],
        riff=chosen,
        meta=meta,
        weeks=_weeks(days, today),
        helped=_helped(helped),
    )


def _shown(riffs: list[LoggedRiff], here: int | None) -> list[LoggedRiff]:
    """The riffs played last, and the one that is looked at."""
    shown = riffs[:MOST_TABS]
    return shown + [one for one in riffs[MOST_TABS:] if one.riff_id == here]


def _weeks(days: list[PlayedDay], today: date) -> list[list[DaySquare]]:
    """The last weeks, Monday to Sunday, each day as full as it was played."""
    known = {one.day: one for one in days}
    fullest = max([LEAST_FULL_MINUTES, *(one.minutes for one in days)])
    first = today - timedelta(days=today.weekday() + 7 * (WEEKS - 1))
    out = []
    for week in range(WEEKS):
        row = []
        for weekday in range(7):
            day = first + timedelta(days=7 * week + weekday)
            one = known.get(day)
            minutes = one.minutes if one else 0.0
            words = f"{day.day} {day:%B}: "
            words += (
                f"{minutes:.0f} min, {counted(one.takes, 'take')}, {counted(one.strokes, 'stroke')}"
                if one
                else "nothing played"
            )
            full = min(100, round(100 * minutes / fullest))
            full = max(full, 8) if one else 0
            row.append(DaySquare(words, 100 - full, full, day == today))
        out.append(row)
    return out


def _helped(found: list[Helped]) -> list[HelpRow]:
    """Every drill that was followed by its riff, what it changed on average, how often for good."""
    by_kind: dict[DrillKind, list[Helped]] = {}
    for one in found:
        by_kind.setdefault(one.kind, []).append(one)
    rows = []
    for kind, all_of in by_kind.items():
        told = [one for one in all_of if one.change is not None]
        if not told:
            rows.append(HelpRow(TABLE[kind].name, "", "too early to say"))
            continue
        good = sum(one.clear and (one.change or 0) < 0 for one in told)
        muting = told[0].measure is Measure.MUTING
        mean = sum(one.change or 0 for one in told) / len(told) * (100 if muting else 1)
        change = f"{mean:+.0f} {'in 100' if muting else 'ms'}"
        times = f"helped {good} of {counted(len(told), 'time')}"
        rows.append(HelpRow(TABLE[kind].name, change, times))
    return rows

"""All practice in words: the weeks, what they asked of the hands, the sittings, what keeps going
wrong, what helped.
"""

from dataclasses import dataclass
from datetime import date, timedelta

from thrumble.core.coach.planning.hand_health import (
    Comfort,
    PracticeHistory,
    When,
    advice_for,
    light_weeks,
    strokes_left,
)
from thrumble.core.coach.progress.drill_effect import Helped, Measure
from thrumble.core.coach.progress.sessions import Sitting
from thrumble.core.coach.verdict.findings import LABELS
from thrumble.core.counting import counted
from thrumble.core.riff.drills.catalogue import TABLE, DrillKind
from thrumble.store.practice.loads import CausedDay, PlayedDay
from thrumble.store.practice.rounds import local_time

WEEKS = 6
MAX_SITTINGS, MAX_CAUSES = 10, 8
MIN_FULL_MINUTES = 1.0  # what fills a day's square at least


@dataclass(frozen=True, slots=True)
class DaySquare:
    """A day of the calendar: how full, in percent."""

    title: str
    top: int
    full: int
    today: bool
    href: str


@dataclass(frozen=True, slots=True)
class HelpRow:
    """The effect of a drill so far."""

    name: str
    change: str
    times: str


@dataclass(frozen=True, slots=True)
class SittingRow:
    """A sitting in words."""

    when: str
    played: str
    strokes: str
    clean: str
    hands: str
    href: str


@dataclass(frozen=True, slots=True)
class CauseCell:
    """How many takes of a week suffered; of how many."""

    text: str
    title: str
    href: str


@dataclass(frozen=True, slots=True)
class CauseRow:
    """What goes wrong, week by week."""

    name: str
    cells: list[CauseCell]


@dataclass(frozen=True, slots=True, kw_only=True)
class PracticeView:
    """The page. `week` names each column of `causes` by its Monday."""

    figure: str
    under: str
    meta: str
    sentence: str
    squares: list[list[DaySquare]]
    sittings: list[SittingRow]
    weeks: list[str]
    causes: list[CauseRow]
    helped: list[HelpRow]


def practice_view(
    days: list[PlayedDay],
    sittings: list[Sitting],
    caused: list[CausedDay],
    helped: list[Helped],
    history: PracticeHistory,
    zone: str,
) -> PracticeView:
    """What was played in the last weeks."""
    strokes = sum(day.strokes for day in days)
    minutes = sum(day.minutes for day in days)
    mondays = [_monday(history.today, WEEKS - 1 - k) for k in range(WEEKS)]
    return PracticeView(
        figure=f"{history.week(0):,}",
        under="strokes in seven days",
        meta=f"{counted(sum(day.takes for day in days), 'take')} in {WEEKS} weeks · "
        f"{minutes:.0f} min of playing · {counted(strokes, 'stroke')}",
        sentence=_load_words(history),
        squares=_squares(days, history.today),
        sittings=[_sitting(sitting, history.comfort, zone) for sitting in sittings[:MAX_SITTINGS]],
        weeks=[f"{day.day} {day:%b}" for day in mondays],
        causes=_causes(caused, mondays),
        helped=_helped(helped),
    )


def _load_words(history: PracticeHistory) -> str:
    """What the hands may still take this week, in a sentence."""
    warning = next((advice for advice in advice_for(history) if advice.share < 1), None)
    left = strokes_left(history)
    if warning is not None:
        return warning.words
    if left is None:
        return "This is your first week, so there is nothing to compare it with yet."
    if left and light_weeks(history):
        return "Your weeks are light so far: your hands have room for more."
    if left <= 0:
        return (
            f"You've reached this week's stroke limit ({history.rise_percent:g} % above "
            f"usual). Rest "
            "your hands."
        )
    return (
        f"About {round(left, -1):,.0f} strokes left this week before you are "
        f"{history.rise_percent:g} % above your usual week."
    )


def _monday(today: date, back: int) -> date:
    return today - timedelta(days=today.weekday() + 7 * back)


def _sitting(sitting: Sitting, comfort: tuple[Comfort, ...], zone: str) -> SittingRow:
    begun = local_time(sitting.begun, zone)
    felt = {answer.when: answer.score for answer in comfort if answer.day == sitting.day}
    hands = ""
    if felt:
        before, after = felt.get(When.BEFORE), felt.get(When.AFTER)
        hands = f"{'–' if before is None else before} → {'–' if after is None else after}"
    return SittingRow(
        when=f"{sitting.day:%a} {sitting.day.day} {sitting.day:%b}, {begun:%H:%M}",
        played=_duration(sitting),
        strokes=f"{sitting.strokes}",
        clean=f"{sitting.clean / sitting.judged:.0%}" if sitting.judged else "",
        hands=hands,
        href=f"/log/takes?day={sitting.day.isoformat()}",
    )


def _duration(sitting: Sitting) -> str:
    """How long was played, and in how long a sitting if that is another matter."""
    span_min = (sitting.ended - sitting.begun).total_seconds() / 60
    if span_min < 2:
        return f"{sitting.played_s:.0f} s"
    played = (
        f"{sitting.played_s / 60:.0f} min"
        if sitting.played_s >= 90
        else f"{sitting.played_s:.0f} s"
    )
    return f"{played} in {span_min:.0f} min"


def _causes(caused: list[CausedDay], mondays: list[date]) -> list[CauseRow]:
    """The commonest causes, week by week: how many takes of how many."""
    takes = dict.fromkeys(mondays, 0)
    counts: dict[str, dict[date, int]] = {}
    for cause in caused:
        monday = _monday(cause.day, 0)
        if monday not in takes:
            continue
        takes[monday] += cause.takes
        for kind, count in cause.caused.items():
            week = counts.setdefault(kind, dict.fromkeys(mondays, 0))
            week[monday] += count
    named = [kind for kind in counts if kind in LABELS]
    kinds = sorted(named, key=lambda kind: -sum(counts[kind].values()))[:MAX_CAUSES]
    return [
        CauseRow(
            LABELS[kind],
            [
                CauseCell(
                    str(counts[kind][monday]) if counts[kind][monday] else "",
                    f"{counts[kind][monday]} of {counted(takes[monday], 'take')}",
                    f"/log/takes?week={monday.isoformat()}&cause={kind}",
                )
                for monday in mondays
            ],
        )
        for kind in kinds
    ]


def _squares(days: list[PlayedDay], today: date) -> list[list[DaySquare]]:
    """The last weeks, Monday to Sunday, each day as full as it was played."""
    advice_by_day = {day.day: day for day in days}
    fullest = max([MIN_FULL_MINUTES, *(day.minutes for day in days)])
    first = today - timedelta(days=today.weekday() + 7 * (WEEKS - 1))
    out = []
    for week in range(WEEKS):
        row = []
        for weekday in range(7):
            day = first + timedelta(days=7 * week + weekday)
            load = advice_by_day.get(day)
            minutes = load.minutes if load else 0.0
            words = f"{day.day} {day:%B}: "
            words += (
                f"{minutes:.0f} min, {counted(load.takes, 'take')}, "
                f"{counted(load.strokes, 'stroke')}"
                if load
                else "nothing played"
            )
            full = min(100, round(100 * minutes / fullest))
            full = max(full, 8) if load else 0
            href = f"/log/takes?day={day.isoformat()}" if load else ""
            row.append(DaySquare(words, 100 - full, full, day == today, href))
        out.append(row)
    return out


def _helped(effects: list[Helped]) -> list[HelpRow]:
    """Every drill that was followed by its riff, what it changed on average, how often for good."""
    by_kind: dict[DrillKind, list[Helped]] = {}
    for effect in effects:
        by_kind.setdefault(effect.kind, []).append(effect)
    rows = []
    for kind, all_of in by_kind.items():
        measured = [effect for effect in all_of if effect.change is not None]
        if not measured:
            rows.append(HelpRow(TABLE[kind].name, "", "too early to say"))
            continue
        good = sum(effect.clear and (effect.change or 0) < 0 for effect in measured)
        muting = measured[0].measure is Measure.MUTING
        mean = (
            sum(effect.change or 0 for effect in measured) / len(measured) * (100 if muting else 1)
        )
        change = f"{mean:+.0f} {'in 100' if muting else 'ms'}"
        times = f"helped {good} of {counted(len(measured), 'time')}"
        if not good:
            times = f"no help yet ({counted(len(measured), 'try', 'tries')})"
        rows.append(HelpRow(TABLE[kind].name, change, times))
    return rows

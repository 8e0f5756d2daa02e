"""What a teacher wants practised: when it is done, and which pupil needs help first."""

from dataclasses import dataclass
from datetime import date, timedelta
from enum import StrEnum

from thrumble.core.counting import counted, days_ago
from thrumble.core.riff.drills.catalogue import DrillKind

PRACTISED_S = 120.0  # an assignment without a tempo is done after so much playing
NEAR_BPM = 0.5
QUIET_DAYS = 7  # without playing, somebody is worth asking after
RECENT = timedelta(days=14)
MIN_TAKES, MIN_CHANGE = 4, 0.15  # of takes with the finding, before it is called a trend


class State(StrEnum):
    """How far an assignment has come."""

    DONE = "done"
    OVERDUE = "overdue"
    BEGUN = "begun"
    OPEN = "not begun"


@dataclass(frozen=True, slots=True, kw_only=True)
class Assignment:
    """An assignment. `riff_id`: the pupil's riff; `played_s`: how long it and its drills were
    played since; `best_bpm`: the fastest clean pass since; `newer_revision`: of the teacher's
    riff, to be offered.
    """

    id: int
    riff_id: int
    title: str
    teacher_id: int
    teacher: str
    drill: DrillKind | None
    goal_bpm: float | None
    due: date | None
    words: str
    day: date
    played_s: float
    best_bpm: float | None
    newer_revision: int | None = None
    source_riff_id: int | None = None

    def state(self, today: date) -> State:
        """With a tempo it is done once a pass at that tempo was clean, without one after two
        minutes of playing.
        """
        if self.goal_bpm is not None:
            done = self.best_bpm is not None and self.best_bpm >= self.goal_bpm - NEAR_BPM
        else:
            done = self.played_s >= PRACTISED_S
        if done:
            return State.DONE
        if self.due is not None and self.due < today:
            return State.OVERDUE
        return State.BEGUN if self.played_s > 0 else State.OPEN

    def why(self, today: date) -> str:
        """The reason of its block in the plan."""
        goal = "" if self.goal_bpm is None else f", {self.goal_bpm:g} bpm clean"
        return f"from {self.teacher}{goal}{_due(self.due, today)}"


def _due(due: date | None, today: date) -> str:
    if due is None:
        return ""
    days = (due - today).days
    if days < 0:
        return f", due {days_ago(-days)}"
    return {0: ", due today", 1: ", due tomorrow"}.get(days, f", due in {days} days")


@dataclass(frozen=True, slots=True, kw_only=True)
class Practised:
    """What a pupil played in six weeks, by day: how many takes, and how many of them had which
    finding.
    """

    day: date
    takes: int
    findings: dict[str, int]


@dataclass(frozen=True, slots=True, kw_only=True)
class Pupil:
    """A pupil at a glance. `days`: practised in the last fourteen; `finding`: what most of the
    latest takes had, and its trend; `why`: what the teacher should look at first, empty if nothing.
    """

    player_id: int
    name: str
    days: int
    last: date | None
    finding: str | None
    trend: str
    overdue: list[Assignment]
    open: int
    why: str


def pupil_at_a_glance(
    player_id: int,
    name: str,
    played: list[Practised],
    assignments: list[Assignment],
    today: date,
) -> Pupil:
    """`played`: in the last six weeks, in any order."""
    recent = [day for day in played if day.day > today - RECENT]
    before = [day for day in played if today - 2 * RECENT < day.day <= today - RECENT]
    counts: dict[str, int] = {}
    for day in recent:
        for kind, count in day.findings.items():
            counts[kind] = counts.get(kind, 0) + count
    finding: str | None = None
    if counts:
        finding = max(counts, key=lambda kind: (counts[kind], kind))
    trend = "" if finding is None else _trend(_share(recent, finding), _share(before, finding))
    overdue = [each for each in assignments if each.state(today) is State.OVERDUE]
    last = max((day.day for day in played), default=None)
    return Pupil(
        player_id=player_id,
        name=name,
        days=len({day.day for day in recent if day.takes}),
        last=last,
        finding=finding,
        trend=trend,
        overdue=overdue,
        open=sum(each.state(today) in (State.OPEN, State.BEGUN) for each in assignments),
        why=_why(overdue, last, trend, today),
    )


def _share(days: list[Practised], finding: str) -> float | None:
    """The share of the takes that have the finding; None if there are too few takes to say."""
    takes = sum(day.takes for day in days)
    if takes < MIN_TAKES:
        return None
    return sum(day.findings.get(finding, 0) for day in days) / takes


def _trend(now: float | None, before: float | None) -> str:
    if now is None or before is None:
        return "too few takes for a trend"
    if now > before + MIN_CHANGE:
        return "more often than before"
    if now < before - MIN_CHANGE:
        return "less often than before"
    return "as often as before"


def _why(overdue: list[Assignment], last: date | None, trend: str, today: date) -> str:
    if overdue:
        return f"{counted(len(overdue), 'assignment')} overdue"
    if last is None:
        return "hasn't played yet"
    if (today - last).days >= QUIET_DAYS:
        return f"last played {days_ago((today - last).days)}"
    if trend == "more often than before":
        return "the main finding comes up more often"
    return ""


def by_need(pupils: list[Pupil], today: date) -> list[Pupil]:
    """Who needs help first: most overdue, then longest silent, then those whose main finding grows,
    then by name. Never by how well anyone plays.
    """

    def need(pupil: Pupil) -> tuple[int, int, bool, str]:
        silent = (today - pupil.last).days if pupil.last else 1000
        quiet = silent if silent >= QUIET_DAYS else 0
        grows = pupil.trend == "more often than before"
        return -len(pupil.overdue), -quiet, not grows, pupil.name.casefold()

    return sorted(pupils, key=need)

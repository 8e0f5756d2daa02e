"""Care of the hands: what a day and a week of strokes, and how the hands feel, say about playing
on. A table of rules, never a diagnosis.
"""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import date, timedelta
from enum import StrEnum

from thrumble.core.counting import counted

MAX_RISE_PERCENT = 10.0  # of strokes from week to week, unless the player says otherwise
RISE_RANGE_PERCENT = (0.0, 100.0)
MIN_WEEK = 6000  # strokes, an hour or less of playing: below it a rise says nothing
EARLIER_WEEKS = 3
DISCOMFORT, PAIN = 4, 7  # of 10
SPAN_MINUTES = 45.0  # of playing in a day from which on a rest is due
TRIMMED, TRIMMED_MORE = 0.7, 0.5
MIN_TAKES, TENSE_TAKES = 6, 2  # known at least, and tense today: then it is more than chance
WORST = 10


class When(StrEnum):
    """When the hands were asked about."""

    BEFORE = "before"
    AFTER = "after"


class Area(StrEnum):
    """Where it is felt."""

    LEFT_FINGERS = "left fingers"
    LEFT_WRIST = "left wrist"
    LEFT_FOREARM = "left forearm"
    LEFT_SHOULDER = "left shoulder"
    RIGHT_FINGERS = "right fingers"
    RIGHT_WRIST = "right wrist"
    RIGHT_FOREARM = "right forearm"
    RIGHT_SHOULDER = "right shoulder"


@dataclass(frozen=True, slots=True)
class Comfort:
    """How the hands felt: 0 nothing, 10 the worst; where; whether anything was numb or tingled."""

    day: date
    when: When
    score: int
    areas: tuple[Area, ...] = ()
    numb: bool = False


@dataclass(frozen=True, slots=True)
class DayLoad:
    """How much a day of practice loaded the hands."""

    day: date
    strokes: int
    minutes: float


@dataclass(frozen=True, slots=True)
class TakeEffort:
    """How hard a take was, and what became of it: strokes a second; whether at its end the spread
    had grown, and the level fallen.
    """

    day: date
    pace: float
    spread_grew: bool
    level_fell: bool


@dataclass(frozen=True, slots=True)
class PracticeHistory:
    """What the rules look at: today, the days so far, the answers, the takes of the last weeks, the
    rise that is allowed.
    """

    today: date
    days: tuple[DayLoad, ...]
    comfort: tuple[Comfort, ...]
    takes: tuple[TakeEffort, ...] = ()
    rise_percent: float = MAX_RISE_PERCENT

    def answers(self) -> list[Comfort]:
        """Today's answers."""
        return [answer for answer in self.comfort if answer.day == self.today]

    def week(self, back: int) -> int:
        """Strokes in seven days: the last ones, or so many weeks before."""
        last = self.today - timedelta(days=7 * back)
        first = last - timedelta(days=6)
        return sum(day.strokes for day in self.days if first <= day.day <= last)

    def tense(self) -> int:
        """Fast takes of today in which spread and level went together; fast: among the fastest
        third of the last weeks.
        """
        paces = sorted(take.pace for take in self.takes)
        if len(paces) < MIN_TAKES:
            return 0
        fast = paces[2 * len(paces) // 3]
        return sum(
            take.day == self.today and take.pace >= fast and take.spread_grew and take.level_fell
            for take in self.takes
        )

    def minutes_today(self) -> float:
        """Minutes of playing today."""
        return sum(day.minutes for day in self.days if day.day == self.today)


@dataclass(frozen=True, slots=True)
class Advice:
    """What a rule says. `share`: of the minutes planned that are left, 0 stops for today."""

    rule: str
    words: str
    share: float


@dataclass(frozen=True, slots=True)
class Rule:
    """A row: what has to be so, and what to say then, with the figures of `_figures` in it."""

    name: str
    holds: Callable[[PracticeHistory], bool]
    words: str
    share: float


def _worst(history: PracticeHistory) -> int:
    return max((answer.score for answer in history.answers()), default=0)


def _usual_week(history: PracticeHistory) -> float:
    """Strokes of a usual week before this one; of those that were played."""
    weeks = [history.week(back) for back in range(1, EARLIER_WEEKS + 1)]
    played = [strokes for strokes in weeks if strokes]
    return sum(played) / len(played) if played else 0.0


def _rise_percent(history: PracticeHistory) -> float:
    usual = _usual_week(history)
    return 100 * (history.week(0) / usual - 1) if usual else 0.0


def strokes_left(history: PracticeHistory) -> float | None:
    """How many strokes the week still has, by the rise allowed; None if there is no usual week
    to rise from.
    """
    usual = _usual_week(history)
    if not usual:
        return None
    allowed = max(MIN_WEEK, usual * (1 + history.rise_percent / 100))
    return max(0.0, allowed - history.week(0))


def light_weeks(history: PracticeHistory) -> bool:
    """Whether the usual week is so light that its rise is held against nobody."""
    return _usual_week(history) * (1 + history.rise_percent / 100) < MIN_WEEK


def _numb(history: PracticeHistory) -> bool:
    return any(answer.numb for answer in history.answers())


def _rose(history: PracticeHistory) -> bool:
    return history.week(0) >= MIN_WEEK and _rise_percent(history) > history.rise_percent


def _grew_worse(history: PracticeHistory) -> bool:
    """More discomfort after playing than before, on each of the last three days that say both."""
    days: dict[date, dict[When, int]] = {}
    for answer in history.comfort:
        days.setdefault(answer.day, {})[answer.when] = answer.score
    both = [scores for _, scores in sorted(days.items()) if len(scores) == len(When)][-3:]
    return len(both) == 3 and all(s[When.AFTER] > s[When.BEFORE] for s in both)


def _figures(history: PracticeHistory) -> dict[str, str]:
    return {
        "worst": f"{_worst(history)} of {WORST}",
        "strokes": counted(history.week(0), "stroke"),
        "percent": f"{_rise_percent(history):.0f} %",
        "allowed": f"{history.rise_percent:g} %",
        "tense": counted(history.tense(), "fast take"),
        "minutes": f"{history.minutes_today():.0f} minutes",
    }


SEEN = "see a doctor or hand specialist"
RULES = (
    Rule("numbness", _numb, f"Numb or tingling: stop for today, and {SEEN}.", 0.0),
    Rule(
        "pain",
        lambda history: _worst(history) >= PAIN,
        "{worst} is pain. Stop for today. If it doesn't go away, " + SEEN + ".",
        0.0,
    ),
    Rule(
        "discomfort",
        lambda history: DISCOMFORT <= _worst(history) < PAIN,
        "{worst}: play half as long, slower, and loosen your grip.",
        TRIMMED_MORE,
    ),
    Rule(
        "growing",
        _grew_worse,
        "Three times in a row your hands felt worse after playing: shorter sessions, "
        "and a rest between passes.",
        TRIMMED,
    ),
    Rule(
        "weekly rise",
        _rose,
        "{strokes} in seven days, {percent} more than your usual week: hold it to {allowed}.",
        TRIMMED,
    ),
    Rule(
        "tension",
        lambda history: history.tense() >= TENSE_TAKES,
        "In {tense} today your timing and your level fall apart together: that's a hand tightening "
        "up. Go slower and loosen the grip.",
        TRIMMED,
    ),
    Rule(
        "long day",
        lambda history: history.minutes_today() >= SPAN_MINUTES,
        "{minutes} of playing today: rest before it hurts. Shake your hands out, drop your "
        "shoulder, elbow off your ribs.",
        TRIMMED,
    ),
)
LOUDNESS = "Keep the volume down and wear ear protection at rehearsal."


def advice_for(history: PracticeHistory) -> list[Advice]:
    """The advice that the rules of hand health give now, the most serious first; none if all is
    well.
    """
    figures = _figures(history)
    advice = [
        Advice(rule.name, rule.words.format(**figures), rule.share)
        for rule in RULES
        if rule.holds(history)
    ]
    return sorted(advice, key=lambda item: item.share)


def share_left(advice: list[Advice]) -> float:
    """The share of the planned minutes that hand health allows: the least of any rule's."""
    return min((item.share for item in advice), default=1.0)

"""Today: what is up next, takes left unfinished, what was read last."""

from dataclasses import dataclass
from datetime import datetime

from thrumble.core.coach.planning.hand_health import (
    LOUDNESS,
    WORST,
    Advice,
    Area,
    Comfort,
    When,
    share_left,
)
from thrumble.store.takes.take_lists import TakeLine
from thrumble.web.shared.takes import TakeLineView, take_line
from thrumble.web.shared.up_next import UpNextView

LATEST, UNFINISHED = 6, 3


@dataclass(frozen=True, slots=True)
class CareView:
    """How the hands are: what to say, whether to stop, what was answered today."""

    advice: list[str]
    stop: bool
    scores: list[int]
    answers: list[tuple[str, str]]
    areas: list[str]
    loudness: str
    asks_after: bool


def care_view(advice: list[Advice], answers: list[Comfort], *, played: bool) -> CareView:
    """The advice on hand health, and today's answers. `played`: asked after a session."""
    scores = {answer.when: f"{answer.score} of {WORST}" for answer in answers}
    return CareView(
        advice=[item.words for item in advice],
        stop=share_left(advice) == 0,
        scores=list(range(WORST + 1)),
        answers=[(when.value, scores[when]) for when in When if when in scores],
        areas=[area.value for area in Area],
        loudness=LOUDNESS,
        asks_after=played or When.BEFORE in scores,
    )


@dataclass(frozen=True, slots=True)
class TodayView:
    """The whole screen. `more_unfinished`: how many of those are not shown."""

    date: str
    up_next: UpNextView | None
    unfinished: list[TakeLineView]
    more_unfinished: int
    latest: list[TakeLineView]
    care: CareView


def today_view(
    up_next: UpNextView | None,
    unfinished: list[TakeLine],
    unfinished_count: int,
    latest: list[TakeLine],
    care: CareView,
    now: datetime,
) -> TodayView:
    """Lays out what is up next, what waits, what was read; `now`: by the player's own clock."""
    return TodayView(
        date=f"{now:%A} {now.day} {now:%B}",
        up_next=up_next,
        unfinished=[take_line(line, now) for line in unfinished],
        more_unfinished=unfinished_count - len(unfinished),
        latest=[take_line(line, now) for line in latest],
        care=care,
    )

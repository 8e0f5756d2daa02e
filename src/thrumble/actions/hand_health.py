"""How the hands are, from what was really played and what the player says."""

from datetime import date, timedelta

from sqlmodel import Session

from thrumble.core.coach.planning.hand_health import EARLIER_WEEKS, DayLoad, PracticeHistory
from thrumble.store.practice import hand_health, loads, practice


def practice_history(session: Session, player_id: int, today: date) -> PracticeHistory:
    """The player's practice and answers, as the rules of hand health need them."""
    since = today - timedelta(days=7 * (EARLIER_WEEKS + 1))
    days = loads.played_days(session, player_id, since)
    return PracticeHistory(
        today=today,
        days=tuple(DayLoad(day.day, day.strokes, day.minutes) for day in days),
        comfort=tuple(hand_health.answers_of(session, player_id, today)),
        takes=tuple(loads.efforts_of(session, player_id, since)),
        rise_percent=practice.practice_of(session, player_id).rise_percent,
    )

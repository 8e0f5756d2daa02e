"""How the hands are, from what was really played and what the player says."""

from datetime import date, timedelta

from sqlmodel import Session

from thrumble.core.coach.care import EARLIER_WEEKS, Advice, DayLoad, Known, take_care
from thrumble.store import comfort, logbook


def advice_now(session: Session, player_id: int, today: date) -> list[Advice]:
    """What the rules say to a player today, the gravest first."""
    since = today - timedelta(days=7 * (EARLIER_WEEKS + 1))
    days = logbook.played_days(session, player_id, since)
    known = Known(
        today=today,
        days=tuple(DayLoad(one.day, one.strokes, one.minutes) for one in days),
        comfort=tuple(comfort.comfort_of(session, player_id, today)),
    )
    return take_care(known)

"""How a player's hands felt, before and after playing."""

from datetime import UTC, date, datetime, timedelta

import sqlalchemy as sa
from sqlmodel import Session, col, select

from thrumble.core.coach.planning.hand_health import Area, Comfort, When
from thrumble.store.practice.tables import ComfortRow

REMEMBERED = timedelta(days=60)


def delete_answer(session: Session, player_id: int, day: date, when: When) -> None:
    """Takes back the day's answer, before or after playing; nothing without one."""
    session.execute(
        sa.delete(ComfortRow).where(
            col(ComfortRow.player_id) == player_id,
            col(ComfortRow.day) == day,
            col(ComfortRow.at_when) == when.value,
        )
    )


def add_answer(session: Session, player_id: int, comfort: Comfort, zone: str) -> None:
    """Keeps an answer; a second one on the same day, before or after, takes the first one's
    place.
    """
    delete_answer(session, player_id, comfort.day, comfort.when)
    session.add(
        ComfortRow(
            player_id=player_id,
            day=comfort.day,
            at_when=comfort.when.value,
            score=comfort.score,
            areas=[area.value for area in comfort.areas],
            numb=comfort.numb,
            created_at=datetime.now(UTC),
            zone=zone,
        )
    )
    session.flush()


def answers_of(session: Session, player_id: int, today: date) -> list[Comfort]:
    """The answers of the last weeks, the oldest first."""
    query = (
        select(ComfortRow)
        .where(ComfortRow.player_id == player_id, ComfortRow.day >= today - REMEMBERED)
        .order_by(col(ComfortRow.day), col(ComfortRow.id))
    )
    return [
        Comfort(
            row.day,
            When(row.at_when),
            row.score,
            tuple(Area(area) for area in row.areas),
            row.numb,
        )
        for row in session.exec(query)
    ]

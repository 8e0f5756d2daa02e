"""The session of a day, kept as it was planned and changed."""

from datetime import UTC, date, datetime

import sqlalchemy as sa
from pydantic import TypeAdapter, ValidationError
from sqlalchemy.dialects.postgresql import insert
from sqlmodel import Session as DbSession
from sqlmodel import col

from thrumble.core.coach.planning.day_plan import Session
from thrumble.store.practice.tables import SessionRow

_FORM = TypeAdapter(Session)


def session_of(db: DbSession, player_id: int, day: date, *, lock: bool = False) -> Session | None:
    """A day's session; None if none was planned yet, or by a version that planned otherwise.
    `lock`: until the transaction ends.
    """
    query = sa.select(col(SessionRow.plan)).where(
        col(SessionRow.player_id) == player_id, col(SessionRow.day) == day
    )
    plan = db.execute(query.with_for_update() if lock else query).scalar_one_or_none()
    try:
        return None if plan is None else _FORM.validate_python(plan)
    except ValidationError:
        return None


def keep_session(db: DbSession, player_id: int, day: date, day_plan: Session) -> None:
    """Keeps a day's session instead of what was."""
    values = {"plan": _FORM.dump_python(day_plan, mode="json"), "changed_at": datetime.now(UTC)}
    new = insert(SessionRow).values(player_id=player_id, day=day, **values)
    db.execute(new.on_conflict_do_update(index_elements=["player_id", "day"], set_=values))

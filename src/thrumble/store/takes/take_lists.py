"""Takes as lists show them. Functions take the session and the player first, and never commit."""

from dataclasses import dataclass
from typing import Any

import sqlalchemy as sa
from sqlalchemy.dialects.postgresql import distinct_on
from sqlmodel import Session, col, select

from thrumble.core.takes import TakeState
from thrumble.store.practice.rounds import is_current
from thrumble.store.riffs.tables import RevisionRow
from thrumble.store.takes import notes
from thrumble.store.takes.tables import ReadingRow, TakeRow
from thrumble.store.takes.takes import Take, take_of

PAGE = 50


@dataclass(frozen=True, slots=True, kw_only=True)
class TakeLine:
    """A take as lists show it."""

    take: Take
    title: str
    verdict: str | None
    clean: int | None
    judged: int | None


def take_lines(
    session: Session,
    player_id: int,
    *,
    title: str = "",
    states: tuple[TakeState, ...] = (),
    starred: bool = False,
    only: list[int] | None = None,
    page: int = 1,
    limit: int = PAGE,
) -> list[TakeLine]:
    """Takes, the newest first, each with its newest reading's verdict; without one while it is
    judged again. `title`: part of the riff's name, or of what was noted; `starred`: only those;
    `only`: of these alone; `page` counts from 1.
    """
    query = _matching(select(TakeRow, RevisionRow.title), player_id, title, states, starred)
    if only is not None:
        query = query.where(col(TakeRow.id).in_(only))
    shown = (
        query.order_by(col(TakeRow.created_at).desc(), col(TakeRow.id).desc())
        .offset((page - 1) * limit)
        .limit(limit)
    )
    rows = session.exec(shown).all()
    newest = (
        sa.select(
            col(ReadingRow.take_id),
            col(ReadingRow.verdict),
            col(ReadingRow.clean),
            col(ReadingRow.judged),
            is_current(),
        )
        .where(col(ReadingRow.take_id).in_([row.id for row, _ in rows]))
        .ext(distinct_on(col(ReadingRow.take_id)))
        .order_by(col(ReadingRow.take_id), col(ReadingRow.id).desc())
    )
    judged_takes = {
        take_id: (verdict, clean, judged)
        for take_id, verdict, clean, judged, current in session.execute(newest)
        if current
    }
    lines = []
    for row, name in rows:
        verdict, clean, judged = judged_takes.get(row.id, (None, None, None))
        lines.append(
            TakeLine(take=take_of(row), title=name, verdict=verdict, clean=clean, judged=judged)
        )
    return lines


def count_takes(
    session: Session,
    player_id: int,
    *,
    title: str = "",
    states: tuple[TakeState, ...] = (),
    starred: bool = False,
) -> int:
    """How many takes `take_lines` would show on all its pages."""
    query = _matching(select(sa.func.count(col(TakeRow.id))), player_id, title, states, starred)
    return int(session.exec(query).one())


def _matching(
    query: Any, player_id: int, title: str, states: tuple[TakeState, ...], starred: bool
) -> Any:
    query = query.join(RevisionRow, col(RevisionRow.id) == TakeRow.revision_id).where(
        TakeRow.player_id == player_id
    )
    if title:
        named = col(RevisionRow.title).icontains(title, autoescape=True)
        query = query.where(named | notes.says(title, col(TakeRow.id)))
    if starred:
        query = query.where(notes.is_starred(col(TakeRow.id)))
    return query.where(col(TakeRow.state).in_(states)) if states else query

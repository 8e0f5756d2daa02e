"""Riffs in lists: searched, sorted, with their last take. Functions take the session and the player
first.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum
from typing import Any

import sqlalchemy as sa
from sqlalchemy.dialects.postgresql import distinct_on
from sqlmodel import Session, col, select

from thrumble.core.coach.planning.next_riff import A_DAY_AWAY, CLEAN_SHARE
from thrumble.store.practice.rounds import is_current
from thrumble.store.riffs.riffs import Revision, revision_from
from thrumble.store.riffs.tables import RevisionRow, RiffRow
from thrumble.store.takes.tables import ReadingRow, TakeRow

PAGE = 12


class Sort(StrEnum):
    """How the list of riffs is ordered."""

    WRITTEN = "written"
    PLAYED = "played"
    TITLE = "title"
    TEMPO = "tempo"
    DUE = "due"


@dataclass(frozen=True, slots=True, kw_only=True)
class RiffStanding:
    """A riff's newest revision and its last reading, if any."""

    revision: Revision
    tags: tuple[str, ...] = ()
    takes: int
    last_played: datetime | None
    last_take_id: int | None
    verdict: str | None
    clean: int | None
    judged: int | None


def newest_of_each(
    player_id: int, title: str = "", *, tag: str = "", archived: bool | None = None
) -> Any:
    """Id of the newest revision of each riff whose present title holds `title`, or that has it as a
    tag, as a query over riff and revision id. `tag`: only those with it; `archived`: only those
    that are archived or only the others, None for all.
    """
    columns: Any = (
        col(RevisionRow.riff_id),
        col(RevisionRow.id),
        col(RevisionRow.title),
        col(RevisionRow.tempo_bpm),
    )
    newest = (
        sa.select(*columns)
        .where(col(RevisionRow.player_id) == player_id)
        .ext(distinct_on(col(RevisionRow.riff_id)))
        .order_by(col(RevisionRow.riff_id), col(RevisionRow.number).desc())
        .subquery()
    )
    query = sa.select(newest.c.riff_id, newest.c.id, newest.c.title, newest.c.tempo_bpm)
    query = query.join(RiffRow, col(RiffRow.id) == newest.c.riff_id)
    query = query.where(col(RiffRow.drill_of).is_(None))  # drills stand with their riff
    if archived is not None:
        away = col(RiffRow.archived_at).is_not(None)
        query = query.where(away if archived else ~away)
    if tag:
        query = query.where(sa.literal(tag) == sa.any_(col(RiffRow.tags)))
    if title:
        named = newest.c.title.icontains(title, autoescape=True)
        tagged = sa.literal(title.strip().lower()) == sa.any_(col(RiffRow.tags))
        query = query.where(named | tagged)
    return query


def count_riffs(
    session: Session, player_id: int, title: str = "", *, tag: str = "", archived: bool = False
) -> int:
    """How many riffs there are whose title or tag is `title`, archived or not."""
    matching = newest_of_each(player_id, title, tag=tag, archived=archived).subquery()
    return int(session.execute(sa.select(sa.func.count()).select_from(matching)).scalar_one())


def riff_standings(
    session: Session,
    player_id: int,
    *,
    title: str = "",
    tag: str = "",
    page: int = 1,
    limit: int = PAGE,
    sort: Sort = Sort.WRITTEN,
    archived: bool = False,
) -> list[RiffStanding]:
    """Riffs with their last reading. `title`: part of their name; `page` counts from 1."""
    wanted = newest_of_each(player_id, title, tag=tag, archived=archived).subquery()
    played = (
        sa.select(sa.func.max(col(TakeRow.created_at)))
        .where(col(TakeRow.riff_id) == wanted.c.riff_id)
        .scalar_subquery()
    )
    order: dict[Sort, Any] = {
        Sort.WRITTEN: wanted.c.riff_id,
        Sort.TITLE: sa.func.lower(wanted.c.title),
        Sort.TEMPO: wanted.c.tempo_bpm,
        Sort.PLAYED: sa.nullslast(played.desc()),
    }
    if sort is Sort.DUE:
        ordered = _by_due(player_id, wanted)
    else:
        ordered = sa.select(wanted.c.id).order_by(order[sort], wanted.c.riff_id)
    shown = session.execute(ordered.offset((page - 1) * limit).limit(limit)).scalars()
    places = {revision_id: place for place, revision_id in enumerate(shown)}
    revisions = session.exec(select(RevisionRow).where(col(RevisionRow.id).in_(places))).all()
    rows = sorted(revisions, key=lambda row: places[row.id])
    ids = [row.riff_id for row in rows]
    counts = dict(
        session.exec(
            select(TakeRow.riff_id, sa.func.count())
            .where(TakeRow.player_id == player_id, col(TakeRow.riff_id).in_(ids))
            .group_by(col(TakeRow.riff_id))
        ).all()
    )
    last = {row[0]: row[1:] for row in session.exec(_last_read(player_id, ids)).all()}
    tags = {
        row.id: tuple(row.tags)
        for row in session.exec(select(RiffRow).where(col(RiffRow.id).in_(ids))).all()
    }
    standings = []
    for row in rows:
        take_id, played, verdict, clean, judged = last.get(
            row.riff_id, (None, None, None, None, None)
        )
        standings.append(
            RiffStanding(
                revision=revision_from(row),
                tags=tags.get(row.riff_id, ()),
                takes=counts.get(row.riff_id, 0),
                last_played=played,
                last_take_id=take_id,
                verdict=verdict,
                clean=clean,
                judged=judged,
            )
        )
    return standings


def _by_due(player_id: int, wanted: Any) -> Any:
    """The riffs in the order in which they want to be played: begun and not yet clean, by what
    there is to gain; never played; clean, the longest ago first.
    """
    last = _last_read(player_id).subquery()
    share = last.c.clean * 1.0 / sa.func.nullif(last.c.judged, 0)
    days = sa.func.extract("epoch", sa.func.now() - last.c.created_at) / 86400.0
    rank = sa.case((last.c.id.is_(None), 1), (share >= CLEAN_SHARE, 2), else_=0)
    return (
        sa.select(wanted.c.id)
        .outerjoin(last, last.c.riff_id == wanted.c.riff_id)
        .order_by(
            rank,
            sa.nullslast((1 - share + A_DAY_AWAY * sa.func.floor(days)).desc()),
            wanted.c.riff_id,
        )
    )


def _last_read(player_id: int, riff_ids: Sequence[int] | None = None) -> Any:
    """The newest analysed take of each riff (of all, or of these), with the verdict of its newest
    analysis; without one while it is judged again.
    """
    analysed = sa.exists().where(col(ReadingRow.take_id) == col(TakeRow.id))
    chosen = sa.true() if riff_ids is None else col(TakeRow.riff_id).in_(riff_ids)
    last = (
        sa.select(col(TakeRow.riff_id), col(TakeRow.id), col(TakeRow.created_at))
        .where(col(TakeRow.player_id) == player_id, chosen, analysed)
        .ext(distinct_on(col(TakeRow.riff_id)))
        .order_by(col(TakeRow.riff_id), col(TakeRow.created_at).desc())
        .subquery()
    )
    shown = is_current()
    newest = (
        sa.select(
            sa.case((shown, col(ReadingRow.verdict))).label("verdict"),
            sa.case((shown, col(ReadingRow.clean))).label("clean"),
            sa.case((shown, col(ReadingRow.judged))).label("judged"),
        )
        .where(col(ReadingRow.take_id) == last.c.id)
        .order_by(col(ReadingRow.id).desc())
        .limit(1)
        .lateral()
    )
    return sa.select(last, newest).join(newest, sa.true())


@dataclass(frozen=True, slots=True, kw_only=True)
class RiffFacts:
    """The facts about a riff from which the next one is chosen, without the riff itself."""

    riff_id: int
    last_played: datetime | None
    clean: int | None
    judged: int | None


def riff_facts(session: Session, player_id: int) -> list[RiffFacts]:
    """All riffs that aren't archived, oldest first."""
    last = {row[0]: row for row in session.exec(_last_read(player_id)).all()}
    ids = session.exec(
        select(RiffRow.id)
        .where(
            RiffRow.player_id == player_id,
            col(RiffRow.archived_at).is_(None),
            col(RiffRow.drill_of).is_(None),
        )
        .order_by(col(RiffRow.id))
    ).all()
    facts = []
    for riff_id in ids:
        _, _, played, _, clean, judged = last.get(riff_id, (riff_id, None, None, None, None, None))
        facts.append(
            RiffFacts(riff_id=riff_id or 0, last_played=played, clean=clean, judged=judged)
        )
    return facts


def titles_of(session: Session, player_id: int) -> list[tuple[int, str]]:
    """Number and title of every riff that is neither archived nor a drill, by title."""
    newest = newest_of_each(player_id, archived=False).subquery()
    query = sa.select(newest.c.riff_id, newest.c.title).order_by(sa.func.lower(newest.c.title))
    return [(riff_id, title) for riff_id, title in session.execute(query)]

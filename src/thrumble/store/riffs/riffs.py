"""Riffs and their revisions. Functions take the session and the player first, and never commit."""

import json
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from enum import StrEnum
from functools import lru_cache
from typing import Any

import sqlalchemy as sa
from sqlalchemy.dialects.postgresql import distinct_on
from sqlmodel import Session, col, select

from thrumble.core.coach.planning.next_riff import A_DAY_AWAY, CLEAN_SHARE
from thrumble.core.errors import NotFound
from thrumble.core.riff.editing.revisions import map_identities
from thrumble.core.riff.model import HitIdentity, Riff
from thrumble.formats.riff_json import riff_document, riff_from_document
from thrumble.store.practice.rounds import is_current
from thrumble.store.riffs.tables import RevisionRow, RiffRow
from thrumble.store.takes.tables import ReadingRow, TakeRow

PAGE = 12
MAX_REVISIONS = 40


class Sort(StrEnum):
    """How the list of riffs is ordered."""

    WRITTEN = "written"
    PLAYED = "played"
    TITLE = "title"
    TEMPO = "tempo"
    DUE = "due"


@dataclass(frozen=True, slots=True, kw_only=True)
class Revision:
    """A riff as it stood at one revision. `left_out`: what the file it was imported from holds
    beside it.
    """

    id: int
    riff_id: int
    number: int
    riff: Riff
    source: str
    left_out: tuple[str, ...] = ()


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


def _revision(row: RevisionRow) -> Revision:
    assert row.id is not None
    return Revision(
        id=row.id,
        riff_id=row.riff_id,
        number=row.number,
        riff=_riff_of(json.dumps(row.document)),
        source=row.source,
        left_out=tuple(row.left_out or ()),
    )


@lru_cache(maxsize=512)
def _riff_of(document: str) -> Riff:
    """Revisions never change, so what a document means is worked out once; lists of riffs take half
    the time.
    """
    return riff_from_document(json.loads(document))


def add_riff(
    session: Session, player_id: int, riff: Riff, source: str, left_out: Sequence[str] = ()
) -> Revision:
    """A new riff with its first revision. `left_out`: what the file it comes from holds beside."""
    row = RiffRow(player_id=player_id, created_at=datetime.now(UTC))
    session.add(row)
    session.flush()
    assert row.id is not None
    return _add_revision(session, player_id, row.id, 1, riff, source, [], left_out)


def add_revision(
    session: Session, player_id: int, riff_id: int, riff: Riff, source: str
) -> Revision:
    """A new revision of a riff, with the map of lasting identities; the same text again gives the
    newest one back.
    """
    own_riff(session, player_id, riff_id, lock=True)
    last = newest_revision(session, player_id, riff_id)
    if last.riff == riff and last.source == source:
        return last
    pairs = [[_identity(a), _identity(b)] for a, b in map_identities(last.riff, riff).items()]
    return _add_revision(session, player_id, riff_id, last.number + 1, riff, source, pairs)


def _identity(hit_identity: HitIdentity) -> list[str | int]:
    return [hit_identity.section, hit_identity.bar, str(hit_identity.at), hit_identity.appearance]


def _add_revision(
    session: Session,
    player_id: int,
    riff_id: int,
    number: int,
    riff: Riff,
    source: str,
    pairs: list[list[list[str | int]]],
    left_out: Sequence[str] = (),
) -> Revision:
    row = RevisionRow(
        player_id=player_id,
        riff_id=riff_id,
        number=number,
        title=riff.title,
        tempo_bpm=riff.tempo_bpm,
        document=riff_document(riff),
        source=source,
        identities=pairs,
        left_out=list(left_out) or None,
        created_at=datetime.now(UTC),
    )
    session.add(row)
    session.flush()
    return _revision(row)


def newest_revision(session: Session, player_id: int, riff_id: int) -> Revision:
    """The riff as it stands. Raises NotFound."""
    query = (
        select(RevisionRow)
        .where(RevisionRow.player_id == player_id, RevisionRow.riff_id == riff_id)
        .order_by(col(RevisionRow.number).desc())
        .limit(1)
    )
    row = session.exec(query).first()
    if row is None:
        raise NotFound("there is no such riff: choose one from the list of riffs")
    return _revision(row)


def get_revision(session: Session, player_id: int, revision_id: int) -> Revision:
    """A certain revision. Raises NotFound."""
    row = session.get(RevisionRow, revision_id)
    if row is None or row.player_id != player_id:
        raise NotFound("there is no such revision of a riff")
    return _revision(row)


@dataclass(frozen=True, slots=True, kw_only=True)
class RevisionStanding:
    """A revision as it stands in a riff's history."""

    revision: Revision
    written_at: datetime
    takes: int


def history(session: Session, player_id: int, riff_id: int) -> list[RevisionStanding]:
    """The revisions of a riff, the newest first, forty at most. Raises NotFound."""
    newest_revision(session, player_id, riff_id)
    counted = (
        sa.select(sa.func.count())
        .where(col(TakeRow.revision_id) == col(RevisionRow.id))
        .scalar_subquery()
    )
    rows = session.execute(
        sa.select(RevisionRow, counted)
        .where(col(RevisionRow.player_id) == player_id, col(RevisionRow.riff_id) == riff_id)
        .order_by(col(RevisionRow.number).desc())
        .limit(MAX_REVISIONS)
    ).all()
    return [
        RevisionStanding(revision=_revision(row), written_at=row.created_at, takes=takes)
        for row, takes in rows
    ]


def set_archived(session: Session, player_id: int, riff_id: int, *, archived: bool) -> None:
    """Puts a riff away, or takes it out again. Raises NotFound."""
    row = own_riff(session, player_id, riff_id)
    row.archived_at = datetime.now(UTC) if archived else None
    session.add(row)


def is_archived(session: Session, player_id: int, riff_id: int) -> bool:
    """Whether a riff is put away."""
    row = session.get(RiffRow, riff_id)
    return row is not None and row.player_id == player_id and row.archived_at is not None


def own_riff(session: Session, player_id: int, riff_id: int, *, lock: bool = False) -> RiffRow:
    """The riff's row, if wanted locked until the transaction ends. Raises NotFound for one that is
    not there or not this player's.
    """
    locked = {"key_share": True} if lock else None
    row = session.get(RiffRow, riff_id, with_for_update=locked, populate_existing=lock)
    if row is None or row.player_id != player_id:
        raise NotFound("there is no such riff: choose one from the list of riffs")
    return row


def delete_riff(session: Session, player_id: int, riff_id: int) -> None:
    """Removes a riff with its revisions, takes and readings. Raises NotFound."""
    gone = session.execute(
        sa.delete(RiffRow)
        .where(col(RiffRow.id) == riff_id, col(RiffRow.player_id) == player_id)
        .returning(col(RiffRow.id))
    )
    if gone.first() is None:
        raise NotFound("there is no such riff: choose one from the list of riffs")


def newest_of_each(
    player_id: int, title: str = "", *, tag: str = "", archived: bool | None = None
) -> Any:
    """Id of the newest revision of each riff whose present title holds `title`, or that has it as a
    tag, as a query over riff and revision id. `tag`: only those with it; `archived`: only those
    that are put away or only the others, None for all.
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
    """How many riffs there are whose title or tag is `title`, put away or not."""
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
    last = {
        row[0]: row[1:]
        for row in session.exec(_last_read(player_id).where(col(TakeRow.riff_id).in_(ids))).all()
    }
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
                revision=_revision(row),
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


def _last_read(player_id: int) -> Any:
    """The newest take of each riff that was read, with its newest reading's verdict; without one
    while it is judged again.
    """
    shown = is_current()
    return (
        sa.select(
            col(TakeRow.riff_id),
            col(TakeRow.id),
            col(TakeRow.created_at),
            sa.case((shown, col(ReadingRow.verdict))).label("verdict"),
            sa.case((shown, col(ReadingRow.clean))).label("clean"),
            sa.case((shown, col(ReadingRow.judged))).label("judged"),
        )
        .join(ReadingRow, col(ReadingRow.take_id) == TakeRow.id)
        .where(col(TakeRow.player_id) == player_id)
        .ext(distinct_on(col(TakeRow.riff_id)))
        .order_by(col(TakeRow.riff_id), col(TakeRow.created_at).desc(), col(ReadingRow.id).desc())
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class RiffFacts:
    """What choosing the next riff needs of each: never the riff itself."""

    riff_id: int
    last_played: datetime | None
    clean: int | None
    judged: int | None


def riff_facts(session: Session, player_id: int) -> list[RiffFacts]:
    """All riffs that are not put away, oldest first."""
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

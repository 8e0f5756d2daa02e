"""Riffs and their revisions. Functions take the session and the player first, and never commit."""

import json
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from functools import lru_cache

import sqlalchemy as sa
from sqlmodel import Session, col, select

from thrumble.core.errors import NotFound
from thrumble.core.riff.editing.revisions import map_identities
from thrumble.core.riff.model import HitIdentity, Riff
from thrumble.formats.riff_json import riff_document, riff_from_document
from thrumble.store.riffs.tables import RevisionRow, RiffRow
from thrumble.store.takes.tables import TakeRow

MAX_REVISIONS = 40


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


def revision_from(row: RevisionRow) -> Revision:
    """A revision as it is stored."""
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
    """A new riff with its first revision. `left_out`: what the imported file holds that the riff
    can't.
    """
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
    return revision_from(row)


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
    return revision_from(row)


def get_revision(session: Session, player_id: int, revision_id: int) -> Revision:
    """A certain revision. Raises NotFound."""
    row = session.get(RevisionRow, revision_id)
    if row is None or row.player_id != player_id:
        raise NotFound("there is no such revision of a riff")
    return revision_from(row)


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
        RevisionStanding(revision=revision_from(row), written_at=row.created_at, takes=takes)
        for row, takes in rows
    ]


def set_archived(session: Session, player_id: int, riff_id: int, *, archived: bool) -> None:
    """Puts a riff away, or takes it out again. Raises NotFound."""
    row = own_riff(session, player_id, riff_id)
    row.archived_at = datetime.now(UTC) if archived else None
    session.add(row)


def is_archived(session: Session, player_id: int, riff_id: int) -> bool:
    """Whether a riff is archived."""
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

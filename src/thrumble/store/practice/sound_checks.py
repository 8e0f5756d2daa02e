"""Sound checks that were counted. Functions take the session and the player first, and never
commit.
"""

from dataclasses import asdict, dataclass
from datetime import UTC, datetime

import sqlalchemy as sa
from sqlmodel import Session, col, select

from thrumble.core.errors import NotFound
from thrumble.core.riff.model import Riff
from thrumble.core.sound_check.score import CheckHit
from thrumble.core.takes import TakeState
from thrumble.store.players import players
from thrumble.store.practice.tables import SoundCheckRow
from thrumble.store.riffs import riffs
from thrumble.store.riffs.tables import RiffRow
from thrumble.store.rig.tables import ExampleRow
from thrumble.store.takes.tables import TakeRow

MARK = "sound-check"  # of the riff that sound checks are takes of; it stands with no other riff


@dataclass(frozen=True, slots=True, kw_only=True)
class SoundCheck:
    """A sound check as counted. `struck`: indices of hits that the player says went wrong;
    `examples`: those kept of it.
    """

    take_id: int
    tone_id: int | None
    engine: str
    hits: tuple[CheckHit, ...]
    struck: frozenset[int]
    examples: tuple[int, ...]
    created_at: datetime


def check_riff_of(session: Session, player_id: int) -> int | None:
    """The riff that this player's sound checks are takes of; None before the first. Where two tabs
    made one each, the older one.
    """
    marked = select(RiffRow.id).where(RiffRow.player_id == player_id, RiffRow.drill_kind == MARK)
    return session.exec(marked.order_by(col(RiffRow.id)).limit(1)).first()


def is_check(session: Session, player_id: int, riff_id: int) -> bool:
    """Whether takes of a riff are sound checks. Raises NotFound."""
    return riffs.own_riff(session, player_id, riff_id).drill_kind == MARK


def keep_check_riff(session: Session, player_id: int, riff: Riff, source: str) -> int:
    """That riff as it stands now. If there is none yet, it is made and archived, so that it isn't
    listed among the player's own.
    """
    players.lock(session, player_id)  # one riff, however many ask
    there = check_riff_of(session, player_id)
    if there is not None:
        riffs.add_revision(session, player_id, there, riff, source)
        return there
    made = riffs.add_riff(session, player_id, riff, source)
    row = riffs.own_riff(session, player_id, made.riff_id)
    row.drill_kind = MARK
    row.archived_at = datetime.now(UTC)
    session.add(row)
    session.flush()
    return made.riff_id


def waiting_checks(session: Session, player_id: int) -> list[int]:
    """Takes of sound checks that were read and not counted yet, the newest first."""
    query = (
        select(TakeRow.id)
        .join(RiffRow, col(RiffRow.id) == col(TakeRow.riff_id))
        .join(SoundCheckRow, col(SoundCheckRow.take_id) == col(TakeRow.id), isouter=True)
        .where(
            TakeRow.player_id == player_id,
            RiffRow.drill_kind == MARK,
            TakeRow.state == TakeState.READ,
            col(SoundCheckRow.id).is_(None),
        )
        .order_by(col(TakeRow.id).desc())
    )
    return [take_id for take_id in session.exec(query) if take_id is not None]


def put_check(
    session: Session,
    player_id: int,
    take_id: int,
    *,
    tone_id: int | None,
    engine: str,
    hits: list[CheckHit],
) -> None:
    """Keeps what was heard in a sound check, in place of what an earlier ear heard; what the player
    struck out stays.
    """
    row = _row(session, player_id, take_id) or SoundCheckRow(
        player_id=player_id,
        take_id=take_id,
        tone_id=tone_id,
        engine=engine,
        hits=[],
        struck=[],
        examples=[],
        created_at=datetime.now(UTC),
    )
    row.engine, row.hits = engine, [asdict(hit) for hit in hits]
    session.add(row)
    session.flush()


def _row(session: Session, player_id: int, take_id: int) -> SoundCheckRow | None:
    query = select(SoundCheckRow).where(
        SoundCheckRow.player_id == player_id, SoundCheckRow.take_id == take_id
    )
    return session.exec(query).first()


def _check_of(session: Session, player_id: int, take_id: int) -> SoundCheckRow:
    row = _row(session, player_id, take_id)
    if row is None:
        raise NotFound("this take isn't a sound check that was counted: see How sure is it?")
    return row


def get_check(session: Session, player_id: int, take_id: int) -> SoundCheck:
    """A sound check. Raises NotFound."""
    return _sound_check(_check_of(session, player_id, take_id))


def _sound_check(row: SoundCheckRow) -> SoundCheck:
    return SoundCheck(
        take_id=row.take_id,
        tone_id=row.tone_id,
        engine=row.engine,
        hits=tuple(CheckHit(**hit) for hit in row.hits),
        struck=frozenset(row.struck),
        examples=tuple(row.examples),
        created_at=row.created_at,
    )


def checks_of(session: Session, player_id: int) -> list[SoundCheck]:
    """All sound checks of a player, the newest first."""
    query = select(SoundCheckRow).where(SoundCheckRow.player_id == player_id)
    return [_sound_check(row) for row in session.exec(query.order_by(col(SoundCheckRow.id).desc()))]


def strike(session: Session, player_id: int, take_id: int, index: int, *, out: bool) -> None:
    """Strikes a hit out of a sound check, or takes it back in. Raises NotFound."""
    row = _check_of(session, player_id, take_id)
    if index not in {hit["index"] for hit in row.hits}:
        raise NotFound("this sound check has no such hit")
    others = [index_struck for index_struck in row.struck if index_struck != index]
    row.struck = sorted([*others, index] if out else others)
    session.add(row)
    session.flush()


def put_examples(session: Session, player_id: int, take_id: int, examples: list[int]) -> None:
    """Notes which examples its hits were kept as; those noted before are dropped."""
    row = _check_of(session, player_id, take_id)
    gone = [example for example in row.examples if example not in examples]
    session.execute(
        sa.delete(ExampleRow).where(
            col(ExampleRow.player_id) == player_id, col(ExampleRow.id).in_(gone)
        )
    )
    row.examples = examples
    session.add(row)
    session.flush()

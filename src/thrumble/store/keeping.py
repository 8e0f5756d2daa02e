"""The player's rule for the sound of takes, what it is asked about, and letting go."""

from dataclasses import asdict
from datetime import UTC, datetime
from typing import Any

import sqlalchemy as sa
from sqlalchemy.dialects.postgresql import insert
from sqlmodel import Session, col, select

from thrumble.core.keeping import KeepingRule, KeptSound
from thrumble.core.takes import TakeState
from thrumble.store.notes import is_starred
from thrumble.store.practice_tables import KeepingRow, TurnRow
from thrumble.store.tables import AudioRow, TakeRow


def rule_of(session: Session, player_id: int) -> KeepingRule:
    """The player's rule, or the usual one, which keeps everything."""
    row = session.get(KeepingRow, player_id)
    if row is None:
        return KeepingRule()
    return KeepingRule(tidy=row.tidy, last=row.last, days=row.days, limit_gb=row.limit_gb)


def keep_rule(session: Session, player_id: int, rule: KeepingRule) -> None:
    """Keeps it instead of what was. Raises BadInput."""
    values = asdict(rule.checked())
    new = insert(KeepingRow).values(player_id=player_id, **values)
    session.execute(new.on_conflict_do_update(index_elements=["player_id"], set_=values))


def players_with_rules(session: Session) -> list[int]:
    """Those whose rule may let something go."""
    rules = sa.or_(col(KeepingRow.tidy), col(KeepingRow.limit_gb).is_not(None))
    return list(session.exec(select(KeepingRow.player_id).where(rules)))


def sounds_of(session: Session, player_id: int) -> list[KeptSound]:
    """All sound of a player's takes. That of fair trials, and of takes that are not read, is
    held.
    """
    place = sa.func.row_number().over(
        partition_by=col(TakeRow.riff_id), order_by=col(TakeRow.id).desc()
    )
    tried = sa.exists().where(col(TurnRow.take_id) == col(TakeRow.id))
    columns: tuple[Any, ...] = (
        TakeRow.id,
        place,
        TakeRow.created_at,
        TakeRow.audio_bytes,
        is_starred(col(TakeRow.id)),
        sa.or_(tried, col(TakeRow.state) != TakeState.READ),
    )
    query = sa.select(*columns).where(col(TakeRow.player_id) == player_id)
    return [
        KeptSound(
            take_id=take_id, place=number, played_at=at, size=size, starred=starred, held=held
        )
        for take_id, number, at, size, starred, held in session.execute(query)
        if size
    ]


def let_go(session: Session, player_id: int, take_ids: list[int]) -> None:
    """Drops the sound of takes; everything that was heard in it stays."""
    mine = (col(TakeRow.player_id) == player_id, col(TakeRow.id).in_(take_ids))
    session.execute(
        sa.delete(AudioRow).where(
            col(AudioRow.player_id) == player_id, col(AudioRow.take_id).in_(take_ids)
        )
    )
    session.execute(
        sa.update(TakeRow).where(*mine).values(audio_bytes=0, let_go_at=datetime.now(UTC))
    )

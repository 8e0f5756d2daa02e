"""The player's storage rule for the audio of takes: what it applies to, deleting and restoring."""

from dataclasses import asdict
from datetime import datetime
from typing import Any

import sqlalchemy as sa
from sqlalchemy.dialects.postgresql import insert
from sqlmodel import Session, col, select

from thrumble.core.storage_rule import KeepingRule, KeptSound
from thrumble.core.takes import TakeState
from thrumble.store.practice.tables import TurnRow
from thrumble.store.takes.notes import is_starred
from thrumble.store.takes.tables import AudioRow, KeepingRow, TakeRow


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
    """The players whose storage rule may delete something."""
    rules = sa.or_(col(KeepingRow.tidy), col(KeepingRow.limit_gb).is_not(None))
    return list(session.exec(select(KeepingRow.player_id).where(rules)))


def sounds_of(session: Session, player_id: int) -> list[KeptSound]:
    """All audio of a player's takes that is not deleted. Audio of a comparison of two ways, and of
    takes that are not analysed or are in the queue, is held.
    """
    place = sa.func.row_number().over(
        partition_by=col(TakeRow.riff_id), order_by=col(TakeRow.id).desc()
    )
    columns: tuple[Any, ...] = (
        TakeRow.id,
        place,
        TakeRow.created_at,
        TakeRow.audio_bytes,
        is_starred(col(TakeRow.id)),
        sa.not_(_released()),
    )
    query = sa.select(*columns).where(
        col(TakeRow.player_id) == player_id, col(TakeRow.let_go_at).is_(None)
    )
    return [
        KeptSound(
            take_id=take_id, place=number, played_at=at, size=size, starred=starred, held=held
        )
        for take_id, number, at, size, starred, held in session.execute(query)
        if size
    ]


def _released() -> sa.ColumnElement[bool]:
    """Whether nothing but the rule's own numbers holds a take's audio."""
    in_trial = sa.exists().where(col(TurnRow.take_id) == col(TakeRow.id))
    return sa.and_(sa.not_(in_trial), col(TakeRow.state) == TakeState.READ)


def lock_takes(session: Session, player_id: int, take_ids: list[int]) -> None:
    """Locks takes in the order of their ids, so that nothing about them changes until the
    transaction ends: stars, turns of a trial and analyses take the same lock.
    """
    session.execute(
        sa.select(col(TakeRow.id))
        .where(col(TakeRow.player_id) == player_id, col(TakeRow.id).in_(take_ids))
        .order_by(col(TakeRow.id))
        .with_for_update(key_share=True)
    )


def delete_audio(session: Session, player_id: int, take_ids: list[int], now: datetime) -> list[int]:
    """Deletes the audio of those takes that nothing holds any more; which ones these are. It can be
    restored for `GRACE`. The takes have to be locked; decision and deletion are one statement.
    """
    query = (
        sa.update(TakeRow)
        .where(
            col(TakeRow.player_id) == player_id,
            col(TakeRow.id).in_(take_ids),
            col(TakeRow.let_go_at).is_(None),
            _released(),
            sa.not_(is_starred(col(TakeRow.id))),
        )
        .values(let_go_at=now)
        .returning(col(TakeRow.id))
    )
    return sorted(session.execute(query).scalars())


def restore_audio(session: Session, player_id: int, take_id: int) -> bool:
    """Brings back audio that the rule deleted; false if there is nothing to bring back. The take
    has to be locked.
    """
    query = (
        sa.update(TakeRow)
        .where(
            col(TakeRow.player_id) == player_id,
            col(TakeRow.id) == take_id,
            col(TakeRow.let_go_at).is_not(None),
            col(TakeRow.audio_bytes) > 0,
        )
        .values(let_go_at=None)
        .returning(col(TakeRow.id))
    )
    return session.execute(query).first() is not None


def deleted_audio(session: Session, player_id: int) -> list[tuple[int, int]]:
    """Takes whose audio can still be restored, with its bytes, the last deleted first."""
    query = (
        sa.select(col(TakeRow.id), col(TakeRow.audio_bytes))
        .where(
            col(TakeRow.player_id) == player_id,
            col(TakeRow.let_go_at).is_not(None),
            col(TakeRow.audio_bytes) > 0,
        )
        .order_by(col(TakeRow.let_go_at).desc(), col(TakeRow.id).desc())
    )
    return [(take_id, size) for take_id, size in session.execute(query)]


def purge_audio(session: Session, before: datetime, at_least: int | None = None) -> int:
    """Removes deleted audio for good, the oldest first: all that was deleted before a moment, or as
    many bytes as are needed. Returns the bytes freed. Takes that are locked just now are left for
    next time.
    """
    deleted = (
        sa.select(col(TakeRow.id), col(TakeRow.audio_bytes))
        .where(
            col(TakeRow.let_go_at).is_not(None),
            col(TakeRow.let_go_at) < before,
            col(TakeRow.audio_bytes) > 0,
        )
        .order_by(col(TakeRow.let_go_at), col(TakeRow.id))
        .with_for_update(skip_locked=True)
    )
    freed, gone = 0, []
    for take_id, size in session.execute(deleted):
        if at_least is not None and freed >= at_least:
            break
        gone.append(take_id)
        freed += size
    session.execute(sa.delete(AudioRow).where(col(AudioRow.take_id).in_(gone)))
    session.execute(sa.update(TakeRow).where(col(TakeRow.id).in_(gone)).values(audio_bytes=0))
    return freed

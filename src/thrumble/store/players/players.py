"""Players and what belongs to the whole installation."""

import secrets
from datetime import UTC, datetime

import sqlalchemy as sa
from sqlalchemy.dialects.postgresql import insert
from sqlmodel import Session, col, select

from thrumble.store.players.tables import Installation, PlayerRow, Signing

LOCAL = "Local player"


def local_player(session: Session) -> int:
    """The one implicit player, made at the first call."""
    player_id_found = session.exec(select(PlayerRow.id).order_by(PlayerRow.id)).first()  # type: ignore[arg-type]
    if player_id_found is not None:
        return player_id_found
    session.execute(
        sa.text("select pg_advisory_xact_lock(7413)")
    )  # two first requests at once are one player
    player_id_found = session.exec(select(PlayerRow.id).order_by(PlayerRow.id)).first()  # type: ignore[arg-type]
    if player_id_found is not None:
        return player_id_found
    row = PlayerRow(name=LOCAL, created_at=datetime.now(UTC))
    session.add(row)
    session.flush()
    assert row.id is not None
    return row.id


def lock(session: Session, player_id: int) -> None:
    """Holds the player's row until the transaction ends, for what a player has one of."""
    session.execute(
        sa.select(col(PlayerRow.id))
        .where(col(PlayerRow.id) == player_id)
        .with_for_update(key_share=True)
    )


def secret(session: Session) -> str:
    """What signs this installation's cookies and tokens; made at the first call."""
    session.execute(
        insert(Signing)
        .values(key="secret", value=secrets.token_urlsafe(32))
        .on_conflict_do_nothing()
    )
    return session.exec(select(Signing.value).where(Signing.key == "secret")).one()


def is_marked(session: Session, key: str) -> bool:
    """Whether the installation carries a mark, such as that the demo was filled."""
    return session.get(Installation, key) is not None


def mark(session: Session, key: str) -> None:
    """Sets a mark."""
    session.merge(Installation(key=key, value=datetime.now(UTC).isoformat()))

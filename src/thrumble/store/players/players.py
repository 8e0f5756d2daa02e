"""Players and what belongs to the whole installation."""

import secrets
from dataclasses import dataclass
from datetime import UTC, datetime
from uuid import UUID, uuid4

import sqlalchemy as sa
from sqlalchemy.dialects.postgresql import insert
from sqlmodel import Session, col, select

from thrumble.core.errors import BadInput, NotFound
from thrumble.store import queue
from thrumble.store.players.tables import Installation, PlayerRow, Signing

FIRST_NAME = "You"
MAX_NAME = 60
MAX_PLAYERS = 200
GONE = "this player isn't here any more: reload the page and choose who plays"


@dataclass(frozen=True, slots=True, kw_only=True)
class Player:
    """A player of this installation. `is_sample`: the sample data, nobody's own; `key`: the same in
    every installation that the player's data is taken to; `used_at`: when they were chosen last;
    `pin`: its argon2id hash, None if anyone here may play as them.
    """

    id: int
    name: str
    key: UUID
    is_sample: bool
    created_at: datetime
    used_at: datetime | None
    pin: str | None


def _player(row: PlayerRow) -> Player:
    assert row.id is not None
    return Player(
        id=row.id,
        name=row.name,
        key=row.key,
        is_sample=row.is_sample,
        created_at=row.created_at,
        used_at=row.used_at,
        pin=row.pin,
    )


def all_players(session: Session) -> list[Player]:
    """Everybody's own places, the one used last first, then the sample."""
    query = select(PlayerRow).order_by(
        col(PlayerRow.is_sample), col(PlayerRow.used_at).desc().nulls_last(), col(PlayerRow.id)
    )
    return [_player(row) for row in session.exec(query)]


def find_player(session: Session, chosen: int | None) -> Player | None:
    """The player that a browser has chosen; without a choice, or if that player is gone, the one
    used last, or the sample as long as nobody has a place of their own. None if there is nobody.
    """
    row = None if chosen is None else session.get(PlayerRow, chosen)
    if row is not None:
        return _player(row)
    return next(iter(all_players(session)), None)


def local_player(session: Session) -> int:
    """The player of whoever has chosen none; made if there is nobody yet."""
    player = find_player(session, None)
    if player is not None:
        return player.id
    session.execute(
        sa.text("select pg_advisory_xact_lock(7413)")
    )  # two first requests at once are one player
    player = find_player(session, None) or add_player(session, FIRST_NAME)
    return player.id


def player_with_key(session: Session, key: UUID) -> Player | None:
    """A player who was brought here from another installation, or was always here."""
    row = session.exec(select(PlayerRow).where(PlayerRow.key == key)).first()
    return None if row is None else _player(row)


def get_player(session: Session, player_id: int) -> Player:
    """A player. Raises NotFound."""
    row = session.get(PlayerRow, player_id)
    if row is None:
        raise NotFound(GONE)
    return _player(row)


def add_player(
    session: Session, name: str, *, is_sample: bool = False, key: UUID | None = None
) -> Player:
    """A new player with nothing in their place. Raises BadInput for a name that can't be shown, or
    if there are too many players.
    """
    count = session.exec(select(sa.func.count()).select_from(PlayerRow)).one()
    if count >= MAX_PLAYERS:
        raise BadInput(f"this machine has {MAX_PLAYERS} players: delete one first")
    row = PlayerRow(
        name=check_name(name),
        key=key or uuid4(),
        is_sample=is_sample,
        created_at=datetime.now(UTC),
    )
    session.add(row)
    session.flush()
    return _player(row)


def check_name(name: str) -> str:
    """The name without blanks at its ends. Raises BadInput."""
    name = " ".join(name.split())
    if not 1 <= len(name) <= MAX_NAME or not name.isprintable():
        raise BadInput(f"a name has 1 to {MAX_NAME} letters")
    return name


def rename_player(session: Session, player_id: int, name: str) -> None:
    """Raises NotFound, BadInput."""
    _row(session, player_id).name = check_name(name)
    session.flush()


def use_player(session: Session, player_id: int) -> None:
    """Remembers who plays now. Raises NotFound."""
    _row(session, player_id).used_at = datetime.now(UTC)
    session.flush()


def set_pin(session: Session, player_id: int, pin: str | None) -> None:
    """`pin`: its hash. Raises NotFound."""
    _row(session, player_id).pin = pin
    session.flush()


def delete_player(session: Session, player_id: int) -> None:
    """Deletes a player with everything that is theirs: every table goes by its owner, and the jobs
    of their takes leave the queue. Raises NotFound.
    """
    row = _row(session, player_id)
    queue.drop_jobs_of(session, player_id)
    session.delete(row)
    session.flush()


def _row(session: Session, player_id: int) -> PlayerRow:
    row = session.get(PlayerRow, player_id, with_for_update=True)
    if row is None:
        raise NotFound("there is no such player: choose one from the list")
    return row


def lock(session: Session, player_id: int) -> None:
    """Locks the player's row until the transaction ends, so that two requests can't both create
    what a player has only one of.
    """
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

"""The space that takes need, the limit the installation sets, and what the disk has left."""

from dataclasses import dataclass
from datetime import UTC, datetime
from enum import StrEnum

import sqlalchemy as sa
from sqlmodel import Session, select

from thrumble.core.errors import NoSpace
from thrumble.settings import settings
from thrumble.store.takes.storage import purge_audio
from thrumble.store.takes.tables import ChunkRow, TakeRow

NEARLY = 0.9


class Room(StrEnum):
    """How much room there is for further takes."""

    PLENTY = "plenty"
    SHORT = "short"
    NONE = "none"


@dataclass(frozen=True, slots=True, kw_only=True)
class Space:
    """Bytes of sound of all players, the limit, and how that stands."""

    takes: int
    used_bytes: int
    limit_bytes: int

    @property
    def room(self) -> Room:
        if self.used_bytes >= self.limit_bytes:
            return Room.NONE
        return Room.SHORT if self.used_bytes >= NEARLY * self.limit_bytes else Room.PLENTY


def space(session: Session, player_id: int | None = None) -> Space:
    """Sound kept by one player, or by all."""
    mine = [] if player_id is None else [TakeRow.player_id == player_id]
    count, audio = session.exec(
        select(sa.func.count(), sa.func.coalesce(sa.func.sum(TakeRow.audio_bytes), 0))
        .select_from(TakeRow)
        .where(*mine)
    ).one()
    owner = [] if player_id is None else [ChunkRow.player_id == player_id]
    chunks = session.exec(
        select(sa.func.coalesce(sa.func.sum(sa.func.octet_length(ChunkRow.data)), 0)).where(*owner)
    ).one()
    return Space(
        takes=count,
        used_bytes=int(audio) + int(chunks),
        limit_bytes=round(settings().most_take_gb * 1e9),
    )


def check_room(session: Session) -> None:
    """Raises NoSpace if takes have reached the limit: nothing new is begun, what is on its way
    still arrives. Audio that could still be restored makes room first.
    """
    now = space(session)
    if now.room is Room.NONE:
        needed = now.used_bytes - round(NEARLY * now.limit_bytes)
        if purge_audio(session, datetime.now(UTC), at_least=needed):
            now = space(session)
    if now.room is Room.NONE:
        raise NoSpace(
            f"takes fill the {now.limit_bytes / 1e9:g} GB that this installation allows them: "
            "delete takes you no longer need, "
            "or raise THRUMBLE_MOST_TAKE_GB"
        )


def stored_bytes(session: Session) -> int:
    """Size of the whole database on disk."""
    return int(session.execute(sa.text("select pg_database_size(current_database())")).scalar_one())

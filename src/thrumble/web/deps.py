"""What endpoints ask for: the session of the request's transaction, and the player."""

from collections.abc import Iterator
from typing import Annotated

from fastapi import Depends
from sqlmodel import Session

from thrumble.store import database, players


def _session() -> Iterator[Session]:
    with database.session() as session:
        yield session


# scope "function": committed before the answer leaves, so that the next request sees what this one did
DbSession = Annotated[Session, Depends(_session, scope="function")]


def _player(session: DbSession) -> int:
    return players.local_player(session)


PlayerId = Annotated[int, Depends(_player)]

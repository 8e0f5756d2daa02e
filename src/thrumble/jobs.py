"""The queue: task names, and putting a job into the caller's own transaction. Same PostgreSQL as everything else."""

from functools import lru_cache

import procrastinate
from sqlmodel import Session

from thrumble.settings import database_url

READ_TAKE = "read_take"
QUEUE = "readings"


def conninfo() -> str:
    """The database's address as psycopg writes it."""
    return database_url().replace("postgresql+psycopg:", "postgresql:")


@lru_cache
def _queue() -> procrastinate.App:
    queue = procrastinate.App(connector=procrastinate.SyncPsycopgConnector(conninfo=conninfo()))
    queue.open()
    return queue


def enqueue_reading(session: Session, take_id: int) -> None:
    """Asks for a reading of a take, in the session's transaction: both happen, or neither."""
    connection = session.connection().connection.driver_connection
    _queue().configure_task(READ_TAKE, queue=QUEUE, connection=connection).defer(take_id=take_id)

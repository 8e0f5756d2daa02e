"""The queue: task names, and putting a job into the caller's own transaction. Same PostgreSQL as everything else."""

from functools import lru_cache

import procrastinate
import sqlalchemy as sa
from procrastinate.exceptions import ConnectorException
from sqlmodel import Session

from thrumble.core.errors import Away
from thrumble.settings import database_url

READ_TAKE = "read_take"
QUEUE = "readings"


def conninfo() -> str:
    """The database's address as psycopg writes it."""
    return database_url().replace("postgresql+psycopg:", "postgresql:")


@lru_cache
def _queue() -> procrastinate.App:
    return procrastinate.App(connector=procrastinate.SyncPsycopgConnector(conninfo=conninfo()))


def enqueue_reading(session: Session, take_id: int) -> None:
    """Asks for a reading of a take, in the session's transaction: both happen, or neither. One that waits already is not asked for twice.

    Of one take never more than one reading runs at a time, and one waits.
    """
    take = f"take-{take_id}"
    waits = sa.text("select exists (select 1 from procrastinate_jobs where queueing_lock = :take and status = 'todo')")
    if session.execute(waits, {"take": take}).scalar_one():
        return
    connection = session.connection().connection.driver_connection
    task = _queue().configure_task(READ_TAKE, queue=QUEUE, lock=take, queueing_lock=take, connection=connection)
    try:
        task.defer(take_id=take_id)
    except ConnectorException as error:
        raise Away("the database is away, trying again") from error

"""The queue: task names, and putting a job into the caller's own transaction. Same PostgreSQL as
everything else.
"""

from functools import lru_cache

import procrastinate
import sqlalchemy as sa
from procrastinate.exceptions import ConnectorException
from sqlmodel import Session

from thrumble.core.errors import Away
from thrumble.settings import database_url

READ_TAKE = "read_take"
QUEUE = "readings"
UPKEEP = "upkeep"  # nightly copies, tidying up: beside the takes, never before them


def conninfo() -> str:
    """The database's address as psycopg writes it."""
    return database_url().replace("postgresql+psycopg:", "postgresql:")


@lru_cache
def _queue() -> procrastinate.App:
    return procrastinate.App(connector=procrastinate.SyncPsycopgConnector(conninfo=conninfo()))


_MANY = """
select procrastinate_defer_jobs_v1(array_agg(
  row(:queue, :task, 0, 'take-' || id, 'take-' || id, jsonb_build_object('take_id', id), null)
    ::procrastinate_job_to_defer_v1))
from unnest(cast(:ids as integer[])) as id
where not exists (
  select 1 from procrastinate_jobs jobs
  where jobs.queueing_lock = 'take-' || id and jobs.status = 'todo')
having count(*) > 0
"""


def enqueue_readings(session: Session, take_ids: list[int]) -> None:
    """Asks for readings of many takes with one statement; as `enqueue_reading` for each."""
    session.execute(sa.text(_MANY), {"queue": QUEUE, "task": READ_TAKE, "ids": take_ids})


def enqueue_reading(session: Session, take_id: int) -> None:
    """Asks for a reading of a take, in the session's transaction: both happen, or neither. One that
    waits already is not asked for twice.

    Of one take never more than one reading runs at a time, and one waits.
    """
    take = f"take-{take_id}"
    waits = sa.text(
        "select exists (select 1 from procrastinate_jobs where queueing_lock = :take and status = "
        "'todo')"
    )
    if session.execute(waits, {"take": take}).scalar_one():
        return
    connection = session.connection().connection.driver_connection
    task = _queue().configure_task(
        READ_TAKE, queue=QUEUE, lock=take, queueing_lock=take, connection=connection
    )
    try:
        task.defer(take_id=take_id)
    except ConnectorException as error:
        raise Away("the database is away, trying again") from error

"""Takes and the queue's jobs held against each other. The queue's tables are procrastinate's; this
is the one place that looks into them.
"""

from dataclasses import dataclass

import sqlalchemy as sa
from sqlmodel import Session

ALIVE_S = 10.0  # a worker beats every two seconds; one silent for so long is gone
LOCK = 7412

_DEAD = """
select jobs.id from procrastinate_jobs jobs
left join procrastinate_workers workers on workers.id = jobs.worker_id
where jobs.status = 'doing'
  and (workers.id is null or workers.last_heartbeat < now() - make_interval(secs => :alive_s))
"""
_IDLE = """
select take.id, take.player_id, take.tries from take
where take.state in ('queued', 'reading')
  and not exists (
    select 1 from procrastinate_jobs jobs
    where jobs.status in ('todo', 'doing') and jobs.args ->> 'take_id' = take.id::text
  )
order by take.id
"""
_LENGTH = """
select count(*) filter (where status = 'todo'), count(*) filter (where status = 'doing'),
       (select extract(epoch from now() - max(last_heartbeat)) from procrastinate_workers)
from procrastinate_jobs
"""


@dataclass(frozen=True, slots=True, kw_only=True)
class IdleTake:
    """A take that waits, with no job that would ever read it."""

    take_id: int
    player_id: int
    tries: int


@dataclass(frozen=True, slots=True, kw_only=True)
class QueueState:
    """How the queue stands. `heartbeat_s`: seconds since the last sign of any worker, None where
    none ever signed.
    """

    waiting: int
    working: int
    heartbeat_s: float | None


def only_one(session: Session) -> bool:
    """Whether this transaction alone may bring takes and jobs together now."""
    return bool(
        session.execute(
            sa.text("select pg_try_advisory_xact_lock(:lock)"), {"lock": LOCK}
        ).scalar_one()
    )


def dead_jobs(session: Session) -> set[int]:
    """Jobs in the hands of a worker that gives no sign of life."""
    return set(session.execute(sa.text(_DEAD), {"alive_s": ALIVE_S}).scalars())


def drop_jobs(session: Session, job_ids: set[int]) -> None:
    """Takes jobs off the queue; their takes then wait without one and get a new one."""
    session.execute(
        sa.text("delete from procrastinate_jobs where id = any(:ids)"), {"ids": list(job_ids)}
    )


def drop_jobs_of(session: Session, player_id: int) -> None:
    """Takes all jobs of a player's takes off the queue, with what it remembers of them."""
    session.execute(
        sa.text(
            "delete from procrastinate_jobs where args ->> 'take_id' in "
            "(select id::text from take where player_id = :player)"
        ),
        {"player": player_id},
    )


def idle_takes(session: Session) -> list[IdleTake]:
    """Takes that wait for a reading, or are marked as being read, without a job."""
    return [
        IdleTake(take_id=t, player_id=p, tries=n)
        for t, p, n in session.execute(sa.text(_IDLE)).all()
    ]


def queue_state(session: Session) -> QueueState:
    """Waiting and working jobs, and the last heartbeat."""
    waiting, working, heartbeat = session.execute(sa.text(_LENGTH)).one()
    return QueueState(
        waiting=waiting,
        working=working,
        heartbeat_s=None if heartbeat is None else float(heartbeat),
    )


def prune(session: Session) -> None:
    """Removes what ended more than a week ago, and workers silent for a day."""
    session.execute(
        sa.text(
            "delete from procrastinate_jobs where status not in ('todo', 'doing') and id in "
            "(select job_id from procrastinate_events "
            "group by job_id having max(at) < now() - interval '7 days')"
        )
    )
    session.execute(
        sa.text("delete from procrastinate_workers where last_heartbeat < now() - interval '1 day'")
    )

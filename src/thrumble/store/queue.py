"""The queue's state, and its jobs that go with a player. Jobs are handled by procrastinate's own
calls; its tables are read only here, for what those can't do: one query for a page's figures, and a
deletion in the caller's transaction.
"""

from dataclasses import dataclass

import sqlalchemy as sa
from sqlmodel import Session

from thrumble.jobs import QUEUE

LOCK = 7412
ALIVE_S = 10.0  # a worker's heart beats every two seconds; one silent for so long is gone

_WAITING = """
select id, player_id, tries from take where state in ('queued', 'reading') order by id
"""
_LENGTH = """
select count(*) filter (where status = 'todo'), count(*) filter (where status = 'doing'),
       (select extract(epoch from now() - max(last_heartbeat)) from procrastinate_workers)
from procrastinate_jobs where queue_name = :queue
"""


@dataclass(frozen=True, slots=True, kw_only=True)
class WaitingTake:
    """A take that waits for its analysis. `tries`: how often one began."""

    take_id: int
    player_id: int
    tries: int


@dataclass(frozen=True, slots=True, kw_only=True)
class QueueState:
    """How the queue stands. `heartbeat_s`: seconds since the last sign of any worker, None if
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


def drop_jobs_of(session: Session, player_id: int) -> None:
    """Takes all jobs of a player's takes off the queue, with what it remembers of them."""
    session.execute(
        sa.text(
            "delete from procrastinate_jobs where args ->> 'take_id' in "
            "(select id::text from take where player_id = :player)"
        ),
        {"player": player_id},
    )


def waiting_takes(session: Session) -> list[WaitingTake]:
    """Takes that wait for their analysis, or are marked as being analysed."""
    rows = session.execute(sa.text(_WAITING)).all()
    return [WaitingTake(take_id=t, player_id=p, tries=n) for t, p, n in rows]


def queue_state(session: Session) -> QueueState:
    """Takes waiting and being analysed, and the last heartbeat of any worker."""
    waiting, working, heartbeat = session.execute(sa.text(_LENGTH), {"queue": QUEUE}).one()
    return QueueState(
        waiting=waiting,
        working=working,
        heartbeat_s=None if heartbeat is None else float(heartbeat),
    )

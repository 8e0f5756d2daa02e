"""Brings takes and jobs together again, whatever died in between: at every start, and every few
seconds.
"""

import asyncio

import structlog
from procrastinate.jobs import Status
from procrastinate.manager import JobManager

from thrumble.core.takes import TakeState
from thrumble.jobs import QUEUE, enqueue_reading
from thrumble.store import database, queue
from thrumble.store.takes import takes

log = structlog.get_logger()
MAX_TRIES = 3
WEEK_H = 7 * 24
DAY_S = 24 * 3600.0
SET_ASIDE = (
    "Analysing this take crashed the analyser three times, so we stopped trying. The take is "
    "safe: analyse it again, or download it and report it."
)


async def reconcile(jobs: JobManager, suspects: set[int]) -> set[int]:
    """Takes back jobs of dead workers, and gives every take that waits without a job a new one.
    Returns the jobs to suspect next time.

    suspects : jobs that looked dead last time. Only a job that looks dead twice is taken back: a
    laptop that just woke up has silent workers, too.
    A take whose analysis ended three workers is set aside with its reason.
    """
    stalled = await jobs.get_stalled_jobs(queue=QUEUE, seconds_since_heartbeat=queue.ALIVE_S)
    looks_dead = {job.id: job for job in stalled if job.id is not None}
    for job_id in looks_dead.keys() & suspects:
        await jobs.finish_job(looks_dead[job_id], Status.FAILED, delete_job=True)
    # takes first: one that is handed in between the two lists isn't mistaken for one without a job
    waiting = await asyncio.to_thread(_waiting_ids)
    if waiting:
        held = {
            job.task_kwargs.get("take_id")
            for status in (Status.TODO, Status.DOING)
            for job in await jobs.list_jobs_async(queue=QUEUE, status=status.value)
        }
        if idle := waiting - held:
            await asyncio.to_thread(_queue_again, idle)
    return looks_dead.keys() - suspects


def _waiting_ids() -> set[int]:
    with database.session() as session:
        return {take.take_id for take in queue.waiting_takes(session)}


def _queue_again(idle: set[int]) -> None:
    with database.session() as session:
        if not queue.only_one(session):
            return
        for take in queue.waiting_takes(session):
            if take.take_id not in idle:
                continue
            if take.tries >= MAX_TRIES:
                log.warning("take set aside", take=take.take_id)
                takes.set_state(
                    session, take.player_id, take.take_id, TakeState.FAILED, problem=SET_ASIDE
                )
            else:
                log.info("take queued again", take=take.take_id)
                takes.set_state(session, take.player_id, take.take_id, TakeState.QUEUED)
                enqueue_reading(session, take.take_id)


async def tidy_queue(jobs: JobManager) -> None:
    """Removes jobs that ended more than a week ago, and workers silent for a day."""
    await jobs.delete_old_jobs(
        WEEK_H, include_failed=True, include_cancelled=True, include_aborted=True
    )
    await jobs.prune_stalled_workers(DAY_S)

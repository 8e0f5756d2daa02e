"""One rule that brings takes and jobs together again, whatever died in between: at every start, and
every minute.
"""

import structlog

from thrumble.core.takes import TakeState
from thrumble.jobs import enqueue_reading
from thrumble.store import database, queue
from thrumble.store.takes import takes

log = structlog.get_logger()
MAX_TRIES = 3
SET_ASIDE = (
    "Analysing this take crashed the analyser three times, so we stopped trying. The take is "
    "safe: analyse it again, or download it and report it."
)


def reconcile(suspects: set[int]) -> set[int]:
    """Takes back jobs of dead workers, and gives every take that waits without a job a new one.
    Gives the jobs to suspect next time.

    suspects : jobs that looked dead last time. Only one that looks so twice is taken back: a laptop
    that just woke up has silent workers, too.
    A take whose reading ended three workers is set aside with its reason.
    """
    with database.session() as session:
        if not queue.only_one(session):
            return suspects
        dead = queue.dead_jobs(session)
        queue.drop_jobs(session, dead & suspects)
        for idle in queue.idle_takes(session):
            if idle.tries >= MAX_TRIES:
                log.warning("take set aside", take=idle.take_id)
                takes.set_state(
                    session, idle.player_id, idle.take_id, TakeState.FAILED, problem=SET_ASIDE
                )
            else:
                log.info("take queued again", take=idle.take_id)
                takes.set_state(session, idle.player_id, idle.take_id, TakeState.QUEUED)
                enqueue_reading(session, idle.take_id)
        return dead - suspects


def tidy_queue() -> None:
    """Removes what the queue need not remember."""
    with database.session() as session:
        queue.prune(session)

"""The background worker: reads takes as they come, woken by the queue. Everything heavy is imported
here, at its start.

It outlives the database: if that goes away, it tries again until it is back. It does not outlive
the server that started it.
"""

import asyncio
import contextlib
import ctypes
import os
import signal
import sys
import time
from datetime import UTC, datetime

import procrastinate
import structlog
from procrastinate.exceptions import ProcrastinateException

from thrumble import logs, scratch
from thrumble.actions import takes
from thrumble.actions.coaching import catch_up
from thrumble.actions.copies import copy_if_due
from thrumble.actions.reconcile import reconcile, tidy_queue
from thrumble.actions.storage import apply_rules
from thrumble.core.errors import Away, NotAllowed, NotFound, ThrumbleError
from thrumble.jobs import QUEUE, READ_TAKE, UPKEEP, conninfo
from thrumble.settings import settings

log = structlog.get_logger()
HEARTBEAT_S, STALLED_S = 2.0, 10.0
WATCH_S, RECONCILE_S = 1.0, 5.0
UPKEEP_AT = (
    "*/10 * * * *"  # cron; also soon after a start: a tick up to ten minutes old is made up for
)
FIRST_S = 300.0  # no copy in the first minutes, when a player wants to begin
AGAIN_S = 2.0
GRACE_S = 2.0
PARENT = "THRUMBLE_PARENT"  # the server's process, where one started this worker
PR_SET_PDEATHSIG = 1
NICE = 5  # pages are answered before takes are read


def build(hung: asyncio.Event) -> procrastinate.App:
    """The worker's side of the queue. `hung` is set when a reading did not end in time: its thread
    cannot be stopped, only the process can.
    """
    app = procrastinate.App(
        connector=procrastinate.PsycopgConnector(conninfo=conninfo(), min_size=1, max_size=4)
    )

    @app.task(name=READ_TAKE, queue=QUEUE)
    async def read_take(take_id: int) -> None:
        """Hears one take in a thread, so that heartbeats go on; a fault of our own is told to the
        player, then raised.
        """
        limit_s = settings().read_timeout_s
        try:
            await asyncio.wait_for(asyncio.to_thread(takes.analyse_stored_take, take_id), limit_s)
        except (NotAllowed, NotFound):
            log.info("nothing to read", take=take_id)
        except TimeoutError:
            _fail(
                take_id,
                f"The analysis took more than {limit_s:.0f} seconds, so it was stopped. Cut the "
                "take shorter, or analyse it again.",
            )
            hung.set()
        except Exception:
            _fail(
                take_id,
                "The analysis failed unexpectedly. The take is safe: analyse it again, or "
                "download it and report it.",
            )
            raise

    _add_upkeep(app)
    return app


def _add_upkeep(app: procrastinate.App) -> None:
    """Adds what is done by the clock."""
    began = time.monotonic()

    @app.periodic(cron=UPKEEP_AT)
    @app.task(name="copy_if_due", queue=UPKEEP, queueing_lock="copy", pass_context=False)
    async def nightly_copy(timestamp: int) -> None:  # noqa: ARG001  the queue gives it
        """A copy of everything, if the last one is a day old."""
        if time.monotonic() - began < FIRST_S:
            return
        if path := await asyncio.to_thread(copy_if_due, datetime.now(UTC)):
            log.info("nightly copy written", file=str(path))

    @app.periodic(cron=UPKEEP_AT)
    @app.task(name="tidy_up", queue=UPKEEP, queueing_lock="tidy", pass_context=False)
    async def tidy_up(timestamp: int) -> None:  # noqa: ARG001  the queue gives it
        """Deletes old jobs, and applies the players' storage rules."""
        await tidy_queue(app.job_manager)
        await asyncio.to_thread(apply_rules)


def _fail(take_id: int, problem: str) -> None:
    """Tells the player; if even that is not possible now, `reconcile` takes the take up
    again.
    """
    with contextlib.suppress(ThrumbleError):
        takes.fail_take(take_id, problem)


async def run() -> bool:
    """Works until told to stop (SIGTERM, SIGINT, SIGHUP) or until its server has gone. True if a
    new process has to go on.
    """
    stop, hung = asyncio.Event(), asyncio.Event()
    for sign in (signal.SIGTERM, signal.SIGINT, signal.SIGHUP):
        asyncio.get_running_loop().add_signal_handler(sign, stop.set)
    watch = asyncio.create_task(_watch_parent(stop))
    ends = [asyncio.create_task(stop.wait()), asyncio.create_task(hung.wait())]
    while not stop.is_set() and not hung.is_set():
        try:
            async with build(hung).open_async() as app:
                work = asyncio.create_task(_work(app))
                await asyncio.wait({work, *ends}, return_when=asyncio.FIRST_COMPLETED)
                if not work.done():
                    work.cancel()
                    await asyncio.wait({work}, timeout=GRACE_S)
                elif error := work.exception():
                    log.warning("the queue is away", error=str(error)[:200])
        except (ProcrastinateException, OSError) as error:
            log.warning("the database is away", error=str(error)[:200])
        if not stop.is_set() and not hung.is_set():
            await asyncio.wait(set(ends), timeout=AGAIN_S, return_when=asyncio.FIRST_COMPLETED)
    for task in (watch, *ends):
        task.cancel()
    return hung.is_set() and not stop.is_set()


async def _work(app: procrastinate.App) -> None:
    """One take at a time, upkeep beside it, until one of them ends or fails. The others are not
    waited for longer than GRACE_S: without a database they don't end by themselves.
    """
    coroutines = (_work_off(app, QUEUE), _work_off(app, UPKEEP), _bring_together(app))
    tasks = {asyncio.create_task(coroutine) for coroutine in coroutines}
    try:
        done, _ = await asyncio.wait(tasks, return_when=asyncio.FIRST_COMPLETED)
        for task in done:
            task.result()
    finally:
        for task in tasks:
            task.cancel()
        await asyncio.wait(tasks, timeout=GRACE_S)


async def _work_off(app: procrastinate.App, queue: str) -> None:
    await app.run_worker_async(
        name=queue,
        queues=[queue],
        concurrency=1,
        update_heartbeat_interval=HEARTBEAT_S,
        stalled_worker_timeout=STALLED_S,
        fetch_job_polling_interval=2,
        install_signal_handlers=False,
        listen_notify=True,
        delete_jobs="successful",
    )


async def _watch_parent(stop: asyncio.Event) -> None:
    """Ends the worker when its server has gone, also if the system's own signal for that did not
    come.
    """
    parent = os.environ.get(PARENT)
    while parent is not None and not stop.is_set():
        if os.getppid() != int(parent):
            log.info("the server has gone: the worker ends")
            stop.set()
        await asyncio.sleep(WATCH_S)


async def _bring_together(app: procrastinate.App) -> None:
    """Every few seconds: queues takes that have no job, and judgements made by older rules."""
    suspects: set[int] = set()
    judged_to: int | None = 0
    while True:
        try:
            suspects = await reconcile(app.job_manager, suspects)
            judged_to = await asyncio.to_thread(catch_up, judged_to or 0)
        except (Away, ProcrastinateException):
            pass  # the next round does what this one could not
        except Exception:
            log.exception("takes and jobs could not be brought together")
        await asyncio.sleep(RECONCILE_S)


def main() -> None:
    """Runs a worker in this process, and never leaves it behind: a reading under way is taken up by
    the next worker.
    """
    logs.set_up("worker")
    scratch.use()
    if PARENT in os.environ:
        ctypes.CDLL(None).prctl(PR_SET_PDEATHSIG, signal.SIGTERM)
    with contextlib.suppress(OSError):
        os.nice(NICE)
    again = asyncio.Runner()
    restart = again.run(run())
    sys.stdout.flush()
    scratch.leave()
    if restart:
        os.execv(sys.executable, [sys.executable, "-m", "thrumble.cli", "worker"])
    os._exit(0)  # the executor's thread may still be hearing a take: it is not waited for

"""The background worker: reads takes as they come, woken by the queue. Everything heavy is imported here, at its start."""

import asyncio
import contextlib
import signal

import procrastinate
import structlog
from procrastinate import jobs as procrastinate_jobs

from thrumble.actions import takes
from thrumble.core.errors import NotAllowed, NotFound
from thrumble.jobs import QUEUE, READ_TAKE, conninfo
from thrumble.settings import settings

log = structlog.get_logger()
HEARTBEAT_S, STALLED_S, WATCH_S = 2.0, 10.0, 3.0
MOST_TRIES = 3


def build() -> procrastinate.App:
    """The worker's side of the queue."""
    app = procrastinate.App(connector=procrastinate.PsycopgConnector(conninfo=conninfo(), min_size=1, max_size=4))

    @app.task(name=READ_TAKE, queue=QUEUE)
    async def read_take(take_id: int) -> None:
        """Hears one take in a thread, so that heartbeats go on; a fault of our own is told to the player, then raised."""
        try:
            await asyncio.wait_for(asyncio.to_thread(takes.read_stored_take, take_id), settings().read_timeout_s)
        except (NotAllowed, NotFound):
            log.info("nothing to read", take=take_id)
        except TimeoutError:
            takes.fail_take(
                take_id,
                f"The reading took more than {settings().read_timeout_s:.0f} seconds and was given up. Cut the take shorter, or read it again.",
            )
        except Exception:
            with contextlib.suppress(NotAllowed, NotFound):
                takes.fail_take(
                    take_id, "Something went wrong inside the ear. The take is safe; read it again, or download it and report it."
                )
            raise

    return app


async def run() -> None:
    """Works until told to stop (SIGTERM or SIGINT)."""
    app = build()
    stop = asyncio.Event()
    for sign in (signal.SIGTERM, signal.SIGINT):
        asyncio.get_running_loop().add_signal_handler(sign, stop.set)
    async with app.open_async():
        work = asyncio.create_task(
            app.run_worker_async(
                queues=[QUEUE], concurrency=1, update_heartbeat_interval=HEARTBEAT_S, stalled_worker_timeout=STALLED_S,
                fetch_job_polling_interval=2, install_signal_handlers=False, listen_notify=True,
            )
        )  # fmt: skip
        watch = asyncio.create_task(_take_up_stalled(app))
        waiting = asyncio.create_task(stop.wait())
        await asyncio.wait({work, waiting}, return_when=asyncio.FIRST_COMPLETED)
        for task in (work, watch, waiting):
            task.cancel()
        for task in (work, watch, waiting):
            with contextlib.suppress(asyncio.CancelledError):
                await task


async def _take_up_stalled(app: procrastinate.App) -> None:
    """Jobs whose worker died are tried again, three times at most: a take that kills its worker must not come back for ever."""
    seen: set[int] = set()
    while True:
        now = set()
        for job in await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=STALLED_S):
            assert job.id is not None
            now.add(job.id)
            if job.id not in seen:
                continue
            if job.attempts < MOST_TRIES:
                log.info("taking up a stalled reading", job=job.id)
                await app.job_manager.retry_job(job)
            else:
                await app.job_manager.finish_job(job, status=procrastinate_jobs.Status.FAILED, delete_job=False)
                await asyncio.to_thread(_give_up, int(job.task_kwargs["take_id"]))
        seen = now
        await asyncio.sleep(WATCH_S)


def _give_up(take_id: int) -> None:
    with contextlib.suppress(NotAllowed, NotFound):
        takes.fail_take(take_id, "Reading this take ended the reader three times. The take is safe; download it and report it.")


def main() -> None:
    """Runs a worker in this process."""
    asyncio.run(run())

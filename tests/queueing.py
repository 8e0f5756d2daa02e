"""Takes handed in, and the queue worked off once."""

import asyncio
import io
from collections.abc import Callable, Coroutine
from concurrent.futures import ThreadPoolExecutor
from decimal import Decimal
from typing import Any, TypeVar

import procrastinate

from thrumble import worker
from thrumble.actions import takes as verbs
from thrumble.actions.reconcile import reconcile
from thrumble.core.player.perform import perform
from thrumble.core.riff.notation.text import parse_riff
from thrumble.formats.audio import write_flac
from thrumble.store import database
from thrumble.store.players import players
from thrumble.store.riffs import riffs
from thrumble.store.takes.takes import NewTake

T = TypeVar("T")
TEXT = "title: Ballast\ntempo: 100\npedal: 6:0\n[A]\n| E5@6/0 o m m o m m x x |\n"


RIFF = parse_riff(TEXT)


def new_take(session, player: int, **more: object) -> NewTake:  # type: ignore[no-untyped-def]
    revision = riffs.add_riff(session, player, RIFF, TEXT)
    return NewTake(
        **(
            {
                "riff_id": revision.riff_id,
                "revision_id": revision.id,
                "source": "uploaded",
                "tempo_bpm": Decimal(100),
                "rounds": 1,
            }
            | more
        )
    )  # type: ignore[arg-type]


def with_queue(use: Callable[[procrastinate.App], Coroutine[Any, Any, T]]) -> T:
    """Runs a coroutine with the worker's open queue."""

    async def run() -> T:
        app = worker.build(asyncio.Event())
        async with app.open_async():
            return await use(app)

    # in a thread: browser tests leave an event loop behind in the main one
    with ThreadPoolExecutor(1) as pool:
        return pool.submit(asyncio.run, run()).result()


def work_once(queue: str = "readings") -> None:
    """Runs the worker until a queue is empty."""
    with_queue(
        lambda app: app.run_worker_async(
            queues=[queue],
            wait=False,
            install_signal_handlers=False,
            delete_jobs="successful",
        )
    )


def reconciled(suspects: set[int]) -> set[int]:
    """`reconcile` once."""
    return with_queue(lambda app: reconcile(app.job_manager, suspects))


def submit(seed: int = 1, data: bytes | None = None) -> int:
    take = perform(RIFF, seed=seed)
    with database.session() as session:
        player = players.local_player(session)
        start = {"start_frame": round(take.start_s * take.rate_hz), "rate_hz": take.rate_hz}
        file = io.BytesIO(data or write_flac(take.samples, take.rate_hz)[0])
        return verbs.submit_upload(session, player, new_take(session, player, **start), file).id

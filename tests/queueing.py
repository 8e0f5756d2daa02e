"""Takes handed in, and the queue worked off once."""

import asyncio
import io
from concurrent.futures import ThreadPoolExecutor
from decimal import Decimal

from thrumble import worker
from thrumble.actions import takes as verbs
from thrumble.core.player.perform import perform
from thrumble.core.riff.notation.text import parse_riff
from thrumble.formats.audio import write_flac
from thrumble.store import database
from thrumble.store.players import players
from thrumble.store.riffs import riffs
from thrumble.store.takes.takes import NewTake

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


def work_once() -> None:
    """Runs the worker until the queue is empty."""

    async def run() -> None:
        app = worker.build(asyncio.Event())
        async with app.open_async():
            await app.run_worker_async(
                queues=["readings"],
                wait=False,
                install_signal_handlers=False,
                delete_jobs="successful",
            )

    # in a thread: browser tests leave an event loop behind in the main one
    with ThreadPoolExecutor(1) as pool:
        pool.submit(asyncio.run, run()).result()


def submit(seed: int = 1, data: bytes | None = None) -> int:
    take = perform(RIFF, seed=seed)
    with database.session() as session:
        player = players.local_player(session)
        start = {"start_frame": round(take.start_s * take.rate_hz), "rate_hz": take.rate_hz}
        file = io.BytesIO(data or write_flac(take.samples, take.rate_hz)[0])
        return verbs.submit_upload(session, player, new_take(session, player, **start), file).id

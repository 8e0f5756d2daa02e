"""The state of the server, in words and figures."""

import os
import shutil
import time
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from thrumble import __version__
from thrumble.actions.copies import Copy, copies_folder
from thrumble.core.counting import counted
from thrumble.settings import local_folder, settings
from thrumble.store.queue import ALIVE_S, QueueState
from thrumble.store.takes.space import Room, Space
from thrumble.web.peers import answers_everyone, can_tell_accounts

STARTED = time.time()
MIN_FREE_BYTES = 500_000_000


@dataclass(frozen=True, slots=True)
class Fact:
    """One line of the page. `bad`: it wants something done, and `remedy` says what."""

    name: str
    value: str
    bad: bool = False
    remedy: str = ""


@dataclass(frozen=True, slots=True)
class BenchView:
    """The page: one sentence, then the facts."""

    sentence: str
    well: bool
    facts: list[Fact]


def readiness(queue: QueueState | None) -> dict[str, Any]:
    """The figures of `/readyz`."""
    free = _free_bytes()
    return {
        "database": queue is not None,
        "worker": queue is not None
        and queue.heartbeat_s is not None
        and queue.heartbeat_s < ALIVE_S,
        "queue": None if queue is None else {"waiting": queue.waiting, "working": queue.working},
        "disk_free_mb": round(free / 1e6),
    }


def is_ready(state: dict[str, Any]) -> bool:
    """Whether takes can be played and read now."""
    return bool(
        state["database"] and state["worker"] and state["disk_free_mb"] * 1e6 > MIN_FREE_BYTES / 10
    )


def bench_view(
    queue: QueueState, space: Space, stored: int, copy: Copy | None, engine: str
) -> BenchView:
    """The state of server, worker and storage."""
    facts = [_server(), _worker(queue), _queue(queue), _takes(space), _disk(stored), _backup(copy)]
    facts.append(_access())
    facts.append(Fact("Analysis", f"engine {engine}, Thrumble {__version__}"))
    bad = [fact for fact in facts if fact.bad]
    sentence = (
        bad[0].remedy if bad else "Everything is running. Takes are recorded, analysed and stored."
    )
    return BenchView(sentence, not bad, facts)


def _server() -> Fact:
    return Fact("Server", f"process {os.getpid()}, up {_span(time.time() - STARTED)}")


def _access() -> Fact:
    """Who on this machine is answered."""
    if answers_everyone(settings().shared):
        return Fact("Access", "every account of this machine")
    if not can_tell_accounts():
        return Fact("Access", "every account (this system doesn't say whose a request is)")
    return Fact("Access", "only the account that started Thrumble, and root")


def _worker(queue: QueueState) -> Fact:
    if queue.heartbeat_s is None or queue.heartbeat_s >= ALIVE_S:
        since = "" if queue.heartbeat_s is None else f" for {_span(queue.heartbeat_s)}"
        remedy = (
            "The worker isn't responding, so takes are queued. It restarts by itself; if it "
            "doesn't, stop ./run and start it again."
        )
        return Fact("Worker", f"no heartbeat{since}", bad=True, remedy=remedy)
    return Fact("Worker", f"working, last heartbeat {queue.heartbeat_s:.0f} s ago")


def _queue(queue: QueueState) -> Fact:
    return Fact("Queue", f"{queue.waiting} waiting, {queue.working} being analysed")


def _takes(space: Space) -> Fact:
    words = (
        f"{counted(space.takes, 'take')}, {_size(space.used_bytes)} of {_size(space.limit_bytes)}"
    )
    short = space.room is not Room.PLENTY
    return Fact(
        "Takes",
        words,
        bad=short,
        remedy=(
            "Takes have nearly used up their space: delete some, or raise THRUMBLE_MOST_TAKE_GB."
        ),
    )


def _disk(stored: int) -> Fact:
    free = _free_bytes()
    remedy = f"Only {_size(free)} is left on the disk: free some before the next take."
    return Fact(
        "Disk",
        f"database {_size(stored)}, {_size(free)} free",
        bad=free < MIN_FREE_BYTES,
        remedy=remedy,
    )


def _backup(copy: Copy | None) -> Fact:
    folder = copies_folder()
    if folder is None:
        return Fact(
            "Backup", "nightly copies are off (THRUMBLE_BACKUPS=off): run thrumble backup yourself"
        )
    if copy is None:
        return Fact("Backup", f"none yet; the first nightly copy goes to {folder}")
    age_s = (datetime.now(UTC) - copy.made_at).total_seconds()
    late = age_s > 3 * 86400
    remedy = (
        "The last backup is older than three days: run thrumble backup, and look at the server's "
        "log."
    )
    return Fact(
        "Backup",
        f"{copy.path.name}, {_size(copy.size)}, {_span(age_s)} ago, in {folder}",
        bad=late,
        remedy=remedy,
    )


def _free_bytes() -> int:
    return shutil.disk_usage(local_folder()).free


def _size(count: float) -> str:
    return f"{round(count / 1e9, 1):g} GB" if count >= 1e9 else f"{count / 1e6:.0f} MB"


def _span(seconds: float) -> str:
    """A length of time in its largest fitting unit."""
    for unit, length in (("day", 86400), ("hour", 3600), ("minute", 60)):
        count = round(seconds / length)
        if seconds >= length:
            return f"{count} {unit}{'' if count == 1 else 's'}"
    return f"{seconds:.0f} s"

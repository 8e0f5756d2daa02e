"""Nightly copies of everything, kept by rule: one a day, the last seven of them."""

import threading
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path

import structlog

from thrumble.actions.backup import write_backup
from thrumble.core.errors import ThrumbleError
from thrumble.settings import local_folder, settings

log = structlog.get_logger()
EVERY = timedelta(hours=24)
LOOK_S = 900.0
FIRST_S = 300.0  # not in the first minutes, when a player wants to begin
OFF = "off"
PATTERN = "thrumble-*.dump"


@dataclass(frozen=True, slots=True)
class Copy:
    """A nightly copy."""

    path: Path
    size: int
    made_at: datetime


def copies_folder() -> Path | None:
    """Where nightly copies lie; None if they are switched off."""
    wanted = settings().backups
    if wanted == OFF:
        return None
    return Path(wanted) if wanted else local_folder() / "backups"


def last_copy() -> Copy | None:
    """The newest nightly copy there is."""
    folder = copies_folder()
    files = sorted(folder.glob(PATTERN)) if folder and folder.is_dir() else []
    if not files:
        return None
    facts = files[-1].stat()
    return Copy(files[-1], facts.st_size, datetime.fromtimestamp(facts.st_mtime, UTC))


def copy_if_due(now: datetime) -> Path | None:
    """Writes a copy where the last one is a day old, and removes the oldest beyond those that are
    kept. Raises Trouble.
    """
    folder, newest = copies_folder(), last_copy()
    if folder is None or (newest and now - newest.made_at < EVERY):
        return None
    folder.mkdir(mode=0o700, parents=True, exist_ok=True)
    path = folder / f"thrumble-{now:%Y-%m-%d-%H%M%S}.dump"
    write_backup(path)
    for old in sorted(folder.glob(PATTERN))[: -settings().backups_kept]:
        old.unlink()
    return path


class Nightly:
    """Looks now and then whether a copy is due, beside the server."""

    def __init__(self) -> None:
        self._stopping = threading.Event()

    def start(self) -> None:
        if copies_folder() is not None:
            threading.Thread(target=self._run, daemon=True).start()

    def stop(self) -> None:
        self._stopping.set()

    def _run(self) -> None:
        wait_s = FIRST_S
        while not self._stopping.wait(wait_s):
            wait_s = LOOK_S
            try:
                if path := copy_if_due(datetime.now(UTC)):
                    log.info("nightly copy written", file=str(path))
            except (ThrumbleError, OSError) as error:
                log.error("the nightly copy failed", error=str(error))

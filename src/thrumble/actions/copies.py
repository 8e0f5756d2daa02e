"""Nightly copies of everything, kept by rule: one a day, the last seven of them."""

from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path

from thrumble.actions.backup import write_backup
from thrumble.settings import local_folder, settings

EVERY = timedelta(hours=24)
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
    """Writes a copy if the last one is a day old, and removes the oldest beyond those that are
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

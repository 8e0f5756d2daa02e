"""Exports in the making: a large one takes a while, so it is written beside the requests, which ask
how far it is and fetch it when it is done.
"""

import os
import secrets
import tempfile
import threading
import time
from contextlib import suppress
from dataclasses import dataclass, field
from functools import cache
from pathlib import Path

import structlog

from thrumble.actions.portability import export_player, file_count
from thrumble.core.errors import NoSpace, NotFound, ThrumbleError

log = structlog.get_logger()
KEPT_S = 900.0  # a finished export that nobody fetches
MAX_EXPORTS = 20
FULL = (28, 122)  # errno: no space left, quota exceeded
_exports: dict[str, "Export"] = {}
_lock = threading.Lock()


@dataclass(slots=True)
class Export:
    """An export. `written` of about `total` files; `problem`: why it ended early, in words."""

    key: str
    player_id: int
    file: Path
    total: int
    written: int = 0
    done: bool = False
    problem: str = ""
    began: float = field(default_factory=time.monotonic)


@cache
def _folder() -> "tempfile.TemporaryDirectory[str]":
    """Where exports are written; removed when the server ends."""
    return tempfile.TemporaryDirectory(prefix="thrumble-exports-")


def start_export(player_id: int) -> Export:
    """Begins to write everything of a player; one that is under way already goes on. Raises
    NotFound, and NoSpace if too many are waiting to be fetched.
    """
    total = file_count(player_id)
    with _lock:
        _forget_old()
        for export in _exports.values():
            if export.player_id == player_id and not export.done and not export.problem:
                return export
        if len(_exports) >= MAX_EXPORTS:
            raise NoSpace("too many exports wait to be fetched: try again in a quarter of an hour")
        handle, name = tempfile.mkstemp(dir=_folder().name)
        os.close(handle)
        export = Export(secrets.token_urlsafe(16), player_id, Path(name), total)
        _exports[export.key] = export
    threading.Thread(target=_write, args=(export,), daemon=True).start()
    return export


def get_export(player_id: int, key: str) -> Export:
    """Raises NotFound, also for the export of another player."""
    with _lock:
        export = _exports.get(key)
    if export is None or export.player_id != player_id:
        raise NotFound("this export isn't here any more: start it again")
    return export


def _write(export: Export) -> None:
    def progress(written: int) -> None:
        export.written = written

    try:
        with export.file.open("wb") as target:
            export_player(export.player_id, target, progress)
        export.done = True
    except ThrumbleError as error:
        export.problem = str(error)
    except OSError as error:
        log.warning("an export failed", errno=error.errno)
        full = error.errno in FULL
        export.problem = (
            "the disk is full: free some space, then export again"
            if full
            else "the export couldn't be written: try again"
        )
    except Exception as error:  # whatever it is, the page is told and nothing is left behind
        log.error("an export failed", exc_info=error)
        export.problem = "the export failed inside Thrumble: try again"
    if export.problem:
        export.file.unlink(missing_ok=True)


def _forget_old() -> None:
    for key, export in list(_exports.items()):
        over = export.done or export.problem
        if over and time.monotonic() - export.began > KEPT_S:
            with suppress(OSError):
                export.file.unlink(missing_ok=True)
            del _exports[key]

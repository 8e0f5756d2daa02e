"""Temporary files of this process: in a folder of its own, so that those of a process that was
killed are found and removed by the next one.
"""

import contextlib
import os
import shutil
import tempfile
from pathlib import Path

from thrumble.settings import local_folder


def use() -> Path:
    """Makes this process's folder the place for its temporary files, and removes the folders of
    processes that have ended.
    """
    folder = local_folder() / "tmp"
    folder.mkdir(mode=0o700, exist_ok=True)
    for old in folder.iterdir():
        if not _runs(old.name):
            shutil.rmtree(old, ignore_errors=True)
    folder_of_process = folder / str(os.getpid())
    folder_of_process.mkdir(mode=0o700, exist_ok=True)
    tempfile.tempdir = str(folder_of_process)
    return folder_of_process


def leave() -> None:
    """Removes this process's folder."""
    if tempfile.tempdir and Path(tempfile.tempdir).parent == local_folder() / "tmp":
        shutil.rmtree(tempfile.tempdir, ignore_errors=True)
        tempfile.tempdir = None


def _runs(name: str) -> bool:
    """Whether a process of that number is alive."""
    with contextlib.suppress(PermissionError):  # another account's: it is alive
        try:
            os.kill(int(name), 0)
        except (ValueError, ProcessLookupError):
            return False
    return True

"""Backup and restore: the database holds the whole state, so one dump is all. Uses PostgreSQL's own
tools.

The signing secret stays out of it: a restored installation makes its own, and every browser is a
new one there.
"""

import contextlib
import glob
import os
import shutil
import subprocess
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import IO

import sqlalchemy as sa

from thrumble.core.errors import Trouble
from thrumble.jobs import conninfo
from thrumble.store import database

MARK = b"PGDMP"
LEFT_OUT = "signing"
LOOK_S = 0.5


def write_backup(file: Path, progress: Callable[[int], None] = lambda _: None) -> int:
    """Dumps the database into a file that only its owner may read, reads it through once, and gives
    its size.

    A half-written file never stands under the name asked for, and nothing but a regular file is
    ever replaced. `progress` is told the bytes written so far. Raises Trouble.
    """
    if file.is_dir():
        raise Trouble(f"{file} is a folder: give the name of a file in it")
    if (file.exists() or file.is_symlink()) and not file.is_file():
        raise Trouble(
            f"{file} is no ordinary file: give a new name, or - to write to standard output"
        )
    file = file.resolve()
    part = file.with_name(file.name + ".part")
    try:
        _begin(part)  # before anything is dumped: what cannot be written is known at once
        _tool(
            "pg_dump",
            "--format=custom",
            "--no-owner",
            "--no-privileges",
            f"--exclude-table-data={LEFT_OUT}",
            f"--file={part}",
            f"--dbname={_address()}",
            while_running=lambda: progress(part.stat().st_size),
        )
        _tool("pg_restore", "--file=/dev/null", str(part))
        part.replace(file)
        return file.stat().st_size
    except OSError as error:
        raise Trouble(f"{file} cannot be written: {error.strerror}") from None
    finally:
        with contextlib.suppress(OSError):
            part.unlink(missing_ok=True)


def write_backup_to(stream: IO[bytes]) -> int:
    """The same to an open stream, such as standard output; its size. Raises Trouble."""
    with tempfile.TemporaryDirectory(prefix="thrumble-") as folder:
        file = Path(folder) / "backup"
        size = write_backup(file)
        try:
            with file.open("rb") as written:
                shutil.copyfileobj(written, stream)
            stream.flush()
        except OSError as error:
            raise Trouble(f"the backup can't be written: {error.strerror}") from None
    return size


def _begin(part: Path) -> None:
    with contextlib.suppress(FileNotFoundError):
        part.unlink()
    os.close(os.open(part, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600))


def restore_backup(file: Path) -> None:
    """Brings a backup into an empty database, whole or not at all, then migrates it to this
    version's tables.
    """
    try:
        with file.open("rb") as opened:
            if opened.read(5) != MARK:
                raise Trouble(
                    f"{file} is no backup of Thrumble: give a file that 'thrumble backup' wrote"
                )
    except OSError as error:
        raise Trouble(f"{file} cannot be read: {error.strerror}") from None
    try:
        empty = database.is_empty()
    except sa.exc.OperationalError:
        raise Trouble("the database does not answer: start it with scripts/pg.sh start") from None
    if not empty:
        raise Trouble(
            "this installation is not empty: restore into a new one (an empty database), so that "
            "nothing is overwritten"
        )
    _tool(
        "pg_restore",
        "--no-owner",
        "--no-privileges",
        "--single-transaction",
        "--exit-on-error",
        f"--dbname={_address()}",
        str(file),
    )
    database.migrate()


def _address() -> str:
    """The database's address without its password, which goes by the environment so that no list of
    processes shows it.
    """
    url = sa.make_url(conninfo())
    return sa.URL.create(
        url.drivername, url.username, host=url.host, port=url.port, database=url.database
    ).render_as_string()


def _tool(name: str, *arguments: str, while_running: Callable[[], None] = lambda: None) -> None:
    newest = sorted(
        glob.glob(f"/usr/lib/postgresql/*/bin/{name}"), key=lambda path: float(path.split("/")[4])
    )
    path = newest[-1] if newest else shutil.which(name)
    if path is None:
        raise Trouble(
            f"{name} is missing: install PostgreSQL's client programs (apt-get install "
            "postgresql-client)"
        )
    environment = {
        **os.environ,
        "PGPASSWORD": sa.make_url(conninfo()).password or "",
        "PGCONNECT_TIMEOUT": "5",
    }
    with tempfile.TemporaryFile("w+") as messages:
        process = subprocess.Popen(
            [path, *arguments], env=environment, stdout=subprocess.DEVNULL, stderr=messages
        )
        try:
            while process.poll() is None:
                with contextlib.suppress(subprocess.TimeoutExpired):
                    process.wait(LOOK_S)
                while_running()
        except BaseException:
            process.kill()
            raise
        messages.seek(0)
        errors = messages.read().strip()
    if process.returncode != 0:
        raise Trouble(f"{name} failed: {errors.splitlines()[-1] if errors else 'no reason given'}")

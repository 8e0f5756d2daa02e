"""Backup and restore: the database holds the whole state, so one dump is all. Uses PostgreSQL's own tools."""

import glob
import os
import shutil
import subprocess
from pathlib import Path

import sqlalchemy as sa

from thrumble.core.errors import Trouble
from thrumble.jobs import conninfo
from thrumble.store import database

MARK = b"PGDMP"


def write_backup(file: Path) -> int:
    """Dumps the database into a file and gives its size; a half-written file never stands under the name asked for."""
    part = file.with_name(file.name + ".part")
    try:
        _tool("pg_dump", "--format=custom", "--no-owner", "--no-privileges", f"--file={part}", f"--dbname={_address()}")
        part.replace(file)
    except OSError as error:
        raise Trouble(f"{file} cannot be written: {error.strerror}") from None
    finally:
        part.unlink(missing_ok=True)
    return file.stat().st_size


def restore_backup(file: Path) -> None:
    """Brings a backup into an empty database, whole or not at all, then migrates it to this version's tables."""
    try:
        with file.open("rb") as opened:
            if opened.read(5) != MARK:
                raise Trouble(f"{file} is no backup of Thrumble: give a file that 'thrumble backup' wrote")
    except OSError as error:
        raise Trouble(f"{file} cannot be read: {error.strerror}") from None
    with database.engine().connect() as connection:
        tables = connection.execute(sa.text("select count(*) from pg_tables where schemaname = 'public'")).scalar_one()
    if tables:
        raise Trouble("this installation is not empty: restore into a new one (an empty database), so that nothing is overwritten")
    _tool("pg_restore", "--no-owner", "--no-privileges", "--single-transaction", "--exit-on-error", f"--dbname={_address()}", str(file))
    database.migrate()


def _address() -> str:
    """The database's address without its password, which goes by the environment so that no list of processes shows it."""
    url = sa.make_url(conninfo())
    return sa.URL.create(url.drivername, url.username, host=url.host, port=url.port, database=url.database).render_as_string()


def _tool(name: str, *arguments: str) -> None:
    newest = sorted(glob.glob(f"/usr/lib/postgresql/*/bin/{name}"), key=lambda path: float(path.split("/")[4]))
    path = newest[-1] if newest else shutil.which(name)
    if path is None:
        raise Trouble(f"{name} is missing: install PostgreSQL's client programs (apt-get install postgresql-client)")
    environment = {**os.environ, "PGPASSWORD": sa.make_url(conninfo()).password or ""}
    done = subprocess.run([path, *arguments], env=environment, capture_output=True, text=True)
    if done.returncode != 0:
        raise Trouble(f"{name} failed: {done.stderr.strip().splitlines()[-1] if done.stderr.strip() else 'no reason given'}")

"""The database's engine, its migrations and sessions."""

from collections.abc import Iterator
from contextlib import contextmanager
from functools import lru_cache
from pathlib import Path

import psycopg
import sqlalchemy as sa
from sqlalchemy.orm.exc import ObjectDeletedError, StaleDataError
from sqlmodel import Session

from thrumble.core.errors import Away, BadInput, Busy, NoSpace, NotAllowed, NotFound, Trouble
from thrumble.settings import database_url, settings
from thrumble.store.tables import ROOMS  # noqa: F401  # references between tables resolve

STATEMENT_MS = 60_000  # a statement that takes longer is a fault, not patience
LOCK_MS = 15_000  # and so is a wait for a lock


@lru_cache
def engine() -> sa.Engine:
    """The process's engine; connections are checked before use, so a restarted server does no harm.

    As many connections as requests are answered at once: a request holds one at most, so none ever
    waits for another's.
    """
    return sa.create_engine(
        database_url(),
        pool_pre_ping=True,
        pool_size=settings().threads,
        max_overflow=2,
        pool_timeout=10,
        connect_args={
            "connect_timeout": 3,
            "options": f"-c statement_timeout={STATEMENT_MS} -c lock_timeout={LOCK_MS}",
        },
    )


@contextmanager
def session() -> Iterator[Session]:
    """A session that commits at the end, or rolls everything back. Raises Away, Busy, NoSpace,
    BadInput for what the driver says.
    """
    try:
        with Session(engine(), expire_on_commit=False) as opened, opened.begin():
            yield opened
    except (
        sa.exc.DBAPIError,
        sa.exc.TimeoutError,
        psycopg.Error,
        StaleDataError,
        ObjectDeletedError,
    ) as error:
        raise ours(error) from error


def ours(error: Exception) -> Exception:
    """A driver's error as one of the application's own, if it is not a fault of the code."""
    cause = error.orig if isinstance(error, sa.exc.DBAPIError) else error
    if isinstance(cause, sa.exc.TimeoutError):
        return Busy("more is asked of the database at once than it answers: try again in a moment")
    if isinstance(cause, StaleDataError | ObjectDeletedError):
        return NotFound("this was deleted meanwhile: load the page again")
    state = getattr(cause, "sqlstate", None) or ""
    if state == "23503":  # what it belongs to was deleted between the look and the write
        return NotFound("what this belongs to was deleted meanwhile: load the page again")
    if state == "23505":
        return NotAllowed("another request did the same just now: load the page again")
    if state in ("53100", "53200"):
        return NoSpace(
            "the disk is full: nothing that was confirmed is lost. Free some space, then try again"
        )
    if state in ("55P03", "57014", "40P01", "40001", "53300"):
        return Busy("this is being changed by another request: try again in a moment")
    if isinstance(cause, psycopg.DataError):
        return BadInput(
            "this holds a character or a number that cannot be stored: correct it and send it again"
        )
    if isinstance(cause, psycopg.OperationalError | psycopg.InterfaceError):
        return Away("the database is away, trying again")
    return error


def is_empty() -> bool:
    """Whether the database holds no table yet."""
    with engine().connect() as connection:
        tables = sa.text("select count(*) from pg_tables where schemaname = 'public'")
        return not connection.execute(tables).scalar_one()


def version(session: Session) -> str:
    """The number of the tables' newest migration."""
    query = sa.text("select version_num from alembic_version")
    return str(session.execute(query).scalar_one())


def migrate(on: sa.Engine | None = None) -> None:
    """Brings the database to the newest tables. One process at a time: others wait."""
    from alembic import command
    from alembic.config import Config
    from alembic.util import CommandError

    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    try:
        with (on or engine()).begin() as connection:
            encoding = connection.execute(sa.text("show server_encoding")).scalar_one()
            if encoding != "UTF8":
                raise Trouble(
                    f"the database's encoding is {encoding}: make one with UTF8 (createdb -E UTF8 "
                    "-T template0) and set DATABASE_URL to it"
                )
            connection.execute(sa.text("select pg_advisory_xact_lock(7411)"))
            config.attributes["connection"] = connection
            command.upgrade(config, "head")
    except CommandError as error:
        raise Trouble(
            f"this database was written by a newer Thrumble ({error}): start that version, or "
            "restore an older backup into an empty database"
        ) from None
    except sa.exc.OperationalError as error:
        raise Trouble(
            f"the database does not answer: {str(error.orig).strip().splitlines()[0]}. Start it "
            "with scripts/pg.sh start."
        ) from error

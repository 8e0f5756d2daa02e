"""The database's engine, its migrations and sessions."""

from collections.abc import Iterator
from contextlib import contextmanager
from functools import lru_cache
from pathlib import Path

import sqlalchemy as sa
from sqlmodel import Session

from thrumble.core.errors import Trouble
from thrumble.settings import database_url


@lru_cache
def engine() -> sa.Engine:
    """The process's engine; connections are checked before use, so a restarted server does no harm."""
    return sa.create_engine(database_url(), pool_pre_ping=True, pool_size=8, max_overflow=8)


@contextmanager
def session() -> Iterator[Session]:
    """A session that commits at the end, or rolls everything back."""
    with Session(engine(), expire_on_commit=False) as opened, opened.begin():
        yield opened


def migrate(on: sa.Engine | None = None) -> None:
    """Brings the database to the newest tables. One process at a time: others wait."""
    from alembic import command
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    try:
        with (on or engine()).begin() as connection:
            connection.execute(sa.text("select pg_advisory_xact_lock(7411)"))
            config.attributes["connection"] = connection
            command.upgrade(config, "head")
    except sa.exc.OperationalError as error:
        raise Trouble(
            f"the database does not answer: {str(error.orig).strip().splitlines()[0]}. Start it with scripts/pg.sh start."
        ) from error

"""Databases for the tests: one migrated template, a clone where commits must be seen, a rolled-back
session for the rest.
"""

import os
import socket
import subprocess
from collections.abc import Iterator
from pathlib import Path
from uuid import uuid4

import pytest
import sqlalchemy as sa
from hypothesis import settings
from sqlalchemy.pool import NullPool
from sqlmodel import Session

from thrumble import jobs
from thrumble.store import database
from thrumble.store.players import players

ROOT = Path(__file__).parents[1]

# no application that a test starts makes nightly copies
os.environ.setdefault("THRUMBLE_BACKUPS", "off")
# the same cases in every run: what was found once stays found, and a red run can be repeated
settings.register_profile("same", derandomize=True, database=None, deadline=None)
settings.load_profile("same")


def _url(name: str) -> str:
    return (
        sa.make_url(os.environ["DATABASE_URL"])
        .set(database=name)
        .render_as_string(hide_password=False)
    )


class Databases:
    """Makes and drops databases on the tests' own server."""

    def __init__(self) -> None:
        self.admin = sa.create_engine(
            _url("postgres"), isolation_level="AUTOCOMMIT", poolclass=NullPool
        )
        self.template = self.make(None)
        engine = sa.create_engine(self.template, poolclass=NullPool)
        database.migrate(engine)
        engine.dispose()

    def make(self, template: str | None) -> str:
        """A new database, empty or a copy; its address."""
        name = f"t_{uuid4().hex[:12]}"
        copy = f' TEMPLATE "{sa.make_url(template).database}"' if template else ""
        with self.admin.connect() as connection:
            connection.execute(sa.text(f'CREATE DATABASE "{name}"{copy}'))
        return _url(name)

    def drop(self, url: str) -> None:
        with self.admin.connect() as connection:
            connection.execute(sa.text(f'DROP DATABASE "{sa.make_url(url).database}" WITH (FORCE)'))


@pytest.fixture(scope="session")
def databases() -> Iterator[Databases]:
    made = Databases()
    yield made
    made.drop(made.template)


@pytest.fixture(scope="session")
def shared_engine(databases: Databases) -> Iterator[sa.Engine]:
    url = databases.make(databases.template)
    engine = sa.create_engine(url)
    yield engine
    engine.dispose()
    databases.drop(url)


@pytest.fixture
def session(shared_engine: sa.Engine) -> Iterator[Session]:
    """A session whose work is rolled back after the test."""
    with shared_engine.connect() as connection:
        transaction = connection.begin()
        with Session(
            bind=connection, join_transaction_mode="create_savepoint", expire_on_commit=False
        ) as opened:
            yield opened
        transaction.rollback()


@pytest.fixture
def player(session: Session) -> int:
    return players.local_player(session)


@pytest.fixture
def own_database(databases: Databases, monkeypatch: pytest.MonkeyPatch) -> Iterator[str]:
    """A database of the test's own that the application uses, commits and all."""
    url = databases.make(databases.template)
    monkeypatch.setenv("DATABASE_URL", url)
    database.engine.cache_clear()
    jobs._queue.cache_clear()
    yield url
    database.engine().dispose()
    if jobs._queue.cache_info().currsize:
        jobs._queue().close()
    database.engine.cache_clear()
    jobs._queue.cache_clear()
    databases.drop(url)


class Cluster:
    """A PostgreSQL of the test's own, which may be stopped and killed."""

    def __init__(self, folder: Path) -> None:
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            port = probe.getsockname()[1]
        self.folder = folder
        self.environment = {
            **os.environ,
            "THRUMBLE_PG_BASE": str(folder),
            "THRUMBLE_PG_PORT": str(port),
            "THRUMBLE_PG_DB": "own",
        }

    def tell(self, word: str) -> str:
        done = subprocess.run(
            [ROOT / "scripts/pg.sh", word], env=self.environment, capture_output=True, text=True
        )
        assert done.returncode == 0, done.stderr
        return done.stdout.strip()


@pytest.fixture(scope="module")
def cluster(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Cluster]:
    made = Cluster(tmp_path_factory.mktemp("pg"))
    made.tell("start")
    yield made
    made.tell("stop")

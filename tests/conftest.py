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


# all that a database is made of, but what is in its tables
SHAPE = """
SELECT md5(string_agg(line, ' ' ORDER BY line)) FROM (
  SELECT concat(c.relname, c.relkind, a.attname, a.atttypid, a.attnotnull) AS line
  FROM pg_class c LEFT JOIN pg_attribute a ON a.attrelid = c.oid AND a.attnum > 0
  WHERE c.relnamespace = 'public'::regnamespace
  UNION ALL SELECT concat(conname, convalidated) FROM pg_constraint
  UNION ALL SELECT concat(tgname, tgenabled) FROM pg_trigger
  UNION ALL SELECT concat(proname, md5(prosrc)) FROM pg_proc
    WHERE pronamespace = 'public'::regnamespace
) AS lines
"""


MAX_EMPTIED_BYTES = 4_000_000  # of rows: more is dropped sooner than deleted


class Databases:
    """Makes and drops databases on the tests' own server. A copy of the template takes a tenth of a
    second of processor time, emptying one a fifth of that.
    """

    def __init__(self) -> None:
        self.admin = sa.create_engine(
            _url("postgres"), isolation_level="AUTOCOMMIT", poolclass=NullPool
        )
        self.template = self.make(None)
        engine = sa.create_engine(self.template, poolclass=NullPool)
        database.migrate(engine)
        with engine.connect() as connection:
            self.shape = connection.execute(sa.text(SHAPE)).scalar_one()
            self.tables = sa.inspect(connection).get_table_names()
            assert list(self._rows(connection)) == ["alembic_version"]
        engine.dispose()
        self.emptied: list[str] = []

    def make(self, template: str | None) -> str:
        """A new database, empty or a copy; its address."""
        name = f"t_{uuid4().hex[:12]}"
        copy = f' TEMPLATE "{sa.make_url(template).database}"' if template else ""
        with self.admin.connect() as connection:
            connection.execute(sa.text(f'CREATE DATABASE "{name}"{copy}'))
        return _url(name)

    def _rows(self, connection: sa.Connection) -> dict[str, int]:
        """The tables that hold anything, and how many bytes."""
        asked = " UNION ALL ".join(
            f"SELECT '{table}', pg_relation_size('\"{table}\"') "
            f'WHERE EXISTS (SELECT 1 FROM "{table}")'
            for table in self.tables
        )
        return {name: size for name, size in connection.execute(sa.text(asked)).all()}  # noqa: C416

    def like_the_template(self) -> str:
        """A database as the template is."""
        return self.emptied.pop() if self.emptied else self.make(self.template)

    def give_back(self, url: str) -> None:
        """Empties a database for the next test, or drops it if that does not make it the
        template's like.
        """
        engine = sa.create_engine(url, poolclass=NullPool)
        try:
            with engine.begin() as connection:
                connection.execute(
                    sa.text(
                        "SELECT pg_terminate_backend(pid) FROM pg_stat_activity "
                        "WHERE datname = current_database() AND pid <> pg_backend_pid()"
                    )
                )
                rows = self._rows(connection)
                rows.pop("alembic_version")
                connection.execute(sa.text("SET LOCAL session_replication_role = replica"))
                small = sum(rows.values()) < MAX_EMPTIED_BYTES
                for table in rows if small else ():
                    connection.execute(sa.text(f'DELETE FROM "{table}"'))
                connection.execute(
                    sa.text(
                        "SELECT setval(format('%I.%I', schemaname, sequencename)::regclass, "
                        "start_value, false) FROM pg_sequences WHERE last_value IS NOT NULL"
                    )
                )
                as_before = small and self.shape == connection.execute(sa.text(SHAPE)).scalar_one()
        except (sa.exc.SQLAlchemyError, KeyError):
            as_before = False
        engine.dispose()
        if as_before:
            self.emptied.append(url)
        else:
            self.drop(url)

    def drop(self, url: str) -> None:
        with self.admin.connect() as connection:
            connection.execute(sa.text(f'DROP DATABASE "{sa.make_url(url).database}" WITH (FORCE)'))


@pytest.fixture(scope="session")
def databases() -> Iterator[Databases]:
    made = Databases()
    yield made
    for url in (*made.emptied, made.template):
        made.drop(url)


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
    url = databases.like_the_template()
    monkeypatch.setenv("DATABASE_URL", url)
    database.engine.cache_clear()
    jobs._queue.cache_clear()
    yield url
    database.engine().dispose()
    if jobs._queue.cache_info().currsize:
        jobs._queue().close()
    database.engine.cache_clear()
    jobs._queue.cache_clear()
    databases.give_back(url)


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

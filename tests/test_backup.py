"""One dump is the whole state: the demo backed up, restored into an empty installation, and found
equal.
"""

import os
import subprocess
import sys
from pathlib import Path

import pytest
import sqlalchemy as sa

from tests.conftest import Databases
from thrumble.actions import demo
from thrumble.actions.demo import play_demo
from thrumble.demo import TAKES
from thrumble.store import database
from thrumble.store.players import players

ASKED = (
    "select t.id, t.state, t.audio_sha256, encode(sha256(a.data), 'hex'), r.document::text, r.verdict from take t join audio a on a.take_id = t.id "
    "join reading r on r.take_id = t.id order by t.id"
)


def run(url: str, *arguments: str) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [sys.executable, "-m", "thrumble.cli", *arguments],
        capture_output=True,
        text=True,
        env={**os.environ, "DATABASE_URL": url},
    )


def state(url: str) -> list[tuple[object, ...]]:
    engine = sa.create_engine(url)
    with engine.connect() as connection:
        rows = [tuple(row) for row in connection.execute(sa.text(ASKED))]
        rows += [
            tuple(row)
            for row in connection.execute(
                sa.text("select id, number, source, document::text from revision order by id")
            )
        ]
    engine.dispose()
    return rows


def test_the_sample_survives_backup_and_restore(
    own_database: str, databases: Databases, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    drill = next(k for k, take in enumerate(TAKES) if take.drill is not None)
    few = TAKES[drill : drill + 3]
    monkeypatch.setattr(demo, "TAKES", few)
    said: list[str] = []
    play_demo(said.append)
    assert len(said) == 4 and "3 of 3" in said[-1]
    file = tmp_path / "all.dump"
    done = run(own_database, "backup", str(file))
    assert done.returncode == 0, done.stderr
    assert file.stat().st_mode & 0o077 == 0 and not file.with_name("all.dump.part").exists()
    with database.session() as session:
        mine = players.secret(session)
    assert run(own_database, "backup", str(file)).returncode == 0
    assert (
        mine.encode()
        not in subprocess.run(["pg_restore", "--file=-", file], capture_output=True).stdout
    ), "no secret leaves"
    empty = databases.make(None)
    try:
        assert run(empty, "restore", str(file)).returncode == 0
        before, after = state(own_database), state(empty)
        assert before == after and len(before) == len(few) + 8 + 1
        assert all(row[2] == row[3] for row in before[:3])
        refused = run(empty, "restore", str(file))
        assert refused.returncode == 2 and "not empty" in refused.stderr
    finally:
        databases.drop(empty)


@pytest.mark.parametrize("content", [b"", b"PGDMP but not really", b"something else"])
def test_what_is_no_backup_is_refused_and_nothing_is_changed(
    databases: Databases, tmp_path: Path, content: bytes
) -> None:
    empty = databases.make(None)
    file = tmp_path / "bad.dump"
    file.write_bytes(content)
    try:
        done = run(empty, "restore", str(file))
        assert done.returncode == 2 and len(done.stderr.strip().splitlines()) == 1
        engine = sa.create_engine(empty)
        with engine.connect() as connection:
            assert (
                connection.execute(
                    sa.text("select count(*) from pg_tables where schemaname = 'public'")
                ).scalar_one()
                == 0
            )
        engine.dispose()
    finally:
        databases.drop(empty)
    assert (
        run(
            database.engine().url.render_as_string(hide_password=False), "backup", "/nowhere/x.dump"
        ).returncode
        == 2
    )


@pytest.mark.parametrize(
    ("target", "said"),
    [("/dev/null", "no ordinary file"), ("FOLDER", "is a folder"), ("/dev/full", "no ordinary")],
)
def test_only_ordinary_files_are_replaced(
    own_database: str, tmp_path: Path, target: str, said: str
) -> None:
    done = run(own_database, "backup", target.replace("FOLDER", str(tmp_path)))
    assert done.returncode == 2 and said in done.stderr
    assert Path("/dev/null").is_char_device() and not list(tmp_path.iterdir())


def test_a_link_is_followed_and_kept(own_database: str, tmp_path: Path) -> None:
    (tmp_path / "real.dump").write_text("old")
    (tmp_path / "link.dump").symlink_to("real.dump")
    assert run(own_database, "backup", str(tmp_path / "link.dump")).returncode == 0
    assert (tmp_path / "link.dump").is_symlink()
    assert (tmp_path / "real.dump").read_bytes()[:5] == b"PGDMP"


def test_a_backup_goes_to_standard_output(own_database: str) -> None:
    done = subprocess.run(
        [sys.executable, "-m", "thrumble.cli", "backup", "-"],
        capture_output=True,
        env={**os.environ, "DATABASE_URL": own_database},
    )
    assert done.returncode == 0 and done.stdout[:5] == b"PGDMP" and not done.stderr

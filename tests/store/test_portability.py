"""A player's data as one file: everything comes along, nothing twice, and nothing of anybody else."""

import hashlib
import io
import json
import zipfile
from datetime import timedelta

import pytest
import sqlalchemy as sa
from sqlmodel import Session, SQLModel

from tests.queueing import work_once
from tests.web.coach_takes import added, played
from thrumble.actions.portability import delete_player, export_player, import_player
from thrumble.actions.starting import start_player
from thrumble.core.coach.planning.hand_health import Comfort, When
from thrumble.core.errors import BadInput, NotFound
from thrumble.core.player.flaws import Flaws
from thrumble.store import database
from thrumble.store.players import players, rows
from thrumble.store.practice import hand_health
from thrumble.store.takes import takes

SHORT = "title: Weir\ntempo: 120\npedal: 6:0\n[A]\n| A5@6/5 >o M M o M M o M | o M M o M M o M |\n"


@pytest.fixture
def player_id(own_database: str) -> int:
    """Somebody with a riff, a drill, takes of both, and an answer about their hands."""
    with database.session() as session:
        player = players.local_player(session)
    revision = added(SHORT)
    played(revision, Flaws(timing=12), seed=1)
    played(revision, Flaws(timing=6), seed=2)
    with database.session() as session:
        day = session.execute(sa.text("select current_date")).scalar_one()
        hand_health.add_answer(session, player, Comfort(day, When.BEFORE, 2), "UTC")
    return player


def exported(player_id: int) -> bytes:
    file = io.BytesIO()
    export_player(player_id, file)
    return file.getvalue()


def counts(session: Session, player_id: int) -> dict[str, int]:
    return {
        table: session.execute(
            sa.text(f'select count(*) from "{table}" where player_id = :p'), {"p": player_id}
        ).scalar_one()
        for table in (*rows.TABLES, *rows.SOUND_TABLES)
    }


def test_every_table_of_a_player_travels() -> None:
    owned = {name for name, table in SQLModel.metadata.tables.items() if "player_id" in table.c}
    stays = {"account", "invitation"}  # how somebody signs in belongs to this server
    assert owned - stays == {*rows.TABLES, *rows.SOUND_TABLES}


def test_an_export_becomes_the_same_player_elsewhere_and_a_second_time_nothing(
    player_id: int,
) -> None:
    data = exported(player_id)
    names = set(zipfile.ZipFile(io.BytesIO(data)).namelist())
    assert {"manifest.json", "README.txt", "rig.json", "settings.json", "notes.csv"} <= names
    assert {"log/passes.csv", "log/load.csv", "log/hands.csv"} <= names
    assert sum(name.endswith("analysis.json") for name in names) == 2
    with database.session() as session:
        before = counts(session, player_id)
        first_takes = [row["id"] for row in rows.rows_of(session, player_id, "take")]
        sound = b"".join(takes.audio_parts(session, player_id, first_takes[0]))
    again = import_player(io.BytesIO(data))
    assert (again.player_id, again.riffs, again.takes) == (player_id, 0, 0)
    with database.session() as session:
        assert counts(session, player_id) == before, "importing it where it is changes nothing"
    name = players.FIRST_NAME
    delete_player(player_id, name)
    there = import_player(io.BytesIO(data))
    assert there.player_id != player_id and (there.riffs, there.takes) == (1, 2)
    with database.session() as session:
        assert counts(session, there.player_id) == before
        take_ids = [row["id"] for row in rows.rows_of(session, there.player_id, "take")]
        assert b"".join(takes.audio_parts(session, there.player_id, take_ids[0])) == sound
    twice = import_player(io.BytesIO(data))
    assert (twice.player_id, twice.riffs, twice.takes) == (there.player_id, 0, 0)


def test_an_export_is_added_to_another_player_and_dates_move_with_a_sample(player_id: int) -> None:
    data = exported(player_id)
    with database.session() as session:
        other = start_player(session, "Drums").id
        made_at = session.execute(sa.text("select now()")).scalar_one()
        days = [row["day"] for row in rows.rows_of(session, player_id, "comfort")]
    into = import_player(io.BytesIO(data), into=other)
    assert (into.player_id, into.riffs, into.takes) == (other, 1, 2)
    assert import_player(io.BytesIO(data), into=other).takes == 0
    delete_player(player_id, players.FIRST_NAME)
    later = import_player(io.BytesIO(data), is_sample=True, until=made_at + timedelta(days=10))
    with database.session() as session:
        assert players.get_player(session, later.player_id).is_sample
        moved = [row["day"] for row in rows.rows_of(session, later.player_id, "comfort")]
    assert moved != days and len(moved) == len(days)


def test_deleting_a_player_leaves_nothing_behind_in_any_table_or_the_queue(player_id: int) -> None:
    with database.session() as session:
        other = start_player(session, "Bass").id
        others = counts(session, other)
        take_ids = [row["id"] for row in rows.rows_of(session, player_id, "take")]
        session.execute(
            sa.text("update take set state = 'queued' where id = :id"), {"id": take_ids[0]}
        )
    with pytest.raises(BadInput, match="type the name"):
        delete_player(player_id, "somebody else")
    delete_player(player_id, players.FIRST_NAME)
    with pytest.raises(NotFound):
        delete_player(player_id, players.FIRST_NAME)
    work_once()  # a job that came too late finds nothing
    with database.session() as session:
        tables = session.execute(
            sa.text("select table_name from information_schema.columns where column_name = :c"),
            {"c": "player_id"},
        ).scalars()
        for table in tables:
            left = session.execute(
                sa.text(f'select count(*) from "{table}" where player_id = :p'), {"p": player_id}
            ).scalar_one()
            assert left == 0, table
        queued = "select count(*) from procrastinate_jobs where args ->> 'take_id' = any(:ids)"
        ids = [str(take_id) for take_id in take_ids]
        assert session.execute(sa.text(queued), {"ids": ids}).scalar_one() == 0
        assert counts(session, other) == others


def changed(data: bytes, name: str, content: bytes | None) -> bytes:
    """The export with one file another, or gone."""
    source, target = zipfile.ZipFile(io.BytesIO(data)), io.BytesIO()
    with zipfile.ZipFile(target, "w") as out:
        for entry in source.namelist():
            if entry != name:
                out.writestr(entry, source.read(entry))
            elif content is not None:
                out.writestr(entry, content)
    return target.getvalue()


def forged(data: bytes, path: str, content: bytes) -> bytes:
    """The export with one file another, and a manifest that says so."""
    manifest = json.loads(zipfile.ZipFile(io.BytesIO(data)).read("manifest.json"))
    for file in manifest["files"]:
        if file["path"] == path:
            file |= {"sha256": hashlib.sha256(content).hexdigest(), "bytes": len(content)}
    return changed(changed(data, path, content), "manifest.json", json.dumps(manifest).encode())


def test_a_row_that_never_ends_is_refused(player_id: int) -> None:
    file = forged(exported(player_id), "data/take.jsonl", b'{"id": 1' + b" " * 1000)
    with pytest.raises(BadInput, match="never ends"):
        import_player(io.BytesIO(file))


def test_a_damaged_or_foreign_file_is_refused_before_anything_is_written(player_id: int) -> None:
    data = exported(player_id)
    manifest = json.loads(zipfile.ZipFile(io.BytesIO(data)).read("manifest.json"))
    newer = json.dumps(manifest | {"schema_version": "9999"}).encode()
    other = json.dumps(manifest | {"format": "elsewhere/1"}).encode()
    wrong = [
        (b"no zip at all", "no export"),
        (data[: len(data) // 2], "no export"),
        (changed(data, "manifest.json", None), "no manifest"),
        (changed(data, "manifest.json", b"{}"), "this version reads"),
        (changed(data, "manifest.json", other), "this version reads"),
        (changed(data, "manifest.json", newer), "newer Thrumble"),
        (changed(data, "data/take.jsonl", None), "missing or were added"),
        (changed(data, "data/take.jsonl", b"{}\n"), "isn't what was written"),
    ]
    with database.session() as session:
        everybody = players.all_players(session)
        before = counts(session, player_id)
    for file, words in wrong:
        with pytest.raises(BadInput, match=words):
            import_player(io.BytesIO(file))
    with database.session() as session:
        assert players.all_players(session) == everybody and counts(session, player_id) == before


@pytest.mark.parametrize(
    ("table", "change"),
    [
        ("take", {"riff_id": 999999}),
        ("take", {"surprise": 1}),
        ("take", {"state": "nonsense"}),
        ("take", {"created_at": "yesterday"}),
        ("revision", {"document": {"title": "x"}}),
        ("reading", {"document": []}),
        ("hit", {"reading_id": None}),
    ],
)
def test_rows_that_contradict_each_other_are_refused_whole(
    player_id: int, table: str, change: dict[str, object]
) -> None:
    """Even if somebody made the checksums fit."""
    data = exported(player_id)
    path = f"data/{table}.jsonl"
    lines = zipfile.ZipFile(io.BytesIO(data)).read(path).decode().splitlines()
    lines[0] = json.dumps(json.loads(lines[0]) | change)
    file = forged(data, path, "\n".join(lines).encode() + b"\n")
    delete_player(player_id, players.FIRST_NAME)
    with pytest.raises(BadInput):
        import_player(io.BytesIO(file))
    with database.session() as session:
        assert players.all_players(session) == []

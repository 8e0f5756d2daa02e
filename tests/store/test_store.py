"""The store on real PostgreSQL: revisions, takes, readings, deleting, ownership."""

import hashlib
from dataclasses import replace
from decimal import Decimal

import psycopg
import pytest
import sqlalchemy as sa
from sqlmodel import Session

from tests.store.stored import RIFF, TEXT, stored
from thrumble.core.coach.verdict.judgement import judge
from thrumble.core.ear.reading import Reading
from thrumble.core.ear.take import TakeInfo, read_take
from thrumble.core.errors import Away, BadInput, Busy, NoSpace, NotAllowed, NotFound
from thrumble.core.player.perform import perform
from thrumble.core.riff.expand import ExpandedRiff, expand
from thrumble.core.riff.notation.text import parse_riff
from thrumble.core.takes import TakeState
from thrumble.settings import settings
from thrumble.store import database
from thrumble.store.players import players
from thrumble.store.riffs import riff_lists, riffs
from thrumble.store.rig import rigs
from thrumble.store.takes import readings, take_lists, takes
from thrumble.store.takes.space import Room, check_room, space
from thrumble.store.takes.takes import NewTake
from thrumble.trained import EAR


@pytest.fixture(scope="module")
def heard() -> tuple[Reading, ExpandedRiff]:
    take = perform(RIFF, seed=1)
    return read_take(
        take.samples,
        take.rate_hz,
        expand(RIFF),
        TakeInfo(start_s=take.start_s),
        ear=EAR,
    ), expand(RIFF)


def test_revisions_are_numbered_immutable_and_carry_the_identities(
    session: Session, player: int
) -> None:
    first = riffs.add_riff(session, player, RIFF, TEXT)
    longer = TEXT + "| G5 o o o o |\n"
    second = riffs.add_revision(session, player, first.riff_id, parse_riff(longer), longer)
    assert (second.number, riffs.get_revision(session, player, first.id).riff) == (2, RIFF)
    assert (
        riffs.add_revision(session, player, first.riff_id, parse_riff(longer), longer).id
        == second.id
    )
    pairs = session.execute(
        sa.text("select identities from revision where id = :id"), {"id": second.id}
    ).scalar_one()
    assert [["A", 1, "1/4", 1], ["A", 1, "1/4", 1]] in pairs and len(pairs) == 4
    assert riffs.newest_revision(session, player, first.riff_id).source == longer


def test_a_take_keeps_what_it_was_played_with(session: Session, player: int) -> None:
    take = takes.get_take(session, player, stored(session, player).id)
    assert (take.tempo_bpm, take.start_s, take.number, take.delay_ms) == (
        Decimal("100.5"),
        0.02,
        1,
        None,
    )
    takes.put_audio(session, player, take.id, [b"so", b"und"])
    assert list(takes.audio_parts(session, player, take.id)) == [b"so", b"und"]
    kept = takes.get_take(session, player, take.id)
    assert kept.audio_bytes == 5 and kept.audio_sha256 == hashlib.sha256(b"sound").hexdigest()
    assert (space(session, player).takes, space(session, player).used_bytes) == (1, 5)


def test_take_numbers_are_the_databases_and_a_key_names_one_take(
    session: Session, player: int
) -> None:
    revision = riffs.add_riff(session, player, RIFF, TEXT)
    new = NewTake(
        riff_id=revision.riff_id,
        revision_id=revision.id,
        source="recorded",
        tempo_bpm=None,
        rounds=1,
        client_key="key-of-a-take",
    )
    first, again = (takes.add_take(session, player, new, TakeState.RECORDING) for _ in range(2))
    other = takes.add_take(session, player, replace(new, client_key=None), TakeState.RECORDING)
    takes.delete_take(session, player, other.id)
    last = takes.add_take(session, player, replace(new, client_key=None), TakeState.RECORDING)
    assert first.id == again.id and first.number == 1 and last.number > other.number, (
        "the number of a deleted take is not given again"
    )
    with pytest.raises(NotFound):
        takes.add_take(session, player, replace(new, riff_id=10**6), TakeState.RECORDING)


def test_takes_are_found_page_by_page_by_riff_and_state(session: Session, player: int) -> None:
    ids = [stored(session, player).id for _ in range(5)]
    takes.set_state(session, player, ids[0], TakeState.FAILED, problem="x")
    shown = [
        line.take.id
        for page in (1, 2, 3)
        for line in take_lists.take_lines(session, player, page=page, limit=2)
    ]
    assert shown == ids[::-1]
    assert (
        take_lists.count_takes(session, player, title="ball") == 5
        and take_lists.count_takes(session, player, title="%") == 0
    )
    assert [
        line.take.id for line in take_lists.take_lines(session, player, states=(TakeState.FAILED,))
    ] == ids[:1]
    assert (
        len(riff_lists.riff_standings(session, player, title="last", limit=3)) == 3
        and riff_lists.count_riffs(session, player, "zzz") == 0
    )


def test_room_for_takes_runs_short_and_then_out(
    session: Session, player: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    take = stored(session, player)
    takes.put_audio(session, player, take.id, [b"x" * 950])
    for limit, room in ((2000, Room.PLENTY), (1000, Room.SHORT), (900, Room.NONE)):
        monkeypatch.setenv("THRUMBLE_MOST_TAKE_GB", str(limit / 1e9))
        settings.cache_clear()
        assert space(session).room is room
    with pytest.raises(NoSpace, match="delete takes"):
        check_room(session)
    monkeypatch.undo()
    settings.cache_clear()


@pytest.mark.parametrize(
    ("state", "ours"),
    [
        ("53100", NoSpace),
        ("57P01", Away),
        ("55P03", Busy),
        ("40P01", Busy),
        ("22021", BadInput),
        (None, Away),
        ("42601", sa.exc.DBAPIError),
    ],
)
def test_what_the_driver_says_becomes_an_error_with_a_remedy(
    state: str | None, ours: type[Exception]
) -> None:
    """A full disk, a stopped server, a lock held by another, a character that cannot be stored; a
    fault of the code stays what it is.
    """
    said = (
        psycopg.errors.lookup(state)("x")
        if state
        else psycopg.OperationalError("server closed the connection")
    )
    assert type(database.ours(sa.exc.DBAPIError("", None, said))) is ours


def test_a_reading_is_kept_whole_and_one_row_a_hit_and_replaced_by_the_same_engine(
    session: Session, player: int, heard: tuple[Reading, ExpandedRiff]
) -> None:
    take = stored(session, player)
    for _ in range(2):
        readings.put_reading(session, player, take.id, *heard)
        judgement = judge(*heard)
        readings.put_judgement(session, player, take.id, judgement, "2 hits are missing.")
    assert readings.get_reading(session, player, take.id) == heard[0]
    rows = session.execute(
        sa.text(
            "select section, bar_in_section, at, appearance, deviation_ms from hit order by index"
        )
    ).all()
    assert [tuple(r)[:4] for r in rows] == [
        ("A", 1, "0", 1),
        ("A", 1, "1/4", 1),
        ("A", 1, "1/2", 1),
        ("A", 1, "3/4", 1),
    ]
    assert [r.deviation_ms for r in rows] == [h.deviation_ms for h in heard[0].hits]
    line = take_lists.take_lines(session, player)[0]
    assert (line.title, line.clean, line.judged) == ("Ballast", judgement.clean, 4)
    assert riff_lists.riff_standings(session, player)[0].last_take_id == take.id


def test_deleting_a_take_leaves_nothing_of_it(
    session: Session, player: int, heard: tuple[Reading, ExpandedRiff]
) -> None:
    take = stored(session, player, TakeState.RECORDING)
    takes.add_chunk(session, player, take.id, 0, b"\0" * 8)
    readings.put_reading(session, player, take.id, *heard)
    takes.put_audio(session, player, take.id, [b"sound"])
    takes.add_chunk(session, player, take.id, 0, b"\0" * 8)
    takes.delete_take(session, player, take.id)
    for table in ("take", "audio", "chunk", "reading", "hit"):
        assert session.execute(sa.text(f"select count(*) from {table}")).scalar_one() == 0, table
    with pytest.raises(NotFound):
        takes.get_take(session, player, take.id)


def test_chunks_sent_again_in_any_order_and_cut_otherwise_lose_nothing(
    session: Session, player: int
) -> None:
    take = stored(session, player, TakeState.RECORDING)
    for frame, data in ((4, b"late"), (0, b"soonmore"), (0, b"soon"), (0, b"soon")):
        takes.add_chunk(session, player, take.id, frame, data)
    assert (
        takes.chunk_spans(session, player, take.id) == [(0, 2), (4, 5)]
        and takes.get_chunk(session, player, take.id, 0) == b"soonmore"
    )


def test_nobody_reaches_what_is_another_players(session: Session, player: int) -> None:
    take = stored(session, player)
    takes.put_audio(session, player, take.id, [b"sound"])
    other = player + 1000
    for call in (takes.get_take, lambda *args: list(takes.audio_parts(*args)), takes.delete_take):
        with pytest.raises(NotFound):
            call(session, other, take.id)
    with pytest.raises(NotFound):
        riffs.newest_revision(session, other, take.riff_id)
    with pytest.raises(NotFound):
        riffs.delete_riff(session, other, take.riff_id)
    assert (
        readings.get_reading(session, other, take.id) is None
        and take_lists.take_lines(session, other) == []
        and riff_lists.riff_standings(session, other) == []
    )


def test_states_follow_the_table_and_the_database_knows_them_too(
    session: Session, player: int
) -> None:
    take = stored(session, player)
    with pytest.raises(NotAllowed, match="cannot become"):
        takes.set_state(session, player, take.id, TakeState.READ)
    assert takes.set_state(session, player, take.id, TakeState.READING).state is TakeState.READING
    with pytest.raises(sa.exc.IntegrityError), session.begin_nested():
        session.execute(sa.text("update take set state = 'lost'"))


def test_the_local_player_and_the_secret_are_made_once(session: Session) -> None:
    assert players.local_player(session) == players.local_player(session)
    assert players.secret(session) == players.secret(session) and len(players.secret(session)) > 30
    assert not players.is_marked(session, "x")
    players.mark(session, "x")
    assert players.is_marked(session, "x")


def test_the_models_and_the_migrations_agree(shared_engine: sa.Engine) -> None:
    """Every table and column of the models stands in the migrated database, as nullable as the
    models say.
    """
    from sqlmodel import SQLModel

    inspector = sa.inspect(shared_engine)
    for table in SQLModel.metadata.tables.values():
        there = {c["name"]: c["nullable"] for c in inspector.get_columns(table.name)}
        assert there == {c.name: c.nullable for c in table.columns}, table.name
        if table.name not in ("installation", "signing", "challenge", "player"):
            assert {"player_id", "pupil_id", "account_id"} & set(there), f"{table.name}: whose?"


@pytest.mark.parametrize(
    "table", ["revision", "take", "reading", "hit", "audio", "chunk", "tone", "example"]
)
def test_the_database_refuses_a_thing_that_belongs_to_two_players(
    session: Session, player: int, heard: tuple[Reading, ExpandedRiff], table: str
) -> None:
    """Whatever a query forgets: no row of one player hangs on a row of another's."""
    take = stored(session, player, TakeState.RECORDING)
    takes.put_audio(session, player, take.id, [b"sound"])
    takes.add_chunk(session, player, take.id, 0, b"\0" * 8)
    readings.put_reading(session, player, take.id, *heard)
    rig = rigs.add_rig(session, player, rigs.FIRST)
    tone = rigs.add_tone(session, player, rig.id, "gate", "crunch")
    rigs.add_example(
        session,
        player,
        tone.id,
        kind="open",
        data=b"sound",
        rate_hz=48000,
        depth=0.0,
        origin="finder",
    )
    session.flush()
    other = session.execute(
        sa.text("insert into player (name, created_at) values ('Other', now()) returning id")
    ).scalar_one()
    with pytest.raises(sa.exc.IntegrityError), session.begin_nested():
        session.execute(sa.text(f"update {table} set player_id = :other"), {"other": other})

"""The sample player as it ships: whole, small enough, and what its seeds still make."""

from datetime import UTC, datetime

import pytest
import sqlalchemy as sa

from thrumble.actions import demo
from thrumble.actions.demo import SHIPPED, fill_demo
from thrumble.core.ear.take import TakeInfo, read_take
from thrumble.core.player.perform import perform
from thrumble.core.riff.expand import expand
from thrumble.core.riff.notation.text import parse_riff
from thrumble.demo import SESSIONS, TAKES, guitar, riff_texts, setup_of
from thrumble.formats.reading_json import reading_from_document
from thrumble.store import database
from thrumble.store.players import players, rows
from thrumble.trained import EAR

MAX_BYTES = 15_000_000


@pytest.fixture
def sample(own_database: str) -> int:
    said: list[str] = []
    fill_demo(said.append)
    assert said == [f"sample data: {len(riff_texts()) + 2} riffs and {len(TAKES)} takes"]
    fill_demo(said.append)
    assert len(said) == 1, "a second fill does nothing"
    with database.session() as session:
        (player,) = players.all_players(session)
    assert player.is_sample
    return player.id


def test_the_sample_is_up_to_date_believable_and_small(sample: int) -> None:
    assert SHIPPED.stat().st_size <= MAX_BYTES  # type: ignore[attr-defined]
    with database.session() as session:
        takes = list(rows.rows_of(session, sample, "take"))
        texts = {row["source"] for row in rows.rows_of(session, sample, "revision")}
        minutes = session.execute(
            sa.text(
                "select extract(epoch from max(created_at) - min(created_at)) / 60 from take "
                "group by created_at::date having count(*) > 3"
            )
        ).scalars()
        spans = [float(span) for span in minutes]
    assert set(riff_texts().values()) <= texts
    assert all(row["state"] == "read" for row in takes)
    moments = [datetime.fromisoformat(row["created_at"]) for row in takes]
    ago = (datetime.now(UTC) - max(moments)).days
    assert 0 <= ago <= 1 and (max(moments) - min(moments)).days == SESSIONS[0][0] - 1
    assert len({moment.time() for moment in moments}) > 40, "not always at the same minute"
    assert sum(15 <= span <= 40 for span in spans) >= 12, "sessions, not single takes"


@pytest.mark.parametrize("number", [0, len(TAKES) - 3])
def test_the_sample_is_what_its_seeds_make(sample: int, number: int) -> None:
    """A guitarist or an ear that changed shows here: `python -m scripts.sample` makes it anew."""
    take = TAKES[number]
    with database.session() as session:
        take_ids = [row["id"] for row in rows.rows_of(session, sample, "take")]
        (shipped,) = (
            reading_from_document(row["document"])
            for row in rows.rows_of(session, sample, "reading")
            if row["take_id"] == take_ids[number]
        )
    riff = parse_riff(riff_texts()[take.riff])
    played = perform(
        riff,
        tempo_bpm=take.tempo_bpm,
        rounds=take.rounds,
        seed=take.seed,
        flaws=take.flaws,
        setup=setup_of(take.tone),
        guitar=guitar,
    )
    expanded = expand(riff, take.tempo_bpm)
    info = TakeInfo(start_s=played.start_s, rounds=take.rounds)
    made = read_take(played.samples, played.rate_hz, expanded, info, ear=EAR)
    assert len(made.hits) == len(shipped.hits)
    for one, other in zip(made.hits, shipped.hits, strict=True):
        assert one.state == other.state
        if one.onset_s is not None and other.onset_s is not None:
            assert one.onset_s == pytest.approx(other.onset_s, abs=0.002)


def test_nobody_who_began_on_their_own_gets_the_sample(own_database: str) -> None:
    with database.session() as session:
        players.local_player(session)
    said: list[str] = []
    fill_demo(said.append)
    with database.session() as session:
        assert not said and not any(p.is_sample for p in players.all_players(session))
        assert players.is_marked(session, demo.DONE)

"""Tags: kept, found by, shown; riffs in the order in which they want to be played."""

from datetime import UTC, datetime, timedelta
from decimal import Decimal

import pytest
import sqlalchemy as sa
from hypothesis import given
from hypothesis import strategies as st
from sqlmodel import Session

from tests.web.conftest import Browser
from thrumble.core.coach.verdict.judgement import VERSION
from thrumble.core.errors import BadInput
from thrumble.core.riff.notation.text import parse_riff
from thrumble.core.riff.tags import LONGEST, MAX_TAGS, read_tags
from thrumble.core.takes import TakeState
from thrumble.demo import riff_texts
from thrumble.store import database
from thrumble.store.players import players
from thrumble.store.riffs import riff_lists, riffs
from thrumble.store.riffs.riff_lists import Sort
from thrumble.store.takes import takes
from thrumble.store.takes.tables import ReadingRow
from thrumble.store.takes.takes import NewTake

TEXTS = riff_texts()


def test_tags_are_read_from_a_line() -> None:
    assert read_tags(" Warm-up ,set  two,, warm-up") == ("warm-up", "set two")
    assert read_tags("  ,") == ()
    with pytest.raises(BadInput, match="at most 12 tags"):
        read_tags(",".join(map(str, range(13))))
    with pytest.raises(BadInput, match="at most 24 letters"):
        read_tags("x" * 25)


@given(st.text(max_size=80))
def test_tags_read_again_are_the_same(text: str) -> None:
    try:
        tags = read_tags(text)
    except BadInput:
        return
    assert read_tags(", ".join(tags)) == tags and len(tags) <= MAX_TAGS
    assert all(0 < len(tag) <= LONGEST for tag in tags)


def test_a_riff_is_found_by_its_tags(visitor: Browser, riff_id: int) -> None:
    kept = visitor.post(f"/riffs/{riff_id}/tags", data={"tags": "Stops, week 3"})
    assert kept.status_code == 200 and 'value="stops, week 3"' in kept.text and "kept" in kept.text
    page = visitor.get("/riffs").text
    assert "?tag=week%203" in page
    for query in ("tag=stops", "q=week%203", "q=Planks"):
        assert "Stop Planks" in visitor.get(f"/riffs?{query}").text, query
    assert "No riff has “drums”" in visitor.get("/riffs?tag=drums").text
    assert 'value="stops, week 3"' in visitor.get(f"/riffs/{riff_id}").text
    assert visitor.post(f"/riffs/{riff_id}/tags", data={"tags": "x" * 30}).status_code == 422
    assert 'value="stops, week 3"' in visitor.get(f"/riffs/{riff_id}").text
    assert visitor.post("/riffs/999/tags", data={"tags": "x"}).status_code == 404


def read_then(session: Session, player: int, riff_id: int, when: datetime, clean: int) -> None:
    """A take of the riff, read, with so many of a hundred hits clean."""
    revision = riffs.newest_revision(session, player, riff_id)
    new = NewTake(
        riff_id=riff_id,
        revision_id=revision.id,
        source="uploaded",
        tempo_bpm=Decimal(100),
        rounds=1,
        start_frame=0,
        rate_hz=48000,
    )
    take = takes.add_take(session, player, new, TakeState.QUEUED)
    session.execute(
        sa.text("update take set created_at = :when where id = :id"), {"when": when, "id": take.id}
    )
    row = ReadingRow(
        player_id=player,
        take_id=take.id,
        engine="test",
        document={},
        verdict="so so",
        clean=clean,
        judged=100,
        judged_by=VERSION,
        created_at=when,
    )
    session.add(row)
    session.flush()


def test_what_is_due_comes_first(own_database: str) -> None:
    """Begun and not clean, then never played, then clean: the longest ago first."""
    with database.session() as session:
        player = players.local_player(session)
        ids = {}
        for name in (
            "1-sluice-gate",
            "2-ballast",
            "4-winding-gear",
            "6-stop-planks",
            "5-puddle-clay",
        ):
            ids[name] = riffs.add_riff(
                session, player, parse_riff(TEXTS[name]), TEXTS[name]
            ).riff_id
        now = datetime.now(UTC)
        for name, days, clean in (
            ("1-sluice-gate", 2, 98),
            ("2-ballast", 9, 99),
            ("4-winding-gear", 1, 60),
            ("6-stop-planks", 3, 90),
        ):
            read_then(session, player, ids[name], now - timedelta(days=days), clean)
        order = [
            standing.revision.riff_id
            for standing in riff_lists.riff_standings(session, player, sort=Sort.DUE)
        ]
    assert order == [
        ids[name]
        for name in (
            "4-winding-gear",
            "6-stop-planks",
            "5-puddle-clay",
            "2-ballast",
            "1-sluice-gate",
        )
    ]

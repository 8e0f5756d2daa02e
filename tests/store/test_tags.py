"""Tags in the store: each player's own, of riffs that are not put away, the commonest first."""

import pytest
import sqlalchemy as sa
from sqlmodel import Session

from thrumble.core.errors import NotFound
from thrumble.core.riff.notation.text import parse_riff
from thrumble.store.riffs import riff_lists, riffs, tags

TEXT = "title: {}\ntempo: 100\n[A]\n| E5@6/0 o - - - |\n"


def added(session: Session, player: int, title: str, *words: str) -> int:
    text = TEXT.format(title)
    number = riffs.add_riff(session, player, parse_riff(text), text).riff_id
    tags.set_tags(session, player, number, words)
    return number


def test_tags_are_replaced_counted_and_found(session: Session, player: int) -> None:
    first = added(session, player, "One", "slow", "drop")
    added(session, player, "Two", "drop")
    away = added(session, player, "Three", "old", "drop", "old two")
    riffs.set_archived(session, player, away, archived=True)
    assert tags.all_tags(session, player) == ["drop", "slow"]
    assert riff_lists.count_riffs(session, player, tag="drop") == 2
    assert riff_lists.count_riffs(session, player, "DROP ") == 2, (
        "a search for a tag's word finds it"
    )
    tags.set_tags(session, player, first, ("fast",))
    assert tags.tags_of(session, player, first) == ("fast",)
    assert tags.all_tags(session, player) == ["drop", "fast"]
    standing = riff_lists.riff_standings(session, player, tag="fast")
    assert [one.tags for one in standing] == [("fast",)]


def test_another_players_riff_cannot_be_tagged(session: Session, player: int) -> None:
    number = added(session, player, "Mine", "slow")
    other = player + 1
    with pytest.raises(NotFound):
        tags.set_tags(session, other, number, ("theirs",))
    with pytest.raises(NotFound):
        tags.tags_of(session, other, number)
    assert tags.all_tags(session, other) == []
    kept = session.execute(sa.text("select tags from riff where id = :id"), {"id": number})
    assert kept.scalar_one() == ["slow"]


def test_a_riff_without_tags_has_none(session: Session, player: int) -> None:
    number = added(session, player, "Bare")
    assert tags.tags_of(session, player, number) == () and tags.all_tags(session, player) == []

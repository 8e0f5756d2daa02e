"""What is noted of a take: kept, carried on to the next takes, found again."""

from html import unescape

from tests.web.coach_takes import SHORT, added, played
from tests.web.conftest import Browser
from thrumble.core.player.flaws import Flaws
from thrumble.store import database
from thrumble.store.players import players
from thrumble.store.takes import notes
from thrumble.store.takes.notes import Note

TOLD = {
    "pick": "1.0 mm, worn",
    "palm": "at the bridge",
    "fingers": "1 and 4",
    "tried": "lighter grip",
    "words": "string 6 is <old>",
    "starred": "true",
}


def note(take_id: int) -> Note:
    with database.session() as session:
        return notes.note_of(session, players.local_player(session), take_id)


def test_a_note_is_typed_once_and_goes_on_until_it_is_changed(visitor: Browser) -> None:
    revision = added(SHORT)
    first = played(revision, Flaws(), seed=1)
    kept = visitor.post(f"/takes/{first}/note", data=TOLD)
    assert "go on with your next takes" in kept.text and "&lt;old&gt;" in kept.text
    second = played(revision, Flaws(), seed=2)
    assert note(second) == Note(
        pick="1.0 mm, worn", palm="at the bridge", fingers="1 and 4", tried="lighter grip"
    )
    visitor.post(f"/takes/{second}/note", data={"pick": "0.7 mm"})
    third = played(revision, Flaws(), seed=3)
    assert note(third) == Note(pick="0.7 mm") and note(first).starred
    page = unescape(visitor.get(f"/takes/{first}").text)
    assert 'value="lighter grip"' in page and "★" in page


def test_takes_are_found_by_their_notes_and_stars(visitor: Browser) -> None:
    revision = added(SHORT)
    first = played(revision, Flaws(), seed=1)
    visitor.post(f"/takes/{first}/note", data=TOLD)
    second = played(revision, Flaws(), seed=2)
    visitor.post(f"/takes/{second}/note", data={"pick": "0.7 mm"})

    def found(query: str) -> list[bool]:
        page = visitor.get(f"/takes?{query}").text
        return [f'href="/takes/{number}"' in page for number in (first, second)]

    assert found("q=LIGHTER") == found("state=starred") == found("q=worn&state=starred")
    assert found("q=LIGHTER") == [True, False] and found("q=0.7") == [False, True]
    assert found("q=weir") == [True, True] and found("q=100%25") == [False, False]
    visitor.post(f"/takes/{first}/delete")
    assert note(first) == Note() and found("state=starred") == [False, False]


def test_nonsense_in_a_note_is_refused_and_loses_nothing(visitor: Browser) -> None:
    take = played(added(SHORT), Flaws())
    visitor.post(f"/takes/{take}/note", data=TOLD)
    for bad in ({"pick": "x" * 81}, {"words": "x" * 501}, {"starred": "maybe"}, {"palm": "a\0b"}):
        assert visitor.post(f"/takes/{take}/note", data=bad).status_code == 422, bad
    assert note(take).tried == "lighter grip"
    assert visitor.post("/takes/999/note", data=TOLD).status_code == 404

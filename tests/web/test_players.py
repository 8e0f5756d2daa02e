"""Players on one machine: everyone sees their own, each tab what it shows."""

import re

import pytest
from fastapi.testclient import TestClient

from tests.web.conftest import Browser
from tests.web.takes import TEXT
from thrumble.actions.starting import STARTER
from thrumble.core.riff.notation.text import parse_riff
from thrumble.store import database
from thrumble.store.players import players
from thrumble.store.players.steps import steps_done
from thrumble.store.riffs import riffs


def shown(visitor: Browser) -> tuple[int, str]:
    page = visitor.get("/").text
    number = re.search(r'name="player" content="(\d+)"', page)
    name = re.search(r">Player: ([^<]+)<", page)
    assert number and name
    return int(number[1]), name[1]


@pytest.fixture
def sample(visitor: Browser) -> int:
    """Nobody but the sample, with a riff."""
    with database.session() as session:
        players.delete_player(session, players.local_player(session))
        player = players.add_player(session, "Boat lift trio", is_sample=True)
        riffs.add_riff(session, player.id, parse_riff(TEXT), TEXT)
    return player.id


def test_a_newcomer_sees_marked_sample_data_and_starts_their_own_with_one_click(
    visitor: Browser, sample: int
) -> None:
    for address in ("/", "/riffs", "/riffs/new", "/takes", "/log", "/rig/fret-hand", "/status"):
        page = visitor.get(address).text
        assert ">Sample data<" in page and "Start your own" in page, address
    assert "looking at sample data" in visitor.get("/").text
    assert shown(visitor) == (sample, "Boat lift trio")
    started = visitor.post("/players")
    assert started.headers["hx-redirect"] == "/"
    own, name = shown(visitor)
    assert own != sample and name == "You"
    today = visitor.get("/").text
    assert "looking at sample data" not in today and "Getting started" in today
    assert "First steps" in visitor.get("/riffs").text
    assert "Stop Planks" not in visitor.get("/riffs").text
    fresh = Browser(
        TestClient(visitor.client.app, base_url="http://127.0.0.1", client=("127.0.0.1", 50001))
    )
    assert shown(fresh)[0] == own, "from now on it is what opens, in every browser"
    visitor.post(f"/players/{sample}/choose")
    assert shown(visitor)[0] == sample and "Stop Planks" in visitor.get("/riffs").text


def test_the_first_steps_go_one_by_one(visitor: Browser, sample: int) -> None:
    visitor.post("/players", data={"name": "Winch"})
    today = visitor.get("/").text
    assert "1 of 5 done" in today and "Play two bars" in today
    own, _ = shown(visitor)
    with database.session() as session:
        assert steps_done(session, own, STARTER).riff_id is not None
    rig = re.search(r'hx-post="/rig/(\d+)"', visitor.get("/rig").text)
    assert rig
    form = {"name": "Old faithful", "tuning": "E2 A2 D3 G3 B3 E4", "scale_mm": "648", "capo": "0"}
    assert visitor.post(f"/rig/{rig[1]}", data=form).status_code == 204
    assert "2 of 5 done" in visitor.get("/").text


def test_a_tab_keeps_its_player_when_another_tab_chooses_somebody_else(
    visitor: Browser, sample: int
) -> None:
    visitor.post("/players", data={"name": "Winch"})
    winch, _ = shown(visitor)
    visitor.post("/players", data={"name": "Sluice"})
    source = {"source": TEXT}
    visitor.post("/riffs", data=source, headers={"x-thrumble-player": str(winch)})
    assert "Stop Planks" not in visitor.get("/riffs").text
    visitor.post(f"/players/{winch}/choose")
    assert "Stop Planks" in visitor.get("/riffs").text
    gone = visitor.post("/riffs", data=source, headers={"x-thrumble-player": "99999"})
    assert gone.status_code == 404 and "any more: reload the page" in gone.text


def test_what_belongs_to_one_player_is_not_there_for_another(visitor: Browser, sample: int) -> None:
    with database.session() as session:
        theirs = steps_done(session, sample, STARTER).riff_id
    visitor.post("/players", data={"name": "Winch"})
    for address in (f"/riffs/{theirs}", f"/play/{theirs}", f"/riffs/{theirs}/neck"):
        other, nothing = visitor.get(address), visitor.get(address.replace(str(theirs), "99999"))
        assert other.status_code == nothing.status_code == 404

        def words(text: str) -> str:
            return re.sub(r'content="[^"]*"|Request \w+|\d{5}', "", text).replace(str(theirs), "")

        assert words(other.text) == words(nothing.text)


def test_a_player_is_renamed_exported_deleted_and_brought_back(
    visitor: Browser, sample: int
) -> None:
    visitor.post("/players", data={"name": "Winch"})
    own, _ = shown(visitor)
    visitor.post(f"/players/{own}/rename", data={"name": "  Winch  man "})
    assert shown(visitor) == (own, "Winch man")
    for name in ("", " ", "x" * 61):
        assert visitor.post(f"/players/{own}/rename", data={"name": name}).status_code == 422
    out = visitor.get(f"/players/{own}/export.zip")
    assert out.status_code == 200 and out.content[:2] == b"PK"
    assert "Winch%20man.thrumble.zip" in out.headers["content-disposition"]
    refused = visitor.post(f"/players/{own}/delete", data={"name": "Winch"})
    assert refused.status_code == 422 and "type the name" in refused.text.lower()
    assert visitor.post(f"/players/{own}/delete", data={"name": "Winch man"}).status_code == 204
    assert shown(visitor)[0] == sample, "the sample is left"
    back = visitor.post("/players/import", files={"file": ("winch.zip", out.content)})
    assert back.status_code == 204 and shown(visitor)[1] == "Winch man"
    assert "First steps" in visitor.get("/riffs").text
    wrong = visitor.post("/players/import", files={"file": ("x.zip", b"nothing")})
    assert wrong.status_code == 422 and "no export" in wrong.text


def test_the_sample_is_reset_and_brought_back(visitor: Browser, sample: int) -> None:
    assert "Reset" in visitor.get("/players").text
    visitor.post("/riffs", data={"source": TEXT.replace("Stop Planks", "Mine")})
    visitor.post("/players/sample")
    fresh, name = shown(visitor)
    assert fresh != sample and name == "Boat lift trio"
    assert "Mine" not in visitor.get("/riffs").text
    assert "Winding Gear" in visitor.get("/riffs").text
    visitor.post(f"/players/{fresh}/delete", data={"name": name})
    assert "Show the sample data" in visitor.get("/players").text
    visitor.post("/players/sample")
    assert "looking at sample data" in visitor.get("/").text


def test_whoever_deletes_everybody_gets_an_empty_place(visitor: Browser, sample: int) -> None:
    visitor.post(f"/players/{sample}/delete", data={"name": "Boat lift trio"})
    number, name = shown(visitor)
    assert number != sample and name == "You"

"""Players on one machine: everyone sees their own, each tab what it shows."""

import re
import subprocess
import sys
import time
from pathlib import Path

import pytest
from fastapi.testclient import TestClient

from tests.web.conftest import Browser
from tests.web.takes import TEXT
from thrumble.actions import exports
from thrumble.actions.starting import STARTER
from thrumble.actions.takes import analyse_stored_take
from thrumble.core.riff.notation.text import parse_riff
from thrumble.store import database
from thrumble.store.players import players
from thrumble.store.players.steps import steps_done
from thrumble.store.riffs import riffs


def shown(visitor: Browser) -> tuple[int, str]:
    page = visitor.get("/").text
    number = re.search(r'name="player" content="(\d+)"', page)
    name = re.search(r'>Player<span class="rail-name">: ([^<]+)<', page)
    assert number and name
    return int(number[1]), name[1]


def exported(visitor: Browser, player_id: int):  # type: ignore[no-untyped-def]
    """Starts an export, waits for it as the page does, and fetches it."""
    page = visitor.post(f"/players/{player_id}/export").text
    for _ in range(200):
        if found := re.search(r'href="(/players/\d+/exports/[^"]+\.zip)"', page):
            return visitor.get(found[1])
        waiting = re.search(r'hx-get="([^"]+)"', page)
        assert waiting and "of about" in page, page
        time.sleep(0.05)
        page = visitor.get(waiting[1]).text
    raise AssertionError("the export was never done")


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
    out = exported(visitor, own)
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


def ended(export: exports.Export) -> exports.Export:
    """Waits until it is done, or has failed."""
    for _ in range(500):
        if export.done or export.problem:
            return export
        time.sleep(0.02)
    raise AssertionError("the export never ended")


def test_an_export_that_meets_a_full_disk_says_so_and_leaves_nothing(
    visitor: Browser, sample: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    def full(*_: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(exports, "export_player", full)
    export = ended(exports.start_export(sample))
    assert "disk is full" in export.problem and not export.file.exists()
    page = visitor.get(f"/players/{sample}/exports/{export.key}").text
    assert "The disk is full" in page and "Try again" in page
    assert visitor.get(f"/players/{sample}/exports/{export.key}.zip").status_code == 404


def test_exports_nobody_fetched_leave_with_the_server() -> None:
    begin = "from thrumble.actions import exports; print(exports._folder().name)"
    ended_server = subprocess.run([sys.executable, "-c", begin], capture_output=True, text=True)
    folder = Path(ended_server.stdout.strip())
    assert "thrumble-exports" in folder.name and not folder.exists()


def test_an_export_belongs_to_its_player(visitor: Browser, sample: int) -> None:
    visitor.post("/players", data={"name": "Winch"})
    own, _ = shown(visitor)
    assert exported(visitor, own).status_code == 200
    key = ended(exports.start_export(own)).key
    assert visitor.get(f"/players/{sample}/exports/{key}").status_code == 404
    assert visitor.get(f"/players/{own}/exports/{'x' * 22}").status_code == 404


def test_an_import_of_two_gigabytes_is_refused_by_what_it_says_of_itself(visitor: Browser) -> None:
    headers = {"content-length": str(2 * 10**9), "content-type": "multipart/form-data; boundary=x"}
    answer = visitor.post("/players/import", content=b"--x", headers=headers)
    assert answer.status_code == 413 and "thrumble import-player" in answer.text


def test_a_player_deleted_while_a_take_of_theirs_is_recorded_and_analysed(
    visitor: Browser, sample: int
) -> None:
    visitor.post("/players", data={"name": "Winch"})
    own, _ = shown(visitor)
    mine = {"x-thrumble-player": str(own)}
    with database.session() as session:
        riff = steps_done(session, own, STARTER).riff_id
        revision = riffs.newest_revision(session, own, riff or 0)
    begin = {
        "key": "a-take-of-mine",
        "revision": revision.id,
        "tempo": 90,
        "rounds": 1,
        "start_frame": 48000,
        "rate": 48000,
        "age_s": 0.5,
    }
    take_id = visitor.post("/takes", json=begin, htmx=False, headers=mine).json()["take"]
    piece = f"/takes/{take_id}/chunk?frame=0"
    sound = {"content": b"\0" * 8, "htmx": False}
    assert visitor.post(piece, headers=dict(mine), **sound).status_code == 204
    gone = visitor.post(f"/players/{own}/delete", data={"name": "Winch"})
    assert gone.status_code == 204
    late = visitor.post(piece, headers=dict(mine), **sound)
    assert late.status_code == 404 and "any more" in late.json()["problem"]
    analyse_stored_take(take_id)  # its job was under way: nothing is left to do
    with database.session() as session:
        assert [player.id for player in players.all_players(session)] == [sample]

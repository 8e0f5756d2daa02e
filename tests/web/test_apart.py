"""Whatever is asked with the numbers of another player's things is answered as if there were no
such things, and changes nothing.
"""

import re
from collections.abc import Callable, Iterator

import pytest
from fastapi import FastAPI
from fastapi.routing import iter_route_contexts

from tests.core.rig_sounds import RATE, hits
from tests.web.accounts import elsewhere, joined
from tests.web.coach_takes import added, played
from tests.web.conftest import Browser
from thrumble.actions.rigs import keep_example
from thrumble.core.player.flaws import Flaws
from thrumble.core.riff.model import Articulation
from thrumble.demo import riff_texts
from thrumble.settings import settings
from thrumble.store import database
from thrumble.store.accounts.accounts import Role
from thrumble.store.players import players, rows
from thrumble.store.rig import rigs

MISSING = 99999
OPEN_TO_ALL = {"choose_player", "rename_player", "delete_player", "export_player", "set_pin"}
OTHERS = {
    "kind": "flac",
    "what": "guitar",
    "stem": "take",
    "round_": 1,
    "index": 0,
    "name": "click.wav",
    "rate": 48000,
    "key": 1,
    "number": 1,
    "change": "lock",
    "page": "result",
}
FORM = {
    "name": "x",
    "kind": "loop",
    "sound": "crunch",
    "source": "title: T\ntempo: 100\n[A]\n| 6:0 o |",
    "tuning": "E2 A2 D3 G3 B3 E4",
    "scale_mm": "648",
    "capo": "0",
    "articulation": "open",
    "words": "x",
    "tags": "x",
    "pairs": "2",
    "route": "0",
}


def mine() -> dict[str, int]:
    """A riff, its revision, a take, a rig, a tone and an example of the player who is first."""
    revision = added(riff_texts()["6-stop-planks"])
    take_id = played(revision, Flaws(timing=8), seed=1)
    with database.session() as session:
        player = players.local_player(session)
        rig = rigs.rigs_of(session, player)[0]
        tone = rigs.add_tone(session, player, rig.id, "tight", "crunch")
        sound = hits(Articulation.OPEN, 0, 1)[0]
        example = keep_example(session, player, tone.id, kind="open", samples=sound, rate_hz=RATE)
    return {
        "riff_id": revision.riff_id,
        "revision_id": revision.id,
        "take_id": take_id,
        "rig_id": rig.id,
        "tone_id": tone.id,
        "example_id": example.id,
        "trial_id": 1,
        "pupil_id": player,
    }


def snapshot(player_id: int) -> dict[str, list[rows.Row]]:
    with database.session() as session:
        return {table: list(rows.rows_of(session, player_id, table)) for table in rows.TABLES}


def told(answer) -> tuple[int, str, str]:  # type: ignore[no-untyped-def]
    """What an answer says, without numbers, tokens and the like."""
    text = answer.text if "text" in answer.headers.get("content-type", "") else answer.text[:200]
    text = re.sub(r'content="[^"]*"|Request \w+|"request": ?"\w+"', "", text)
    where = answer.headers.get("hx-redirect", "") + answer.headers.get("location", "")
    return answer.status_code, re.sub(r"\d+", "N", text), re.sub(r"\d+", "N", where)


@pytest.fixture
def somebody_else(
    request: pytest.FixtureRequest,
    visitor: Browser,
    application: FastAPI,
    monkeypatch: pytest.MonkeyPatch,
) -> Iterator[Callable[[], Browser]]:
    """Somebody who has nothing to do with the owner: at this machine, or signed in."""
    browsers = []

    def make() -> Browser:
        if request.param is None:
            visitor.post("/players", data={"name": "Somebody else"})
            return visitor
        monkeypatch.setattr(settings(), "sign_in", "always")
        browsers.append(elsewhere(application))
        joined(browsers[0], "Somebody else", request.param)
        return browsers[0]

    yield make
    for browser in browsers:
        browser.client.close()


@pytest.mark.parametrize(
    "somebody_else", [None, Role.PLAYER, Role.TEACHER, Role.ADMINISTRATOR], indirect=True
)
def test_another_players_numbers_are_like_numbers_that_are_not_there(
    visitor: Browser, somebody_else: Callable[[], Browser]
) -> None:
    theirs = mine()
    with database.session() as session:
        owner = players.local_player(session)
    before = snapshot(owner)
    own = [f"/takes/{theirs['take_id']}", f"/riffs/{theirs['riff_id']}/neck"]
    own += [f"/rig/tones/{theirs['tone_id']}", f"/takes/{theirs['take_id']}/audio"]
    assert all(visitor.get(url).status_code == 200 for url in own)
    stranger = somebody_else()
    walked, offenders = 0, []
    for route in iter_route_contexts(stranger.client.app.routes):  # type: ignore[attr-defined]
        address = route.path_format or ""
        asked = re.findall(r"\{(\w+)", address)
        if not set(asked) & set(theirs) or route.name in OPEN_TO_ALL:
            continue
        for method in sorted(route.methods or ()):
            answers = []
            for numbers in (theirs, dict.fromkeys(theirs, MISSING)):
                values = OTHERS | numbers
                if "riff.{kind}" in address:
                    values |= {"kind": "json"}
                url = address.format(**values)
                if method == "GET":
                    answers.append(told(stranger.get(url)))
                elif method == "POST":
                    answers.append(told(stranger.post(url, data=FORM)))
            walked += 1
            if len(set(answers)) > 1:
                offenders.append((method, address, [answer[:1] for answer in answers]))
            if answers and answers[0][0] < 400:
                offenders.append((method, address, answers[0][0]))
    assert walked >= 50 and not offenders
    assert snapshot(owner) == before

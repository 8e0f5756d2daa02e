"""A client of the application on a database of its own, with the token that its pages give."""

import re
import time
from collections.abc import Iterator

import httpx2
import pytest
from fastapi import FastAPI
from fastapi.testclient import TestClient

from tests.conftest import Databases
from thrumble.actions import exports
from thrumble.core.riff.notation.text import parse_riff
from thrumble.demo import riff_texts
from thrumble.store import database
from thrumble.store.players import players
from thrumble.store.riffs import riffs
from thrumble.store.rig import rigs
from thrumble.web.app import create_app

VERBATIM = re.compile(r"""(<(pre|textarea|script)\b.*?</\2>|\bvalue="[^"]*")""", re.S)
BLOCKS = (
    "h[1-6]|p|div|section|header|footer|main|nav|dialog|form|fieldset|legend|details|summary|"
    "table|thead|tbody|tfoot|tr|t[hd]|caption|[ou]l|li|dl|d[td]|option|optgroup|figure|button|select"
)
BORDER = re.compile(rf"\s*(</?(?:{BLOCKS})(?:\s[^>]*)?>)\s*")


def as_shown(response: httpx2.Response) -> None:
    """White space as a browser shows it: one blank for any number, none at the borders of blocks.
    How the template's lines are wrapped is nothing to a test.
    """
    if "text/html" not in response.headers.get("content-type", ""):
        return
    response.read()
    parts = VERBATIM.split(response.text)
    for k in range(0, len(parts), 3):
        parts[k] = BORDER.sub(r"\1", re.sub(r"\s+", " ", parts[k]))
    shown = "".join(part for k, part in enumerate(parts) if k % 3 != 2)
    response._content, response._text = shown.encode("utf-8"), shown


class Browser:
    """What a browser does: keeps the cookie, sends the page's token with changes."""

    def __init__(self, client: TestClient, first_page: str = "/guide") -> None:
        self.client = client
        client.event_hooks["response"].append(as_shown)
        page = client.get(first_page, follow_redirects=True).text
        self.token = re.search(r'name="token" content="([^"]+)"', page)[1]  # type: ignore[index]

    def get(self, url: str, **more):  # type: ignore[no-untyped-def]
        return self.client.get(url, **more)

    def post(self, url: str, *, htmx: bool = True, **more):  # type: ignore[no-untyped-def]
        headers = {
            "x-thrumble-token": self.token,
            **({"hx-request": "true"} if htmx else {"accept": "application/json"}),
            **more.pop("headers", {}),
        }
        return self.client.post(url, headers=headers, **more)


@pytest.fixture(scope="session")
def application(databases: Databases) -> FastAPI:
    """Built once for all tests: its first request puts all routes together, a third of a second."""
    url = databases.make(databases.template)
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("DATABASE_URL", url)
        database.engine.cache_clear()
        app = create_app()
        database.engine().dispose()
        database.engine.cache_clear()
    databases.drop(url)
    return app


@pytest.fixture
def visitor(own_database: str, application: FastAPI) -> Iterator[Browser]:
    """A browser that was never here before, on a database in which nobody has done anything."""
    with database.session() as session:
        rigs.ensure_rig(session, players.local_player(session))
    with TestClient(
        application, base_url="http://127.0.0.1", client=("127.0.0.1", 50000)
    ) as client:
        yield Browser(client)
        for export in list(exports._exports.values()):  # its database goes with the test
            while not (export.done or export.problem):
                time.sleep(0.02)


@pytest.fixture
def riff_id(visitor: Browser) -> int:
    """Stop Planks, stored."""
    text = riff_texts()["6-stop-planks"]
    with database.session() as session:
        return riffs.add_riff(
            session, players.local_player(session), parse_riff(text), text
        ).riff_id

"""Browsers on another machine, and accounts for them."""

import re

from fastapi import FastAPI
from fastapi.testclient import TestClient

from tests.web.conftest import Browser
from thrumble.store import database
from thrumble.store.accounts import invitations
from thrumble.store.accounts.accounts import Role

PASSWORD = "winch pebble lantern ox"
OTHER = "gravel teapot morning elk"


def elsewhere(application: FastAPI) -> Browser:
    """A browser that nobody has signed in with yet; its client is to be closed."""
    client = TestClient(application, base_url="http://localhost", follow_redirects=False)
    return Browser(client, "/sign-in")


def invited(role: Role = Role.PLAYER, player_id: int | None = None) -> str:
    with database.session() as session:
        return invitations.add_invitation(session, role=role, words="", player_id=player_id)


def joined(browser: Browser, name: str, role: Role = Role.PLAYER) -> list[str]:
    answer = browser.post(f"/join/{invited(role)}", data={"name": name, "password": PASSWORD})
    assert answer.status_code == 200, answer.text
    return re.findall(r"<code>([a-z0-9-]+)</code>", answer.text)

"""Who is answered: accounts of this machine, other sites' pages, browsers with and without the key."""

import os
import socket
from collections.abc import Iterator

import pytest
from fastapi.testclient import TestClient
from starlette.types import Receive, Scope, Send

from tests.web.conftest import Browser
from thrumble.core.errors import TooOften, Trouble
from thrumble.serving import _check_host
from thrumble.settings import settings
from thrumble.web import peers
from thrumble.web.deps import costly
from thrumble.web.peers import account_of, may_use
from thrumble.web.security import ACCESS_COOKIE, Guard

KEY = "a key of enough letters"


@pytest.mark.parametrize("family", [socket.AF_INET, socket.AF_INET6])
def test_the_other_end_of_a_loopback_connection_is_found(family: socket.AddressFamily) -> None:
    host = "127.0.0.1" if family == socket.AF_INET else "::1"
    with socket.socket(family) as listening:
        listening.bind((host, 0))
        listening.listen()
        with socket.create_connection(listening.getsockname()[:2]) as client:
            server, _ = listening.accept()
            with server:
                assert account_of(client.getsockname(), server.getsockname()) == os.getuid()
        assert account_of((host, 1), listening.getsockname()) is None, "nobody is there"
    assert account_of(("192.0.2.7", 50000), ("192.0.2.1", 8642)) is None, "on another machine"


@pytest.mark.parametrize(
    ("server", "account", "shared", "answered"),
    [
        (1000, 1000, None, True),
        (1000, 0, None, True),
        (1000, 1001, None, False),
        (1000, 1001, True, True),
        (0, 1001, None, True),
        (0, 1001, False, False),
        (1000, None, None, True),
    ],
)
def test_only_the_owner_and_root_are_answered_unless_it_is_shared(
    server: int,
    account: int | None,
    shared: bool | None,
    answered: bool,
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(peers.os, "getuid", lambda: server)
    assert may_use(account, shared) is answered


NAVIGATION = {"sec-fetch-mode": "navigate", "sec-fetch-dest": "document"}


@pytest.mark.parametrize(
    ("path", "headers", "status"),
    [
        ("/riffs", {}, 200),
        ("/riffs", {"sec-fetch-site": "none", **NAVIGATION}, 200),
        ("/riffs", {"sec-fetch-site": "same-origin", "sec-fetch-mode": "cors"}, 200),
        ("/riffs", {"sec-fetch-site": "cross-site", **NAVIGATION}, 200),
        ("/riffs", {"sec-fetch-site": "same-site", **NAVIGATION}, 200),
        ("/riffs", {"sec-fetch-site": "cross-site", "sec-fetch-mode": "no-cors"}, 403),
        ("/riffs", {"sec-fetch-site": "same-site", "sec-fetch-mode": "no-cors"}, 403),
        ("/riffs", {"sec-fetch-site": "cross-site", **NAVIGATION, "sec-fetch-dest": "iframe"}, 403),
        ("/riffs/1/sheet.pdf", {"sec-fetch-site": "cross-site", **NAVIGATION}, 403),
        ("/takes/1/listen.wav", {"sec-fetch-site": "same-site", "sec-fetch-mode": "no-cors"}, 403),
        ("/", {"host": "127.0.0.1:1@evil.example"}, 403),
        ("/", {"host": "127.0.0.1:80:80"}, 403),
        ("/", {"host": ""}, 403),
        ("/", {"host": "LOCALHOST:8642"}, 200),
        ("/", {"host": "[::1]:8642"}, 200),
    ],
)
def test_other_sites_may_link_to_pages_and_do_nothing_else(
    visitor: Browser, path: str, headers: dict[str, str], status: int
) -> None:
    assert visitor.get(path, headers=headers).status_code == status


def test_without_a_cookie_the_address_is_limited(visitor: Browser) -> None:
    """A new cookie for every request would be a new limit for every request."""
    check = costly(2).dependency

    class Request:
        def __init__(self, browser: str, *, new: bool) -> None:
            self.state = type("State", (), {"browser": browser, "new_browser": new})
            self.client = type("Client", (), {"host": "127.0.0.1"})

    for number in range(2):
        check(Request(f"fresh {number}", new=True))
    with pytest.raises(TooOften, match=r"wait \d+ s"):
        check(Request("another fresh one", new=True))
    check(Request("known", new=False))


@pytest.fixture
def keyed(visitor: Browser) -> Iterator[TestClient]:
    """The application as others reach it: with an access key."""
    guard = Guard(visitor.client.app, secret="secret", hosts="", access_key=KEY)

    async def outermost(scope: Scope, receive: Receive, send: Send) -> None:
        await guard({**scope, "app": visitor.client.app}, receive, send)

    with TestClient(outermost, base_url="http://127.0.0.1", follow_redirects=False) as client:
        yield client


def test_beyond_loopback_a_browser_shows_the_key_once(keyed: TestClient) -> None:
    for path in ("/", "/riffs", "/?key=wrong", f"/riffs?key={KEY}"):
        assert keyed.get(path).status_code == 401, path
    let_in = keyed.get("/", params={"key": KEY})
    assert let_in.status_code == 303 and let_in.headers["location"] == "/"
    assert keyed.get("/riffs").status_code == 200
    stolen = keyed.cookies[ACCESS_COOKIE]
    keyed.cookies.clear()
    keyed.cookies.set(ACCESS_COOKIE, stolen)
    assert keyed.get("/riffs").status_code == 401, "the key's cookie belongs to one browser"


@pytest.mark.parametrize(
    ("host", "tls", "key", "hosts", "said"),
    [
        ("127.0.0.1", False, "", "", None),
        ("::1", False, "", "", None),
        ("localhost", False, "", "", None),
        ("192.0.2.1", False, "", "", "can be reached by others"),
        ("192.0.2.1", True, "", "", "THRUMBLE_ACCESS_KEY"),
        ("192.0.2.1", False, KEY, "", "--tls-cert"),
        ("192.0.2.1", True, KEY, "", None),
        ("bench.example", True, KEY, "", None),
        ("0.0.0.0", True, KEY, "", "THRUMBLE_HOSTS"),
        ("0.0.0.0", True, KEY, "bench.example", None),
    ],
)
def test_others_are_served_only_over_https_with_a_key(
    host: str, tls: bool, key: str, hosts: str, said: str | None, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(settings(), "access_key", key)
    monkeypatch.setattr(settings(), "hosts", hosts)
    if said is not None:
        with pytest.raises(Trouble, match=said):
            _check_host(host, tls=tls)
        return
    _check_host(host, tls=tls)
    if host in ("192.0.2.1", "bench.example"):
        assert host in settings().hosts.split(","), "the address it prints is answered"

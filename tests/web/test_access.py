"""Who is answered: accounts of this machine, other sites' pages, browsers without a cookie."""

import os
import socket

import pytest

from tests.web.conftest import Browser
from thrumble.core.errors import TooOften, Trouble
from thrumble.serving import _check_host
from thrumble.settings import settings
from thrumble.web import peers
from thrumble.web.deps import costly
from thrumble.web.peers import account_of, may_use


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


@pytest.mark.parametrize(
    ("host", "tls", "hosts", "said"),
    [
        ("127.0.0.1", False, "", None),
        ("::1", False, "", None),
        ("localhost", False, "", None),
        ("192.0.2.1", False, "", "can be reached by others"),
        ("bench.example", False, "", "--tls-cert"),
        ("192.0.2.1", True, "", None),
        ("bench.example", True, "", None),
        ("0.0.0.0", True, "", "THRUMBLE_HOSTS"),
        ("0.0.0.0", True, "bench.example", None),
    ],
)
def test_others_are_served_only_over_https(
    host: str, tls: bool, hosts: str, said: str | None, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(settings(), "hosts", hosts)
    if said is not None:
        with pytest.raises(Trouble, match=said):
            _check_host(host, tls=tls)
        return
    _check_host(host, tls=tls)
    if host in ("192.0.2.1", "bench.example"):
        assert host in settings().hosts.split(","), "the address it prints is answered"

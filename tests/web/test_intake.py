"""The way in: bodies within bounds, turns, slow clients, limits, and what the outside may ask of
the bench.
"""

import asyncio
import json
import socket
import threading
import time
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import pytest
import uvicorn
from starlette.types import Message, Receive, Scope, Send

from tests.web.conftest import Browser
from thrumble import serving
from thrumble.actions import copies
from thrumble.settings import settings
from thrumble.store.queue import QueueState
from thrumble.store.takes.space import Space
from thrumble.web import intake
from thrumble.web.errors import answer
from thrumble.web.intake import Intake
from thrumble.web.limits import Limits
from thrumble.web.status import views as bench_views
from thrumble.web.status.views import bench_view, is_ready, readiness


class Client:
    """One request against an ASGI application, its body given piece by piece."""

    def __init__(
        self,
        app: Any,
        *pieces: bytes,
        headers: dict[str, str] | None = None,
        stop_after: bool = False,
    ) -> None:
        self.app, self.pieces, self.stop_after = app, list(pieces), stop_after
        self.headers = [
            (k.encode(), v.encode())
            for k, v in {"accept": "application/json", **(headers or {})}.items()
        ]
        self.status, self.body = 0, b""
        self.sent: dict[str, Any] = {}

    async def receive(self) -> Message:
        if self.pieces:
            piece = self.pieces.pop(0)
            return {
                "type": "http.request",
                "body": piece,
                "more_body": bool(self.pieces) or self.stop_after,
            }
        await asyncio.sleep(3600)
        raise AssertionError

    async def send(self, message: Message) -> None:
        if message["type"] == "http.response.start":
            self.status, self.sent = (
                message["status"],
                {k.decode(): v.decode() for k, v in message["headers"]},
            )
        else:
            self.body += message.get("body", b"")

    async def ask(self) -> "Client":
        state = {"token": "", "browser": "b"}
        scope = {
            "type": "http",
            "method": "POST",
            "path": "/x",
            "query_string": b"",
            "headers": self.headers,
            "state": state,
            "app": None,
        }
        await self.app(scope, self.receive, self.send)
        return self


class Counting:
    """An application that reads its body, takes a moment and counts how many are in it at once."""

    def __init__(self, moment_s: float = 0.0, error: Exception | None = None) -> None:
        self.moment_s, self.error, self.now, self.most, self.read = moment_s, error, 0, 0, 0

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        self.now += 1
        self.most = max(self.most, self.now)
        more = True
        while more:
            message = await receive()
            self.read += len(message["body"])
            more = message["more_body"]
        await asyncio.sleep(self.moment_s)
        self.now -= 1
        if self.error:
            raise self.error
        await send({"type": "http.response.start", "status": 200, "headers": []})
        await send({"type": "http.response.body", "body": b"ok"})


def run(app: Intake, *clients: Client) -> list[Client]:
    async def all_of_them() -> list[Client]:
        return await asyncio.gather(*(client.ask() for client in clients))

    return asyncio.run(all_of_them())


def test_a_body_comes_whole_in_its_own_pieces_and_only_so_many_at_once() -> None:
    inner = Counting(0.02)
    app = Intake(inner, at_once=3)
    asked = run(app, *(Client(app, b"a" * 40_000, b"b" * 70_000) for _ in range(12)))
    assert {c.status for c in asked} == {200} and inner.most == 3 and inner.read == 12 * 110_000
    assert all(len(c.sent["x-request-id"]) == 12 for c in asked)


@pytest.mark.parametrize(
    ("client", "status"),
    [
        ({"pieces": (b"x" * 600, b"x" * 600)}, 413),  # nobody said how long it is
        ({"pieces": (b"x",), "headers": {"content-length": "5000"}}, 413),
        ({"pieces": (b"half",), "stop_after": True}, 408),
    ],
)
def test_too_long_and_half_a_body_are_refused_and_reach_nothing(
    monkeypatch: pytest.MonkeyPatch, client: dict[str, Any], status: int
) -> None:
    monkeypatch.setattr(intake, "MAX_BYTES", 1000)
    monkeypatch.setattr(intake, "PIECE_S", 0.05)
    inner = Counting()
    app = Intake(inner, at_once=1)
    asked = Client(
        app,
        *client["pieces"],
        headers=client.get("headers"),
        stop_after=client.get("stop_after", False),
    )
    assert (
        run(app, asked)[0].status == status
        and inner.most == 0
        and json.loads(asked.body)["problem"]
    )


def test_far_too_many_at_once_are_told_to_come_back(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(intake, "WAITING", 4)
    app = Intake(Counting(0.05), at_once=1)
    asked = run(app, *(Client(app, b"") for _ in range(20)))
    busy = [c for c in asked if c.status == 503]
    assert len(busy) == 15 and all(
        c.sent["retry-after"] == "2" and "Nothing is lost" in json.loads(c.body)["problem"]
        for c in busy
    )


def test_pages_go_first_and_nobody_waits_for_ever() -> None:
    order: list[float] = []

    async def all_of_them() -> None:
        turns = intake._Turns(1)
        assert await turns.come(0)

        async def one(later_s: float) -> None:
            assert await turns.come(later_s)
            order.append(later_s)
            turns.release()

        tasks = [asyncio.create_task(one(later_s)) for later_s in (3.0, 1.0, 0.0, 1.5)]
        await asyncio.sleep(0.01)
        gone = asyncio.create_task(turns.come(0.0))
        await asyncio.sleep(0.01)
        gone.cancel()
        turns.release()
        await asyncio.gather(*tasks)

    asyncio.run(all_of_them())
    assert order == [0.0, 1.0, 1.5, 3.0]


def test_a_fault_is_told_without_its_innards_and_gives_its_turn_back() -> None:
    app = Intake(Counting(error=RuntimeError("secret innards")), at_once=1)
    asked = run(app, *(Client(app, b"") for _ in range(3)))
    assert [c.status for c in asked] == [500] * 3 and all(
        b"secret" not in c.body and b"inside Thrumble" in c.body for c in asked
    )


@pytest.fixture
def patient_server(monkeypatch: pytest.MonkeyPatch) -> Iterator[int]:
    monkeypatch.setattr(serving, "HEADERS_S", 0.4)
    monkeypatch.setattr(serving, "LOOK_S", 0.1)
    app = Intake(Counting(), at_once=1)
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    config = uvicorn.Config(
        app, port=port, http=serving._Connection, lifespan="off", log_config=None
    )
    server = uvicorn.Server(config)
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    while not server.started:
        time.sleep(0.01)
    yield port
    server.should_exit = True
    thread.join(5)


@pytest.mark.parametrize(
    "said", [b"", b"GET / HT", b"GET / HTTP/1.1\r\nHost: 127.0.0.1\r\nX-Half: "]
)
def test_who_says_half_of_what_he_wants_is_not_waited_for(patient_server: int, said: bytes) -> None:
    with (
        socket.create_connection(("127.0.0.1", patient_server), timeout=5) as slow,
        socket.create_connection(("127.0.0.1", patient_server)) as quick,
    ):
        slow.sendall(said)
        quick.sendall(
            b"GET /healthz HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 0\r\nConnection: close\r\n\r\n"
        )
        assert quick.recv(100).startswith(b"HTTP/1.1 200")
        assert slow.recv(100) == b"", "closed by the server"


def test_a_browser_may_ask_so_often_a_minute_and_others_meanwhile() -> None:
    now = [0.0]
    limits = Limits(6, clock=lambda: now[0])
    assert [limits.wait_s("a") for _ in range(6)] == [0.0] * 6 and limits.wait_s(
        "a"
    ) == pytest.approx(10)
    assert limits.wait_s("b") == 0.0
    now[0] = 10.0
    assert limits.wait_s("a") == 0.0 and limits.wait_s("a") > 0


def test_too_often_is_answered_with_when_to_come_back(
    visitor: Browser, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(Limits, "wait_s", lambda self, browser: 7.0)
    for address in ("/riffs/import", "/riffs/preview", "/play/1/upload", "/rig/hit?rate=48000"):
        answer = visitor.post(address, files={"file": ("r.txt", b"x")})
        assert (
            answer.status_code == 429
            and answer.headers["retry-after"]
            and "wait 7 s" in answer.text
        )


WELL = QueueState(waiting=2, working=1, heartbeat_s=1.0)
ROOM = Space(takes=3, used_bytes=10, limit_bytes=1000)


@pytest.mark.parametrize(
    ("queue", "space", "words"),
    [
        (WELL, ROOM, "Everything is running"),
        (QueueState(waiting=2, working=0, heartbeat_s=90.0), ROOM, "The worker isn't responding"),
        (QueueState(waiting=0, working=0, heartbeat_s=None), ROOM, "The worker isn't responding"),
        (WELL, Space(takes=1, used_bytes=950, limit_bytes=1000), "nearly used up their space"),
    ],
)
def test_the_bench_says_what_is_wrong_first(queue: QueueState, space: Space, words: str) -> None:
    assert words in bench_view(queue, space, 10**7, None, "2.4.0").sentence
    assert is_ready(readiness(queue)) == (queue is WELL)


def test_an_old_backup_is_named(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(bench_views, "copies_folder", lambda: tmp_path)
    old = copies.Copy(tmp_path / "thrumble-1.dump", 10, datetime.now(UTC) - timedelta(days=5))
    assert "older than three days" in bench_view(WELL, ROOM, 0, old, "2.4.0").sentence
    assert not is_ready(readiness(None))


def test_outside_watchers_are_answered(visitor: Browser) -> None:
    assert visitor.get("/healthz").json() == {"alive": True}
    ready = visitor.get("/readyz")
    assert (
        ready.status_code == 503
        and ready.json()["database"] is True
        and ready.json()["worker"] is False
    )
    assert "Worker" in visitor.get("/status").text
    assert (
        visitor.post(
            "/riffs/preview", headers={"x-thrumble-token": visitor.get("/token").json()["token"]}
        ).status_code
        == 200
    )


def test_nightly_copies_are_made_once_a_day_and_the_oldest_go(
    own_database: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("THRUMBLE_BACKUPS", str(tmp_path / "copies"))
    monkeypatch.setenv("THRUMBLE_BACKUPS_KEPT", "2")
    settings.cache_clear()
    now = datetime.now(UTC)
    assert copies.last_copy() is None
    made = [copies.copy_if_due(now + timedelta(hours=25 * day)) for day in range(4)]
    assert all(made) and copies.copy_if_due(now) is None
    assert sorted((tmp_path / "copies").iterdir()) == sorted(made[-2:])  # type: ignore[type-var]
    assert made[-1].stat().st_mode & 0o077 == 0  # type: ignore[union-attr]
    monkeypatch.setenv("THRUMBLE_BACKUPS", "off")
    settings.cache_clear()
    assert copies.last_copy() is None and copies.copy_if_due(now) is None
    monkeypatch.undo()
    settings.cache_clear()


def test_words_that_cannot_be_sent_are_answered_all_the_same(visitor: Browser) -> None:
    from fastapi import Request

    scope = {
        "type": "http",
        "method": "GET",
        "path": "/",
        "headers": [(b"accept", b"application/json")],
        "query_string": b"",
        "state": {"token": ""},
    }
    assert b"half ?" in answer(Request(scope), 422, "half \ud800").body
    assert visitor.token

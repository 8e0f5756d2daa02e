"""The way in: a request's body is taken in whole, within bounds, before anything is done for it;
then it waits its turn.

Slow or greedy clients hold a socket and a little file, never a thread or a connection of the
database. Only so many requests are answered at
once as there are threads and connections for; more of them wait a while, and far too many are told
to come back.
"""

import asyncio
import heapq
import itertools
import tempfile
import time
import uuid
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from typing import IO

import structlog
from fastapi import Request
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from thrumble.core.errors import Busy
from thrumble.web.errors import answer, unexpected

log = structlog.get_logger()
MAX_BYTES = 101_000_000  # a take's 100 MB and the form around it
MAX_IMPORT_BYTES = 1_000_000_000  # of a player's export
IMPORT_PATH = "/players/import"
SMALL_BYTES = 1 << 20  # larger bodies go to a file
READ_BYTES = 1 << 16
PIECE_S, WHOLE_S = 15.0, 300.0  # the longest silence inside a body, and the longest body
WAITING, WAIT_S = 600, 20.0  # how many requests may wait for their turn, and how long
AGAIN_S = 2
SOUND_WAITS_S, UPLOAD_WAITS_S = 1.0, 3.0
FREE = ("/vendor/", "/files/", "/healthz")  # answered without the database


class Intake:
    """Bodies in, a request id out, one line in the log for each request, and a bound on how many
    are answered at once.
    """

    def __init__(self, app: ASGIApp, *, at_once: int) -> None:
        self._app = app
        self._turns = _Turns(at_once)

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        request = Request(scope)
        request.state.id = uuid.uuid4().hex[:12]
        began = time.perf_counter()
        status = 0

        async def watched(message: Message) -> None:
            nonlocal status
            if message["type"] == "http.response.start":
                status = message["status"]
                message["headers"] = [
                    *message["headers"],
                    (b"x-request-id", request.state.id.encode()),
                ]
            await send(message)

        try:
            if scope["path"].startswith(FREE):
                await self._app(scope, receive, watched)
            else:
                await self._in_turn(request, receive, watched)
        finally:
            if status >= 400 or not scope["path"].startswith(FREE):
                log.info(
                    "request",
                    id=request.state.id,
                    method=scope["method"],
                    path=scope["path"][:120],
                    status=status,
                    ms=round((time.perf_counter() - began) * 1000),
                )

    async def _in_turn(self, request: Request, receive: Receive, send: Send) -> None:
        scope = request.scope
        with tempfile.SpooledTemporaryFile(max_size=SMALL_BYTES) as body:
            refused = await _take_in(request, receive, body)
            if refused is not None:
                if refused:
                    await answer(request, *refused)(scope, receive, send)
                return
            if not await self._turns.come(_head_start_s(request)):
                words = "We're busy. Nothing is lost: try again in a moment."
                await answer(request, 503, words, again_s=AGAIN_S)(scope, receive, send)
                return
            turn = Turn(self._turns)
            request.state.turn = turn

            async def sending(message: Message) -> None:
                turn.over()  # its session is closed by now: who reads slowly holds nobody up
                await send(message)

            try:
                body.seek(0)
                await self._app(scope, _again(body, receive), sending)
            except Exception as error:
                if turn.taken:
                    await unexpected(request, error)(scope, receive, sending)
                else:
                    raise  # the answer was under way: nothing can be said any more
            finally:
                turn.over()


def _head_start_s(request: Request) -> float:
    """Pages go first, somebody looks at the screen; sound that a browser keeps anyway can wait a
    little, whole files a little longer.
    """
    if request.method in ("GET", "HEAD"):
        return 0.0
    return UPLOAD_WAITS_S if request.url.path.endswith("/upload") else SOUND_WAITS_S


class _Turns:
    """So many at once; who waits is let in by the moment it came, put back by its head start.
    Nobody waits for ever: all move up in time.
    """

    def __init__(self, at_once: int) -> None:
        self._free = at_once
        self._queue: list[tuple[float, int, asyncio.Future[None]]] = []
        self._count = itertools.count()

    async def come(self, later_s: float) -> bool:
        """Waits for a turn; false if too many wait already, or it took too long."""
        if self._free > 0:
            self._free -= 1
            return True
        if len(self._queue) >= WAITING:
            return False
        let_in = asyncio.get_running_loop().create_future()
        heapq.heappush(self._queue, (time.monotonic() + later_s, next(self._count), let_in))
        try:
            await asyncio.wait_for(asyncio.shield(let_in), WAIT_S)
        except BaseException as error:
            if let_in.done():
                self.release()  # the turn came at the very moment that it was given up
            else:
                let_in.cancel()
            if isinstance(error, TimeoutError):
                return False
            raise
        return True

    def release(self) -> None:
        """Lets the next one in."""
        while self._queue:
            _, _, let_in = heapq.heappop(self._queue)
            if not let_in.done():
                let_in.set_result(None)
                return
        self._free += 1


class Turn:
    """A request's slot, given back once, at whichever end comes first."""

    def __init__(self, turns: _Turns) -> None:
        self._turns = turns
        self._held = True
        self.taken = True  # no answer has begun yet

    def over(self) -> None:
        """Gives the slot back for good."""
        self.taken = False
        self._give_back()

    def _give_back(self) -> None:
        if self._held:
            self._held = False
            self._turns.release()

    @asynccontextmanager
    async def paused(self) -> AsyncIterator[None]:
        """Gives the slot back while something outside the server works. Raises Busy if none is
        free afterwards.
        """
        self._give_back()
        try:
            yield
        finally:
            self._held = await self._turns.come(0.0)
        if not self._held:
            raise Busy("Thrumble is busy: try again in a moment")


Refused = tuple[int, str] | tuple[()]


async def _take_in(request: Request, receive: Receive, body: IO[bytes]) -> Refused | None:
    """The whole body into a file. A status and words if it is refused, empty if the client
    has gone, None if all is well.
    """
    promised = request.headers.get("content-length", "")
    limit, remedy = MAX_BYTES, "Cut the take to the riff and send it again."
    if request.url.path == IMPORT_PATH:
        limit, remedy = MAX_IMPORT_BYTES, "Import it with thrumble import-player."
    too_large = (413, f"This is larger than {limit // 1_000_000} MB. {remedy}")
    if promised.isascii() and promised.isdigit() and int(promised[:20]) > limit:
        return too_large
    size, until = 0, time.monotonic() + WHOLE_S
    while True:
        try:
            message = await asyncio.wait_for(
                receive(), min(PIECE_S, max(0.1, until - time.monotonic()))
            )
        except TimeoutError:
            return (408, "The request stopped half way. Send it again.")
        if message["type"] == "http.disconnect":
            return ()
        piece = message.get("body", b"")
        size += len(piece)
        if size > limit:
            return too_large
        body.write(piece)
        if not message.get("more_body"):
            return None


def _again(body: IO[bytes], receive: Receive) -> Receive:
    """Gives a body out once more; after it, whatever the client says."""
    done = False

    async def from_file() -> Message:
        nonlocal done
        if done:
            return await receive()
        piece = body.read(READ_BYTES)
        done = len(piece) < READ_BYTES
        return {"type": "http.request", "body": piece, "more_body": not done}

    return from_file

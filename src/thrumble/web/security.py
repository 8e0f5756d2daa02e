"""Keeps other pages of the net out of a loopback application: foreign hosts and origins are refused, changes need a token, and a strict
Content-Security-Policy allows nothing but our own files."""

import secrets
from collections.abc import Awaitable, Callable
from urllib.parse import urlsplit

from fastapi import Request, Response
from fastapi.responses import PlainTextResponse
from itsdangerous import BadSignature, URLSafeSerializer

COOKIE = "thrumble"
TOKEN_HEADER = "x-thrumble-token"
MOST_BYTES = 101_000_000  # a take's 100 MB and the form around it; refused before a byte is read
SAFE = frozenset({"GET", "HEAD", "OPTIONS"})
LOCAL_HOSTS = frozenset({"127.0.0.1", "localhost", "[::1]", "testserver"})
POLICY = (
    "default-src 'self'; img-src 'self' data:; media-src 'self' blob:; style-src 'self'; script-src 'self'; object-src 'none'; "
    "base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
)

Next = Callable[[Request], Awaitable[Response]]


class Guard:
    """Checks every request, and gives every browser a signed cookie and pages their token."""

    def __init__(self, secret: str, hosts: str) -> None:
        self._cookie = URLSafeSerializer(secret, salt="cookie")
        self._token = URLSafeSerializer(secret, salt="token")
        self._hosts = LOCAL_HOSTS | {host.strip() for host in hosts.split(",") if host.strip()}

    def token(self, request: Request) -> str:
        """The token that this browser's requests for change carry."""
        return str(self._token.dumps(request.state.browser))

    async def __call__(self, request: Request, call_next: Next) -> Response:
        host = _name(request.headers.get("host", ""))
        if host not in self._hosts:
            return PlainTextResponse("This host name is not known here. Open the address that ./run printed.", 403)
        origin = request.headers.get("origin")
        if origin and urlsplit(origin).netloc != request.headers.get("host"):
            return PlainTextResponse("This request comes from another site and is refused.", 403)
        if int(request.headers.get("content-length") or 0) > MOST_BYTES:
            return PlainTextResponse(f"This is larger than {MOST_BYTES // 1_000_000} MB. Cut the take to the riff and send it again.", 413)
        fresh = self._recognise(request)
        if request.method not in SAFE and not self._allowed(request):
            return PlainTextResponse("The page is too old to change anything. Load it again, then repeat.", 403)
        response = await call_next(request)
        response.headers["Content-Security-Policy"] = POLICY
        response.headers["X-Content-Type-Options"] = "nosniff"
        response.headers["Referrer-Policy"] = "same-origin"
        response.headers["Permissions-Policy"] = "microphone=(self)"
        if fresh:
            response.set_cookie(
                COOKIE, str(self._cookie.dumps(request.state.browser)), httponly=True, samesite="strict", max_age=400 * 86400
            )
        return response

    def _recognise(self, request: Request) -> bool:
        """Sets the request's browser; true if it is new here."""
        try:
            request.state.browser = self._cookie.loads(request.cookies.get(COOKIE, ""))
            return False
        except BadSignature:
            request.state.browser = secrets.token_urlsafe(16)
            return True

    def _allowed(self, request: Request) -> bool:
        try:
            return bool(self._token.loads(request.headers.get(TOKEN_HEADER, "")) == request.state.browser)
        except BadSignature:
            return False


def _name(host: str) -> str:
    """The host without its port."""
    return host.rsplit(":", 1)[0] if not host.endswith("]") else host

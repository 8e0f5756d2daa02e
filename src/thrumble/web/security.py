"""Keeps other pages of the net out of a loopback application: foreign hosts and origins are
refused, changes need a token, and a strict
Content-Security-Policy allows nothing but our own files."""

import secrets
from urllib.parse import urlsplit

from fastapi import Request
from itsdangerous import BadSignature, URLSafeSerializer
from starlette.datastructures import MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from thrumble.web.errors import answer
from thrumble.web.hosts import LOCAL_HOSTS, host_name
from thrumble.web.peers import may_use

COOKIE = "thrumble"
TOKEN_HEADER = "x-thrumble-token"
SAFE = frozenset({"GET", "HEAD", "OPTIONS"})
COOKIE_AGE_S = 400 * 86400
POLICY = (
    "default-src 'self'; img-src 'self' data:; media-src 'self' blob:; style-src 'self'; "
    "script-src 'self'; object-src 'none'; "
    "base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
)
HEADERS = {
    "Content-Security-Policy": POLICY,
    "X-Content-Type-Options": "nosniff",
    "X-Frame-Options": "DENY",
    "Referrer-Policy": "same-origin",
    "Permissions-Policy": "microphone=(self), camera=(), geolocation=()",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Cross-Origin-Resource-Policy": "same-origin",
}
YEAR_S = 31_536_000
VENDOR_CACHE = "private, max-age=86400"  # pinned files that only a new version changes


class Guard:
    """Checks every request before its body is read, and gives every browser a signed cookie and
    pages their token.
    """

    def __init__(
        self,
        app: ASGIApp,
        *,
        secret: str,
        hosts: str,
        shared: bool | None = None,
    ) -> None:
        self._app = app
        self._shared = shared
        self._cookie = URLSafeSerializer(secret, salt="cookie")
        self._token = URLSafeSerializer(secret, salt="token")
        self._hosts = LOCAL_HOSTS | {host.strip() for host in hosts.split(",") if host.strip()}

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        request = Request(scope)
        fresh = self._recognise(request)
        request.state.new_browser = fresh
        request.state.token = str(self._token.dumps(request.state.browser))
        secure = request.url.scheme == "https"

        async def with_headers(message: Message) -> None:
            if message["type"] == "http.response.start":
                headers = MutableHeaders(scope=message)
                for name, value in HEADERS.items():
                    headers[name] = value
                headers.setdefault(
                    "Cache-Control",
                    VENDOR_CACHE if scope["path"].startswith("/vendor/") else "no-store",
                )
                if secure and host_name(request.headers.get("host", "")) not in LOCAL_HOSTS:
                    headers["Strict-Transport-Security"] = f"max-age={YEAR_S}"
                if fresh:
                    value = str(self._cookie.dumps(request.state.browser))
                    allowed = (
                        f"{COOKIE}={value}; Path=/; Max-Age={COOKIE_AGE_S}; HttpOnly; "
                        "SameSite=strict"
                    )
                    headers.append("Set-Cookie", allowed + ("; Secure" if secure else ""))
            await send(message)

        refusal = self._refusal(request)
        if refusal:
            await answer(request, 403, refusal)(scope, receive, with_headers)
        else:
            await self._app(scope, receive, with_headers)

    def _refusal(self, request: Request) -> str:
        """Why a request is refused; empty if it is not."""
        if not may_use(getattr(request.state, "account", None), self._shared):
            return (
                "This Thrumble belongs to another account of this machine. Its owner can open it "
                "to everyone here with THRUMBLE_SHARED=yes."
            )
        if host_name(request.headers.get("host", "")) not in self._hosts:
            return "Thrumble doesn't answer to this host name. Open the address that ./run printed."
        if _from_elsewhere(request) and not _opens_page(request):
            return (
                "This request comes from another site, so it is refused. Open Thrumble itself and "
                "do it there."
            )
        origin = request.headers.get("origin")
        if origin and _origin_host(origin) != request.headers.get("host"):
            return (
                "This request comes from another site, so it is refused. Open Thrumble itself and "
                "do it there."
            )
        if request.method not in SAFE and not self._allowed(request):
            return "This page has expired. Reload it, then do that again."
        return ""

    def _recognise(self, request: Request) -> bool:
        """Sets the request's browser; true if it is new here."""
        try:
            request.state.browser = str(self._cookie.loads(request.cookies.get(COOKIE, "")))
            return False
        except BadSignature:
            request.state.browser = secrets.token_urlsafe(16)
            return True

    def _allowed(self, request: Request) -> bool:
        try:
            return bool(
                self._token.loads(request.headers.get(TOKEN_HEADER, "")) == request.state.browser
            )
        except BadSignature:
            return False


def _from_elsewhere(request: Request) -> bool:
    """Whether another page of the web makes the browser ask, also one on another port of this
    machine.
    """
    return request.headers.get("sec-fetch-site") in ("cross-site", "same-site")


def _opens_page(request: Request) -> bool:
    """Whether a link to one of our pages was followed; files and framed pages are none."""
    return (
        request.method in ("GET", "HEAD")
        and request.headers.get("sec-fetch-mode") == "navigate"
        and request.headers.get("sec-fetch-dest", "document") == "document"
        and "." not in request.url.path.rpartition("/")[2]
    )


def _origin_host(origin: str) -> str | None:
    try:
        return urlsplit(origin).netloc
    except ValueError:
        return None

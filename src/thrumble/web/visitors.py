"""Who asks: somebody at this machine, who chooses who plays, or somebody who is signed in."""

import ipaddress
from urllib.parse import urlsplit

from fastapi import Request, Response
from itsdangerous import BadSignature
from sqlmodel import Session

from thrumble.actions.signing_in import Visitor
from thrumble.core.errors import NotFound, NotSignedIn
from thrumble.settings import settings
from thrumble.store import database
from thrumble.store.accounts import sign_ins
from thrumble.store.accounts.accounts import Account, Role, account_of, digest
from thrumble.store.players.players import Player
from thrumble.web.hosts import LOCAL_HOSTS, host_name

SESSION_COOKIE = "thrumble-session"
UNLOCKED_COOKIE = "thrumble-unlocked"
UNLOCKED_S = 12 * 3600
FORWARDED = ("forwarded", "x-forwarded-for", "x-forwarded-host")
PUBLIC = frozenset(
    {
        "alive",
        "web_manifest",
        "service_worker",
        "offline_page",
        "ready",
        "fresh_token",
        "calendar_feed",
        "sign_in_page",
        "sign_in",
        "passkey_question",
        "sign_in_with_passkey",
        "join_page",
        "join",
    }
)


def is_local(request: Request) -> bool:
    """Whether the request comes from this machine under one of its own names, and not through a
    proxy.
    """
    if settings().sign_in == "always" or any(name in request.headers for name in FORWARDED):
        return False
    if host_name(request.headers.get("host", "")) not in LOCAL_HOSTS:
        return False
    try:
        return request.client is not None and ipaddress.ip_address(request.client.host).is_loopback
    except ValueError:
        return False


def visiting_account(request: Request, session: Session) -> Account | None:
    """Whoever is signed in; None for somebody at this machine. Raises NotSignedIn."""
    if is_local(request):
        return None
    account: Account | None = getattr(request.state, "account_signed_in", None)
    if account is None:
        token = session_token(request)
        signed_in = sign_ins.find_sign_in(session, token) if token else None
        if signed_in is None:
            raise NotSignedIn("you're signed out: sign in again in another tab, then go on here")
        account, is_due = signed_in
        if is_due:
            with database.session() as writing:  # the request's own may be read-only
                sign_ins.note_visit(writing, token)
        request.state.account_signed_in = account
    return account


def administrator(request: Request, session: Session) -> Account:
    """Whoever runs the server. Raises NotSignedIn, and NotFound for all others."""
    account = visiting_account(request, session)
    if account is None or account.role is not Role.ADMINISTRATOR:
        raise NotFound("there's no such page here: pick one from the list at the side")
    return account


def _cookie_name(request: Request) -> str:
    # a browser takes the prefix only over https, and then from this very host
    secure = request.url.scheme == "https"
    return f"__Host-{SESSION_COOKIE}" if secure else SESSION_COOKIE


def session_token(request: Request) -> str:
    """The token of the browser's session cookie; empty if there is none."""
    return request.cookies.get(_cookie_name(request), "")[:200]


def set_session_token(request: Request, response: Response, token: str) -> None:
    """Lets the browser go on as whoever signed in; with an empty token, as nobody."""
    response.set_cookie(
        _cookie_name(request),
        token,
        max_age=int(sign_ins.LONGEST.total_seconds()) if token else 0,
        path="/",
        httponly=True,
        samesite="lax",  # a link in a message opens a page as the one who is signed in
        secure=request.url.scheme == "https",
    )


def visitor_of(request: Request) -> Visitor:
    """Where the request comes from, for the list of sign-ins and for passkeys."""
    base = urlsplit(str(request.base_url))
    return Visitor(
        browser=request.headers.get("user-agent", "")[:120],
        address=request.client.host if request.client else "",
        host=base.hostname or "",
        origin=f"{base.scheme}://{base.netloc}",
        key=request.state.browser,
    )


def lock_of(session: Session, player: Player) -> str | None:
    """The hash of what has to be typed to play as someone on this machine: their PIN, or the
    password of their account. None if nothing has.
    """
    if player.pin is not None:
        return player.pin
    account = account_of(session, player.id)
    return None if account is None else account.password


def is_unlocked(request: Request, session: Session, player: Player) -> bool:
    """Whether this browser may play as someone: there is no PIN, or it was typed here."""
    lock = lock_of(session, player)
    return lock is None or _unlocked(request).get(str(player.id)) == _mark(lock)


def unlock(request: Request, response: Response, player: Player, lock: str) -> None:
    """Notes that the PIN was typed in this browser; another PIN locks it again."""
    opened = _unlocked(request) | {str(player.id): _mark(lock)}
    response.set_cookie(
        UNLOCKED_COOKIE,
        str(request.app.state.unlocked_signer.dumps(opened)),
        max_age=UNLOCKED_S,
        httponly=True,
        samesite="strict",
        secure=request.url.scheme == "https",
    )


def _mark(lock: str) -> str:
    return digest(lock).hex()[:24]


def _unlocked(request: Request) -> dict[str, str]:
    try:
        opened = request.app.state.unlocked_signer.loads(
            request.cookies.get(UNLOCKED_COOKIE, ""), max_age=UNLOCKED_S
        )
    except BadSignature:
        return {}
    return opened if isinstance(opened, dict) else {}


def may_manage(request: Request, session: Session, player: Player) -> bool:
    """Whether whoever asks may rename, export or delete a player: on this machine those they can
    play as, over the network themselves.
    """
    account = visiting_account(request, session)
    if account is not None:
        return account.player_id == player.id
    return is_unlocked(request, session, player)

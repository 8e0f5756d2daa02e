"""What endpoints ask for: the session of the request's transaction, the player, and leave to do
something costly.
"""

from collections.abc import Callable, Iterator
from datetime import UTC, date, datetime
from typing import Annotated, Any
from urllib.parse import unquote

from fastapi import Depends, Request, Response
from itsdangerous import BadSignature
from sqlmodel import Session

from thrumble.core.errors import NotFound, NotSignedIn, TooOften
from thrumble.store import database
from thrumble.store.players import players
from thrumble.store.practice.rounds import local_day
from thrumble.web.limits import Limits
from thrumble.web.visitors import (
    PUBLIC,
    administrator,
    is_local,
    is_unlocked,
    visiting_account,
)

PLAYER_HEADER = "x-thrumble-player"
PLAYER_COOKIE = "thrumble-player"
COOKIE_AGE_S = 400 * 86400
SAFE_METHODS = frozenset({"GET", "HEAD"})


def _session(request: Request) -> Iterator[Session]:
    """The request's transaction. The database itself refuses changes in a request that only asks:
    a link or a picture on another website can send one.
    """
    with database.session() as session:
        if request.method in SAFE_METHODS:
            session.connection(execution_options={"postgresql_readonly": True})
        yield session


# scope "function": committed before the answer leaves, so that the next request sees what this one
# did
DbSession = Annotated[Session, Depends(_session, scope="function")]


def acting_player(request: Request, session: DbSession) -> int:
    """Whose data the request is about: the player that its page shows, whoever was chosen in
    another tab since; for pages the one that this browser has chosen, else the one used last.
    """
    account = visiting_account(request, session)
    player: players.Player | None
    header = request.headers.get(PLAYER_HEADER, "")
    shown = int(header) if header.isascii() and header.isdigit() and len(header) < 10 else None
    if account is not None:
        player = players.get_player(session, account.player_id)
        if shown not in (None, player.id):
            raise NotFound(players.GONE)
    elif shown is not None:
        player = players.get_player(session, shown)
    else:
        player = players.find_player(session, chosen_player(request))
    if player is None:
        raise NotFound("there is no player yet: reload Today to begin")
    if account is None and not is_unlocked(request, session, player):
        raise NotSignedIn(
            f"{player.name} has a PIN: choose {player.name} on Players and type it, then do this "
            "again"
        )
    request.state.player = player
    return player.id


def _signed_in(request: Request) -> None:
    """Raises NotSignedIn for whoever isn't at this machine and isn't signed in, whatever they ask
    for but what is open to all. Nothing is asked of the database for those who needn't.
    """
    if request.scope["route"].name in PUBLIC or is_local(request):
        return
    with database.session() as session:
        visiting_account(request, session)


SIGNED_IN = Depends(_signed_in)


def _at_this_machine(request: Request) -> None:
    """Raises NotFound for whoever comes over the network."""
    if not is_local(request):
        raise NotFound("there's no such page here: pick one from the list at the side")


AT_THIS_MACHINE = Depends(_at_this_machine)


def _runs_server(request: Request, session: DbSession) -> None:
    if not is_local(request):
        administrator(request, session)


RUNS_SERVER = Depends(_runs_server)


def chosen_player(request: Request) -> int | None:
    """The player that this browser has chosen; None if it has chosen nobody yet."""
    try:
        chosen = request.app.state.player_signer.loads(request.cookies.get(PLAYER_COOKIE, ""))
    except BadSignature:
        return None
    return chosen if isinstance(chosen, int) else None


def choose_player(request: Request, response: Response, player_id: int) -> None:
    """Lets this browser go on as a player."""
    response.set_cookie(
        PLAYER_COOKIE,
        str(request.app.state.player_signer.dumps(player_id)),
        max_age=COOKIE_AGE_S,
        httponly=True,
        samesite="strict",
        secure=request.url.scheme == "https",
    )


PlayerId = Annotated[int, Depends(acting_player)]
SHOWS_PLAYER = Depends(acting_player)  # of pages that ask for nothing of the player's


def _today(request: Request) -> date:
    return local_day(datetime.now(UTC), player_zone(request))


def player_zone(request: Request) -> str:
    """The time zone that the browser told."""
    return unquote(request.cookies.get("zone", "UTC"))[:64]


Today = Annotated[date, Depends(_today)]


def costly(per_minute: int) -> Any:
    """A dependency that lets one browser ask so many times a minute, and as often at once. Who
    brings no cookie is counted by the address it comes from: a cookie each would be no limit.
    """
    limits = Limits(per_minute)

    def check(request: Request) -> None:
        who = request.state.browser
        if request.state.new_browser:
            who = f"from {request.client.host if request.client else 'nowhere'}"
        wait_s = limits.wait_s(who)
        if wait_s > 0:
            raise TooOften(f"too many requests: wait {max(1, round(wait_s))} s, then try again")

    check_it: Callable[[Request], None] = check
    return Depends(check_it)

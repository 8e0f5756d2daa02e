"""Players: who plays on this machine, and everything of one player as a file."""

from typing import IO, Annotated

from fastapi import APIRouter, Form, Path, Request, Response, UploadFile
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import HTMLResponse, RedirectResponse
from sqlmodel import Session

from thrumble.actions.demo import reset_sample
from thrumble.actions.exports import Export, get_export, start_export
from thrumble.actions.passwords import MAX_LENGTH, check_pin, hash_secret, is_secret
from thrumble.actions.portability import delete_player, import_player
from thrumble.actions.starting import start_player
from thrumble.core.errors import BadInput, NotFound, NotSignedIn, TooOften
from thrumble.store import database
from thrumble.store.accounts import accounts
from thrumble.store.players import players
from thrumble.web.deps import (
    AT_THIS_MACHINE,
    DbSession,
    choose_player,
    chosen_player,
    costly,
)
from thrumble.web.inputs import Id, Line
from thrumble.web.limits import Limits
from thrumble.web.players.views import players_view
from thrumble.web.shared.downloads import attachment, riff_file_name
from thrumble.web.shared.files import sent
from thrumble.web.templating import render
from thrumble.web.visitors import (
    is_local,
    is_unlocked,
    lock_of,
    may_manage,
    unlock,
    visiting_account,
)

router = APIRouter()
EXPORTS_A_MINUTE = 6
Name = Annotated[Line, Form(max_length=200)]
Secret = Annotated[str, Form(max_length=MAX_LENGTH)]
Key = Annotated[str, Path(pattern=r"^[\w-]{10,40}$")]
_pins = Limits(1, at_once=5)  # wrong ones in a row, and then one a minute


@router.get("/players", name="players_page")
def players_page(request: Request, session: DbSession) -> Response:
    """Everybody who plays on this machine; over the network one's own account."""
    if not is_local(request):
        return RedirectResponse(request.app.url_path_for("account_page"), 303)
    here = players.find_player(session, chosen_player(request))
    unlocked = here is not None and is_unlocked(request, session, here)
    request.state.player = here if unlocked else None
    view = players_view(
        players.all_players(session),
        here.id if here is not None and unlocked else None,
        with_pin={
            player.id
            for player in players.all_players(session)
            if lock_of(session, player) is not None
        },
        with_account=accounts.with_accounts(session),
    )
    return render(request, "players/page.html", view=view)


@router.post("/players", name="add_player", dependencies=[AT_THIS_MACHINE])
def add_player(request: Request, session: DbSession, name: Name = "") -> Response:
    """A place of one's own, empty; this browser goes on there."""
    player = start_player(session, name or players.FIRST_NAME)
    return _go_on(request, player.id)


@router.post(
    "/players/sample",
    name="reset_sample",
    dependencies=[AT_THIS_MACHINE, costly(EXPORTS_A_MINUTE)],
)
def reset(request: Request) -> Response:
    """The sample data as it ships; this browser shows it."""
    return _go_on(request, reset_sample())


@router.post("/players/{player_id}/choose", name="choose_player", dependencies=[AT_THIS_MACHINE])
def choose(request: Request, player_id: Id, secret: Secret = "") -> Response:
    """This browser goes on as another player; if they have a PIN, once it is typed."""
    with database.session() as session:
        player = players.get_player(session, player_id)
        lock = lock_of(session, player)
        unlocked = is_unlocked(request, session, player)
    if lock is not None and not unlocked:
        _check_secret(player_id, secret, lock)
    with database.session() as session:
        players.use_player(session, player_id)
    response = _go_on(request, player_id)
    if lock is not None and not unlocked:
        unlock(request, response, player, lock)
    return response


def _check_secret(player_id: int, secret: str, lock: str) -> None:
    """Raises NotSignedIn for a wrong PIN, TooOften after several of them."""
    wait_s = _pins.wait_s(str(player_id))
    if wait_s > 0:
        raise TooOften(f"too many wrong PINs: wait {max(1, round(wait_s))} s, then type it again")
    if not is_secret(secret, lock):
        raise NotSignedIn("that's not the PIN: type it again")
    _pins.give_back(str(player_id))


@router.post("/players/{player_id}/pin", name="set_pin", dependencies=[AT_THIS_MACHINE])
def set_pin(
    request: Request,
    player_id: Id,
    session: DbSession,
    pin: Annotated[Line, Form(max_length=40)] = "",
) -> Response:
    """A PIN that has to be typed to play as someone here; none if it is empty."""
    player = _managed(request, session, player_id)
    if player.is_sample:
        raise BadInput("the sample data is open to everyone: add a player of your own")
    if pin:
        check_pin(pin)
    lock = hash_secret(pin) if pin else None
    players.set_pin(session, player_id, lock)
    response = Response(status_code=204, headers={"HX-Refresh": "true"})
    if lock is not None:
        unlock(request, response, player, lock)
    return response


@router.post("/players/{player_id}/rename", name="rename_player")
def rename(request: Request, player_id: Id, session: DbSession, name: Name) -> Response:
    """Another name for a player; the page it was given on is shown anew."""
    _managed(request, session, player_id)
    players.rename_player(session, player_id, name)
    return Response(status_code=204, headers={"HX-Refresh": "true"})


@router.post("/players/{player_id}/delete", name="delete_player")
def delete(request: Request, player_id: Id, name: Name = "") -> Response:
    """Deletes a player with everything that is theirs, once their name is typed."""
    with database.session() as session:
        _managed(request, session, player_id)
        accounts.check_can_go(session, player_id)
    delete_player(player_id, name)
    with database.session() as session:
        players.local_player(session)  # somebody is always here
    return _to_list(request)


def _managed(request: Request, session: Session, player_id: int) -> players.Player:
    """A player whom the visitor may rename, export and delete. Raises NotFound for players of
    others, as if they weren't there.
    """
    player = players.get_player(session, player_id)
    if not may_manage(request, session, player):
        if is_local(request):
            raise NotSignedIn(f"{player.name} has a PIN: play as {player.name} first")
        raise NotFound(players.GONE)
    return player


@router.post(
    "/players/{player_id}/export", name="export_player", dependencies=[costly(EXPORTS_A_MINUTE)]
)
def export(request: Request, player_id: Id) -> HTMLResponse:
    """Begins to write everything of a player into one file."""
    with database.session() as session:
        _managed(request, session, player_id)
    return _progress(request, start_export(player_id))


@router.get("/players/{player_id}/exports/{key}.zip", name="export_file")
def export_file(request: Request, player_id: Id, key: Key) -> Response:
    """A finished export."""
    with database.session() as session:
        name = _managed(request, session, player_id).name
    export = get_export(player_id, key)
    if not export.done:
        raise NotFound("this export isn't finished yet: wait for it on the page")
    return sent(export.file, "application/zip", attachment(riff_file_name(name, ".thrumble.zip")))


@router.get("/players/{player_id}/exports/{key}", name="export_progress")
def export_progress(request: Request, player_id: Id, key: Key) -> HTMLResponse:
    """How far an export is; its file once it is done."""
    with database.session() as session:
        _managed(request, session, player_id)
    return _progress(request, get_export(player_id, key))


def _progress(request: Request, export: Export) -> HTMLResponse:
    return render(request, "players/_export.html", export=export)


@router.post("/players/import", name="import_player", dependencies=[costly(EXPORTS_A_MINUTE)])
async def import_(
    request: Request, file: UploadFile, into: Annotated[Line, Form(max_length=9)] = ""
) -> Response:
    """An export becomes a player here, or is added to one; over the network to one's own."""
    if into and not (into.isascii() and into.isdigit()):
        raise BadInput("choose a player from the list, or a new one")
    return await run_in_threadpool(_import, request, file.file, int(into) if into else None)


def _import(request: Request, file: IO[bytes], into: int | None) -> Response:
    with database.session() as session:
        account = visiting_account(request, session)
        if account is not None:
            into = account.player_id
        elif into is not None:
            _managed(request, session, into)
    imported = import_player(file, into=into)
    if account is not None:
        return Response(status_code=204, headers={"HX-Redirect": "/"})
    with database.session() as session:
        player = players.get_player(session, imported.player_id)
        if not is_unlocked(request, session, player):
            return _to_list(request)
        players.use_player(session, player.id)
    return _go_on(request, player.id)


def _go_on(request: Request, player_id: int) -> Response:
    address = str(request.app.url_path_for("today_page"))
    response = Response(status_code=204, headers={"HX-Redirect": address})
    choose_player(request, response, player_id)
    return response


def _to_list(request: Request) -> Response:
    address = str(request.app.url_path_for("players_page"))
    return Response(status_code=204, headers={"HX-Redirect": address})

"""Players: who plays on this machine, and everything of one player as a file."""

from typing import Annotated

from fastapi import APIRouter, Form, Request, Response, UploadFile
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import HTMLResponse

from thrumble.actions.demo import reset_sample
from thrumble.actions.portability import delete_player, export_player, import_player
from thrumble.actions.starting import start_player
from thrumble.core.errors import BadInput
from thrumble.store import database
from thrumble.store.players import players
from thrumble.web.deps import DbSession, PlayerId, choose_player, costly
from thrumble.web.inputs import Id, Line
from thrumble.web.players.views import players_view
from thrumble.web.shared.downloads import attachment, riff_file_name
from thrumble.web.shared.files import sent, temporary
from thrumble.web.templating import render

router = APIRouter()
EXPORTS_A_MINUTE = 6
Name = Annotated[Line, Form(max_length=200)]


@router.get("/players", name="players_page")
def players_page(request: Request, session: DbSession, player_id: PlayerId) -> HTMLResponse:
    """Everybody who plays here."""
    view = players_view(players.all_players(session), player_id)
    return render(request, "players/page.html", view=view)


@router.post("/players", name="add_player")
def add_player(request: Request, session: DbSession, name: Name = "") -> Response:
    """A place of one's own, empty; this browser goes on there."""
    player = start_player(session, name or players.FIRST_NAME)
    return _go_on(request, player.id)


@router.post("/players/sample", name="reset_sample", dependencies=[costly(EXPORTS_A_MINUTE)])
def reset(request: Request) -> Response:
    """The sample data as it ships; this browser shows it."""
    return _go_on(request, reset_sample())


@router.post("/players/{player_id}/choose", name="choose_player")
def choose(request: Request, player_id: Id, session: DbSession) -> Response:
    """This browser goes on as another player."""
    players.use_player(session, player_id)
    return _go_on(request, player_id)


@router.post("/players/{player_id}/rename", name="rename_player")
def rename(player_id: Id, session: DbSession, name: Name) -> Response:
    """Another name for a player; the page it was given on is shown anew."""
    players.rename_player(session, player_id, name)
    return Response(status_code=204, headers={"HX-Refresh": "true"})


@router.post("/players/{player_id}/delete", name="delete_player")
def delete(request: Request, player_id: Id, name: Name = "") -> Response:
    """Deletes a player with everything that is theirs, once their name is typed."""
    delete_player(player_id, name)
    with database.session() as session:
        players.local_player(session)  # somebody is always here
    return _to_list(request)


@router.get(
    "/players/{player_id}/export.zip",
    name="export_player",
    dependencies=[costly(EXPORTS_A_MINUTE)],
)
def export(player_id: Id) -> Response:
    """Everything of a player as one file."""
    with database.session() as session:
        name = players.get_player(session, player_id).name
    with temporary() as file:
        with file.open("wb") as target:
            export_player(player_id, target)
        return sent(file, "application/zip", attachment(riff_file_name(name, ".thrumble.zip")))


@router.post("/players/import", name="import_player", dependencies=[costly(EXPORTS_A_MINUTE)])
async def import_(
    request: Request, file: UploadFile, into: Annotated[Line, Form(max_length=9)] = ""
) -> Response:
    """An export becomes a player here, or is added to one."""
    if into and not (into.isascii() and into.isdigit()):
        raise BadInput("choose a player from the list, or a new one")
    imported = await run_in_threadpool(import_player, file.file, into=int(into) if into else None)
    with database.session() as session:
        players.use_player(session, imported.player_id)
    return _go_on(request, imported.player_id)


def _go_on(request: Request, player_id: int) -> Response:
    address = str(request.app.url_path_for("today_page"))
    response = Response(status_code=204, headers={"HX-Redirect": address})
    choose_player(request, response, player_id)
    return response


def _to_list(request: Request) -> Response:
    address = str(request.app.url_path_for("players_page"))
    return Response(status_code=204, headers={"HX-Redirect": address})

"""Today."""

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse

from thrumble.store import riffs, takes
from thrumble.web.deps import DbSession, PlayerId
from thrumble.web.templating import render
from thrumble.web.today.views import today_view

router = APIRouter()


@router.get("/", name="today_page")
def today_page(request: Request, session: DbSession, player_id: PlayerId) -> HTMLResponse:
    """What is armed next, what waits to be finished, what was read last."""
    view = today_view(riffs.riff_standings(session, player_id), takes.take_lines(session, player_id, limit=12))
    return render(request, "today/page.html", view=view)

"""Today."""

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse

from thrumble.core.takes import TakeState
from thrumble.store import takes
from thrumble.web.deps import DbSession, PlayerId
from thrumble.web.shared.armed import armed_view
from thrumble.web.templating import render
from thrumble.web.today.views import LATEST, UNFINISHED, today_view

router = APIRouter()


@router.get("/", name="today_page")
def today_page(request: Request, session: DbSession, player_id: PlayerId) -> HTMLResponse:
    """What is armed next, what waits to be finished, what was read last."""
    cut, others = (
        (TakeState.RECORDING,),
        tuple(state for state in TakeState if state is not TakeState.RECORDING),
    )
    view = today_view(
        armed_view(session, player_id),
        takes.take_lines(session, player_id, states=cut, limit=UNFINISHED),
        takes.count_takes(session, player_id, states=cut),
        takes.take_lines(session, player_id, states=others, limit=LATEST),
    )
    return render(request, "today/page.html", view=view)

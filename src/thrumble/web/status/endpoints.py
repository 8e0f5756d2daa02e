"""The state of the bench, for people and for programs that watch over it; and a fresh token for
pages that were open for long.
"""

from fastapi import APIRouter, Request, Response
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse

from thrumble.actions.copies import last_copy
from thrumble.core.errors import ThrumbleError
from thrumble.store import database, queue
from thrumble.store.queue import QueueState
from thrumble.store.takes.space import space, stored_bytes
from thrumble.trained import EAR
from thrumble.web.deps import RUNS_SERVER, SHOWS_PLAYER, DbSession
from thrumble.web.status.views import bench_view, is_ready, readiness
from thrumble.web.templating import render

router = APIRouter()


@router.get("/healthz", name="alive")
async def alive() -> JSONResponse:
    """The process answers; nothing else is asked."""
    return JSONResponse({"alive": True})


@router.get("/readyz", name="ready")
def ready() -> Response:
    """Database, worker, queue and disk: 200 if takes can be played and read, 503 with the same
    figures if not.
    """
    state: QueueState | None = None
    try:
        with database.session() as session:
            state = queue.queue_state(session)
    except ThrumbleError:
        state = None
    state_now = readiness(state)
    return JSONResponse(state_now, 200 if is_ready(state_now) else 503)


@router.get("/token", name="fresh_token")
def fresh_token(request: Request) -> JSONResponse:
    """This browser's token, for a page that was loaded before the last restart or restore."""
    return JSONResponse({"token": request.state.token})


@router.get("/bench", include_in_schema=False)
def bench_page(request: Request) -> RedirectResponse:
    """The page's address until November 2026."""
    return RedirectResponse(request.app.url_path_for("status_page"), status_code=301)


@router.get("/status", name="status_page", dependencies=[RUNS_SERVER, SHOWS_PLAYER])
def status_page(request: Request, session: DbSession) -> HTMLResponse:
    """Processes, queue, space, last backup, engine."""
    view = bench_view(
        queue.queue_state(session), space(session), stored_bytes(session), last_copy(), EAR.version
    )
    return render(request, "status/page.html", view=view)

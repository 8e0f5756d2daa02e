"""The web application: guard, screens, files. `create_app` is what serves."""

from pathlib import Path

from fastapi import FastAPI, Response
from fastapi.staticfiles import StaticFiles
from itsdangerous import URLSafeSerializer, URLSafeTimedSerializer

from thrumble.settings import settings
from thrumble.store import database
from thrumble.store.players import players
from thrumble.store.rig import rigs
from thrumble.web.accounts import endpoints as accounts
from thrumble.web.certainty import endpoints as certainty
from thrumble.web.compare import endpoints as compare
from thrumble.web.deps import SIGNED_IN
from thrumble.web.drills import endpoints as drills
from thrumble.web.errors import add_error_pages
from thrumble.web.guide import endpoints as guide
from thrumble.web.hand import endpoints as hand
from thrumble.web.installed import endpoints as installed
from thrumble.web.intake import Intake
from thrumble.web.keeping import endpoints as keeping
from thrumble.web.lessons import endpoints as lessons
from thrumble.web.log import endpoints as log
from thrumble.web.neck import endpoints as neck
from thrumble.web.play import endpoints as play
from thrumble.web.players import endpoints as players_screen
from thrumble.web.recall import endpoints as recall
from thrumble.web.riffs import endpoints as riffs
from thrumble.web.rig import endpoints as rig
from thrumble.web.security import Guard
from thrumble.web.session import endpoints as practice
from thrumble.web.shapes import endpoints as shapes
from thrumble.web.status import endpoints as status
from thrumble.web.takes import endpoints as takes
from thrumble.web.today import endpoints as today
from thrumble.web.trials import endpoints as trials

WEB = Path(__file__).parent


def create_app() -> FastAPI:
    """Builds the application; the database must be migrated."""
    app = FastAPI(title="Thrumble", docs_url=None, redoc_url=None, openapi_url=None)
    with database.session() as session:
        secret = players.secret(session)
        player_id = players.local_player(session)
        if not players.get_player(session, player_id).is_sample:
            rigs.ensure_rig(session, player_id)
    # the last one added is the outermost: a request is judged by its headers before its body is
    # taken in
    app.add_middleware(Intake, at_once=settings().threads)
    app.state.player_signer = URLSafeSerializer(secret, salt="player")
    app.state.unlocked_signer = URLSafeTimedSerializer(secret, salt="unlocked")
    app.add_middleware(
        Guard,
        secret=secret,
        hosts=settings().hosts,
        shared=settings().shared,
    )
    add_error_pages(app)
    screens = (
        today,
        practice,
        rig,
        neck,
        shapes,
        recall,
        hand,
        drills,
        riffs,
        play,
        takes,
        compare,
        trials,
        keeping,
        log,
        players_screen,
        accounts,
        lessons,
        guide,
    )
    for screen in (*screens, certainty, status, installed):
        app.include_router(screen.router, dependencies=[SIGNED_IN])
    app.mount("/vendor", StaticFiles(directory=WEB / "vendor"), name="vendor")
    app.mount("/files", _Scripts(directory=WEB), name="files")
    return app


class _Scripts(StaticFiles):
    """Scripts and styles beside their templates; nothing else of those folders is served."""

    async def get_response(self, path: str, scope) -> Response:  # type: ignore[no-untyped-def]
        if not path.endswith((".js", ".css", ".svg", ".png")):
            path = "none"
        response = await super().get_response(path, scope)
        response.headers["Cache-Control"] = "no-cache"
        return response

"""The neck: where to take a riff, with which fingers, how far the hand must go."""

from dataclasses import replace
from typing import Annotated

from fastapi import APIRouter, Form, Query, Request, Response
from fastapi.responses import HTMLResponse

from thrumble.core.errors import BadInput
from thrumble.core.instrument import Instrument
from thrumble.core.neck.applying import apply_route
from thrumble.core.neck.grips import DEFAULT_REACH_MM, School
from thrumble.core.neck.routes import Route, plan_routes
from thrumble.core.riff.expand import ExpandedRiff, expand
from thrumble.core.riff.model import Riff
from thrumble.core.riff.printing import print_riff
from thrumble.store import riffs, rigs
from thrumble.web.deps import DbSession, PlayerId, costly
from thrumble.web.inputs import Id, Line
from thrumble.web.neck.views import neck_view
from thrumble.web.templating import render

router = APIRouter()
ROUTES_A_MINUTE = 240


def _school(text: str) -> School | None:
    if text and text not in {one.value for one in School}:
        raise BadInput("choose the fingers from the list")
    return School(text) if text else None


def _planned(
    session: DbSession,
    player_id: int,
    riff: Riff,
    school: School | None,
    reach_mm: float,
    *,
    strict: bool,
) -> tuple[ExpandedRiff, Instrument, list[Route]]:
    """The routes on the player's own neck."""
    own = next(iter(rigs.rigs_of(session, player_id)), None)
    neck = riff.instrument
    if own is not None:
        neck = replace(neck, scale_mm=float(own.scale_mm), left_handed=own.left_handed)
    expanded = expand(riff)
    found = plan_routes(expanded, neck, reach_mm=reach_mm, school=school, strict=strict)
    return expanded, neck, found


@router.get("/riffs/{riff_id}/neck", name="neck_page", dependencies=[costly(ROUTES_A_MINUTE)])
def neck_page(
    request: Request,
    riff_id: Id,
    session: DbSession,
    player_id: PlayerId,
    school: Annotated[Line, Query(max_length=10)] = "",
    reach: Annotated[float, Query(ge=1, le=1000)] = DEFAULT_REACH_MM,
    strict: bool = False,
    route: Annotated[int, Query(ge=0, le=20)] = 0,
) -> HTMLResponse:
    """A riff's routes, one of them on the neck."""
    riff = riffs.newest_revision(session, player_id, riff_id).riff
    chosen = _school(school)
    expanded, neck, found = _planned(session, player_id, riff, chosen, reach, strict=strict)
    view = neck_view(
        riff_id,
        expanded,
        found,
        neck,
        chosen=route,
        school=chosen,
        reach_mm=reach,
        strict=strict,
    )
    return render(request, "neck/page.html", view=view)


@router.post("/riffs/{riff_id}/neck", name="take_route", dependencies=[costly(ROUTES_A_MINUTE)])
def take_route(
    request: Request,
    riff_id: Id,
    session: DbSession,
    player_id: PlayerId,
    school: Annotated[Line, Form(max_length=10)] = "",
    reach: Annotated[float, Form(ge=1, le=1000)] = DEFAULT_REACH_MM,
    strict: Annotated[bool, Form()] = False,
    route: Annotated[int, Form(ge=0, le=20)] = 0,
) -> Response:
    """The riff laid out as the route takes it, as a new revision."""
    riff = riffs.newest_revision(session, player_id, riff_id).riff
    expanded, _, found = _planned(session, player_id, riff, _school(school), reach, strict=strict)
    changed = apply_route(expanded, found[min(route, len(found) - 1)])
    riffs.add_revision(session, player_id, riff_id, changed, print_riff(changed))
    address = str(request.app.url_path_for("riff_page", riff_id=riff_id))
    return Response(status_code=204, headers={"HX-Redirect": address})

"""The neck: where to take a riff, with which fingers, how far the hand must go."""

from dataclasses import replace
from typing import Annotated

from fastapi import APIRouter, Depends, Request, Response
from fastapi.responses import HTMLResponse

from thrumble.actions.hands import best_speed
from thrumble.core.instrument import Instrument
from thrumble.core.neck.apply_route import apply_route
from thrumble.core.neck.grips import Grip
from thrumble.core.neck.routes import Route, plan_routes, ways_of
from thrumble.core.riff.expand import ExpandedRiff, expand
from thrumble.core.riff.model import Riff
from thrumble.core.riff.notation.printing import print_riff
from thrumble.store.practice import hands
from thrumble.store.riffs import riffs
from thrumble.store.rig import rigs
from thrumble.web.deps import DbSession, PlayerId, costly
from thrumble.web.inputs import Id
from thrumble.web.neck.query import NeckQuery, RawAsked, parse_query
from thrumble.web.neck.views import neck_view, stop_at
from thrumble.web.shared.up_next import up_next_view
from thrumble.web.shared.uploading import upload_view
from thrumble.web.templating import render

router = APIRouter()
ROUTES_A_MINUTE = 240
RawQuery = Annotated[RawAsked, Depends()]


def _own_neck(session: DbSession, player_id: int, riff: Riff) -> Instrument:
    """The player's own neck in the riff's tuning."""
    rig = next(iter(rigs.rigs_of(session, player_id)), None)
    return riff.instrument if rig is None else rig.tuned_for(riff)


def _planned(
    session: DbSession, player_id: int, riff: Riff, query: NeckQuery
) -> tuple[ExpandedRiff, Instrument, list[Route], float | None]:
    """The riff, the neck, the routes, and how fast this hand moves (mm/s) if takes show it."""
    limit_mm_s = best_speed(session, player_id)
    expanded = expand(riff, query.tempo_bpm)
    neck = _own_neck(session, player_id, riff)
    planned = plan_routes(
        expanded,
        neck,
        query.hands.hand,
        strict=query.strict,
        wishes=query.wishes,
        locks=query.locks,
        limit_mm_s=limit_mm_s,
    )
    return expanded, neck, planned, limit_mm_s


@router.get("/neck", name="neck_home")
def neck_home(request: Request, session: DbSession, player_id: PlayerId) -> Response:
    """The neck of the riff that is up next; without one the shapes."""
    up_next = up_next_view(session, player_id)
    name, given = (
        ("shapes_page", {}) if up_next is None else ("neck_page", {"riff_id": up_next.riff_id})
    )
    address = str(request.app.url_path_for(name, **given))
    return Response(status_code=303, headers={"Location": address})


@router.get("/riffs/{riff_id}/neck", name="neck_page", dependencies=[costly(ROUTES_A_MINUTE)])
def neck_page(
    request: Request, riff_id: Id, raw: RawQuery, session: DbSession, player_id: PlayerId
) -> HTMLResponse:
    """A riff's routes, one of them on the neck, one of its chords looked at."""
    revision = riffs.newest_revision(session, player_id, riff_id)
    riff = revision.riff
    query = parse_query(raw, hands.hands_of(session, player_id))
    expanded, neck, planned, best = _planned(session, player_id, riff, query)
    at = stop_at(planned[min(query.route, len(planned) - 1)], query.at)
    ways: tuple[Grip, ...] = ()
    if at is not None:
        ways = ways_of(expanded.hits[at], neck, query.hands.hand, strict=query.strict)
    view = neck_view(riff_id, expanded, planned, neck, query, best_mm_s=best, elsewhere=ways)
    complete = all(route.complete for route in planned)
    guitars = rigs.rigs_of(session, player_id)
    return render(
        request,
        "neck/page.html",
        view=view,
        complete=complete,
        guitars=guitars,
        upload=upload_view(session, player_id, revision),
    )


@router.post("/riffs/{riff_id}/neck", name="take_route", dependencies=[costly(ROUTES_A_MINUTE)])
def take_route(
    request: Request, riff_id: Id, raw: RawQuery, session: DbSession, player_id: PlayerId
) -> Response:
    """The riff laid out as the route takes it, as a new revision."""
    riff = riffs.newest_revision(session, player_id, riff_id).riff
    query = parse_query(raw, hands.hands_of(session, player_id))
    expanded, _, planned, _ = _planned(session, player_id, riff, query)
    changed = apply_route(expanded, planned[min(query.route, len(planned) - 1)])
    riffs.add_revision(session, player_id, riff_id, changed, print_riff(changed))
    address = str(request.app.url_path_for("riff_page", riff_id=riff_id))
    return Response(status_code=204, headers={"HX-Redirect": address})


@router.post("/riffs/{riff_id}/neck/hand", name="keep_this_hand")
def keep_this_hand(riff_id: Id, raw: RawQuery, session: DbSession, player_id: PlayerId) -> Response:
    """Stores the hand that was tried on this riff's neck as the player's own."""
    riffs.newest_revision(session, player_id, riff_id)
    hands_now = hands.hands_of(session, player_id)
    query = parse_query(raw, hands_now)
    same = query.hands.hand.reach_mm == hands_now.hand.reach_mm
    stored = replace(query.hands, known=True, measured=hands_now.measured and same)
    hands.keep_hands(session, player_id, stored)
    return Response(status_code=204, headers={"HX-Refresh": "true"})

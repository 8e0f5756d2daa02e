"""Your hand: reach by three questions or in millimetres, fingers, damping, pick."""

from dataclasses import replace
from typing import Annotated

from fastapi import APIRouter, Form, Request, Response
from fastapi.responses import HTMLResponse

from thrumble.actions.hands import best_speed
from thrumble.core.coach.progress.ladder import LadderSchool
from thrumble.core.errors import BadInput
from thrumble.core.neck.hand import ASKED_FRETS, Damping, Hand, School, measure_reach
from thrumble.core.neck.picking import Picking
from thrumble.store.practice import hands, practice
from thrumble.store.rig import rigs
from thrumble.web.deps import DbSession, PlayerId
from thrumble.web.hand.views import HandView, hand_view, measured_words
from thrumble.web.inputs import Line, whole_number
from thrumble.web.templating import render

router = APIRouter()


@router.get("/neck/hand", name="hand_page")
def hand_page(request: Request, session: DbSession, player_id: PlayerId) -> HTMLResponse:
    """The player's hands as they are kept."""
    stored = hands.hands_of(session, player_id)
    view = _view(session, player_id, stored)
    return render(request, "hand/page.html", view=view, measured="")


def _view(session: DbSession, player_id: int, hands: hands.Hands) -> HandView:
    ladder = practice.practice_of(session, player_id).ladder
    neck = rigs.own_instrument(session, player_id)
    return hand_view(hands, ladder, neck, best_speed(session, player_id))


@router.post("/neck/hand", name="keep_hand")
def keep_hand(
    session: DbSession,
    player_id: PlayerId,
    reach: Annotated[float, Form(ge=1, le=1000)],
    school: Annotated[Line, Form(max_length=10)] = "any",
    damping: Annotated[Line, Form(max_length=10)] = "sweep",
    picking: Annotated[Line, Form(max_length=20)] = "written",
    ladder: Annotated[Line, Form(max_length=30)] = "evidence",
    speed: Annotated[Line, Form(max_length=9)] = "",
) -> Response:
    """Keeps the hands as the form has them."""
    for text, kind, what in (
        (damping, Damping, "way of damping"),
        (picking, Picking, "way of picking"),
        (ladder, LadderSchool, "way of getting faster"),
        (school, (*School, "any"), "fingers"),
    ):
        if text not in list(kind):
            raise BadInput(f"choose the {what} from the list")
    was = hands.hands_of(session, player_id)
    hands_now = hands.Hands(
        hand=Hand(
            reach_mm=reach,
            school=None if school == "any" else School(school),
            damping=Damping(damping),
        ),
        picking=Picking(picking),
        measured=was.measured and was.hand.reach_mm == reach,
        speed_mm_s=whole_number(speed, "the speed"),
    )
    hands.keep_hands(session, player_id, hands_now)
    settings = replace(practice.practice_of(session, player_id), ladder=LadderSchool(ladder))
    practice.keep_practice(session, player_id, settings)
    return Response(status_code=204, headers={"HX-Refresh": "true"})


@router.post("/neck/hand/reach", name="keep_reach")
def keep_reach(
    request: Request,
    session: DbSession,
    player_id: PlayerId,
    fret_1: Annotated[Line, Form(max_length=9)] = "",
    fret_5: Annotated[Line, Form(max_length=9)] = "",
    fret_9: Annotated[Line, Form(max_length=9)] = "",
) -> HTMLResponse:
    """Works the reach out from the three answers, and keeps it."""
    neck = rigs.own_instrument(session, player_id)
    answers = {
        first: reached
        for first, text in zip(ASKED_FRETS, (fret_1, fret_5, fret_9), strict=True)
        if (reached := whole_number(text, "a fret")) is not None
    }
    reach = measure_reach(neck, answers)
    was = hands.hands_of(session, player_id)
    stored = replace(
        was, hand=replace(was.hand, reach_mm=reach.reach_mm), known=True, measured=True
    )
    hands.keep_hands(session, player_id, stored)
    view = _view(session, player_id, stored)
    return render(request, "hand/_hand.html", view=view, measured=measured_words(reach))

"""Today."""

from dataclasses import replace
from datetime import UTC, date, datetime
from typing import Annotated

from fastapi import APIRouter, Form, Request
from fastapi.responses import HTMLResponse

from thrumble.actions.caring import advice_now
from thrumble.actions.planning import plan_now
from thrumble.core.coach.care import WORST, Area, Comfort, When, share_left
from thrumble.core.coach.plan import MOST_MINUTES
from thrumble.core.errors import BadInput
from thrumble.core.takes import TakeState
from thrumble.store import comfort, hands, takes
from thrumble.web.deps import DbSession, PlayerId
from thrumble.web.inputs import Line
from thrumble.web.shared.armed import armed_block, armed_view
from thrumble.web.templating import render
from thrumble.web.today.plan_views import coming_block, plan_view
from thrumble.web.today.views import LATEST, UNFINISHED, CareView, care_view, today_view

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
        _care(session, player_id, datetime.now(UTC).date()),
    )
    return render(request, "today/page.html", view=view)


def _care(session: DbSession, player_id: int, today: date) -> CareView:
    answers = [one for one in comfort.comfort_of(session, player_id, today) if one.day == today]
    return care_view(advice_now(session, player_id, today), answers)


@router.post("/comfort", name="tell_comfort")
def tell_comfort(
    request: Request,
    session: DbSession,
    player_id: PlayerId,
    score: Annotated[int, Form(ge=0, le=WORST)],
    when: Annotated[Line, Form(max_length=10)] = "before",
    areas: Annotated[list[Line], Form(max_length=len(Area))] = [],  # noqa: B006
    numb: Annotated[bool, Form()] = False,
    zone: Annotated[Line, Form(max_length=64)] = "UTC",
) -> HTMLResponse:
    """How the hands feel, one tap; what follows from it comes back."""
    if when not in list(When) or any(area not in list(Area) for area in areas):
        raise BadInput("choose from the page: before or after, and where")
    today = datetime.now(UTC).date()
    own = tuple(dict.fromkeys(Area(area) for area in areas))
    comfort.add_comfort(session, player_id, Comfort(today, When(when), score, own, numb), zone)
    return render(request, "today/_care.html", care=_care(session, player_id, today))


@router.get("/plan", name="plan_now")
def plan(request: Request, session: DbSession, player_id: PlayerId) -> HTMLResponse:
    """Today's session, made anew from what has been played."""
    return _plan(request, session, player_id)


@router.post("/plan", name="plan_minutes")
def plan_minutes(
    request: Request,
    session: DbSession,
    player_id: PlayerId,
    minutes: Annotated[int, Form(ge=0, le=MOST_MINUTES)],
) -> HTMLResponse:
    """How many minutes a day; the session comes back."""
    own = hands.hands_of(session, player_id)
    hands.keep_hands(session, player_id, replace(own, minutes=minutes))
    return _plan(request, session, player_id)


def _plan(request: Request, session: DbSession, player_id: int) -> HTMLResponse:
    today = datetime.now(UTC).date()
    stop = share_left(advice_now(session, player_id, today)) == 0
    planned = plan_now(session, player_id, today)
    coming = coming_block(planned)
    armed = None if coming is None else armed_block(session, player_id, coming)
    view = plan_view(planned, stop=stop)
    return render(request, "today/_plan.html", plan=view, armed=armed, stop=stop)

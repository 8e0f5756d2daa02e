"""Today."""

from datetime import UTC, date, datetime
from typing import Annotated

from fastapi import APIRouter, Form, Query, Request
from fastapi.responses import HTMLResponse

from thrumble.actions.hand_health import practice_history
from thrumble.actions.planning import plan_now
from thrumble.actions.starting import first_steps
from thrumble.core.coach.planning.hand_health import WORST, Area, Comfort, When, advice_for
from thrumble.core.errors import BadInput
from thrumble.core.takes import TakeState
from thrumble.store.players.players import Player
from thrumble.store.practice import hand_health, sessions
from thrumble.store.practice.rounds import local_time
from thrumble.store.takes import take_lists
from thrumble.store.teaching.comments import latest_comments
from thrumble.web.deps import DbSession, PlayerId, Today, player_zone
from thrumble.web.inputs import Line
from thrumble.web.shared.up_next import up_next_block, up_next_view
from thrumble.web.templating import render
from thrumble.web.today.steps import steps_view
from thrumble.web.today.views import LATEST, UNFINISHED, CareView, care_view, today_view

router = APIRouter()


@router.get("/", name="today_page")
def today_page(
    request: Request,
    session: DbSession,
    player_id: PlayerId,
    today: Today,
    played: Annotated[Line, Query(max_length=9)] = "",
) -> HTMLResponse:
    """What is up next, what waits to be finished, the latest takes. `played`: the plan is done, so
    the hands are asked for first.
    """
    care = _care(session, player_id, today, played=bool(played))
    player: Player = request.state.player
    steps = None
    if not player.is_sample:
        steps = steps_view(first_steps(session, player), request.app.url_path_for)
    is_planned = sessions.session_of(session, player_id, today) is not None
    block = None
    if is_planned and not care.stop:
        coming = plan_now(session, player_id, today, store=False).session.coming
        block = None if coming is None else up_next_block(session, player_id, coming.block)
    cut, others = (
        (TakeState.RECORDING,),
        tuple(state for state in TakeState if state is not TakeState.RECORDING),
    )
    view = today_view(
        block or up_next_view(session, player_id),
        take_lists.take_lines(session, player_id, states=cut, limit=UNFINISHED),
        take_lists.count_takes(session, player_id, states=cut),
        take_lists.take_lines(session, player_id, states=others, limit=LATEST),
        care,
        local_time(datetime.now(UTC), player_zone(request)),
    )
    return render(
        request,
        "today/page.html",
        view=view,
        played=bool(played),
        comments=latest_comments(session, player_id),
        steps=steps,
        in_plan=block is not None,
        # the first plan of the day decides what is up next: nothing is offered before
        waits=view.up_next is not None and not is_planned and not care.stop,
    )


def _care(session: DbSession, player_id: int, today: date, *, played: bool = False) -> CareView:
    answers = [
        answer
        for answer in hand_health.answers_of(session, player_id, today)
        if answer.day == today
    ]
    return care_view(
        advice_for(practice_history(session, player_id, today)), answers, played=played
    )


@router.post("/comfort", name="tell_comfort")
def tell_comfort(
    request: Request,
    session: DbSession,
    player_id: PlayerId,
    today: Today,
    score: Annotated[int, Form(ge=0, le=WORST)],
    when: Annotated[Line, Form(max_length=10)] = "before",
    areas: Annotated[list[Line], Form(max_length=len(Area))] = [],  # noqa: B006
    numb: Annotated[bool, Form()] = False,
) -> HTMLResponse:
    """How the hands feel, one tap; what follows from it comes back."""
    if when not in list(When) or any(area not in list(Area) for area in areas):
        raise BadInput("choose from the page: before or after, and where")
    hurting = tuple(dict.fromkeys(Area(area) for area in areas))
    answer = Comfort(today, When(when), score, hurting, numb)
    hand_health.add_answer(session, player_id, answer, player_zone(request))
    return _answered(request, session, player_id, today)


@router.post("/comfort/undo", name="undo_comfort")
def undo_comfort(
    request: Request,
    session: DbSession,
    player_id: PlayerId,
    today: Today,
    when: Annotated[Line, Form(max_length=10)],
) -> HTMLResponse:
    """Takes back an answer that was a slip of the finger."""
    if when not in list(When):
        raise BadInput("choose from the page: before or after")
    hand_health.delete_answer(session, player_id, today, When(when))
    return _answered(request, session, player_id, today)


def _answered(request: Request, session: DbSession, player_id: int, today: date) -> HTMLResponse:
    """The response to today's answers about the hands, with the plan that follows from them."""
    response = render(request, "today/_care.html", care=_care(session, player_id, today))
    response.headers["HX-Trigger"] = "hands-changed"
    return response

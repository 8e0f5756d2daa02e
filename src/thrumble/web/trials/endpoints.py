"""Fair trials: the list, a new one, its turns, its answer."""

from typing import Annotated

from fastapi import APIRouter, Form, Request, Response
from fastapi.responses import HTMLResponse, JSONResponse
from pydantic import Field

from thrumble.actions.trials import LONGEST_WAY, begin_trial, go_on, trial_now
from thrumble.core.coach.comparing.trial import PAIRS_RANGE
from thrumble.store.practice import trials
from thrumble.store.riffs import drills, riff_lists, riffs
from thrumble.web.deps import DbSession, PlayerId
from thrumble.web.inputs import BIGGEST_ID, Id, Line, Reference, Sent
from thrumble.web.templating import render
from thrumble.web.trials.views import OFFERED, trial_lines, trial_view

router = APIRouter()
Way = Annotated[Line, Form(max_length=LONGEST_WAY)]


class Turn(Sent):
    """A turn and its take."""

    turn: Annotated[int, Field(ge=0, le=10_000)]
    take: Reference


@router.get("/trials", name="trials_page")
def trials_page(request: Request, session: DbSession, player_id: PlayerId) -> HTMLResponse:
    """All trials, and a new one."""
    titles = {
        riff_standing.revision.riff_id: riff_standing.revision.riff.title
        for riff_standing in riff_lists.riff_standings(session, player_id, limit=200)
    } | dict(drills.kept_drills(session, player_id))
    all_trials = trials.trials_of(session, player_id)
    for trial in all_trials:
        if trial.riff_id not in titles:
            newest = riffs.newest_revision(session, player_id, trial.riff_id)
            titles[trial.riff_id] = newest.riff.title
    return render(
        request,
        "trials/list.html",
        lines=trial_lines(all_trials, titles),
        riffs=sorted(titles.items(), key=lambda title: title[1]),
        offered=OFFERED,
        pairs=PAIRS_RANGE,
    )


@router.post("/trials", name="begin_trial")
def begin(
    request: Request,
    session: DbSession,
    player_id: PlayerId,
    riff: Annotated[int, Form(ge=1, le=BIGGEST_ID)],
    way_a: Way,
    way_b: Way,
    pairs: Annotated[int, Form()] = 10,
    tempo: Annotated[Line, Form(max_length=10)] = "",
) -> Response:
    """Begins a trial; its order is drawn by lot."""
    number = begin_trial(
        session,
        player_id,
        riff,
        ways=(way_a, way_b),
        pairs=pairs,
        tempo_bpm=float(tempo) if tempo.replace(".", "", 1).isdecimal() else None,
    )
    page = str(request.app.url_path_for("trial_page", trial_id=number))
    return Response(status_code=204, headers={"HX-Redirect": page})


@router.get("/trials/{trial_id}", name="trial_page")
def trial_page(
    request: Request, trial_id: Id, session: DbSession, player_id: PlayerId
) -> HTMLResponse:
    """The page of a trial with its result so far."""
    tried = trial_now(session, player_id, trial_id)
    title = riffs.newest_revision(session, player_id, tried.trial.riff_id).riff.title
    return render(request, "trials/page.html", view=trial_view(tried, title))


@router.post("/trials/{trial_id}/turn", name="keep_turn")
def keep_turn(sent: Turn, trial_id: Id, session: DbSession, player_id: PlayerId) -> JSONResponse:
    """A turn was played: the way that is on next."""
    trials.add_turn(session, player_id, trial_id, sent.turn, sent.take)
    trial = trials.get_trial(session, player_id, trial_id)
    turn = trial.next_turn
    if turn is None:
        return JSONResponse({"turn": None})
    return JSONResponse(
        {
            "turn": turn,
            "letter": trial.turns[turn],
            "way": trial.way(turn),
            "place": f"{turn + 1} of {len(trial.turns)}",
        }
    )


@router.post("/trials/{trial_id}/again", name="trial_again")
def trial_again(
    request: Request, trial_id: Id, session: DbSession, player_id: PlayerId
) -> Response:
    """Adds as many pairs again to a trial, for today or another day."""
    go_on(session, player_id, trial_id)
    page = str(request.app.url_path_for("trial_page", trial_id=trial_id))
    return Response(status_code=204, headers={"HX-Redirect": page})


@router.post("/trials/{trial_id}/delete", name="delete_trial")
def delete(request: Request, trial_id: Id, session: DbSession, player_id: PlayerId) -> Response:
    """The trial goes, its takes stay."""
    trials.delete_trial(session, player_id, trial_id)
    page = str(request.app.url_path_for("trials_page"))
    return Response(status_code=204, headers={"HX-Redirect": page})

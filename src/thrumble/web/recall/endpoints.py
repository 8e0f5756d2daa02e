"""Recall: chord names called on the click, the answers heard at once and kept."""

import re
from secrets import randbits
from typing import Annotated

from fastapi import APIRouter, Query, Request
from fastapi.responses import HTMLResponse, JSONResponse

from thrumble.core.errors import BadInput
from thrumble.core.instrument import Instrument
from thrumble.core.rig.recall import MAX_CALLS, Call, Order, draw_calls, hear_calls
from thrumble.store.practice import hands
from thrumble.store.practice.hands import Recall
from thrumble.store.rig import rigs
from thrumble.trained import EAR
from thrumble.web.deps import DbSession, PlayerId, costly
from thrumble.web.inputs import Line
from thrumble.web.recall.views import answers_document, calls_document, recall_view
from thrumble.web.shared.sounds import HEARD_A_MINUTE, Rate, SentSound
from thrumble.web.templating import render

router = APIRouter()
WRONG_MS = 4000.0  # what a wrong answer counts as when weak ones are drawn
LONGEST_S = 60.0
_CALL = re.compile(r"(\d{1,2})\.(\d{1,2})")


@router.get("/neck/recall", name="recall_page")
def recall_page(request: Request, session: DbSession, player_id: PlayerId) -> HTMLResponse:
    """The drill and what was recalled so far."""
    neck = rigs.own_instrument(session, player_id)
    view = recall_view(neck, hands.recalls_of(session, player_id))
    return render(request, "recall/page.html", view=view)


@router.get("/neck/recall/table", name="recall_table")
def recall_table(request: Request, session: DbSession, player_id: PlayerId) -> HTMLResponse:
    """The table of recalled chords, as a fragment."""
    neck = rigs.own_instrument(session, player_id)
    view = recall_view(neck, hands.recalls_of(session, player_id))
    return render(request, "recall/_table.html", view=view)


@router.get("/neck/recall/calls", name="recall_calls")
def recall_calls(
    session: DbSession,
    player_id: PlayerId,
    root: Annotated[list[int], Query(max_length=12)] = [],  # noqa: B006
    string: Annotated[list[int], Query(max_length=12)] = [],  # noqa: B006
    order: Annotated[Line, Query(max_length=10)] = "random",
    count: Annotated[int, Query(ge=1, le=MAX_CALLS)] = 12,
) -> JSONResponse:
    """The calls of one drill, drawn anew."""
    neck = rigs.own_instrument(session, player_id)
    if order not in list(Order):
        raise BadInput("choose the order from the list")
    if any(not 0 <= number < 12 for number in root) or any(
        number not in neck.strings for number in string
    ):
        raise BadInput("choose roots and strings from the list")
    recalls = hands.recalls_of(session, player_id)
    times = {call: _slowness(recall) for call, recall in recalls.items()}
    calls = draw_calls(
        tuple(sorted(set(root))),
        tuple(sorted(set(string))),
        Order(order),
        count,
        seed=randbits(32),
        times_ms=times,
    )
    return JSONResponse(calls_document(calls))


def _slowness(recall: Recall) -> float:
    """The middle time of a chord, wrong answers counted as slow."""
    share = recall.right / max(1, recall.asked)
    return share * (recall.recall_ms or WRONG_MS) + (1 - share) * WRONG_MS


@router.post("/neck/recall", name="hear_recall", dependencies=[costly(HEARD_A_MINUTE)])
def hear_recall(
    request: Request,
    session: DbSession,
    player_id: PlayerId,
    samples: SentSound,
    rate: Rate,
    start: Annotated[float, Query(ge=0, le=60)],
    every: Annotated[float, Query(ge=0.5, le=30)],
    call: Annotated[list[Line], Query(max_length=MAX_CALLS)],
) -> JSONResponse:
    """One drill, heard at once. `start`: seconds from the sound's beginning to the first call's
    click; `every`: to the next one; `call`: root and string, such as 6.5 for F sharp on string 5.
    """
    neck = rigs.own_instrument(session, player_id)
    calls = [_read_call(text, neck) for text in call]
    if not calls or len(calls) * every > LONGEST_S:
        raise BadInput("a drill is a minute at most: fewer calls, or a faster click")
    late_s = _latency_s(session, player_id, request.state.browser, rate)
    times = [start + late_s + every * k for k in range(len(calls))]
    answers = hear_calls(samples, rate, calls, times, times[-1] + every, neck, ear=EAR)
    hands.add_recalls(session, player_id, answers)
    return JSONResponse(answers_document(answers))


def _read_call(text: str, neck: Instrument) -> Call:
    match = _CALL.fullmatch(text)
    if match is None or int(match[1]) > 11 or int(match[2]) not in neck.strings:
        raise BadInput("this drill's calls can't be read: start it again")
    return Call(int(match[1]), int(match[2]))


def _latency_s(session: DbSession, player_id: int, browser: str, rate: int) -> float:
    """The newest latency measured in this browser at this rate; 0 if there is none."""
    calibrations = [
        calibration
        for calibration in rigs.calibrations_of(session, player_id)
        if calibration.browser == browser and calibration.rate_hz == rate
    ]
    return (
        max(calibrations, key=lambda calibration: calibration.created_at).delay_ms / 1000
        if calibrations
        else 0.0
    )

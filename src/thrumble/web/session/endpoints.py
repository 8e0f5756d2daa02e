"""The session: planned, changed, played through hands-free, and in the player's calendar."""

from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, datetime, time
from typing import Annotated, Literal

from fastapi import APIRouter, Form, Request, Response
from fastapi.responses import HTMLResponse, JSONResponse

from thrumble.actions.planning import NextBlock, change_session, next_block, plan_now
from thrumble.core.coach.planning.day_plan import BlockState, Session, moved, with_lock, with_state
from thrumble.core.coach.planning.hand_health import RISE_RANGE_PERCENT
from thrumble.core.coach.planning.plan import MAX_MINUTES
from thrumble.core.coach.verdict.judgement import DEFAULT_TOLERANCE_MS, TOLERANCE_RANGE_MS
from thrumble.core.errors import BadInput
from thrumble.formats.calendar import PracticeDay, write_calendar
from thrumble.store.practice import practice
from thrumble.store.practice.rounds import local_day
from thrumble.store.takes import takes
from thrumble.web.deps import DbSession, PlayerId, Today
from thrumble.web.inputs import Id, Line, Sent
from thrumble.web.session.views import block_title, plan_view
from thrumble.web.shared.downloads import attachment
from thrumble.web.shared.up_next import up_next_block, up_next_view
from thrumble.web.templating import render

router = APIRouter()
CALENDAR = "text/calendar; charset=utf-8"


@router.post("/plan/today", name="plan_now")
def plan(request: Request, session: DbSession, player_id: PlayerId, today: Today) -> HTMLResponse:
    """Today's plan as it stands by now; made if there is none yet."""
    return _plan(request, session, player_id, today)


@router.post("/plan", name="plan_again")
def again(request: Request, session: DbSession, player_id: PlayerId, today: Today) -> HTMLResponse:
    """Plans what is still open and not locked anew."""
    return _plan(request, session, player_id, today, again=True)


@router.post("/plan/practice", name="keep_practice")
def keep_practice(
    request: Request,
    session: DbSession,
    player_id: PlayerId,
    today: Today,
    minutes: Annotated[int, Form(ge=0, le=MAX_MINUTES)],
    rise: Annotated[float, Form(ge=RISE_RANGE_PERCENT[0], le=RISE_RANGE_PERCENT[1])] = 10.0,
    begins: Annotated[Line, Form(max_length=8)] = "18:00",
    weekdays: Annotated[list[int], Form(max_length=7)] = [],  # noqa: B006
    tolerance: Annotated[
        float, Form(ge=TOLERANCE_RANGE_MS[0], le=TOLERANCE_RANGE_MS[1])
    ] = DEFAULT_TOLERANCE_MS,
) -> HTMLResponse:
    """How the player practises; the session comes back."""
    try:
        begins_at = time.fromisoformat(begins).replace(second=0, microsecond=0, tzinfo=None)
    except ValueError:
        raise BadInput(f"a time of day is written 18:00; found {begins!r}") from None
    settings = replace(
        practice.practice_of(session, player_id),
        minutes=minutes,
        rise_percent=rise,
        begins_at=begins_at,
        weekdays=tuple(weekdays),
        tolerance_ms=tolerance,
    )
    practice.keep_practice(session, player_id, settings)
    return _plan(request, session, player_id, today)


@router.post("/session/blocks/{key}/{change}", name="change_block")
def change_block(
    request: Request,
    key: Id,
    change: Literal["earlier", "later", "lock", "free", "drop", "put-back"],
    session: DbSession,
    player_id: PlayerId,
    today: Today,
) -> HTMLResponse:
    """Moves, locks, drops a block, or puts it back; the session comes back."""
    changes: dict[str, Callable[[Session], Session]] = {
        "earlier": lambda day_plan: moved(day_plan, key, -1),
        "later": lambda day_plan: moved(day_plan, key, 1),
        "lock": lambda day_plan: with_lock(day_plan, key, locked=True),
        "free": lambda day_plan: with_lock(day_plan, key, locked=False),
        "drop": lambda day_plan: with_state(day_plan, key, BlockState.DROPPED),
        "put-back": lambda day_plan: with_state(day_plan, key, BlockState.OPEN),
    }
    change_session(session, player_id, today, changes[change])
    return _plan(request, session, player_id, today)


def _plan(
    request: Request, session: DbSession, player_id: int, today: Today, *, again: bool = False
) -> HTMLResponse:
    planned = plan_now(session, player_id, today, again=again)
    coming = None if planned.stop else planned.session.coming
    up_next = None if coming is None else up_next_block(session, player_id, coming.block)
    in_plan = up_next is not None
    if up_next is None and not planned.stop:
        up_next = up_next_view(session, player_id)
    view = plan_view(planned, practice.practice_of(session, player_id), today)
    return render(
        request,
        "session/_plan.html",
        plan=view,
        up_next=up_next,
        in_plan=in_plan,
        stop=planned.stop,
    )


class Ended(Sent):
    """How a block ended."""

    state: Literal[BlockState.DONE, BlockState.SKIPPED]


@router.post("/session/go", name="next_block")
def go(request: Request, session: DbSession, player_id: PlayerId, today: Today) -> JSONResponse:
    """Where the session goes on: the page to open, or why it does not."""
    return _going(request, next_block(session, player_id, today))


@router.post("/session/ended/{key}", name="end_block")
def end_block(
    request: Request,
    key: Id,
    ended: Ended,
    session: DbSession,
    player_id: PlayerId,
    today: Today,
) -> JSONResponse:
    """A block is over; where the session goes on."""
    change_session(
        session, player_id, today, lambda day_plan: with_state(day_plan, key, ended.state)
    )
    return _going(request, next_block(session, player_id, today))


def _going(request: Request, going: NextBlock) -> JSONResponse:
    address = None
    if going.block is not None and going.play_id is not None:
        page = request.app.url_path_for("play_page", riff_id=going.play_id)
        address = f"{page}?tempo={going.block.block.tempo_bpm or 100:g}&block={going.block.key}"
    return JSONResponse({"href": address, "stop": going.stop})


@router.get("/calendar.ics", name="calendar_file")
def calendar_file(session: DbSession, player_id: PlayerId, today: Today) -> Response:
    """The week ahead as a calendar file."""
    return Response(
        _calendar(session, player_id, today),
        media_type=CALENDAR,
        headers=attachment("thrumble-practice.ics"),
    )


@router.get("/calendar/{key}.ics", name="calendar_feed")
def calendar_feed(key: Annotated[str, Line], session: DbSession) -> Response:
    """The same as a feed, for whoever knows its address. Calendar programs tell no time zone: it is
    the day where the player last played.
    """
    owner = practice.owner_of_feed(session, key[:100])
    today = local_day(datetime.now(UTC), takes.last_zone(session, owner))
    return Response(_calendar(session, owner, today), media_type=CALENDAR)


@router.post("/calendar", name="calendar_address")
def calendar_address(
    request: Request,
    session: DbSession,
    player_id: PlayerId,
    renew: Annotated[bool, Form()] = False,
) -> HTMLResponse:
    """The feed's address; `renew`: another one."""
    key = practice.feed_key(session, player_id, renew=renew)
    address = str(request.url_for("calendar_feed", key=key))
    return render(request, "session/_feed.html", address=address)


def _calendar(session: DbSession, player_id: int, today: Today) -> bytes:
    planned = plan_now(session, player_id, today, store=False)
    settings = practice.practice_of(session, player_id)
    lines = [
        f"{entry.block.minutes} min: {block_title(entry)}, {entry.block.why}"
        for entry in planned.session.shown
    ]
    days = [] if planned.stop or not lines else [PracticeDay(today, settings.minutes, lines)]
    days += [
        PracticeDay(day, settings.minutes, titles)
        for day, titles in planned.ahead
        if day.weekday() in settings.weekdays
    ]
    return write_calendar(days, settings.begins_at, datetime.now(UTC), owner=player_id)

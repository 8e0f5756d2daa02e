"""The log: one riff's, all practice, and the takes behind a figure."""

from datetime import UTC, date, datetime
from typing import Annotated

from fastapi import APIRouter, Query, Request
from fastapi.responses import HTMLResponse

from thrumble.actions.coaching import step_of
from thrumble.actions.hand_health import practice_history
from thrumble.core.coach.planning.hand_health import strokes_left
from thrumble.core.coach.progress.clean_speed import CleanSpeed, clean_speed
from thrumble.core.coach.progress.sessions import sittings_of
from thrumble.core.coach.verdict.findings import LABELS
from thrumble.core.errors import BadInput, NotFound
from thrumble.core.riff.expand import expand
from thrumble.store.practice import loads, logbook, practice, rounds
from thrumble.store.practice.logbook import Behind, LoggedRiff
from thrumble.store.riffs import drills, riffs
from thrumble.store.rig import rigs
from thrumble.store.takes import take_lists
from thrumble.web.deps import DbSession, PlayerId, Today, player_zone
from thrumble.web.inputs import BIGGEST_ID, Line, PageNumber
from thrumble.web.log.practice import WEEKS, practice_view
from thrumble.web.log.takes import behind_view
from thrumble.web.log.views import WHAT, Played, RiffLog, riff_log, riff_tabs
from thrumble.web.shared.paging import pages
from thrumble.web.templating import render

router = APIRouter()
Number = Annotated[int | None, Query(ge=1, le=BIGGEST_ID)]
Cause = Annotated[str | None, Query(pattern=f"^({'|'.join(LABELS)})$")]
Day = Annotated[date | None, Query(ge=date(1900, 1, 1), le=date(2999, 12, 31))]
PAGE = 30


@router.get("/log", name="log_page")
def log_page(
    request: Request, session: DbSession, player_id: PlayerId, today: Today, riff: Number = None
) -> HTMLResponse:
    """One riff's log, the last played if none is asked for."""
    logged_riff = logbook.logged_riffs(session, player_id)
    chosen = next(
        (riff_played for riff_played in logged_riff if riff in (None, riff_played.riff_id)), None
    )
    if riff is not None and chosen is None:
        raise NotFound("this riff has nothing in the log yet: play it, then look again")
    here = None if chosen is None else chosen.riff_id
    return render(
        request,
        "log/page.html",
        riff=None if chosen is None else _riff_log(session, player_id, chosen, today),
        tabs=riff_tabs(logged_riff, here, today),
    )


def _riff_log(session: DbSession, player_id: int, logged_riff: LoggedRiff, today: date) -> RiffLog:
    riff = riffs.newest_revision(session, player_id, logged_riff.riff_id).riff

    def speed(section: str = "", what: str = "clean", tone: int | None = None) -> CleanSpeed | None:
        results = rounds.rounds_of(
            session, player_id, logged_riff.riff_id, section, what=what, tone_id=tone, recent=True
        )
        return clean_speed(results, logged_riff.tempo_bpm)

    played = rounds.rounds_of(session, player_id, logged_riff.riff_id)
    sections = rounds.sections_of(session, player_id, logged_riff.riff_id)
    tones = rounds.tones_of(session, player_id, logged_riff.riff_id)
    places = logbook.played_places(session, player_id, logged_riff.riff_id)
    return riff_log(
        Played(
            riff=logged_riff,
            expanded=expand(riff),
            instrument=rigs.own_instrument(session, player_id),
            rounds=played,
            told=clean_speed(played, logged_riff.tempo_bpm),
            parts={name: estimate for name in sections if (estimate := speed(name)) is not None},
            whats={name: estimate for name in WHAT if (estimate := speed(what=name)) is not None},
            tones={
                tone: estimate for tone in tones if (estimate := speed(tone=tone[0])) is not None
            },
            places=places,
            tolerance_ms=practice.practice_of(session, player_id).tolerance_ms,
            runs=loads.runs_of(session, player_id, logged_riff.riff_id),
            strokes_left=strokes_left(practice_history(session, player_id, today)),
            next_bpm=step_of(
                session, player_id, logged_riff.riff_id, logged_riff.tempo_bpm
            ).tempo_bpm,
            today=today,
        )
    )


@router.get("/log/practice", name="practice_page")
def practice_page(
    request: Request, session: DbSession, player_id: PlayerId, today: Today
) -> HTMLResponse:
    """All practice of the last weeks."""
    since = loads.week_ago(today, WEEKS - 1)
    view = practice_view(
        loads.played_days(session, player_id, since),
        sittings_of(loads.takes_at(session, player_id, since)),
        loads.causes_by_day(session, player_id, since),
        drills.all_helped(session, player_id),
        practice_history(session, player_id, today),
        player_zone(request),
    )
    tabs = riff_tabs(logbook.logged_riffs(session, player_id), None, today)
    return render(request, "log/practice.html", view=view, tabs=tabs)


@router.get("/log/takes", name="takes_behind")
def takes_behind(
    request: Request,
    session: DbSession,
    player_id: PlayerId,
    riff: Number = None,
    section: Annotated[Line | None, Query(max_length=60)] = None,
    bar: Annotated[int | None, Query(ge=0, le=10_000)] = None,
    at: Annotated[Line | None, Query(max_length=24)] = None,
    day: Day = None,
    week: Day = None,
    tone: Number = None,
    tempo: Annotated[int | None, Query(ge=1, le=1000)] = None,
    cause: Cause = None,
    page: PageNumber = 1,
) -> HTMLResponse:
    """The takes that a figure of the log is made of."""
    if (bar is None) != (at is None) or (bar is not None and (riff is None or section is None)):
        raise BadInput("a place is a riff, its section, bar and count: open it from the log")
    behind = Behind(
        riff_id=riff,
        section=section,
        day=day,
        week=week,
        tone_id=tone,
        tempo_bpm=tempo,
        cause=cause,
    )
    title = None if riff is None else riffs.newest_revision(session, player_id, riff).riff.title
    there = {}
    if riff is not None and bar is not None:
        there = {
            played_place.take_id: played_place.late_ms
            for played_place in logbook.played_places(session, player_id, riff)
            if (played_place.section, played_place.bar, played_place.at) == (section, bar, at)
        }
        numbers = list(there)
    else:
        numbers = logbook.takes_behind(session, player_id, behind)
    paging = pages(count=len(numbers), page=page, size=PAGE, query=dict(request.query_params))
    take_line = take_lists.take_lines(
        session, player_id, only=numbers, page=paging.page, limit=PAGE
    )
    view = behind_view(behind, bar, title, len(numbers), take_line, there, datetime.now(UTC))
    return render(request, "log/takes.html", view=view, paging=paging)

"""The log: clean speed by day, every place's habit, what helped, the weeks."""

from datetime import UTC, datetime
from typing import Annotated

from fastapi import APIRouter, Query, Request
from fastapi.responses import HTMLResponse

from thrumble.core.coach.clean_speed import CleanSpeed, clean_speed
from thrumble.core.coach.habits import habits_of
from thrumble.core.errors import NotFound
from thrumble.core.riff.expand import expand
from thrumble.store import drills, logbook, riffs, rounds
from thrumble.store.logbook import LoggedRiff
from thrumble.web.deps import DbSession, PlayerId
from thrumble.web.inputs import BIGGEST_ID
from thrumble.web.log.views import WEEKS, WHAT, RiffLog, log_view, riff_log
from thrumble.web.templating import render

router = APIRouter()


@router.get("/log", name="log_page")
def log_page(
    request: Request,
    session: DbSession,
    player_id: PlayerId,
    riff: Annotated[int | None, Query(ge=1, le=BIGGEST_ID)] = None,
) -> HTMLResponse:
    """One riff's log, the last played where none is asked for, and the weeks."""
    known = logbook.logged_riffs(session, player_id)
    chosen = next((one for one in known if riff in (None, one.riff_id)), None)
    if riff is not None and chosen is None:
        raise NotFound("this riff has nothing in the log yet: play it, then look again")
    today = datetime.now(UTC).date()
    view = log_view(
        known,
        None if chosen is None else _riff_log(session, player_id, chosen),
        logbook.played_days(session, player_id, logbook.week_ago(today, WEEKS - 1)),
        drills.all_helped(session, player_id),
        today,
    )
    return render(request, "log/page.html", view=view)


def _riff_log(session: DbSession, player_id: int, one: LoggedRiff) -> RiffLog:
    riff = riffs.newest_revision(session, player_id, one.riff_id).riff
    own = rounds.rounds_of(session, player_id, one.riff_id)
    parts = {
        name: told
        for name in rounds.sections_of(session, player_id, one.riff_id)
        if (told := _told(session, player_id, one, section=name)) is not None
    }
    whats = {
        name: told
        for name in WHAT
        if (told := _told(session, player_id, one, what=name)) is not None
    }
    takes, places = logbook.played_places(session, player_id, one.riff_id)
    told = clean_speed(own, one.tempo_bpm)
    habits = (takes, habits_of(places))
    return riff_log(one, expand(riff), own, told, parts, whats, habits)


def _told(
    session: DbSession, player_id: int, one: LoggedRiff, *, section: str = "", what: str = "clean"
) -> CleanSpeed | None:
    own = rounds.rounds_of(session, player_id, one.riff_id, section, what=what)
    return clean_speed(own, one.tempo_bpm)

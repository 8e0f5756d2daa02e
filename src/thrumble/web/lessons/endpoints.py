"""Lessons: letting teachers in, the class, a pupil's takes, assignments, comments."""

from datetime import date
from typing import Annotated

from fastapi import APIRouter, File, Form, Request, Response, UploadFile
from fastapi.responses import HTMLResponse
from sqlmodel import Session

from thrumble.actions.accompaniment import load_accompaniment
from thrumble.actions.judging import find_judged_take
from thrumble.actions.playback import listening_copy
from thrumble.actions.sound import fetch
from thrumble.actions.teaching import (
    Wish,
    assign,
    class_at_a_glance,
    comment,
    look,
    spoken,
    take_new_version,
)
from thrumble.core.errors import BadInput
from thrumble.core.riff.drills.catalogue import DrillKind
from thrumble.store import database
from thrumble.store.accounts import accounts
from thrumble.store.players import players
from thrumble.store.riffs import riff_lists, riffs
from thrumble.store.takes import readings, take_lists, takes
from thrumble.store.teaching import assignments, comments, lessons
from thrumble.web.deps import DbSession, PlayerId, Today, costly, player_zone
from thrumble.web.inputs import Id, Line, PageNumber, Text
from thrumble.web.lessons.views import (
    comments_view,
    lessons_view,
    pupil_view,
    take_lines_view,
)
from thrumble.web.shared.files import sent, temporary
from thrumble.web.shared.paging import pages
from thrumble.web.shared.reading import reading_view
from thrumble.web.templating import render
from thrumble.web.visitors import visiting_account

router = APIRouter()
LISTENS_A_MINUTE = 60
COMMENTS_A_MINUTE = 20
MAX_WORDS = 2000
Note = Annotated[Text, Form(max_length=MAX_WORDS)]
Hit = Annotated[str, Form(pattern=r"^(\d{1,4}-\d{1,5})?$")]


@router.get("/lessons", name="lessons_page")
def lessons_page(
    request: Request,
    session: DbSession,
    player_id: PlayerId,
    today: Today,
    page: PageNumber = 1,
) -> HTMLResponse:
    """The class, if there is one; one's own teachers, assignments, and who looked at what."""
    count = lessons.count_events(session, player_id)
    paging = pages(count=count, page=page, size=lessons.EVENTS, query={})
    view = lessons_view(
        class_at_a_glance(session, player_id, today),
        lessons.teachers_of(session, player_id),
        _can_teach(request, session, player_id),
        assignments.assignments_of(session, [player_id])[player_id],
        lessons.events_of(session, player_id, page=paging.page),
        today,
        player_zone(request),
    )
    return render(request, "lessons/page.html", view=view, paging=paging)


def _can_teach(request: Request, session: Session, player_id: int) -> list[players.Player]:
    """Whom a player may let in: over the network teachers, on this machine everybody."""
    account = visiting_account(request, session)
    let_in = {teacher.id for teacher in lessons.teachers_of(session, player_id)}
    there = [
        player
        for player in players.all_players(session)
        if player.id not in let_in and player.id != player_id and not player.is_sample
    ]
    if account is None:
        return there
    teachers = accounts.teachers(session)
    return [player for player in there if player.id in teachers]


@router.post("/lessons/teachers", name="let_teacher_in")
def let_teacher_in(
    request: Request,
    session: DbSession,
    player_id: PlayerId,
    teacher: Annotated[Line, Form(max_length=10)] = "",
) -> Response:
    """From now on this teacher sees takes, log and plan."""
    if request.state.player.is_sample:
        raise BadInput("start your own first: the sample data has no teacher")
    can = {str(player.id): player for player in _can_teach(request, session, player_id)}
    if teacher not in can:
        raise BadInput("choose a teacher from the list")
    lessons.let_in(session, player_id, can[teacher])
    return _again()


@router.post("/lessons/teachers/{teacher_id}/withdraw", name="withdraw_teacher")
def withdraw_teacher(teacher_id: Id, session: DbSession, player_id: PlayerId) -> Response:
    """From now on this teacher sees nothing any more."""
    lessons.withdraw(session, player_id, teacher_id)
    return _again()


@router.post("/lessons/assignments/{number}/version", name="take_new_version")
def new_version(request: Request, number: Id, session: DbSession, player_id: PlayerId) -> Response:
    """Takes the teacher's newer version of a riff over."""
    riff_id = take_new_version(session, player_id, number)
    page = request.app.url_path_for("riff_page", riff_id=riff_id)
    return Response(status_code=204, headers={"HX-Redirect": str(page)})


def _again() -> Response:
    return Response(status_code=204, headers={"HX-Refresh": "true"})


@router.get("/pupils/{pupil_id}", name="pupil_page")
def pupil_page(
    request: Request,
    pupil_id: Id,
    session: DbSession,
    player_id: PlayerId,
    today: Today,
    page: PageNumber = 1,
) -> HTMLResponse:
    """A pupil's takes and assignments, as their teacher sees them."""
    pupil = look(session, player_id, pupil_id, "looked at the list of takes")
    count = take_lists.count_takes(session, pupil_id)
    paging = pages(count=count, page=page, size=take_lists.PAGE, query={})
    view = pupil_view(
        pupil,
        take_lines_view(take_lists.take_lines(session, pupil_id, page=paging.page)),
        assignments.assignments_of(session, [pupil_id])[pupil_id],
        riff_lists.titles_of(session, player_id),
        riff_lists.titles_of(session, pupil_id),
        today,
        player_id,
    )
    return render(request, "lessons/pupil.html", view=view, paging=paging)


@router.post("/pupils/{pupil_id}/assignments", name="add_assignment")
def add_assignment(
    pupil_id: Id,
    session: DbSession,
    player_id: PlayerId,
    today: Today,
    riff: Annotated[str, Form(pattern=r"^(mine|theirs)-\d{1,9}$")],
    drill: Annotated[Line, Form(max_length=40)] = "",
    goal: Annotated[Line, Form(max_length=10)] = "",
    due: Annotated[Line, Form(max_length=10)] = "",
    words: Note = "",
) -> Response:
    """Puts something into the pupil's plan."""
    whose, _, number = riff.partition("-")
    wish = Wish(
        riff=int(number),
        is_pupils=whose == "theirs",
        drill=_drill(drill),
        goal_bpm=_tempo(goal),
        due=_day(due),
        words=words.strip()[:300],
    )
    assign(session, player_id, pupil_id, wish, today)
    return _again()


def _drill(kind: str) -> DrillKind | None:
    if kind and kind not in list(DrillKind):
        raise BadInput("choose a drill from the list")
    return DrillKind(kind) if kind else None


def _tempo(text: str) -> float | None:
    try:
        return float(text.replace(",", ".")) if text else None
    except ValueError:
        raise BadInput(f"a tempo is a number such as 104; found {text!r}") from None


def _day(text: str) -> date | None:
    try:
        return date.fromisoformat(text) if text else None
    except ValueError:
        raise BadInput(f"a day is written 2026-12-24; found {text!r}") from None


@router.post("/pupils/{pupil_id}/assignments/{number}/delete", name="delete_assignment")
def delete_assignment(
    pupil_id: Id, number: Id, session: DbSession, player_id: PlayerId
) -> Response:
    """Takes an assignment back."""
    lessons.get_pupil(session, player_id, pupil_id)
    assignments.delete_assignment(session, pupil_id, player_id, number)
    return _again()


@router.get("/pupils/{pupil_id}/takes/{take_id}", name="pupil_take_page")
def pupil_take_page(
    request: Request, pupil_id: Id, take_id: Id, session: DbSession, player_id: PlayerId
) -> HTMLResponse:
    """A pupil's take and its result, with the comments on it."""
    lessons.get_pupil(session, player_id, pupil_id)
    take = takes.get_take(session, pupil_id, take_id)
    title = riffs.get_revision(session, pupil_id, take.revision_id).riff.title
    pupil = look(session, player_id, pupil_id, f"looked at take {take.number} of {title}")
    judged = find_judged_take(session, pupil_id, take_id) if take.state == "read" else None
    before = readings.figures_before(session, pupil_id, take_id)
    return render(
        request,
        "lessons/take.html",
        view=None if judged is None else reading_view(judged, before=before),
        title=title,
        pupil=pupil,
        take_id=take_id,
    )


@router.get(
    "/pupils/{pupil_id}/takes/{take_id}/listen.wav",
    name="pupil_take_listen",
    dependencies=[costly(LISTENS_A_MINUTE)],
)
def pupil_take_listen(
    pupil_id: Id, take_id: Id, session: DbSession, player_id: PlayerId
) -> Response:
    """A pupil's take for playing back."""
    lessons.get_pupil(session, player_id, pupil_id)
    with temporary() as source, temporary() as target:
        fetch(session, pupil_id, take_id, source)
        take = takes.get_take(session, pupil_id, take_id)
        riff = riffs.get_revision(session, pupil_id, take.revision_id).riff
        look(session, player_id, pupil_id, f"listened to take {take.number} of {riff.title}")
        reading = readings.get_reading(session, pupil_id, take_id)
        settings = load_accompaniment(take.along)
        listening_copy(source, target, riff, reading, settings=settings, click=False)
        return sent(target, "audio/wav", {"Cache-Control": "private, max-age=3600"})


@router.get("/pupils/{pupil_id}/takes/{take_id}/comments", name="take_comments")
def take_comments(
    request: Request, pupil_id: Id, take_id: Id, session: DbSession, player_id: PlayerId
) -> HTMLResponse:
    """The comments on a take, with a form for a new one."""
    lessons.get_pupil(session, player_id, pupil_id)
    return _comments(request, session, pupil_id, take_id, player_id)


def _comments(
    request: Request, session: Session, pupil_id: int, take_id: int, player_id: int
) -> HTMLResponse:
    takes.get_take(session, pupil_id, take_id)
    judged = find_judged_take(session, pupil_id, take_id)
    view = comments_view(
        comments.comments_of(session, pupil_id, take_id),
        [] if judged is None else reading_view(judged).hits,
        player_id,
        pupil_id,
        take_id,
        has_teacher=bool(lessons.teachers_of(session, pupil_id)),
        zone=player_zone(request),
    )
    return render(request, "lessons/_comments.html", view=view)


@router.post(
    "/pupils/{pupil_id}/takes/{take_id}/comments",
    name="add_comment",
    dependencies=[costly(COMMENTS_A_MINUTE)],
)
def add_comment(
    request: Request,
    pupil_id: Id,
    take_id: Id,
    player_id: PlayerId,
    words: Note = "",
    bar: Annotated[Line, Form(max_length=5)] = "",
    hit: Hit = "",
    reply_to: Annotated[Line, Form(max_length=10)] = "",
    sound: Annotated[UploadFile | None, File()] = None,
) -> HTMLResponse:
    """Says something of a take, written or spoken; all comments come back."""
    for number in (bar, reply_to):
        if number and not (number.isascii() and number.isdigit()):
            raise BadInput("choose the place in the strip again")
    with database.session() as session:
        lessons.get_pupil(session, player_id, pupil_id)
    speech = None
    if sound is not None and sound.size:
        with temporary() as file:
            file.write_bytes(sound.file.read())
            speech = spoken(file)
    with database.session() as session:
        comment(
            session,
            player_id,
            pupil_id,
            take_id,
            words=words.strip(),
            bar=int(bar) if bar else None,
            hit=hit,
            reply_to=int(reply_to) if reply_to else None,
            sound=speech,
        )
    with database.session() as session:
        return _comments(request, session, pupil_id, take_id, player_id)


@router.post("/pupils/{pupil_id}/takes/{take_id}/comments/{number}/delete", name="delete_comment")
def delete_comment(
    request: Request,
    pupil_id: Id,
    take_id: Id,
    number: Id,
    session: DbSession,
    player_id: PlayerId,
) -> HTMLResponse:
    """Deletes one's own comment; on one's own take any."""
    lessons.get_pupil(session, player_id, pupil_id)
    comments.delete_comment(session, pupil_id, take_id, player_id, number)
    return _comments(request, session, pupil_id, take_id, player_id)


@router.get("/pupils/{pupil_id}/takes/{take_id}/comments/{number}/sound.flac", name="comment_sound")
def comment_sound(
    pupil_id: Id, take_id: Id, number: Id, session: DbSession, player_id: PlayerId
) -> Response:
    """A spoken comment."""
    lessons.get_pupil(session, player_id, pupil_id)
    return Response(
        comments.comment_sound(session, pupil_id, take_id, number), media_type="audio/flac"
    )

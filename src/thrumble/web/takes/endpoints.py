"""Takes and their readings: list, page, status, downloads, playing back, reading again,
deleting.
"""

from typing import Annotated, Literal

from fastapi import APIRouter, Form, Path, Query, Request, Response
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse

from thrumble.actions import rigs as rig_verbs
from thrumble.actions import takes as verbs
from thrumble.actions.accompaniment import load_accompaniment
from thrumble.actions.coaching import rejudge_after_correction
from thrumble.actions.judging import JudgedTake, find_judged_take, judged_take
from thrumble.actions.playback import click_stem, listening_copy, take_stem
from thrumble.actions.sound import fetch
from thrumble.actions.starting import STARTER
from thrumble.actions.storage import annotate_take, restore
from thrumble.core.coach.verdict.judgement import HitKey
from thrumble.core.errors import NotFound
from thrumble.formats.labels import label_track
from thrumble.formats.reading_json import reading_csv, reading_document
from thrumble.store.practice import sound_checks
from thrumble.store.practice.rounds import local_time
from thrumble.store.riffs import riffs
from thrumble.store.rig import rigs
from thrumble.store.takes import corrections as said
from thrumble.store.takes import notes, readings, take_lists, takes
from thrumble.store.takes.space import space
from thrumble.trained import EAR
from thrumble.web.deps import DbSession, PlayerId, costly
from thrumble.web.inputs import BIGGEST_ID, Id, Line, PageNumber, PollCount
from thrumble.web.shared.downloads import attachment, take_file_name
from thrumble.web.shared.files import sent, temporary
from thrumble.web.shared.next import next_view
from thrumble.web.shared.paging import pages
from thrumble.web.shared.reading import corrected_line, reading_view
from thrumble.web.shared.takes import status_view
from thrumble.web.takes.errors import errors_view
from thrumble.web.takes.marks import FIRST_TAKES, marks_of
from thrumble.web.takes.views import LISTED, STARRED, again_view, list_view
from thrumble.web.templating import render

router = APIRouter()
LISTENS_A_MINUTE = 60
Place = Annotated[int, Path(ge=0, le=BIGGEST_ID)]
Noted = Annotated[Line, Form(max_length=80)]
MEDIA = {
    b"fLaC": ("flac", "audio/flac"),
    b"RIFF": ("wav", "audio/wav"),
    b"OggS": ("ogg", "audio/ogg"),
    b"\x1aE\xdf\xa3": ("webm", "audio/webm"),
}


@router.get("/readings", include_in_schema=False)
def readings_page(request: Request) -> RedirectResponse:
    """The list's address until November 2026."""
    page = request.app.url_path_for("takes_page")
    query = request.url.query
    return RedirectResponse(f"{page}?{query}" if query else page, status_code=301)


@router.get("/takes", name="takes_page")
def takes_page(
    request: Request,
    session: DbSession,
    player_id: PlayerId,
    q: Annotated[Line, Query(max_length=100)] = "",
    state: Annotated[Line, Query(max_length=20)] = "",
    page: PageNumber = 1,
) -> HTMLResponse:
    """Takes page by page, newest first: all, or those of a riff and in a state."""
    state = state if state in LISTED else ""
    states, starred = LISTED[state][1], state == STARRED
    count = take_lists.count_takes(session, player_id, title=q, states=states, starred=starred)
    paging = pages(count=count, page=page, size=take_lists.PAGE, query={"q": q, "state": state})
    lines = take_lists.take_lines(
        session, player_id, title=q, states=states, starred=starred, page=paging.page
    )
    stars = notes.starred_of(session, player_id, [line.take.id for line in lines])
    view = list_view(lines, space(session, player_id), paging, stars, q=q, state=state)
    again = again_view(
        readings.count_stale(session, player_id, EAR.version),
        takes.waiting_takes(session, player_id),
    )
    return render(request, "takes/list.html", view=view, again=again)


@router.post("/takes/again", name="reanalyse_all")
def reanalyse_all(request: Request, session: DbSession, player_id: PlayerId) -> HTMLResponse:
    """Has every take heard by the present ear that only an older one has heard."""
    total = verbs.reanalyse_all(session, player_id)
    return render(request, "takes/_again.html", again=again_view(0, total, total))


@router.get("/takes/again", name="again_progress")
def again_progress(
    request: Request,
    session: DbSession,
    player_id: PlayerId,
    total: Annotated[int, Query(ge=0, le=100_000)],
) -> HTMLResponse:
    """How far that has come, and at its end what changed."""
    waiting = takes.waiting_takes(session, player_id)
    changed = (0, []) if waiting else readings.changed_takes(session, player_id, EAR.version)
    return render(request, "takes/_again.html", again=again_view(0, waiting, total, changed))


@router.get("/takes/{take_id}", name="take_page")
def take_page(
    request: Request, take_id: Id, session: DbSession, player_id: PlayerId
) -> HTMLResponse:
    """A take's reading, or where it stands on the way to one."""
    take = takes.get_take(session, player_id, take_id)
    revision = riffs.get_revision(session, player_id, take.revision_id)
    tone = rigs.get_tone(session, player_id, take.tone_id).name if take.tone_id is not None else ""
    judged = find_judged_take(session, player_id, take_id) if take.state == "read" else None
    before = readings.figures_before(session, player_id, take_id)
    view = None if judged is None else reading_view(judged, tone, before)
    following = (
        next_view(session, player_id, take.riff_id, take_id, view.judgement, view.findings)
        if view
        else None
    )
    return render(
        request,
        "takes/page.html",
        sound_check=sound_checks.is_check(session, player_id, take.riff_id),
        status=status_view(take),
        polls=1,
        view=view,
        errors=judged and errors_view(judged.judgement, judged.findings, judged.sentences),
        next=following,
        title=revision.riff.title,
        note=notes.note_of(session, player_id, take_id),
        marks=marks_of(view.judgement)
        if view and revision.riff.title == STARTER and take.number <= FIRST_TAKES
        else [],
    )


@router.post("/takes/{take_id}/note", name="keep_note")
def keep_note(
    request: Request,
    take_id: Id,
    session: DbSession,
    player_id: PlayerId,
    pick: Noted = "",
    palm: Noted = "",
    fingers: Noted = "",
    tried: Noted = "",
    words: Annotated[Line, Form(max_length=500)] = "",
    starred: Annotated[bool, Form()] = False,
) -> HTMLResponse:
    """What the player notes of the take; all but words and star go on with the next ones."""
    note = notes.Note(
        pick=pick, palm=palm, fingers=fingers, tried=tried, words=words, starred=starred
    )
    annotate_take(session, player_id, take_id, note)
    return render(request, "takes/_note.html", note=note, take_id=take_id, kept=True)


@router.post("/takes/{take_id}/restore", name="restore_audio")
def restore_audio(
    request: Request, take_id: Id, session: DbSession, player_id: PlayerId
) -> Response:
    """Brings back audio that the storage rule deleted."""
    restore(session, player_id, take_id)
    address = str(request.app.url_path_for("take_page", take_id=take_id))
    return Response(status_code=204, headers={"HX-Redirect": address})


@router.get("/takes/{take_id}/status", name="take_status")
def take_status(
    request: Request, take_id: Id, session: DbSession, player_id: PlayerId, polls: PollCount = 0
) -> HTMLResponse:
    """The part of the take's page that changes while the ear works; polled until the state is
    final.
    """
    status = status_view(takes.get_take(session, player_id, take_id), polls)
    response = render(request, "takes/_status.html", status=status, polls=polls + 1)
    if status.read:
        response.headers["HX-Redirect"] = str(
            request.app.url_path_for("take_page", take_id=take_id)
        )
    return response


@router.get("/takes/{take_id}/reading.json", name="reading_json")
def reading_json(take_id: Id, session: DbSession, player_id: PlayerId) -> Response:
    """The reading as JSON, with what the coach found in it."""
    judged = judged_take(session, player_id, take_id)
    findings = list(zip(judged.findings, judged.sentences, strict=True))
    played_at = local_time(judged.take.created_at, judged.take.zone)
    return JSONResponse(
        reading_document(judged.reading, findings, played_at),
        headers=_take_file(judged, ".reading.json"),
    )


@router.get("/takes/{take_id}/reading.csv", name="reading_csv_file")
def reading_csv_file(take_id: Id, session: DbSession, player_id: PlayerId) -> Response:
    """The reading's hits as CSV."""
    judged = judged_take(session, player_id, take_id)
    return Response(
        reading_csv(judged.judgement),
        media_type="text/csv; charset=utf-8",
        headers=_take_file(judged, ".csv"),
    )


@router.get("/takes/{take_id}/labels.txt", name="take_labels")
def take_labels(take_id: Id, session: DbSession, player_id: PlayerId) -> Response:
    """The hits as a label track for audio editors, with what the player has said of them."""
    judged = judged_take(session, player_id, take_id)
    return Response(
        label_track(judged.judgement),
        media_type="text/plain; charset=utf-8",
        headers=_take_file(judged, ".labels.txt"),
    )


@router.get("/takes/{take_id}/stems/{stem}.{kind}", name="take_stem")
def stem_of_take(
    take_id: Id,
    stem: Literal["take", "click"],
    kind: Literal["wav", "flac"],
    session: DbSession,
    player_id: PlayerId,
) -> Response:
    """The take, or what was heard beside it, alone: both equally long and in step."""
    with temporary() as source, temporary() as target:
        fetch(session, player_id, take_id, source)
        if stem == "take":
            take_stem(source, target, kind)
        else:
            judged = judged_take(session, player_id, take_id)
            accompaniment = load_accompaniment(judged.take.along)
            click_stem(
                source, target, judged.riff, judged.reading, settings=accompaniment, kind=kind
            )
        name = _file_name(session, player_id, take_id, f", {stem}.{kind}")
        return sent(target, f"audio/{kind}", attachment(name))


@router.get("/takes/{take_id}/tempo.mid", name="take_tempo_map")
def take_tempo_map(take_id: Id, session: DbSession, player_id: PlayerId) -> Response:
    """Tempo and bars beside the take's sound, as MIDI."""
    from thrumble.formats.tempo_map import tempo_map  # what it needs is slow to import

    judged = judged_take(session, player_id, take_id)
    return Response(
        tempo_map(judged.reading, judged.judgement.expanded),
        media_type="audio/midi",
        headers=_take_file(judged, ", tempo.mid"),
    )


@router.get("/takes/{take_id}/audio", name="take_audio")
def take_audio(take_id: Id, session: DbSession, player_id: PlayerId) -> Response:
    """The take's sound exactly as stored."""
    with temporary() as file:
        fetch(session, player_id, take_id, file)
        with file.open("rb") as opened:
            ending, kind = MEDIA.get(opened.read(4), ("audio", "application/octet-stream"))
        uploaded = takes.get_take(session, player_id, take_id).file_name
        name = uploaded or _file_name(session, player_id, take_id, f".{ending}")
        return sent(file, kind, attachment(name))


@router.get(
    "/takes/{take_id}/listen.wav", name="take_listen", dependencies=[costly(LISTENS_A_MINUTE)]
)
def take_listen(
    take_id: Id, session: DbSession, player_id: PlayerId, click: Annotated[bool, Query()] = False
) -> Response:
    """The take for playing back, if wanted with the click where it was due."""
    with temporary() as source, temporary() as target:
        fetch(session, player_id, take_id, source)
        take = takes.get_take(session, player_id, take_id)
        riff = riffs.get_revision(session, player_id, take.revision_id).riff
        reading = readings.get_reading(session, player_id, take_id)
        accompaniment = load_accompaniment(take.along)
        listening_copy(source, target, riff, reading, settings=accompaniment, click=click)
        return sent(target, "audio/wav", {"Cache-Control": "private, max-age=3600"})


@router.post("/takes/{take_id}/read", name="read_take_again")
def read_take_again(
    request: Request, take_id: Id, session: DbSession, player_id: PlayerId
) -> HTMLResponse:
    """Puts the take into the queue again, whatever state it is stuck in."""
    take = verbs.reanalyse_take(session, player_id, take_id)
    return render(request, "takes/_status.html", status=status_view(take), polls=1)


@router.post("/takes/{take_id}/delete", name="delete_take")
def delete_take(request: Request, take_id: Id, session: DbSession, player_id: PlayerId) -> Response:
    """Removes the take, its sound, its readings and queued work."""
    takes.delete_take(session, player_id, take_id)
    return Response(
        status_code=204, headers={"HX-Redirect": str(request.app.url_path_for("takes_page"))}
    )


@router.post("/takes/{take_id}/hits/{round_}-{index}/correct", name="correct_hit")
def correct_hit(
    request: Request,
    take_id: Id,
    round_: Place,
    index: Place,
    session: DbSession,
    player_id: PlayerId,
    articulation: Annotated[str, Form(pattern="^(open|palm|dead|none)$")],
    join: Annotated[bool, Form()] = False,
) -> HTMLResponse:
    """What the player says a hit was, `none` to take it back. What was heard stays as it is."""
    if articulation == "none":
        said.delete_correction(session, player_id, take_id, index, round_)
    else:
        rig_verbs.correct_hit(
            session,
            player_id,
            take_id,
            index=index,
            round_=round_,
            articulation=articulation,
            join=join,
        )
    judged = rejudge_after_correction(session, player_id, take_id)
    line = corrected_line(judged, HitKey(round_, index))
    if line is None:
        raise NotFound("this take has no such hit")
    view = reading_view(judged)
    errors = errors_view(judged.judgement, judged.findings, judged.sentences)
    return render(
        request,
        "takes/_corrected.html",
        corrected=view.corrected,
        hit=line,
        view=view,
        errors=errors,
    )


def _take_file(judged: JudgedTake, ending: str) -> dict[str, str]:
    """The header of a file that a take is saved as, named after its riff."""
    return attachment(take_file_name(judged.riff.title, judged.take.number, ending))


def _file_name(session: DbSession, player_id: int, take_id: int, ending: str) -> str:
    take = takes.get_take(session, player_id, take_id)
    title = riffs.get_revision(session, player_id, take.revision_id).riff.title
    return take_file_name(title, take.number, ending)

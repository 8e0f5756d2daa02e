"""Riffs: list, text page, live preview, saving a revision, import and export."""

from dataclasses import replace
from fractions import Fraction
from typing import Annotated

from fastapi import APIRouter, Form, Query, Request, Response, UploadFile
from fastapi.responses import HTMLResponse
from starlette.concurrency import run_in_threadpool

from thrumble.actions.importing import read_file
from thrumble.core.chords.names import suffixes
from thrumble.core.counting import counted
from thrumble.core.errors import BadInput, RiffError
from thrumble.core.riff.expand import expand
from thrumble.core.riff.model import Riff
from thrumble.core.riff.notation.text import parse_riff
from thrumble.formats.exchange import ImportOptions, ReadRiff, format_of
from thrumble.formats.riff_json import MAX_BYTES
from thrumble.formats.tablature.writing import write_tab
from thrumble.store import database
from thrumble.store.riffs import riff_lists, riffs
from thrumble.store.riffs import tags as store_tags
from thrumble.store.riffs.riff_lists import Sort
from thrumble.store.rig import rigs
from thrumble.store.takes import takes
from thrumble.web.deps import SHOWS_PLAYER, DbSession, PlayerId, acting_player, costly
from thrumble.web.drawings.shapes import ShapeDrawing, shapes_of
from thrumble.web.drawings.strip import plan_strip
from thrumble.web.inputs import Id, Line, PageNumber, Text
from thrumble.web.riffs import chord_picker, desk, history, making
from thrumble.web.riffs.sheet import Paper, sheet_pdf
from thrumble.web.riffs.views import (
    FIRST_TEXT,
    ConflictView,
    ImportView,
    PreviewView,
    preview_error,
    preview_of,
    riff_line,
    text_view,
)
from thrumble.web.shared.downloads import attachment, riff_file_name
from thrumble.web.shared.paging import pages
from thrumble.web.shared.uploading import upload_view
from thrumble.web.templating import render

router = APIRouter()
router.include_router(making.router)  # its addresses are words if others have a riff's number
router.include_router(history.router)
router.include_router(desk.router)
router.include_router(chord_picker.router)
Source = Annotated[Text, Form(max_length=MAX_BYTES)]
SORT_WORDS = {
    Sort.WRITTEN.value: "as written",
    Sort.PLAYED.value: "last played",
    Sort.TITLE.value: "title",
    Sort.TEMPO.value: "tempo",
    Sort.DUE.value: "due first",
}
GRID_WORDS = {
    "1/4": "a quarter",
    "1/8": "an eighth",
    "1/16": "a sixteenth",
    "1/12": "an eighth triplet",
    "1/24": "a sixteenth triplet",
    "1/32": "a thirty-second",
}
PREVIEWS_A_MINUTE, IMPORTS_A_MINUTE, SHEETS_A_MINUTE = 600, 120, 60


@router.get("/riffs", name="riffs_page")
def riffs_page(
    request: Request,
    session: DbSession,
    player_id: PlayerId,
    q: Annotated[Line, Query(max_length=100)] = "",
    tag: Annotated[Line, Query(max_length=40)] = "",
    sort: Sort = Sort.WRITTEN,
    away: bool = False,
    page: PageNumber = 1,
) -> HTMLResponse:
    """The list of riffs, page by page; `q` filters by title and tag, `away` lists the archived ones
    instead.
    """
    paging = pages(
        count=riff_lists.count_riffs(session, player_id, q, tag=tag, archived=away),
        page=page,
        size=riff_lists.PAGE,
        query={"q": q, "tag": tag, "sort": sort.value} | ({"away": "1"} if away else {}),
    )
    riff_standing = riff_lists.riff_standings(
        session, player_id, title=q, tag=tag, page=paging.page, sort=sort, archived=away
    )
    stored_away = riff_lists.count_riffs(session, player_id, archived=True)
    return render(
        request,
        "riffs/list.html",
        lines=[riff_line(standing) for standing in riff_standing],
        q=q,
        tag=tag,
        tags=store_tags.all_tags(session, player_id),
        paging=paging,
        sort=sort.value,
        sorts=SORT_WORDS,
        away=away,
        away_words=counted(stored_away, "riff") if stored_away else "",
    )


@router.get("/riffs/new", name="new_riff_page", dependencies=[SHOWS_PLAYER])
def new_riff_page(request: Request) -> HTMLResponse:
    """A riff begins as text."""
    view = text_view(None, _preview(FIRST_TEXT))
    return render(
        request,
        "riffs/page.html",
        view=view,
        left_out=(),
        away=False,
        upload=None,
        chord_suffixes=suffixes(),
    )


@router.post("/riffs/preview", name="preview_riff", dependencies=[costly(PREVIEWS_A_MINUTE)])
def preview_riff(request: Request, source: Source = "") -> HTMLResponse:
    """The preview of the text while it is typed."""
    return render(request, "riffs/_preview.html", preview=_preview(source))


@router.post("/riffs/played", name="played_strip", dependencies=[costly(PREVIEWS_A_MINUTE)])
def played_strip(request: Request, source: Source = "") -> HTMLResponse:
    """The riff as it is played, with its repeats written out."""
    return render(request, "riffs/_strip.html", preview=preview_of(parse_riff(source)))


@router.post("/riffs", name="add_riff")
def add_riff(
    request: Request, session: DbSession, player_id: PlayerId, source: Source = ""
) -> Response:
    """Saves a new riff; a text with an error is shown, and nothing is saved."""
    preview = _preview(source)
    if preview.error:
        return render(request, "riffs/_preview.html", preview=preview)
    revision = riffs.add_riff(session, player_id, parse_riff(source), source)
    return _to_page(request, revision.riff_id)


@router.post("/riffs/import", name="import_riff", dependencies=[costly(IMPORTS_A_MINUTE)])
async def import_riff(
    request: Request,
    file: UploadFile,
    part: Annotated[int | None, Form(ge=0, le=1000)] = None,
    grid: Annotated[Line, Form(max_length=6)] = "",
) -> Response:
    """A riff from a file: JSON, text, MIDI, MusicXML, tablature. What the file leaves open is asked
    for first; what it could not bring along is said on the riff's page.

    The file is parsed in a process of its own; meanwhile the request holds neither a slot of the
    server nor a connection of the database.
    """
    if grid and grid not in GRID_WORDS:
        raise BadInput("choose one of the steps from the list")
    player_id, tuning = await run_in_threadpool(_player_and_tuning, request)
    data = await file.read(MAX_BYTES + 1)
    options = ImportOptions(part, Fraction(grid) if grid else None, tuning)
    async with request.state.turn.paused():
        imported = await read_file(data, options)
    return await run_in_threadpool(_take_import, request, player_id, imported, part, grid)


def _player_and_tuning(request: Request) -> tuple[int, tuple[str, ...] | None]:
    """Who imports, and the tuning of the rig in use, for files that name no strings."""
    with database.session() as session:
        player_id = acting_player(request, session)
        rig = next(iter(rigs.rigs_of(session, player_id)), None)
    return player_id, None if rig is None else tuple(rig.tuning)


def _take_import(
    request: Request, player_id: int, imported: ReadRiff, part: int | None, grid: str
) -> Response:
    """Stores an imported riff, or asks for what its file leaves open."""
    open_parts = part is None and len(imported.parts) > 1
    if open_parts or (imported.guessed_grid is not None and not grid):
        question = ImportView(
            parts=imported.parts if open_parts else (),
            part=part,
            grids=GRID_WORDS if imported.guessed_grid is not None else {},
            grid=str(imported.guessed_grid),
            strip=plan_strip(expand(imported.riff), bars=4),
        )
        return render(request, "riffs/_import.html", view=question)
    with database.session() as session:
        revision = riffs.add_riff(
            session, player_id, imported.riff, imported.source, left_out=imported.left_out
        )
    return _to_page(request, revision.riff_id)


@router.get("/riffs/{riff_id}", name="riff_page")
def riff_page(
    request: Request,
    riff_id: Id,
    session: DbSession,
    player_id: PlayerId,
) -> HTMLResponse:
    """A riff's text and strip, and what its import left out."""
    revision = riffs.newest_revision(session, player_id, riff_id)
    view = text_view(revision, preview_of(revision.riff, drawn=False))
    return render(
        request,
        "riffs/page.html",
        view=view,
        left_out=revision.left_out,
        away=riffs.is_archived(session, player_id, riff_id),
        tags=", ".join(store_tags.tags_of(session, player_id, riff_id)),
        chord_suffixes=suffixes(),
        upload=upload_view(session, player_id, revision),
    )


@router.get("/riffs/{riff_id}/print", name="print_riff_page")
def print_riff_page(
    request: Request, riff_id: Id, session: DbSession, player_id: PlayerId
) -> HTMLResponse:
    """A sheet to print: strip, chord shapes, tablature, text."""
    revision = riffs.newest_revision(session, player_id, riff_id)
    return render(
        request,
        "riffs/print.html",
        view=text_view(revision, preview_of(revision.riff)),
        shapes=_shapes(session, player_id, revision.riff),
        tab=write_tab(revision.riff).decode(),
    )


@router.get("/riffs/{riff_id}/sheet.pdf", name="riff_sheet", dependencies=[costly(SHEETS_A_MINUTE)])
def riff_sheet(
    riff_id: Id, session: DbSession, player_id: PlayerId, paper: Paper = Paper.A4
) -> Response:
    """The printed sheet of a riff as PDF."""
    revision = riffs.newest_revision(session, player_id, riff_id)
    data = sheet_pdf(
        preview_of(revision.riff),
        _shapes(session, player_id, revision.riff),
        tab=write_tab(revision.riff).decode(),
        source=revision.source,
        paper=paper,
    )
    headers = attachment(riff_file_name(revision.riff.title, ".pdf"))
    return Response(data, media_type="application/pdf", headers=headers)


def _shapes(session: DbSession, player_id: int, riff: Riff) -> list[ShapeDrawing]:
    """The riff's shapes on the player's own neck."""
    rig = next(iter(rigs.rigs_of(session, player_id)), None)
    instrument = riff.instrument
    if rig is not None:
        instrument = replace(instrument, scale_mm=float(rig.scale_mm))
    return shapes_of(riff, instrument, left_handed=rig is not None and rig.left_handed)


@router.post("/riffs/{riff_id}", name="save_riff")
def save_riff(
    request: Request,
    riff_id: Id,
    session: DbSession,
    player_id: PlayerId,
    source: Source = "",
    base: Annotated[int, Form(ge=0, le=1_000_000)] = 0,
) -> Response:
    """Saves a new revision; earlier ones stay as they are, with the takes played against them.
    `base`: the revision that was edited, 0 for any; if another one was saved since, the player
    chooses.
    """
    preview = _preview(source)
    if preview.error:
        return render(request, "riffs/_preview.html", preview=preview)
    newest = riffs.newest_revision(session, player_id, riff_id)
    if base and newest.number != base and newest.source != source:
        conflict = ConflictView(riff_id, newest.number, newest.number + 1)
        return render(request, "riffs/_conflict.html", conflict=conflict)
    riffs.add_revision(session, player_id, riff_id, parse_riff(source), source)
    return _to_page(request, riff_id)


@router.post("/riffs/{riff_id}/delete", name="delete_riff")
def delete_riff(request: Request, riff_id: Id, session: DbSession, player_id: PlayerId) -> Response:
    """Removes a riff with all its takes."""
    takes.delete_takes_of(session, player_id, riff_id)
    riffs.delete_riff(session, player_id, riff_id)
    return Response(
        status_code=204, headers={"HX-Redirect": str(request.app.url_path_for("riffs_page"))}
    )


@router.get("/riffs/{riff_id}/riff.{kind}", name="riff_file")
def riff_file(riff_id: Id, kind: str, session: DbSession, player_id: PlayerId) -> Response:
    """The riff as a file; as text it is what was typed."""
    into = format_of(f"riff.{kind}")
    revision = riffs.newest_revision(session, player_id, riff_id)
    typed = into.name == "text"
    return Response(
        revision.source.encode() if typed else into.write(revision.riff),
        media_type=into.media_type,
        headers=attachment(riff_file_name(revision.riff.title, into.suffixes[0])),
    )


def _preview(source: str) -> PreviewView:
    try:
        return preview_of(parse_riff(source), drawn=False)
    except RiffError as error:
        return preview_error(source, error)


def _to_page(request: Request, riff_id: int) -> Response:
    address = str(request.app.url_path_for("riff_page", riff_id=riff_id))
    return Response(status_code=204, headers={"HX-Redirect": address})

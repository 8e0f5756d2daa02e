"""Riffs: list, text page, live preview, saving a revision, import and export."""

from typing import Annotated

from fastapi import APIRouter, Form, Query, Request, Response, UploadFile
from fastapi.responses import HTMLResponse, JSONResponse

from thrumble.actions.listening import read_riff
from thrumble.core.errors import RiffError
from thrumble.core.riff.printing import print_riff
from thrumble.core.riff.text import parse_riff
from thrumble.formats.riff_json import MAX_BYTES, riff_document
from thrumble.store import riffs, takes
from thrumble.web.deps import DbSession, PlayerId, costly
from thrumble.web.inputs import Id, Line, PageNumber, Text
from thrumble.web.riffs import making
from thrumble.web.riffs.views import (
    FIRST_TEXT,
    PreviewView,
    preview_error,
    preview_of,
    riff_line,
    text_view,
)
from thrumble.web.shared.paging import pages
from thrumble.web.templating import render

router = APIRouter()
router.include_router(making.router)  # its addresses are words where others have a riff's number
Source = Annotated[Text, Form(max_length=MAX_BYTES)]
PREVIEWS_A_MINUTE, IMPORTS_A_MINUTE = 600, 120


@router.get("/riffs", name="riffs_page")
def riffs_page(
    request: Request,
    session: DbSession,
    player_id: PlayerId,
    q: Annotated[Line, Query(max_length=100)] = "",
    page: PageNumber = 1,
) -> HTMLResponse:
    """Riffs, page by page, all or those whose title holds what is searched for."""
    paging = pages(
        count=riffs.count_riffs(session, player_id, q), page=page, size=riffs.PAGE, query={"q": q}
    )
    lines = [
        riff_line(s) for s in riffs.riff_standings(session, player_id, title=q, page=paging.page)
    ]
    return render(request, "riffs/list.html", lines=lines, q=q, paging=paging)


@router.get("/riffs/new", name="new_riff_page")
def new_riff_page(request: Request) -> HTMLResponse:
    """A riff begins as text."""
    return render(request, "riffs/page.html", view=text_view(None, _preview(FIRST_TEXT)))


@router.post("/riffs/preview", name="preview_riff", dependencies=[costly(PREVIEWS_A_MINUTE)])
def preview_riff(request: Request, source: Source = "") -> HTMLResponse:
    """What the text gives, as it is typed."""
    return render(request, "riffs/_preview.html", preview=_preview(source))


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
def import_riff(
    request: Request, session: DbSession, player_id: PlayerId, file: UploadFile
) -> Response:
    """A riff from a file, JSON or text."""
    data = file.file.read(MAX_BYTES + 1)
    riff = read_riff(data)
    text = data.decode("utf-8-sig")
    source = print_riff(riff) if text.lstrip().startswith("{") else text
    return _to_page(request, riffs.add_riff(session, player_id, riff, source).riff_id)


@router.get("/riffs/{riff_id}", name="riff_page")
def riff_page(
    request: Request, riff_id: Id, session: DbSession, player_id: PlayerId
) -> HTMLResponse:
    """A riff's text and strip."""
    revision = riffs.newest_revision(session, player_id, riff_id)
    return render(request, "riffs/page.html", view=text_view(revision, preview_of(revision.riff)))


@router.post("/riffs/{riff_id}", name="save_riff")
def save_riff(
    request: Request, riff_id: Id, session: DbSession, player_id: PlayerId, source: Source = ""
) -> Response:
    """Saves a new revision; earlier ones stay as they are, with the takes played against them."""
    preview = _preview(source)
    if preview.error:
        return render(request, "riffs/_preview.html", preview=preview)
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


@router.get("/riffs/{riff_id}/riff.json", name="riff_json")
def riff_json(riff_id: Id, session: DbSession, player_id: PlayerId) -> Response:
    """The riff as JSON."""
    riff = riffs.newest_revision(session, player_id, riff_id).riff
    return JSONResponse(
        riff_document(riff),
        headers={"Content-Disposition": f'attachment; filename="riff-{riff_id}.riff.json"'},
    )


@router.get("/riffs/{riff_id}/riff.txt", name="riff_text")
def riff_text(riff_id: Id, session: DbSession, player_id: PlayerId) -> Response:
    """The riff's text as it was typed."""
    source = riffs.newest_revision(session, player_id, riff_id).source
    return Response(
        source,
        media_type="text/plain; charset=utf-8",
        headers={"Content-Disposition": f'attachment; filename="riff-{riff_id}.riff.txt"'},
    )


def _preview(source: str) -> PreviewView:
    try:
        return preview_of(parse_riff(source))
    except RiffError as error:
        return preview_error(source, error)


def _to_page(request: Request, riff_id: int) -> Response:
    return Response(
        status_code=204,
        headers={"HX-Redirect": str(request.app.url_path_for("riff_page", riff_id=riff_id))},
    )

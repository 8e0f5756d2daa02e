"""What became of a riff: its revisions with their takes, going back to one; copies; riffs put
away.
"""

from typing import Annotated

from fastapi import APIRouter, Form, Request, Response
from fastapi.responses import HTMLResponse

from thrumble.core.errors import NotFound
from thrumble.core.riff.notation.printing import print_riff
from thrumble.core.riff.notation.text import parse_riff
from thrumble.core.riff.tags import read_tags
from thrumble.store.riffs import riffs
from thrumble.store.riffs import tags as store_tags
from thrumble.web.deps import DbSession, PlayerId
from thrumble.web.inputs import Id, Line
from thrumble.web.riffs.views import history_view
from thrumble.web.templating import render

router = APIRouter()


@router.get("/riffs/{riff_id}/revisions", name="riff_revisions")
def riff_revisions(
    request: Request, riff_id: Id, session: DbSession, player_id: PlayerId
) -> HTMLResponse:
    """The revisions, the newest first, each with its strip and the takes played on it."""
    view = history_view(riff_id, riffs.history(session, player_id, riff_id))
    return render(request, "riffs/_history.html", view=view)


@router.post("/riffs/{riff_id}/revisions/{revision_id}", name="back_to_revision")
def back_to_revision(
    request: Request, riff_id: Id, revision_id: Id, session: DbSession, player_id: PlayerId
) -> Response:
    """What was written then becomes the newest revision; nothing between is lost."""
    old = riffs.get_revision(session, player_id, revision_id)
    if old.riff_id != riff_id:
        raise NotFound("that revision belongs to another riff")
    riffs.add_revision(session, player_id, riff_id, old.riff, old.source)
    return _to(request, "riff_page", riff_id)


@router.post("/riffs/{riff_id}/copy", name="copy_riff")
def copy_riff(request: Request, riff_id: Id, session: DbSession, player_id: PlayerId) -> Response:
    """A riff of its own that begins as this one stands."""
    now = riffs.newest_revision(session, player_id, riff_id)
    title = f"{now.riff.title[:110]}, copy"
    lines = now.source.split("\n")
    named = [f"title: {title}" if line.strip().startswith("title:") else line for line in lines]
    copy = parse_riff("\n".join(named))
    source = "\n".join(named) if copy.title == title else print_riff(copy)
    return _to(request, "riff_page", riffs.add_riff(session, player_id, copy, source).riff_id)


@router.post("/riffs/{riff_id}/tags", name="tag_riff")
def tag_riff(
    request: Request,
    riff_id: Id,
    session: DbSession,
    player_id: PlayerId,
    tags: Annotated[Line, Form(max_length=400)] = "",
) -> HTMLResponse:
    """Keeps a riff's tags as they stand in its line."""
    parsed = read_tags(tags)
    store_tags.set_tags(session, player_id, riff_id, parsed)
    return render(request, "riffs/_tags.html", riff_id=riff_id, tags=", ".join(parsed), kept=True)


@router.post("/riffs/{riff_id}/archive", name="archive_riff")
def archive_riff(
    request: Request, riff_id: Id, session: DbSession, player_id: PlayerId
) -> Response:
    """Puts a riff away: it leaves the lists and keeps its takes."""
    riffs.set_archived(session, player_id, riff_id, archived=True)
    return _to(request, "riffs_page")


@router.post("/riffs/{riff_id}/restore", name="restore_riff")
def restore_riff(
    request: Request, riff_id: Id, session: DbSession, player_id: PlayerId
) -> Response:
    """Takes a riff out again."""
    riffs.set_archived(session, player_id, riff_id, archived=False)
    return _to(request, "riff_page", riff_id)


def _to(request: Request, name: str, riff_id: int | None = None) -> Response:
    about = {} if riff_id is None else {"riff_id": riff_id}
    address = str(request.app.url_path_for(name, **about))
    return Response(status_code=204, headers={"HX-Redirect": address})

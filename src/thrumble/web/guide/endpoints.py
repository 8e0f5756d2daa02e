"""The guide: pages for players, searched by the database's own text search."""

from typing import Annotated

from fastapi import APIRouter, Path, Query, Request, Response
from fastapi.responses import HTMLResponse

from thrumble.core.errors import NotFound
from thrumble.store.guide import search_texts
from thrumble.web.deps import SHOWS_PLAYER, DbSession
from thrumble.web.guide.pages import FOLDER, guide_pages
from thrumble.web.guide.views import guide_view
from thrumble.web.inputs import Line
from thrumble.web.templating import render

router = APIRouter()


@router.get("/guide", name="guide_home", dependencies=[SHOWS_PLAYER])
def guide_home(
    request: Request, session: DbSession, q: Annotated[Line, Query(max_length=100)] = ""
) -> HTMLResponse:
    """The first page; with a question the pages that answer it, the best first."""
    texts = [(page.title, page.text) for page in guide_pages()]
    matches = search_texts(session, q, texts) if q else []
    return render(request, "guide/page.html", view=guide_view(guide_pages(), None, q, matches))


@router.get("/guide/pictures/{name}.png", name="guide_picture")
def guide_picture(name: Annotated[str, Path(pattern=r"^[a-z-]{1,30}$")]) -> Response:
    """A picture of a page, made from the sample data. Raises NotFound."""
    picture = FOLDER / "pictures" / f"{name}.png"
    if not picture.is_file():
        raise NotFound("the guide has no such picture")
    return Response(
        picture.read_bytes(), media_type="image/png", headers={"Cache-Control": "max-age=86400"}
    )


@router.get("/guide/{page}", name="guide_page", dependencies=[SHOWS_PLAYER])
def guide_page(request: Request, page: Line) -> HTMLResponse:
    """One page. Raises NotFound."""
    if page not in {other.name for other in guide_pages()}:
        raise NotFound("the guide has no such page: choose one from its list")
    return render(request, "guide/page.html", view=guide_view(guide_pages(), page, "", []))

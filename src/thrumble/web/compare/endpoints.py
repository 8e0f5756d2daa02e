"""Comparing takes: choosing both sides, what differs, how both sound beside the ideal."""

from typing import Annotated

from fastapi import APIRouter, Query, Request, Response
from fastapi.responses import HTMLResponse, JSONResponse

from thrumble.actions.comparing import compare_takes, write_reference
from thrumble.core.errors import BadInput
from thrumble.core.takes import TakeState
from thrumble.formats.comparison_json import comparison_csv, comparison_document
from thrumble.store.practice.logbook import Behind, takes_behind
from thrumble.store.takes import take_lists, takes
from thrumble.web.compare.views import choices, compare_view
from thrumble.web.deps import DbSession, PlayerId, costly
from thrumble.web.inputs import BIGGEST_ID, Id, Line
from thrumble.web.shared.downloads import attachment
from thrumble.web.shared.files import sent, temporary
from thrumble.web.templating import render

router = APIRouter()
IDEALS_A_MINUTE = 60
SHOWN = 60
Numbers = Annotated[list[Line], Query(max_length=40)]


def _numbers(given: list[str]) -> list[int]:
    """Takes as `1` or `1,2,3`, each once."""
    out: list[int] = []
    for text in given:
        for part in filter(None, text.split(",")):
            if not part.strip().isdecimal() or len(part) > 10 or int(part) > BIGGEST_ID:
                raise BadInput(f"a take is a number; found {part[:20]!r}")
            out.append(int(part))
    return list(dict.fromkeys(out))


@router.get("/compare", name="compare_page")
def compare_page(
    request: Request,
    session: DbSession,
    player_id: PlayerId,
    a: Numbers = [],  # noqa: B006
    b: Numbers = [],  # noqa: B006
    choose: bool = False,
) -> HTMLResponse:
    """What differs between two sets of takes; without both sides they are chosen."""
    first, second = _numbers(a), _numbers(b)
    if not first:
        raise BadInput("choose a take to compare: open one, then press Compare")
    take = takes.get_take(session, player_id, first[0])
    if second and not choose:
        compared = compare_takes(session, player_id, first, second)
        query = f"a={','.join(map(str, first))}&b={','.join(map(str, second))}"
        return render(request, "compare/page.html", view=compare_view(compared, query))
    numbers = takes_behind(session, player_id, Behind(riff_id=take.riff_id))
    lines = take_lists.take_lines(
        session, player_id, only=numbers, states=(TakeState.READ,), limit=SHOWN
    )
    return render(
        request,
        "compare/choose.html",
        title=lines[0].title if lines else "",
        rows=choices(lines, first, second),
    )


@router.get("/compare/sheet", name="compare_sheet")
def compare_sheet(
    request: Request, session: DbSession, player_id: PlayerId, a: Numbers, b: Numbers
) -> HTMLResponse:
    """The comparison on a sheet of paper."""
    first, second = _numbers(a), _numbers(b)
    compared = compare_takes(session, player_id, first, second)
    query = f"a={','.join(map(str, first))}&b={','.join(map(str, second))}"
    return render(request, "compare/sheet.html", view=compare_view(compared, query))


@router.get("/compare.json", name="compare_json")
def compare_json(session: DbSession, player_id: PlayerId, a: Numbers, b: Numbers) -> JSONResponse:
    """The comparison as JSON."""
    first, second = _numbers(a), _numbers(b)
    compared = compare_takes(session, player_id, first, second)
    return JSONResponse(
        comparison_document(compared.found, (len(first), len(second))),
        headers=attachment("comparison.json"),
    )


@router.get("/compare.csv", name="compare_csv")
def compare_csv(session: DbSession, player_id: PlayerId, a: Numbers, b: Numbers) -> Response:
    """The comparison as CSV."""
    compared = compare_takes(session, player_id, _numbers(a), _numbers(b))
    return Response(
        comparison_csv(compared.found),
        media_type="text/csv; charset=utf-8",
        headers=attachment("comparison.csv"),
    )


@router.get("/takes/{take_id}/ideal.wav", name="take_ideal", dependencies=[costly(IDEALS_A_MINUTE)])
def take_ideal(
    take_id: Id, session: DbSession, player_id: PlayerId, click: bool = False
) -> Response:
    """The riff as it is written, in the take's tempo and tone; `click`: with the click."""
    with temporary() as target:
        write_reference(session, player_id, take_id, target, click=click)
        return sent(target, "audio/wav", {"Cache-Control": "private, max-age=3600"})

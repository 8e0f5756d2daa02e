"""How sure the ear is, and the sound check by which a player finds out on their own guitar."""

import tempfile
from typing import Annotated

from fastapi import APIRouter, Form, Request, Response
from fastapi.responses import HTMLResponse

from thrumble.actions.sound_check import begin_check, count_check, keep_hits, write_labelled
from thrumble.core.counting import counted
from thrumble.store.practice import sound_checks
from thrumble.store.rig import rigs
from thrumble.store.takes import corrections, takes
from thrumble.web.certainty.checking import check_lines, check_view
from thrumble.web.certainty.views import certainty_view
from thrumble.web.deps import DbSession, PlayerId, costly
from thrumble.web.inputs import Id
from thrumble.web.shared.downloads import attachment
from thrumble.web.templating import render

router = APIRouter()
CHECKS_A_MINUTE = 20
IN_MEMORY = 1 << 20  # bytes of a file to hand on; beyond it goes by way of the disk


@router.get("/certainty", name="certainty_page")
def certainty_page(request: Request, session: DbSession, player_id: PlayerId) -> HTMLResponse:
    """The benchmark's last table, the player's own sound checks, examples and corrections."""
    tones = [
        (tone, rigs.examples_of(session, player_id, tone.id))
        for tone in rigs.tones_of(session, player_id)
    ]
    return render(
        request,
        "certainty/page.html",
        view=certainty_view(tones, corrections.corrected_kinds(session, player_id)),
        checks=check_lines(session, player_id),
        waiting=[
            takes.get_take(session, player_id, take_id)
            for take_id in sound_checks.waiting_checks(session, player_id)
        ],
    )


@router.post("/certainty/check", name="begin_check")
def begin(request: Request, session: DbSession, player_id: PlayerId) -> Response:
    """Redirects to the play page, with the sound check as the riff."""
    riff_id = begin_check(session, player_id)
    return _on_to(request.app.url_path_for("play_page", riff_id=riff_id))


@router.post(
    "/certainty/check/{take_id}",
    name="count_check",
    dependencies=[costly(CHECKS_A_MINUTE)],
)
def count(request: Request, take_id: Id, session: DbSession, player_id: PlayerId) -> Response:
    """Counts a take of the sound check, again if a newer ear hears it."""
    count_check(session, player_id, take_id)
    return _on_to(request.app.url_path_for("check_page", take_id=take_id))


def _on_to(address: str) -> Response:
    return Response(headers={"HX-Redirect": address})


@router.get("/certainty/check/{take_id}", name="check_page")
def check_page(
    request: Request, take_id: Id, session: DbSession, player_id: PlayerId
) -> HTMLResponse:
    """What was asked and what was heard, hit by hit."""
    view = check_view(session, player_id, take_id)
    return render(request, "certainty/check.html", view=view, done="")


@router.post("/certainty/check/{take_id}/strike", name="strike_hit")
def strike_hit(
    request: Request,
    take_id: Id,
    session: DbSession,
    player_id: PlayerId,
    index: Annotated[int, Form(ge=0, le=100_000)],
    out: Annotated[bool, Form()] = False,
) -> HTMLResponse:
    """Strikes a hit out, or takes it back; the figures come back."""
    sound_checks.strike(session, player_id, take_id, index, out=out)
    view = check_view(session, player_id, take_id)
    return render(request, "certainty/_check.html", view=view, done="")


@router.post(
    "/certainty/check/{take_id}/examples",
    name="keep_check_hits",
    dependencies=[costly(CHECKS_A_MINUTE)],
)
def keep_check_hits(
    request: Request, take_id: Id, session: DbSession, player_id: PlayerId
) -> HTMLResponse:
    """Makes hits of it examples of its tone."""
    examples = counted(keep_hits(session, player_id, take_id), "hit")
    view = check_view(session, player_id, take_id)
    done = f"{examples} of this check teach your tone now. Takes analysed from now on use them."
    return render(request, "certainty/_check.html", view=view, done=done)


@router.get(
    "/certainty/check/{take_id}/labelled.zip",
    name="labelled_check",
    dependencies=[costly(CHECKS_A_MINUTE)],
)
def labelled_check(take_id: Id, session: DbSession, player_id: PlayerId) -> Response:
    """The whole sound check, recording and labels, as one file."""
    with tempfile.SpooledTemporaryFile(max_size=IN_MEMORY) as file:
        write_labelled(session, player_id, take_id, file)
        file.seek(0)
        data = file.read()
    name = f"thrumble-sound-check-{take_id}.zip"
    return Response(data, media_type="application/zip", headers=attachment(name))

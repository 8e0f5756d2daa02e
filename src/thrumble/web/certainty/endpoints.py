"""How sure the ear is."""

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse

from thrumble.store import corrections, rigs
from thrumble.web.certainty.views import certainty_view
from thrumble.web.deps import DbSession, PlayerId
from thrumble.web.templating import render

router = APIRouter()


@router.get("/certainty", name="certainty_page")
def certainty_page(request: Request, session: DbSession, player_id: PlayerId) -> HTMLResponse:
    """The benchmark's last table, and the player's own examples and corrections."""
    tones = [
        (tone, rigs.examples_of(session, player_id, tone.id))
        for tone in rigs.tones_of(session, player_id)
    ]
    return render(
        request,
        "certainty/page.html",
        view=certainty_view(tones, corrections.corrected_kinds(session, player_id)),
    )

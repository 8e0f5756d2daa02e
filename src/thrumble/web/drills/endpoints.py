"""Drills: what a riff can be made into, looked at, heard, played, kept."""

from dataclasses import dataclass
from typing import Annotated

from fastapi import APIRouter, Depends, Form, Query, Request, Response
from fastapi.responses import HTMLResponse

from thrumble.actions.coaching import drill_for, drill_start
from thrumble.actions.rehearsal import rehearse
from thrumble.core.errors import BadInput, ThrumbleError
from thrumble.core.player.sound import Tone
from thrumble.core.riff.drills.catalogue import DrillKind, drills_of, make_drill
from thrumble.core.riff.model import Riff
from thrumble.store.riffs import drills, riffs
from thrumble.store.riffs.drills import DrillOf
from thrumble.web.deps import DbSession, PlayerId, costly
from thrumble.web.drills.views import drills_view
from thrumble.web.inputs import Id, Line
from thrumble.web.shared.up_next import up_next_view
from thrumble.web.shared.uploading import upload_view
from thrumble.web.templating import render

router = APIRouter()
DRILLS_A_MINUTE = 120
MAX_BARS = 2000


@dataclass(frozen=True, slots=True)
class DrillQuery:
    """Which drill, of which bars; empty if all count."""

    kind: Annotated[Line, Query(max_length=30)] = ""
    first: Annotated[Line, Query(max_length=6)] = ""
    last: Annotated[Line, Query(max_length=6)] = ""

    def bars(self) -> tuple[int, int] | None:
        """The bars asked for; one alone is both ends. Raises BadInput."""
        if not self.first and not self.last:
            return None
        first, last = (text or self.first or self.last for text in (self.first, self.last))
        if not (first.isascii() and first.isdigit() and last.isascii() and last.isdigit()):
            raise BadInput("bars are whole numbers: type the first and the last one")
        return int(first), int(last)

    def known_kind(self) -> DrillKind:
        """The drill asked for. Raises BadInput."""
        if self.kind not in list(DrillKind):
            raise BadInput("that drill isn't on the list: choose one from it")
        return DrillKind(self.kind)


AskedQuery = Annotated[DrillQuery, Depends()]


def _riff(session: DbSession, player_id: int, riff_id: int) -> tuple[int, Riff]:
    """The riff; of a drill the one that it was made from."""
    of = drills.drill_of(session, player_id, riff_id)
    root = riff_id if of is None else of.riff_id
    return root, riffs.newest_revision(session, player_id, root).riff


@router.get("/drills", name="drills_home")
def drills_home(request: Request, session: DbSession, player_id: PlayerId) -> Response:
    """The drills of the riff that is up next; without one the riffs."""
    up_next = up_next_view(session, player_id)
    address = str(request.app.url_path_for("riffs_page"))
    if up_next is not None:
        address = str(request.app.url_path_for("drills_page", riff_id=up_next.riff_id))
    return Response(status_code=303, headers={"Location": address})


@router.get("/riffs/{riff_id}/drills", name="drills_page")
def drills_page(
    request: Request, riff_id: Id, asked_query: AskedQuery, session: DbSession, player_id: PlayerId
) -> HTMLResponse:
    """The riff's drills, one of them whole."""
    root, riff = _riff(session, player_id, riff_id)
    offered = drills_of(riff)
    kind = asked_query.known_kind() if asked_query.kind else offered[0].kind
    made, start, problem, bars = None, None, "", None
    try:
        bars = asked_query.bars()
        made = make_drill(riff, kind, bars=bars)
        start = drill_start(session, player_id, root, kind, made)
    except ThrumbleError as error:
        problem = str(error)
    records = _records(session, player_id)
    view = drills_view(
        root, riff, offered, kind, bars, made, start, records=records, problem=problem
    )
    upload = upload_view(session, player_id, riffs.newest_revision(session, player_id, root))
    return render(request, "drills/page.html", view=view, upload=upload)


def _records(session: DbSession, player_id: int) -> dict[DrillKind, tuple[int, int]]:
    """How often each drill helped this player, of how many times it could be told."""
    out: dict[DrillKind, tuple[int, int]] = {}
    for effect in drills.all_helped(session, player_id):
        if effect.change is not None:
            good, tried = out.get(effect.kind, (0, 0))
            out[effect.kind] = (good + (effect.clear and effect.change < 0), tried + 1)
    return out


@router.get(
    "/riffs/{riff_id}/drills/listen",
    name="listen_to_drill",
    dependencies=[costly(DRILLS_A_MINUTE)],
)
def listen_to_drill(
    riff_id: Id, asked_query: AskedQuery, session: DbSession, player_id: PlayerId
) -> Response:
    """The drill by the simulated guitarist with the click: WAV."""
    _, riff = _riff(session, player_id, riff_id)
    made = make_drill(riff, asked_query.known_kind(), bars=asked_query.bars())
    rehearsal = rehearse(made, tone=Tone.CRUNCH, tempo_bpm=None, beat="click", bars=None)
    return Response(rehearsal.wav, media_type="audio/wav")


@router.post("/riffs/{riff_id}/drills", name="play_drill", dependencies=[costly(DRILLS_A_MINUTE)])
def play_drill(
    request: Request,
    riff_id: Id,
    session: DbSession,
    player_id: PlayerId,
    kind: Annotated[Line, Form(max_length=30)],
    first: Annotated[Line, Form(max_length=6)] = "",
    last: Annotated[Line, Form(max_length=6)] = "",
    tempo: Annotated[float | None, Form(ge=20, le=400)] = None,
    as_riff: Annotated[bool, Form()] = False,
) -> Response:
    """Makes the drill and opens it to be played; `as_riff`: as a new riff, to be edited."""
    query = DrillQuery(kind, first, last)
    root, _ = _riff(session, player_id, riff_id)
    made = drill_for(session, player_id, DrillOf(root, query.known_kind(), query.bars()), tempo)
    if as_riff:
        drills.stand_alone(session, player_id, made.riff_id)
    name = "riff_page" if as_riff else "play_page"
    address = str(request.app.url_path_for(name, riff_id=made.riff_id))
    return Response(status_code=204, headers={"HX-Redirect": address})

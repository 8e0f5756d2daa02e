"""Play: the screen, and the take's way in: begun, sent in chunks, finished or discarded; or uploaded whole."""

from decimal import Decimal
from typing import Annotated

from fastapi import APIRouter, Form, Query, Request, Response, UploadFile
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse
from pydantic import BaseModel, Field
from starlette.concurrency import run_in_threadpool

from thrumble.actions import takes as verbs
from thrumble.core.errors import BadAudio, NotAllowed, NotFound
from thrumble.core.player.click import click_sound
from thrumble.core.riff.checking import check_tempo
from thrumble.core.takes import RecorderReport, TakeState
from thrumble.formats.audio import MAX_BYTES
from thrumble.store import database, players, riffs, rigs, takes
from thrumble.store.takes import NewTake
from thrumble.web.deps import DbSession, PlayerId
from thrumble.web.play.views import play_view, rig_tones
from thrumble.web.readings.views import reading_view, status_view
from thrumble.web.templating import render
from thrumble.web.today.views import today_view

router = APIRouter()
CHUNK_BYTES = 4_000_000
TAKE_BYTES = 600 * 192_000 * 4


class Begin(BaseModel):
    """What the browser knows when a take begins. `start_frame`: bar 1 beat 1 in the take's own frames."""

    revision: int
    tempo: Annotated[float, Field(ge=20, le=400)]
    rounds: Annotated[int, Field(ge=1, le=500)]
    start_frame: Annotated[int, Field(ge=0, le=192_000 * 600)]
    rate: Annotated[int, Field(ge=8000, le=192_000)]
    zone: Annotated[str, Field(max_length=64)] = "UTC"
    device: Annotated[str, Field(max_length=200)] = ""
    tone: int | None = None


class Report(BaseModel):
    """What the browser's recorder noticed, sent at the end of a take."""

    gap_frames: Annotated[int, Field(ge=0)] = 0
    clock_slip_ms: float = 0.0
    underruns: Annotated[int, Field(ge=0)] = 0
    settings: dict[str, str | int | float | bool | None] = {}


@router.get("/play", name="play_next")
def play_next(request: Request, session: DbSession, player_id: PlayerId) -> Response:
    """To the riff that is armed, or to the riffs where there is none."""
    armed = today_view(riffs.riff_standings(session, player_id), []).armed
    address = request.app.url_path_for("play_page", riff_id=armed.riff_id) if armed else request.app.url_path_for("riffs_page")
    return RedirectResponse(str(address), 303)


@router.get("/play/{riff_id}", name="play_page")
def play_page(request: Request, riff_id: int, session: DbSession, player_id: PlayerId) -> HTMLResponse:
    """The riff, ready to be played and recorded."""
    tones = rig_tones(rigs.rigs_of(session, player_id), rigs.tones_of(session, player_id))
    return render(request, "play/page.html", view=play_view(riffs.newest_revision(session, player_id, riff_id)), tones=tones)


@router.get("/click/{rate}/{kind}", name="click_sound")
def click_samples(rate: int, kind: str) -> Response:
    """The one click sound as float32 samples at the browser's own rate."""
    if not 8000 <= rate <= 192_000 or kind not in ("accent", "plain"):
        raise NotFound("there is no such click")
    return Response(click_sound(rate, accent=kind == "accent").tobytes(), media_type="application/octet-stream")


@router.post("/takes", name="begin_take")
def begin_take(request: Request, begin: Begin, session: DbSession, player_id: PlayerId) -> JSONResponse:
    """A take begins; its sound follows in chunks. The delay is that of exactly this browser, device and rate, or none."""
    revision = riffs.get_revision(session, player_id, begin.revision)
    tone = None if begin.tone is None else rigs.get_tone(session, player_id, begin.tone)
    delay = rigs.newest_calibration(session, player_id, browser=request.state.browser, device=begin.device, rate_hz=begin.rate)
    new = NewTake(
        riff_id=revision.riff_id, revision_id=revision.id, source="recorded", tempo_bpm=Decimal(str(begin.tempo)), rounds=begin.rounds,
        start_frame=begin.start_frame, rate_hz=begin.rate, zone=begin.zone, delay_ms=delay and delay.delay_ms,
        delay_spread_ms=delay and delay.spread_ms, calibration_id=delay and delay.id, tone_id=tone and tone.id, rig_id=tone and tone.rig_id,
    )  # fmt: skip
    return JSONResponse({"take": verbs.begin_take(session, player_id, new).id}, 201)


@router.post("/takes/{take_id}/chunk", name="take_chunk")
async def take_chunk(request: Request, take_id: int, frame: Annotated[int, Query(ge=0, le=192_000 * 600)]) -> Response:
    """Float32 samples from a frame of the take on."""
    data = bytearray()
    async for part in request.stream():
        data += part
        if len(data) > CHUNK_BYTES:
            raise BadAudio("this piece of sound is too long: send two seconds at a time")
    if not data or len(data) % 4:
        raise BadAudio("a piece of sound is float32 samples, four bytes each")
    await run_in_threadpool(_keep_chunk, take_id, frame, bytes(data))
    return Response(status_code=204)


def _keep_chunk(take_id: int, frame: int, data: bytes) -> None:
    with database.session() as session:
        player_id = players.local_player(session)
        if takes.get_take(session, player_id, take_id).state is not TakeState.RECORDING:
            raise NotAllowed("this take is finished: begin a new one")
        if takes.chunk_bytes(session, player_id, take_id) + len(data) > TAKE_BYTES:
            raise BadAudio("this take is longer than ten minutes: finish it")
        takes.add_chunk(session, player_id, take_id, frame, data)


@router.post("/takes/{take_id}/finish", name="finish_take")
def finish_take(report: Report, take_id: int, session: DbSession, player_id: PlayerId) -> JSONResponse:
    """All sound is here: put it together and read it."""
    verbs.finish_take(session, player_id, take_id, RecorderReport(**report.model_dump()))
    return JSONResponse({"take": take_id})


@router.post("/takes/{take_id}/finish-cut", name="finish_cut_take")
def finish_cut_take(request: Request, take_id: int, session: DbSession, player_id: PlayerId) -> HTMLResponse:
    """Reads a take whose tab was closed, as far as it goes."""
    take = verbs.finish_take(session, player_id, take_id, RecorderReport())
    return render(request, "readings/_status.html", status=status_view(take))


@router.post("/takes/{take_id}/discard", name="discard_take")
def discard_take(take_id: int, session: DbSession, player_id: PlayerId) -> Response:
    """Drops a take that was abandoned while it was recorded."""
    if takes.get_take(session, player_id, take_id).state is not TakeState.RECORDING:
        raise NotAllowed("this take is finished: delete it on its own page")
    takes.delete_take(session, player_id, take_id)
    return Response(status_code=204)


@router.get("/takes/{take_id}/outcome", name="take_outcome")
def take_outcome(request: Request, take_id: int, session: DbSession, player_id: PlayerId) -> HTMLResponse:
    """What the play screen shows after a take: where it stands, then the verdict and the strip."""
    take = takes.get_take(session, player_id, take_id)
    status = status_view(take)
    reading = takes.get_reading(session, player_id, take_id) if status.read else None
    view = reading_view(take, riffs.get_revision(session, player_id, take.revision_id), reading) if reading else None
    return render(request, "play/_outcome.html", status=status, view=view)


@router.post("/play/{riff_id}/upload", name="upload_take")
def upload_take(
    request: Request, riff_id: int, session: DbSession, player_id: PlayerId, take: UploadFile,
    tempo: Annotated[str, Form()] = "", start: Annotated[str, Form()] = "", tone: Annotated[str, Form()] = "",
) -> Response:  # fmt: skip
    """A take recorded elsewhere, with whatever is known of it."""
    revision = riffs.newest_revision(session, player_id, riff_id)
    data = take.file.read(MAX_BYTES + 1)
    tempo_bpm = _decimal(tempo, "the tempo")
    if tempo_bpm is not None:
        check_tempo(float(tempo_bpm))
    start_s = _decimal(start, "the start")
    played = rigs.get_tone(session, player_id, int(tone)) if tone.isdigit() else None
    new = NewTake(
        riff_id=riff_id, revision_id=revision.id, source="uploaded", tempo_bpm=tempo_bpm, rounds=None if start_s is None else 1,
        start_frame=None if start_s is None else round(start_s * 1000), rate_hz=None if start_s is None else 1000, file_name=(take.filename or "")[:120],
        tone_id=played and played.id, rig_id=played and played.rig_id,
    )  # fmt: skip
    stored = verbs.submit_upload(session, player_id, new, data)
    return Response(status_code=204, headers={"HX-Redirect": str(request.app.url_path_for("take_page", take_id=stored.id))})


def _decimal(text: str, what: str) -> Decimal | None:
    """A number that may be left out."""
    if not text.strip():
        return None
    try:
        value = Decimal(text.strip().replace(",", "."))
    except ArithmeticError:
        raise BadAudio(f"{what} is a number, or left empty; found {text[:20]!r}") from None
    if not value.is_finite() or not 0 <= value <= 600:
        raise BadAudio(f"{what} lies between 0 and 600; found {text[:20]!r}")
    return value

"""Play: the screen, and the take's way in: begun, sent in chunks, finished or discarded; or
uploaded whole.
"""

import hashlib
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from typing import Annotated, BinaryIO

from fastapi import APIRouter, Form, Query, Request, Response, UploadFile
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse
from pydantic import Field

from thrumble.actions import takes as verbs
from thrumble.actions.accompaniment import BACKING_RATE_HZ, backing
from thrumble.actions.coaching import step_of
from thrumble.actions.judging import find_judged_take, judged_take
from thrumble.actions.planning import next_block
from thrumble.core.errors import BadAudio, NotFound
from thrumble.core.pulse.cues import SOUNDS, Backing, sound_of
from thrumble.core.riff.checking import check_tempo
from thrumble.core.riff.expand import expand
from thrumble.core.takes import RecorderReport
from thrumble.formats.accompaniment_settings import AccompanimentSettings
from thrumble.formats.audio import KINDS, MAX_BYTES, looks_like_audio, write_wav16
from thrumble.store.practice import trials
from thrumble.store.riffs import riffs
from thrumble.store.rig import rigs
from thrumble.store.takes import takes
from thrumble.store.takes.space import space
from thrumble.store.takes.takes import NewTake
from thrumble.trained import VOICE
from thrumble.web.deps import DbSession, PlayerId, Today, costly
from thrumble.web.inputs import (
    BIGGEST_ID,
    Chunk,
    Id,
    Line,
    PollCount,
    Reference,
    Sent,
    file_name,
    whole_number,
)
from thrumble.web.play.views import (
    block_bar,
    play_view,
    round_verdict,
    score_of,
    trial_bar,
)
from thrumble.web.shared.next import next_view
from thrumble.web.shared.reading import reading_view
from thrumble.web.shared.takes import room_words, status_view
from thrumble.web.shared.up_next import up_next_view
from thrumble.web.shared.uploading import upload_view
from thrumble.web.templating import render

router = APIRouter()
MAX_AGE_S = 366 * 86400  # of a waiting take; more means that the clock was wrong
MAX_FRAMES = 192_000 * 600
UPLOADS_A_MINUTE = 240
BACKINGS_A_MINUTE = 60
Frame = Annotated[int, Field(ge=0, le=MAX_FRAMES)]


class Begin(Sent):
    """What the browser knows when a take begins. `key`: its own name for the take; `start_frame`:
    bar 1 beat 1 in the take's own frames;
    `age_s`: how long ago that was."""

    key: Annotated[str, Field(pattern=r"^[0-9a-zA-Z-]{8,64}$")]
    revision: Reference
    tempo: Annotated[float, Field(ge=20, le=400)]
    rounds: Annotated[int, Field(ge=1, le=500)]
    start_frame: Frame
    rate: Annotated[int, Field(ge=8000, le=192_000)]
    age_s: Annotated[float, Field(ge=0)] = 0.0
    zone: Annotated[Line, Field(max_length=64)] = "UTC"
    device: Annotated[Line, Field(max_length=200)] = ""
    tone: Reference | None = None
    along: AccompanimentSettings | None = None


class Report(Sent):
    """What the browser's recorder noticed, sent at the end of a take. `spans`: first and
    behind-last frame of all that was recorded; `goes_on`: another round followed at once.
    """

    gap_frames: Frame = 0
    clock_slip_ms: Annotated[float, Field(ge=-1e7, le=1e7)] = 0.0
    underruns: Annotated[int, Field(ge=0, le=BIGGEST_ID)] = 0
    goes_on: bool = False
    settings: Annotated[
        dict[Line, Line | int | float | bool | None], Field(default_factory=dict, max_length=40)
    ]
    spans: Annotated[list[tuple[Frame, Frame]], Field(default_factory=list, max_length=5000)]


@router.get("/play", name="play_next")
def play_next(request: Request, session: DbSession, player_id: PlayerId) -> Response:
    """Redirects to the riff that is up next, or to the list of riffs if there is none."""
    up_next = up_next_view(session, player_id)
    address = str(request.app.url_path_for("riffs_page"))
    if up_next:
        page = request.app.url_path_for("play_page", riff_id=up_next.riff_id)
        address = f"{page}?tempo={up_next.tempo}"
    return RedirectResponse(address, 303)


@router.get("/play/{riff_id}", name="play_page")
def play_page(
    request: Request,
    riff_id: Id,
    session: DbSession,
    player_id: PlayerId,
    today: Today,
    tempo: Annotated[float | None, Query(ge=20, le=400)] = None,
    block: Annotated[int | None, Query(ge=1, le=BIGGEST_ID)] = None,
    trial: Annotated[int | None, Query(ge=1, le=BIGGEST_ID)] = None,
) -> HTMLResponse:
    """The riff, ready to be played and recorded; `tempo`: to begin with, else the riff's own;
    `block`: of today's session, played through by itself if it is this one's turn;
    `trial`: the fair trial whose next turn this is.
    """
    all_rigs = rigs.rigs_of(session, player_id)
    revision = riffs.newest_revision(session, player_id, riff_id)
    riff = revision.riff
    neck = all_rigs[0].tuned_for(riff) if all_rigs else riff.instrument
    view = play_view(revision, neck, tempo)
    upload = upload_view(session, player_id, revision)
    going = None if block is None else next_block(session, player_id, today, store=False)
    is_block = going is not None and going.play_id == riff_id and going.block is not None
    return render(
        request,
        "play/page.html",
        view=view,
        upload=upload,
        tones=upload.tones,
        guitars=all_rigs,
        room=room_words(space(session)),
        turn=block_bar(going, today) if going is not None and is_block else None,
        trial=None if trial is None else trial_bar(trials.get_trial(session, player_id, trial)),
    )


@router.get("/click/{rate}/{name}", name="click_sound")
def click_samples(rate: int, name: str) -> Response:
    """A click, a drum or a word of the count-in as float32 samples at the browser's own rate."""
    if not 8000 <= rate <= 192_000 or name not in SOUNDS:
        raise NotFound("there is no such click")
    return Response(sound_of(name, rate, VOICE).tobytes(), media_type="application/octet-stream")


@router.get("/play/{riff_id}/along", name="play_along")
def play_along(
    riff_id: Id,
    session: DbSession,
    player_id: PlayerId,
    settings: Annotated[AccompanimentSettings, Query()],
) -> JSONResponse:
    """What is to be heard with these settings, at the riff's own tempo: the count-in, one round,
    how loud each bar is.
    """
    riff = riffs.newest_revision(session, player_id, riff_id).riff
    return JSONResponse(score_of(expand(riff), settings))


@router.get(
    "/play/{riff_id}/backing/{what}", name="play_backing", dependencies=[costly(BACKINGS_A_MINUTE)]
)
def play_backing(
    riff_id: Id,
    what: Backing,
    session: DbSession,
    player_id: PlayerId,
    tempo: Annotated[float, Query(ge=20, le=400)],
) -> Response:
    """One round of a second guitar as WAV; `x-bar-one`: where in it bar 1 beat 1 lies, seconds."""
    if what is Backing.NONE:
        raise NotFound("nothing plays along")
    riff = riffs.newest_revision(session, player_id, riff_id).riff
    guitar = backing(riff, what, tempo)
    return Response(
        write_wav16(guitar.samples, BACKING_RATE_HZ),
        media_type="audio/wav",
        headers={"x-bar-one": f"{guitar.start_s:.6f}"},
    )


@router.post("/takes", name="begin_take")
def begin_take(
    request: Request, begin: Begin, session: DbSession, player_id: PlayerId
) -> JSONResponse:
    """A take begins, or began a while ago and is told now; its sound follows in chunks. The same
    key again is the same take.

    The delay is that of exactly this browser, device and rate as it was known then, or none.
    """
    revision = riffs.get_revision(session, player_id, begin.revision)
    tone = None if begin.tone is None else rigs.find_tone(session, player_id, begin.tone)
    has_age = begin.age_s <= MAX_AGE_S
    began = datetime.now(UTC) - timedelta(seconds=begin.age_s if has_age else 0.0)
    delay = rigs.newest_calibration(
        session,
        player_id,
        browser=request.state.browser,
        device=begin.device,
        rate_hz=begin.rate,
        until=began + timedelta(seconds=5),
    )
    new = NewTake(
        riff_id=revision.riff_id,
        revision_id=revision.id,
        source="recorded",
        tempo_bpm=Decimal(str(begin.tempo)),
        rounds=begin.rounds,
        start_frame=begin.start_frame,
        rate_hz=begin.rate,
        zone=begin.zone,
        delay_ms=delay.delay_ms if delay else None,
        delay_spread_ms=delay.spread_ms if delay else None,
        calibration_id=delay.id if delay else None,
        tone_id=tone.id if tone else None,
        rig_id=tone.rig_id if tone else None,
        client_key=begin.key,
        along=None if begin.along is None else begin.along.model_dump(mode="json"),
        created_at=began,
        time_unknown=not has_age,
    )
    take = verbs.begin_take(session, player_id, new)
    return JSONResponse({"take": take.id, "state": take.state}, 201)


@router.post("/takes/{take_id}/chunk", name="take_chunk")
def take_chunk(
    take_id: Id,
    data: Chunk,
    session: DbSession,
    player_id: PlayerId,
    frame: Annotated[int, Query(ge=0, le=MAX_FRAMES)],
) -> Response:
    """Float32 samples from a frame of the take on."""
    verbs.store_chunk(session, player_id, take_id, frame, data)
    return Response(status_code=204)


@router.post("/takes/{take_id}/finish", name="finish_take")
def finish_take(
    report: Report, take_id: Id, session: DbSession, player_id: PlayerId
) -> JSONResponse:
    """Everything was sent: have it read. Where something has not come in, says what (409), and
    nothing is done yet.
    """
    noticed = RecorderReport(**report.model_dump(exclude={"spans"}))
    take, missing = verbs.finish_take(session, player_id, take_id, noticed, report.spans)
    if missing:
        words = "some of this take has not arrived yet: it is sent again"
        return JSONResponse({"problem": words, "missing": missing[:1000]}, 409)
    return JSONResponse({"take": take.id, "state": take.state})


@router.post("/takes/{take_id}/finish-cut", name="finish_cut_take")
def finish_cut_take(
    request: Request, take_id: Id, session: DbSession, player_id: PlayerId
) -> HTMLResponse:
    """Reads a take whose tab was closed, as far as it goes."""
    take, _ = verbs.finish_take(session, player_id, take_id, RecorderReport())
    return render(request, "takes/_status.html", status=status_view(take), polls=1)


@router.post("/takes/{take_id}/discard", name="discard_take")
def discard_take(take_id: Id, session: DbSession, player_id: PlayerId) -> Response:
    """Drops a take that was abandoned while it was recorded."""
    verbs.discard_take(session, player_id, take_id)
    return Response(status_code=204)


@router.get("/takes/{take_id}/outcome", name="take_outcome")
def take_outcome(
    request: Request, take_id: Id, session: DbSession, player_id: PlayerId, polls: PollCount = 0
) -> HTMLResponse:
    """What the play screen shows after a take: where it stands, then the verdict and the strip."""
    take = takes.get_take(session, player_id, take_id)
    status = status_view(take, polls)
    judged = find_judged_take(session, player_id, take_id) if status.read else None
    view, following = None, None
    if judged:
        view = reading_view(judged)
        following = next_view(
            session, player_id, take.riff_id, take_id, view.judgement, view.findings
        )
    return render(
        request,
        "play/_outcome.html",
        status=status,
        view=view,
        next=following,
        polls=polls + 1,
    )


@router.get("/takes/{take_id}/verdict", name="take_verdict")
def take_verdict(
    take_id: Id, session: DbSession, player_id: PlayerId, polls: PollCount = 0
) -> JSONResponse:
    """What is said of a round while the next one is played, and the tempo of the one after."""
    take = takes.get_take(session, player_id, take_id)
    status = status_view(take, polls)
    answer = {"state": status.state, "ask_again_ms": status.ask_again_ms, "words": status.words}
    if status.read:
        judged = judged_take(session, player_id, take_id)
        answer |= round_verdict(judged)
        written_bpm = float(judged.riff.tempo_bpm)
        step = step_of(session, player_id, take.riff_id, written_bpm)
        # a round that doesn't count leaves the loop at its tempo
        answer["step"] = step.tempo_bpm if judged.counts else judged.reading.tempo_bpm
    return JSONResponse(answer)


@router.post("/play/{riff_id}/upload", name="upload_take", dependencies=[costly(UPLOADS_A_MINUTE)])
def upload_take(
    request: Request,
    riff_id: Id,
    session: DbSession,
    player_id: PlayerId,
    take: UploadFile,
    tempo: Annotated[Line, Form(max_length=40)] = "",
    start: Annotated[Line, Form(max_length=40)] = "",
    tone: Annotated[Line, Form(max_length=40)] = "",
    key: Annotated[Line, Form(max_length=64)] = "",
) -> Response:
    """A take recorded elsewhere, with whatever is known of it. It is decoded by the worker; here
    only its first bytes are looked at. `key`: of the form it was sent from; the same file sent from
    it again is the same take.
    """
    revision = riffs.newest_revision(session, player_id, riff_id)
    tempo_bpm = _decimal(tempo, "the tempo")
    if tempo_bpm is not None:
        check_tempo(float(tempo_bpm))
    start_s = _decimal(start, "the start")
    tone_id = whole_number(tone, "the tone")
    played = None if tone_id is None else rigs.get_tone(session, player_id, tone_id)
    _check_file(take)
    new = NewTake(
        riff_id=riff_id,
        revision_id=revision.id,
        source="uploaded",
        tempo_bpm=tempo_bpm,
        rounds=None if start_s is None else 1,
        start_frame=None if start_s is None else round(start_s * 1000),
        rate_hz=None if start_s is None else 1000,
        file_name=file_name(take.filename),
        tone_id=played.id if played else None,
        rig_id=played.rig_id if played else None,
        client_key=upload_key(key, take.file) if key else None,
    )
    stored = verbs.submit_upload(session, player_id, new, take.file)
    return Response(
        status_code=204,
        headers={"HX-Redirect": str(request.app.url_path_for("take_page", take_id=stored.id))},
    )


def upload_key(form_key: str, file: BinaryIO) -> str:
    """What an upload is known by: the form it was sent from, and what is in the file."""
    digest = hashlib.sha256()
    file.seek(0)
    while part := file.read(1 << 20):
        digest.update(part)
    return f"{form_key}-{digest.hexdigest()[:32]}"


def _check_file(take: UploadFile) -> None:
    """Refuses at once what can be told from size and first bytes."""
    if not take.size:
        raise BadAudio("the file is empty: export or copy it again")
    if take.size > MAX_BYTES:
        raise BadAudio(
            f"the file has {take.size / 1e6:.0f} MB, {MAX_BYTES // 1_000_000} are allowed: cut it "
            "to the riff"
        )
    if not looks_like_audio(take.file.read(4096)):
        raise BadAudio(f"this is no audio file that can be read: send {KINDS}")


def _decimal(text: str, what: str) -> Decimal | None:
    """A number that may be left out."""
    if not text:
        return None
    try:
        value = Decimal(text.replace(",", "."))
    except ArithmeticError:
        raise BadAudio(f"{what} is a number, or left empty; found {text[:20]!r}") from None
    if not value.is_finite() or not 0 <= value <= 600:
        raise BadAudio(f"{what} must be between 0 and 600; found {text[:20]!r}")
    return value

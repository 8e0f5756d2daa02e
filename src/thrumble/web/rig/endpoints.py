"""Rig: instruments and tones, level, palm finder and fret hand. Sounds come as float32
samples and are heard at once.
"""

from typing import Annotated

from fastapi import APIRouter, Depends, Form, Query, Request, Response
from fastapi.responses import HTMLResponse, JSONResponse

from thrumble.actions import rigs as verbs
from thrumble.core.errors import BadAudio, BadInstrument, BadRig, NotFound
from thrumble.core.instrument import STANDARD_SCALE_MM, Instrument, check_instrument
from thrumble.core.music.pitch import read_tuning
from thrumble.core.riff.notation.text import parse_riff
from thrumble.core.rig.fret_hand import check_strings, exercise_text, measure_releases
from thrumble.core.rig.levels import measure_loudness, measure_silence
from thrumble.core.rig.palm import Place, measure_single, repeatability
from thrumble.store.rig import rigs
from thrumble.store.rig.rigs import NewRig, Rig, ToneProfile
from thrumble.trained import EAR
from thrumble.web.deps import SHOWS_PLAYER, DbSession, PlayerId, costly
from thrumble.web.inputs import BIGGEST_ID, Id, Line
from thrumble.web.rig import calibration
from thrumble.web.rig.views import (
    SOUNDS,
    ToneView,
    hit_document,
    level_document,
    releases_document,
    rig_view,
    strings_document,
    tone_view,
)
from thrumble.web.shared.sounds import HEARD_A_MINUTE, Rate, SentSound
from thrumble.web.templating import render

router = APIRouter()
router.include_router(calibration.router)


# --- instruments and tones ------------------------------------------------------------------------


def _rig_form(
    name: Annotated[Line, Form(max_length=60)],
    tuning: Annotated[Line, Form(max_length=120)],
    capo: Annotated[int, Form()] = 0,
    scale_mm: Annotated[float, Form()] = STANDARD_SCALE_MM,
    chain: Annotated[Line, Form(max_length=300)] = "",
    left_handed: Annotated[bool, Form()] = False,
) -> NewRig:
    if not name.strip():
        raise BadRig("a rig needs a name: your guitar's, for instance")
    if not 0 <= capo <= 12:
        raise BadRig(f"the capo is on fret 1 to 12, or 0 for none; found {capo}")
    try:
        strings = read_tuning(tuning.replace(",", " ").split())
    except ValueError as error:
        raise BadRig(
            f"the tuning names every string, the lowest first, such as E2 A2 D3 G3 B3 E4: {error}"
        ) from None
    if not 4 <= len(strings) <= 9:
        raise BadRig(f"a guitar here has four to nine strings; found {len(strings)}")
    try:
        check_instrument(Instrument(tuning=strings, capo=capo, scale_mm=scale_mm))
    except BadInstrument as error:
        raise BadRig(f"{error.part} {error.found}: {error.expected}") from None
    return NewRig(
        name=name.strip(),
        tuning=strings,
        capo=capo,
        scale_mm=scale_mm,
        left_handed=left_handed,
        chain=chain.strip(),
    )


RigForm = Annotated[NewRig, Depends(_rig_form)]


@router.get("/rig", name="rig_page")
def rig_page(request: Request, session: DbSession, player_id: PlayerId) -> Response:
    """The rig in use."""
    all_rigs = rigs.rigs_of(session, player_id)
    if not all_rigs:
        raise NotFound("there is no rig yet: stop Thrumble and start it again")
    return _rig_page(request, session, player_id, all_rigs[0])


@router.get("/rig/{rig_id:id}", name="one_rig_page")
def one_rig_page(
    request: Request, rig_id: Id, session: DbSession, player_id: PlayerId
) -> HTMLResponse:
    """One of several rigs."""
    return _rig_page(request, session, player_id, rigs.get_rig(session, player_id, rig_id))


def _rig_page(request: Request, session: DbSession, player_id: int, rig: Rig) -> HTMLResponse:
    tones = [
        (tone, rigs.examples_of(session, player_id, tone.id))
        for tone in rigs.tones_of(session, player_id, rig.id)
    ]
    delays = [
        c for c in rigs.calibrations_of(session, player_id) if c.browser == request.state.browser
    ]
    view = rig_view(
        rig,
        rigs.rigs_of(session, player_id),
        tones,
        delays,
        rigs.takes_on(session, player_id, rig.id),
    )
    return render(request, "rig/page.html", view=view)


def _to(request: Request, name: str, **parameters: int) -> Response:
    return Response(
        status_code=204, headers={"HX-Redirect": str(request.app.url_path_for(name, **parameters))}
    )


@router.post("/rig", name="add_rig")
def add_rig(request: Request, new: RigForm, session: DbSession, player_id: PlayerId) -> Response:
    """Another rig."""
    return _to(request, "one_rig_page", rig_id=rigs.add_rig(session, player_id, new).id)


@router.post("/rig/{rig_id:id}/use", name="use_rig")
def use_rig(rig_id: Id, session: DbSession, player_id: PlayerId) -> Response:
    """Takes this rig from now on: neck, shapes, recall and new takes go by it."""
    rigs.use_rig(session, player_id, rig_id)
    return Response(status_code=204, headers={"HX-Refresh": "true"})


@router.post("/rig/{rig_id:id}", name="change_rig")
def change_rig(
    request: Request, rig_id: Id, new: RigForm, session: DbSession, player_id: PlayerId
) -> Response:
    """Changes a rig; takes keep theirs."""
    rigs.change_rig(session, player_id, rig_id, new)
    return _to(request, "one_rig_page", rig_id=rig_id)


@router.post("/rig/{rig_id:id}/delete", name="delete_rig")
def delete_rig(request: Request, rig_id: Id, session: DbSession, player_id: PlayerId) -> Response:
    """Removes a rig, its tones and examples."""
    rigs.delete_rig(session, player_id, rig_id)
    rigs.ensure_rig(session, player_id)
    return _to(request, "rig_page")


@router.post("/rig/{rig_id:id}/tones", name="add_tone")
def add_tone(
    request: Request,
    rig_id: Id,
    session: DbSession,
    player_id: PlayerId,
    name: Annotated[Line, Form(max_length=60)],
    sound: Annotated[Line, Form(max_length=40)],
) -> Response:
    """A tone of a rig."""
    if not name.strip():
        raise BadRig("a tone needs a name that you will know again")
    if sound not in SOUNDS:
        raise BadRig(f"a tone is one of {', '.join(SOUNDS)}")
    return _to(
        request,
        "tone_page",
        tone_id=rigs.add_tone(session, player_id, rig_id, name.strip(), sound).id,
    )


@router.get("/rig/tones/{tone_id}", name="tone_page")
def tone_page(
    request: Request, tone_id: Id, session: DbSession, player_id: PlayerId
) -> HTMLResponse:
    """The bench of one tone: level check and palm finder."""
    tone = rigs.get_tone(session, player_id, tone_id)
    return render(request, "rig/tone.html", view=_tone_view(session, player_id, tone))


@router.post("/rig/tones/{tone_id}/delete", name="delete_tone")
def delete_tone(request: Request, tone_id: Id, session: DbSession, player_id: PlayerId) -> Response:
    """Removes a tone and its examples."""
    tone = rigs.get_tone(session, player_id, tone_id)
    rigs.delete_tone(session, player_id, tone_id)
    return _to(request, "one_rig_page", rig_id=tone.rig_id)


# --- level ----------------------------------------------------------------------------------------


@router.post(
    "/rig/tones/{tone_id}/level", name="check_level", dependencies=[costly(HEARD_A_MINUTE)]
)
def check_level(
    request: Request,
    tone_id: Id,
    session: DbSession,
    player_id: PlayerId,
    samples: SentSound,
    rate: Rate,
    part: Annotated[str, Query(pattern="^(silence|playing)$")],
) -> HTMLResponse:
    """Silence first, then playing: what was found, kept with the tone."""
    tone = rigs.get_tone(session, player_id, tone_id)
    if part == "silence":
        level = level_document(measure_silence(samples, rate), None, tone.level)
    else:
        level = level_document(
            None, measure_loudness(samples, rate, (tone.level or {}).get("floor_db")), tone.level
        )
    return render(
        request,
        "rig/_level.html",
        view=_tone_view(session, player_id, rigs.set_level(session, player_id, tone_id, level)),
    )


def _tone_view(session: DbSession, player_id: int, tone: ToneProfile) -> ToneView:
    return tone_view(
        tone,
        rigs.get_rig(session, player_id, tone.rig_id),
        rigs.examples_of(session, player_id, tone.id),
    )


# --- palm finder ----------------------------------------------------------------------------------


@router.post("/rig/hit", name="hear_hit", dependencies=[costly(HEARD_A_MINUTE)])
def hear_hit(
    session: DbSession,
    player_id: PlayerId,
    samples: SentSound,
    rate: Rate,
    before: Annotated[str, Query(max_length=200)] = "",
    tone: Annotated[int | None, Query(ge=1, le=BIGGEST_ID)] = None,
) -> JSONResponse:
    """One hit, judged at once, by the examples of its tone. `before`: depth and place of the hits
    before it, such as 0.62p,0.58p.
    """
    stored = [] if tone is None else rigs.example_sounds(session, player_id, tone)
    hit = measure_single(samples, rate, verbs.profile_from(stored), ear=EAR)
    letters = {place.value[0]: place for place in Place}
    try:
        answers = [
            (float(answer[:-1]), letters[answer[-1]]) for answer in before.split(",") if answer
        ]
    except (ValueError, KeyError):
        raise BadAudio("the hits before are a depth and a place each, such as 0.62p") from None
    depths, places = [d for d, _ in answers] + [hit.depth], [p for _, p in answers] + [hit.place]
    return JSONResponse(hit_document(hit, repeatability(depths, places)))


@router.post(
    "/rig/tones/{tone_id}/examples", name="keep_example", dependencies=[costly(HEARD_A_MINUTE)]
)
def keep_example(
    request: Request,
    tone_id: Id,
    session: DbSession,
    player_id: PlayerId,
    samples: SentSound,
    rate: Rate,
    kind: Annotated[str, Query(max_length=20)],
) -> HTMLResponse:
    """Keeps a hit as an example of the tone."""
    verbs.keep_example(session, player_id, tone_id, kind=kind, samples=samples, rate_hz=rate)
    return render(
        request,
        "rig/_examples.html",
        view=_tone_view(session, player_id, rigs.get_tone(session, player_id, tone_id)),
    )


@router.post("/rig/examples/{example_id}/delete", name="delete_example")
def delete_example(
    request: Request, example_id: Id, session: DbSession, player_id: PlayerId
) -> HTMLResponse:
    """Takes an example back."""
    tone = rigs.get_tone(session, player_id, rigs.delete_example(session, player_id, example_id))
    return render(request, "rig/_examples.html", view=_tone_view(session, player_id, tone))


# --- fret hand ------------------------------------------------------------------------------------


@router.get("/rig/fret-hand", name="fret_hand_page", dependencies=[SHOWS_PLAYER])
def fret_hand_page(request: Request) -> HTMLResponse:
    """Grab and release, and the strings of a held chord."""
    return render(request, "rig/fret_hand.html")


@router.post("/rig/fret-hand/releases", name="hear_releases", dependencies=[costly(HEARD_A_MINUTE)])
def hear_releases(
    samples: SentSound,
    rate: Rate,
    start: Annotated[float, Query(ge=0, le=60)],
    tempo: Annotated[float, Query(ge=40, le=160)],
) -> JSONResponse:
    """The exercise, heard at once. `start`: seconds from the sound's beginning to the first grab's
    click.
    """
    return JSONResponse(
        releases_document(measure_releases(samples, rate, tempo_bpm=tempo, start_s=start, ear=EAR))
    )


@router.post("/rig/fret-hand/chord", name="hear_chord", dependencies=[costly(HEARD_A_MINUTE)])
def hear_chord(samples: SentSound, rate: Rate) -> JSONResponse:
    """One held chord of the exercise, string by string."""
    riff = parse_riff(exercise_text(80))
    notes = {
        note.string: float(midi)
        for note in riff.sections[0].bars[0].hits[0].notes
        if (midi := riff.instrument.midi(note)) is not None
    }
    return JSONResponse(strings_document(check_strings(samples, rate, notes)))

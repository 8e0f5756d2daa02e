"""Riffs that nobody types: made from a pattern and a form, or moved to another key or tuning."""

from dataclasses import dataclass, replace
from decimal import Decimal, InvalidOperation
from typing import Annotated, Literal

from fastapi import APIRouter, Depends, Form, Request, Response
from fastapi.responses import HTMLResponse

from thrumble.actions.rehearsal import BEATS, rehearse
from thrumble.core.errors import BadInput, RiffError
from thrumble.core.instrument import Instrument
from thrumble.core.music.meter import read_meter
from thrumble.core.music.pitch import read_tuning
from thrumble.core.player.sound import Tone
from thrumble.core.riff.editing.parts import Part, take_part, transition
from thrumble.core.riff.editing.transposing import Keep, Moved, retune, transpose
from thrumble.core.riff.notation.text import parse_riff
from thrumble.core.riff.patterns import (
    FORMS,
    METERS,
    PATTERNS,
    RATIO_RANGE,
    Choices,
    Pattern,
    make_riff,
    read_degrees,
)
from thrumble.formats.riff_json import MAX_BYTES
from thrumble.store.practice import hands
from thrumble.store.rig import rigs
from thrumble.web.deps import DbSession, PlayerId, costly
from thrumble.web.inputs import Line, Text
from thrumble.web.riffs.views import made_view, moved_view, pattern_view, preview_error
from thrumble.web.templating import render

router = APIRouter()
MADE_A_MINUTE, LISTENS_A_MINUTE = 600, 60
OWN_FORM = "own"
MAX_BEATS = 7


@dataclass(frozen=True, slots=True, kw_only=True)
class Made:
    """What a riff is made from: pattern, degrees, key, tempo and choices."""

    pattern: Pattern
    degrees: tuple[str, ...]
    key: str
    tempo_bpm: int
    choices: Choices


def _options(
    pattern: Annotated[Line, Form(max_length=40)] = "shuffle",
    form: Annotated[Line, Form(max_length=40)] = "12",
    degrees: Annotated[Line, Form(max_length=600)] = "",
    key: Annotated[Line, Form(max_length=3)] = "E",
    tempo: Annotated[int, Form(ge=20, le=400)] = 120,
    mutes: Annotated[int, Form()] = 3,
    beats: Annotated[list[int] | None, Form(max_length=7)] = None,
    meter: Annotated[Line, Form(max_length=5)] = "4/4",
    ratio: Annotated[Line, Form(max_length=5)] = "",
    root: Annotated[Line, Form(max_length=2)] = "",
) -> Made:
    if pattern not in PATTERNS:
        raise BadInput("unknown pattern: choose one from the list")
    if form != OWN_FORM and form not in FORMS:
        raise BadInput("unknown form: choose one from the list")
    if meter not in map(str, METERS):
        raise BadInput(f"choose a meter from the list: {', '.join(map(str, METERS))}")
    chosen = read_meter(meter)
    if any(not 1 <= beat <= MAX_BEATS for beat in beats or ()):
        raise BadInput(f"the beats of a bar are 1 to {MAX_BEATS}")
    if root and not (root.isascii() and root.isdigit()):
        raise BadInput("choose the string of the root from the list")
    return Made(
        pattern=PATTERNS[pattern],
        degrees=read_degrees(degrees) if form == OWN_FORM else FORMS[form].degrees,
        key=key,
        tempo_bpm=tempo,
        choices=Choices(
            mutes=mutes,
            beats=tuple(beats or ()),
            meter=chosen,
            ratio=_ratio(ratio),
            root_string=int(root) if root else None,
        ),
    )


def _ratio(text: str) -> Decimal | None:
    """Long to short, None if it's left to the pattern. Raises BadInput."""
    if not text:
        return None
    low, high = RATIO_RANGE
    try:
        ratio = Decimal(text.replace(",", "."))
    except InvalidOperation:
        ratio = Decimal("NaN")
    if not ratio.is_finite() or not low <= ratio <= high:
        raise BadInput(f"long to short is a number from {low} (straight) to {high}")
    return ratio


MadeOptions = Annotated[Made, Depends(_options)]


@router.get("/riffs/pattern", name="pattern_page")
def pattern_page(request: Request, session: DbSession, player_id: PlayerId) -> HTMLResponse:
    """Patterns and forms to choose from."""
    neck = rigs.own_instrument(session, player_id)
    return render(request, "riffs/pattern.html", view=pattern_view(neck))


@router.post("/riffs/pattern", name="make_from_pattern", dependencies=[costly(MADE_A_MINUTE)])
def make_from_pattern(
    request: Request, session: DbSession, player_id: PlayerId, query: MadeOptions
) -> HTMLResponse:
    """What the choice gives: its strip, and its text to be saved. Laid out for the rig in use and
    the player's hand.
    """
    rig = rigs.own_instrument(session, player_id)
    hand = hands.hands_of(session, player_id).hand
    riff = make_riff(
        query.pattern,
        query.degrees,
        key=query.key,
        tempo_bpm=query.tempo_bpm,
        instrument=Instrument(tuning=rig.tuning, scale_mm=rig.scale_mm),
        choices=replace(query.choices, reach_mm=hand.reach_mm),
    )
    return render(request, "riffs/_made.html", made=made_view(riff))


@router.post("/riffs/move", name="move_riff", dependencies=[costly(MADE_A_MINUTE)])
def move_riff(
    request: Request,
    source: Annotated[Text, Form(max_length=MAX_BYTES)] = "",
    riff: Annotated[int, Form(ge=0)] = 0,
    semitones: Annotated[int, Form()] = 0,
    tuning: Annotated[Line, Form(max_length=120)] = "",
    keep: Annotated[Keep, Form()] = Keep.SOUND,
) -> HTMLResponse:
    """The riff as its text stands, in another key or on another tuning, with what is lost; nothing
    is saved yet.
    """
    try:
        written = parse_riff(source)
    except RiffError as error:
        return render(request, "riffs/_preview.html", preview=preview_error(source, error))
    moved = Moved(written, ())
    if semitones:
        moved = transpose(written, semitones)
    if tuning:
        moved = _on_tuning(moved, tuning, keep)
    return render(request, "riffs/_moved.html", moved=moved_view(moved, source, riff or None))


@router.post("/riffs/piece", name="piece_of_riff", dependencies=[costly(MADE_A_MINUTE)])
def piece_of_riff(
    request: Request,
    what: Annotated[Part | Literal["way"], Form()],
    source: Annotated[Text, Form(max_length=MAX_BYTES)] = "",
    first: Annotated[Line, Form(max_length=80)] = "",
    second: Annotated[Line, Form(max_length=80)] = "",
    bars: Annotated[int, Form(ge=1, le=8)] = 1,
) -> HTMLResponse:
    """One part of the riff as its text stands, or the way from one section into another, to be kept
    as a riff of its own.
    """
    try:
        written = parse_riff(source)
    except RiffError as error:
        return render(request, "riffs/_preview.html", preview=preview_error(source, error))
    if what == "way":
        moved = Moved(transition(written, first, second, bars), ())
    else:
        moved = take_part(written, Part(what))
    return render(request, "riffs/_moved.html", moved=moved_view(moved, source, None))


@router.post("/riffs/listen", name="listen_to_riff", dependencies=[costly(LISTENS_A_MINUTE)])
def listen_to_riff(
    source: Annotated[Text, Form(max_length=MAX_BYTES)] = "",
    tone: Annotated[Tone, Form()] = Tone.CRUNCH,
    tempo: Annotated[float | None, Form()] = None,
    beat: Annotated[Line, Form(max_length=20)] = "none",
    first: Annotated[int, Form(ge=0)] = 0,
    last: Annotated[int, Form(ge=0)] = 0,
) -> Response:
    """The riff as its text stands, or bars `first` to `last` of it, played by the simulated
    guitarist: WAV, and in headers where a round begins and ends.
    """
    if beat not in BEATS:
        raise BadInput("unknown groove: choose one from the list")
    bars = (first, last or first) if first else None
    rehearsal = rehearse(parse_riff(source), tone=tone, tempo_bpm=tempo, beat=beat, bars=bars)
    headers = {
        "X-Round-Begins": f"{rehearsal.begin_s:.6f}",
        "X-Round-Ends": f"{rehearsal.end_s:.6f}",
    }
    return Response(rehearsal.wav, media_type="audio/wav", headers=headers)


def _on_tuning(moved: Moved, tuning: str, keep: Keep) -> Moved:
    try:
        strings = read_tuning(tuning.replace(",", " ").split())
    except ValueError as error:
        raise BadInput(f"the tuning: {error}") from None
    again = retune(moved.riff, Instrument(tuning=strings, capo=moved.riff.capo), keep)
    return Moved(again.riff, moved.lost + again.lost)

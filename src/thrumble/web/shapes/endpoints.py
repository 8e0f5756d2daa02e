"""Shapes: the catalogue, chords by name and places back to names, reach ladders."""

import re
from dataclasses import dataclass
from typing import Annotated

from fastapi import APIRouter, Depends, Form, Query, Request, Response
from fastapi.responses import HTMLResponse

from thrumble.actions.rehearsal import rehearse
from thrumble.core.chords.names import read_chord_name
from thrumble.core.errors import BadInput
from thrumble.core.instrument import Instrument, Note
from thrumble.core.neck.catalogue import SHAPES
from thrumble.core.neck.hand import Hand
from thrumble.core.neck.ladder import ladder_riff, reach_ladder
from thrumble.core.neck.places import uses_flats
from thrumble.core.player.sound import Tone
from thrumble.core.riff.notation.printing import print_riff
from thrumble.core.riff.notation.text import parse_riff
from thrumble.store.practice import hands
from thrumble.store.riffs import riffs, tags
from thrumble.store.rig import rigs
from thrumble.web.deps import DbSession, PlayerId, costly
from thrumble.web.inputs import Line
from thrumble.web.shapes.views import (
    At,
    ShapeMatch,
    chosen_notes,
    found_chord,
    found_note,
    shapes_view,
)
from thrumble.web.templating import render

router = APIRouter()
LISTENS_A_MINUTE = 60
_PLACE = re.compile(r"(\d{1,2})\s*[/:]\s*(\d{1,2})")
_ROOT = re.compile(r"[A-G][#b]?")


@dataclass(frozen=True, slots=True)
class ShapeQuery:
    """Which shape, and where."""

    shape: Annotated[Line, Query(max_length=30)] = "two"
    root: Annotated[int | None, Query(ge=1, le=12)] = None
    fret: Annotated[int | None, Query(ge=0, le=22)] = None


PositionQuery = Annotated[ShapeQuery, Depends()]


def _at(query: ShapeQuery) -> At:
    if query.shape not in SHAPES:
        raise BadInput("that shape isn't in the catalogue: choose one from it")
    return At(SHAPES[query.shape], query.root, query.fret)


@router.get("/shapes", name="shapes_page")
def shapes_page(
    request: Request,
    query: PositionQuery,
    session: DbSession,
    player_id: PlayerId,
    name: Annotated[Line, Query(max_length=30)] = "",
    key: Annotated[Line, Query(max_length=3)] = "C",
) -> HTMLResponse:
    """The catalogue, one shape whole, and every place of a chord that is asked for."""
    neck, hand = rigs.own_instrument(session, player_id), hands.hands_of(session, player_id).hand
    flats = uses_flats(key)
    shape_match, unknown = None, ""
    try:
        shape_match = _shape_match(name, neck, hand, flats=flats) if name else None
    except BadInput as error:
        unknown = f"{error}."
    view = shapes_view(
        _at(query), neck, hand, match=shape_match, unknown=unknown, text=name, flats=flats, key=key
    )
    return render(request, "shapes/page.html", view=view, status_code=422 if unknown else 200)


def _shape_match(name: str, neck: Instrument, hand: Hand, *, flats: bool) -> ShapeMatch:
    """The shape meant by a chord name, or by a place such as 6/3. Raises BadInput."""
    place = _PLACE.fullmatch(name)
    if place is not None:
        string, fret = int(place[1]), int(place[2])
        if string not in neck.strings or fret > 22:
            raise BadInput(
                f"There is no place {name}: strings are 1 to {len(neck.tuning)}, frets 0 to 22"
            )
        return found_note(string, fret, neck, flats=flats)
    typed = name[:1].upper() + name[1:]
    if _ROOT.fullmatch(typed):
        typed += "5"  # a bare letter asks for its power chord
    chord = read_chord_name(typed)
    if chord is None:
        raise BadInput(
            f"We don't know a chord called {name!r}. Type one such as F#5, E5+8, A5w, Dsus4 or "
            "Bmin, or a place such as 6/3"
        )
    return found_chord(typed, chord, neck, hand, flats=flats)


@router.get("/shapes/listen", name="listen_to_shape", dependencies=[costly(LISTENS_A_MINUTE)])
def listen_to_shape(query: PositionQuery, session: DbSession, player_id: PlayerId) -> Response:
    """The shape struck twice, muted and open, by the simulated guitarist: WAV."""
    neck = rigs.own_instrument(session, player_id)
    notes = _notes(query, neck)
    spots = ",".join(f"{note.string}:{note.fret}" for note in notes)
    tuning = " ".join(neck.tuning)
    text = (
        f"title: Shape\ntempo: 100\ntuning: {tuning}\ncapo: {neck.capo}\n[A]\n"
        f"| {spots} M M o ~ ~ ~ - - |\n"
    )
    riff = parse_riff(text)
    rehearsal = rehearse(riff, tone=Tone.CRUNCH, tempo_bpm=None, beat="none", bars=None)
    return Response(rehearsal.wav, media_type="audio/wav")


def _notes(query: ShapeQuery, neck: Instrument) -> tuple[Note, ...]:
    spot = chosen_notes(_at(query), neck)
    if spot is None:
        raise BadInput("your tuning has no place for this shape: choose another one")
    return spot[2]


@router.post("/shapes/ladder", name="make_ladder")
def make_ladder(
    request: Request,
    session: DbSession,
    player_id: PlayerId,
    shape: Annotated[Line, Form(max_length=30)],
    root: Annotated[int, Form(ge=1, le=12)],
    fret: Annotated[int, Form(ge=0, le=22)],
) -> Response:
    """A riff that brings the shape down the neck a fret at a time."""
    neck, hand = rigs.own_instrument(session, player_id), hands.hands_of(session, player_id).hand
    at = _at(ShapeQuery(shape, root, fret))
    rungs = reach_ladder(neck, _notes(ShapeQuery(shape, root, fret), neck), hand)
    if not rungs:
        raise BadInput("this shape needs no ladder: it has an open string, or no stretch")
    riff = ladder_riff(at.shape.name, rungs, neck)
    made = riffs.add_riff(session, player_id, riff, print_riff(riff))
    tags.set_tags(session, player_id, made.riff_id, ("ladder",))
    address = str(request.app.url_path_for("riff_page", riff_id=made.riff_id))
    return Response(status_code=204, headers={"HX-Redirect": address})

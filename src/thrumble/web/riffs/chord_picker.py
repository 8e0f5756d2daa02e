"""Choosing a chord at the desk: its shapes on the neck, the nearest ones first, or without a name
every power chord by its root.
"""

from dataclasses import dataclass
from typing import Annotated

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse
from pydantic import Field

from thrumble.core.chords.names import ChordName, read_chord_name
from thrumble.core.chords.shapes import place_chord
from thrumble.core.instrument import Instrument, Note
from thrumble.core.neck.catalogue import easiest
from thrumble.core.neck.hand import Hand
from thrumble.core.neck.places import name_at, roots_of
from thrumble.core.riff.editing import edits
from thrumble.core.riff.model import Riff
from thrumble.core.riff.notation.text import parse_riff
from thrumble.formats.riff_json import MAX_BYTES
from thrumble.store.practice import hands
from thrumble.store.rig import rigs
from thrumble.web.deps import DbSession, PlayerId, costly
from thrumble.web.drawings.shapes import ShapeDrawing, shape_drawing
from thrumble.web.inputs import Sent, Text
from thrumble.web.templating import render

router = APIRouter()
PICKS_A_MINUTE = 600
MAX_SHAPES = 6
LAST_FRET = 12
ROOT_STRINGS = 3  # the lowest ones, where power chords have their roots
THUMB = 5


class PickSent(Sent):
    """The form of the chord picker: the chord typed so far, and the caret's place."""

    source: Annotated[Text, Field(max_length=MAX_BYTES)]
    chord: Annotated[str, Field(max_length=60)] = ""
    bar: Annotated[int, Field(ge=0, le=100_000)] = 0


@dataclass(frozen=True, slots=True)
class ShapeChoice:
    """A shape to pick. `text`: what the riff's text says for it; `fingers`: from the lowest
    string up.
    """

    text: str
    where: str
    fingers: str
    drawing: ShapeDrawing


@dataclass(frozen=True, slots=True)
class RootChoice:
    """A root on the neck."""

    name: str
    text: str


@dataclass(frozen=True, slots=True, kw_only=True)
class PickView:
    """`shapes` of the chord that was typed, or `strings`, each with the roots along it. `problem`:
    why there is neither.
    """

    shapes: list[ShapeChoice]
    strings: list[tuple[int, list[RootChoice]]]
    problem: str = ""


@router.post("/riffs/chords", name="pick_chord", dependencies=[costly(PICKS_A_MINUTE)])
def pick_chord(
    request: Request, sent: PickSent, session: DbSession, player_id: PlayerId
) -> HTMLResponse:
    """The shapes of a chord in the riff's tuning, nearest to the hand first."""
    riff = parse_riff(sent.source)
    hand = hands.hands_of(session, player_id).hand
    rig = rigs.own_instrument(session, player_id)
    neck = riff.instrument
    view = pick_view(sent.chord, neck, hand, hand_fret(riff, sent.bar), flip=rig.left_handed)
    return render(request, "riffs/_picker.html", view=view)


def hand_fret(riff: Riff, bar: int) -> int:
    """The fret where the hand is at a written bar: the lowest pressed one of the last chord up to
    there; 0 without any.
    """
    frets = [
        min(pressed)
        for _, written in edits.written_bars(riff)[: bar + 1]
        for hit in written.hits
        if (pressed := [n.fret for n in hit.notes if n.fret])
    ]
    return frets[-1] if frets else 0


def pick_view(text: str, neck: Instrument, hand: Hand, fret: int, *, flip: bool) -> PickView:
    """What there is to pick for a text such as `F#5`; a place after `@` is left aside."""
    name = text.partition("@")[0].strip()
    if not name:
        return PickView(shapes=[], strings=_roots(neck))
    chord = read_chord_name(name)
    if chord is None:
        problem = f"{name} isn't a chord name: try F#5 or A5+8"
        return PickView(shapes=[], strings=[], problem=problem)
    shapes = _shapes(name, chord, neck, hand, flip=flip)
    if not shapes:
        return PickView(shapes=[], strings=[], problem=f"your tuning has no shape for {name}")
    lowest = len(neck.tuning) - ROOT_STRINGS + 1  # of the strings that riffs are played on
    nearest = sorted(shapes, key=lambda shape: (shape[0].string < lowest, abs(shape[1] - fret)))
    return PickView(shapes=[choice for *_, choice in nearest[:MAX_SHAPES]], strings=[])


def _shapes(
    name: str, chord: ChordName, neck: Instrument, hand: Hand, *, flip: bool
) -> list[tuple[Note, int, ShapeChoice]]:
    """Every shape within reach, each with its root and that one's fret."""
    out = []
    for root in roots_of(chord.root, neck, LAST_FRET + 2):
        try:
            notes = place_chord(neck, chord, string=root.string, fret=root.fret, as_standard=False)
        except ValueError:
            continue
        grip = easiest(neck, notes, hand)
        if grip is None:
            continue
        fingers = {
            note.string: "T" if note.finger == THUMB else str(note.finger)
            for note in grip.notes
            if note.finger
        }
        where = f"{root.string}/{root.fret}"
        words = " ".join(fingers.values()) or "open"
        drawing = shape_drawing(notes, "", neck, left_handed=flip, fingers=fingers)
        out.append((root, root.fret or 0, ShapeChoice(f"{name}@{where}", where, words, drawing)))
    return out


def _roots(neck: Instrument) -> list[tuple[int, list[RootChoice]]]:
    strings = sorted(neck.strings, reverse=True)[:ROOT_STRINGS]
    return [
        (
            string,
            [
                RootChoice(name, f"{name}5@{string}/{fret}")
                for fret in range(LAST_FRET + 1)
                if (name := name_at(neck, string, fret, flats=False))
            ],
        )
        for string in strings
    ]

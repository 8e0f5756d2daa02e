"""The shapes and the places of chords, in words and drawings."""

from bisect import bisect_left
from dataclasses import dataclass

from thrumble.core.chords.names import ChordName, name_notes
from thrumble.core.instrument import Instrument, Note
from thrumble.core.neck.catalogue import (
    CATALOGUE,
    AtFret,
    Shape,
    along_the_neck,
    place_shape,
    root_strings,
)
from thrumble.core.neck.grips import grips
from thrumble.core.neck.hand import REACH_RANGE_MM, SCHOOLS, Hand, School
from thrumble.core.neck.ladder import reach_ladder
from thrumble.core.neck.muting_map import Fingered, muting_map
from thrumble.core.neck.places import find_places, name_at, roots_of
from thrumble.web.drawings.shapes import ShapeDrawing, shape_drawing
from thrumble.web.shared.muting_lines import StringLine, string_lines
from thrumble.web.shared.neck_words import avoid_words, comfort_words

USUAL_FRET = 5
MAX_PLACES = 16
MIN_LADDER_SPARE = 0.25  # of the reach: with more to spare nobody needs a ladder


@dataclass(frozen=True, slots=True)
class ShapeCard:
    """A shape in the catalogue."""

    name: str
    href: str
    here: bool
    drawing: ShapeDrawing | None


@dataclass(frozen=True, slots=True)
class FretLine:
    """The chosen shape at one fret."""

    fret: int
    name: str
    span: str
    fingers: str
    feel: str
    here: bool
    href: str


@dataclass(frozen=True, slots=True)
class SchoolLine:
    """How a school takes the chosen shape, and what it says for itself."""

    called: str
    fingers: str
    spare: str
    feel: str
    why: str
    own: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class ChosenShape:
    """The shape that is shown, at a root. `figure`: how wide it is there."""

    key: str
    root: int
    fret: int
    title: str
    sound: str
    needs: str
    figure: str
    under: str
    drawing: ShapeDrawing
    strings: list[StringLine]
    avoid: str
    frets: list[FretLine]
    schools: list[SchoolLine]
    roots: list[tuple[int, str, bool]]
    ladder: str
    listen: str


@dataclass(frozen=True, slots=True)
class PlaceLine:
    """A place of a chord that was asked for by name."""

    drawing: ShapeDrawing
    words: str
    reachable: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class ShapeMatch:
    """What a name, or a place, turned out to be."""

    title: str
    sentence: str
    roots: str
    places: list[PlaceLine]
    more: int


@dataclass(frozen=True, slots=True, kw_only=True)
class ShapesView:
    """The page."""

    meta: str
    cards: list[ShapeCard]
    chosen: ChosenShape | None
    missing: str
    found: ShapeMatch | None
    unknown: str  # why nothing was found; "" if it was, or nothing was asked for
    asked: str
    keys: list[tuple[str, bool]]


@dataclass(frozen=True, slots=True)
class At:
    """A shape at a root: its key, and the root's string and fret; None for the usual place."""

    shape: Shape
    root: int | None
    fret: int | None


def chosen_notes(at: At, instrument: Instrument) -> tuple[int, int, tuple[Note, ...]] | None:
    """Root string, fret and notes of a shape: as asked if it can lie there, else the nearest
    fret at which it can; None if this tuning has no place for it.
    """
    strings = root_strings(at.shape, instrument)
    if not strings:
        return None
    string = at.root if at.root in strings else strings[0]
    wanted = USUAL_FRET if at.fret is None else at.fret
    spots = [
        (abs(fret - wanted), fret, notes)
        for fret in range(23)
        if (notes := place_shape(at.shape, instrument, string, fret))
    ]
    _, fret, notes = min(spots)
    return string, fret, notes


def shapes_view(
    at: At,
    neck: Instrument,
    hand: Hand,
    *,
    match: ShapeMatch | None,
    unknown: str,
    text: str,
    flats: bool,
    key: str,
) -> ShapesView:
    """The catalogue, one shape of it whole, and what was looked for."""
    spot = chosen_notes(at, neck)
    chosen = None if spot is None else _chosen(at.shape, *spot, neck, hand, flats=flats)
    missing = "" if spot else f"Your tuning has no place for this shape. {at.shape.needs}".strip()
    tuning = " ".join(neck.tuning) + (f", capo {neck.capo}" if neck.capo else "")
    return ShapesView(
        meta=f"{neck.scale_mm:g} mm scale · {tuning} · your reach {hand.reach_mm:.0f} mm",
        cards=[_card(shape, neck, here=shape == at.shape) for shape in CATALOGUE],
        chosen=chosen,
        missing=missing,
        found=match,
        unknown=unknown,
        asked=text,
        keys=[(name, name == key) for name in KEYS],
    )


KEYS = ("C", "G", "D", "A", "E", "B", "F#", "F", "Bb", "Eb", "Ab", "Db")


def _card(shape: Shape, neck: Instrument, *, here: bool) -> ShapeCard:
    spot = chosen_notes(At(shape, None, None), neck)
    drawing = None
    if spot is not None:
        drawing = shape_drawing(spot[2], "", neck, left_handed=neck.left_handed)
    return ShapeCard(shape.name, f"?shape={shape.key}#shape", here, drawing)


def _chosen(
    shape: Shape,
    root: int,
    fret: int,
    notes: tuple[Note, ...],
    neck: Instrument,
    hand: Hand,
    *,
    flats: bool,
) -> ChosenShape:
    lines = along_the_neck(shape, neck, root, hand)
    at_fret = next((line for line in lines if line.fret == fret), AtFret(fret, 0.0, None))
    fingers = {}
    if at_fret.grip is not None:
        fingers = {note.string: _finger(note.finger) for note in at_fret.grip.notes if note.finger}
    drawing = shape_drawing(notes, "", neck, left_handed=neck.left_handed, fingers=fingers)
    held = tuple(Fingered(note.string, note.fret or 0, 0) for note in notes)
    silence = None
    if at_fret.grip is not None:
        held = at_fret.grip.notes
        silence = muting_map(held, len(neck.tuning), hand.damping)
    address = f"?shape={shape.key}&root={root}"
    rungs = reach_ladder(neck, notes, hand)
    tight = at_fret.grip is None or at_fret.grip.comfort(hand.reach_mm) < MIN_LADDER_SPARE
    return ChosenShape(
        key=shape.key,
        root=root,
        fret=fret,
        title=f"{_called(neck, notes, root, fret, flats=flats)}: {shape.name}",
        sound=shape.sound,
        needs=shape.needs,
        figure=f"{at_fret.span_mm:.0f}",
        under=f"mm wide at fret {fret}" if at_fret.span_mm else "mm: no stretch at all",
        drawing=drawing,
        strings=string_lines(neck, held, neck.open_midi(root) + fret, silence),
        avoid=avoid_words(silence.avoid, hand.damping)
        if silence
        else f"Out of reach at fret {fret}: it takes {needed_mm(neck, notes)} mm from finger 1 to "
        "4. Take it higher up, or come down a ladder.",
        frets=[_fret_line(line, address, neck, root, hand, fret, flats=flats) for line in lines],
        schools=_schools(neck, notes, hand),
        roots=[
            (
                root_string,
                f"{address[: address.index('&')]}&root={root_string}#shape",
                root_string == root,
            )
            for root_string in root_strings(shape, neck)
        ],
        ladder=f"from fret {rungs[0].fret} down to fret {rungs[-1].fret}"
        if rungs and tight
        else "",
        listen=f"shape={shape.key}&root={root}&fret={fret}",
    )


def _finger(finger: int) -> str:
    return "T" if finger == 5 else str(finger)


def _called(neck: Instrument, notes: tuple[Note, ...], root: int, fret: int, *, flats: bool) -> str:
    midis = tuple(midi for note in notes if (midi := neck.midi(note)) is not None)
    name, bare = name_notes(midis), name_at(neck, root, fret, flats=flats)
    if name is None:
        return bare
    return bare + name.lstrip("ABCDEFG").lstrip("#")


def _fret_line(
    line: AtFret, address: str, neck: Instrument, root: int, hand: Hand, fret: int, *, flats: bool
) -> FretLine:
    grip = line.grip
    return FretLine(
        fret=line.fret,
        name=name_at(neck, root, line.fret, flats=flats),
        span=f"{line.span_mm:.0f}",
        fingers="" if grip is None else " ".join(map(_finger, grip.fingers)),
        feel="out of reach"
        if grip is None
        else comfort_words(grip.comfort(hand.reach_mm), len(grip.fingers)),
        here=line.fret == fret,
        href=f"{address}&fret={line.fret}#shape",
    )


def _schools(neck: Instrument, notes: tuple[Note, ...], hand: Hand) -> list[SchoolLine]:
    """Every school that has fingers for the shape."""
    out = []
    pressed = {note.fret for note in notes if note.fret}
    if len(pressed) < 2:
        return []
    for school, facts in SCHOOLS.items():
        fingerings = grips(neck, notes, hand.reach_mm, school)
        best = max(fingerings, key=lambda grip: (-grip.unguarded, grip.spare_mm), default=None)
        out.append(
            SchoolLine(
                called=facts.called,
                fingers="" if best is None else " ".join(map(_finger, best.fingers)),
                spare="" if best is None else f"{best.spare_mm:.0f} mm to spare",
                feel=_out_of_reach(neck, notes, school)
                if best is None
                else comfort_words(best.comfort(hand.reach_mm), len(best.fingers)),
                why=f"{facts.why} {facts.cost}",
                own=school is hand.school,
            )
        )
    return out


def needed_mm(neck: Instrument, notes: tuple[Note, ...], school: School | None = None) -> int:
    """The least reach that can take notes with a school's fingers, whole millimetres."""
    low, high = (int(end) for end in REACH_RANGE_MM)
    return bisect_left(
        range(high), True, low, key=lambda reach: bool(grips(neck, notes, reach, school))
    )


def _out_of_reach(neck: Instrument, notes: tuple[Note, ...], school: School) -> str:
    if not grips(neck, notes, REACH_RANGE_MM[1], school):
        return "has no fingers for it"
    return f"out of reach: takes {needed_mm(neck, notes, school)} mm"


def found_chord(
    name: str, chord: ChordName, neck: Instrument, hand: Hand, *, flats: bool
) -> ShapeMatch:
    """Every place of a chord, drawn."""
    places = find_places(chord, neck, hand)
    within = sum(place.grip is not None for place in places)
    spots = ", ".join(f"{n.string}/{n.fret}" for n in roots_of(chord.root, neck))
    lines = []
    for place in places[:MAX_PLACES]:
        grip = place.grip
        fingers = {n.string: _finger(n.finger) for n in grip.notes if n.finger} if grip else {}
        root = name_at(neck, place.root.string, place.root.fret or 0, flats=flats)
        words = f"root {root} on {place.root.string}/{place.root.fret}"
        drawing = shape_drawing(
            place.notes, "", neck, left_handed=neck.left_handed, fingers=fingers
        )
        lines.append(PlaceLine(drawing, words, grip is not None))
    return ShapeMatch(
        title=name,
        sentence=f"{len(places)} places on your neck, {within} of them within your reach."
        if places
        else "Your tuning has no place for this chord: leave a note out.",
        roots=f"Its root lies at {spots} (string/fret).",
        places=lines,
        more=max(0, len(places) - MAX_PLACES),
    )


def found_note(string: int, fret: int, neck: Instrument, *, flats: bool) -> ShapeMatch:
    """What sounds at a place, and the power chord on it."""
    name = name_at(neck, string, fret, flats=flats)
    return ShapeMatch(
        title=f"{string}/{fret} is {name}",
        sentence=f"A power chord with its root there is {name}5.",
        roots="",
        places=[],
        more=0,
    )

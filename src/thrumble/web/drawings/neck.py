"""A route on the true neck: every place the hand takes as dots with their fingers, its ways as arcs
with millimetres and time, the fastest one heaviest; the grip that is looked at stands out, with the
reach it needs and dashes over the strings it keeps quiet. The lowest string lies at the bottom, as
in tablature.
"""

from collections.abc import Callable
from dataclasses import dataclass

from thrumble.core.instrument import Instrument
from thrumble.core.neck.grips import Grip
from thrumble.core.neck.moves import Move
from thrumble.core.neck.muting_map import MutingMap
from thrumble.core.neck.routes import Route
from thrumble.web.drawings.bars import Word

WIDE = 1000.0
SIDE, TOP, STRING_PX = 34.0, 104.0, 24.0
ARC_PX = 70.0
BARE_TOP = 16.0  # where there are no moves
TEXT_WIDE, TEXT_HIGH = 128.0, 19.0
FRETS_AROUND = 2
MIN_FRETS = 7
MARKED_FRETS = (3, 5, 7, 9, 12, 15, 17, 19, 21)
AT_FINGER = 0.4  # of the fret's space from its wire: where a finger presses
PX_AROUND = 15.0
EDGE_PX = 9.0  # of wood beyond the outer strings
DASH_PX = 8.0


@dataclass(frozen=True, slots=True)
class NeckDot:
    """A pressed place: which finger. `css`: here for the grip that is looked at, else other."""

    x: float
    y: float
    finger: str
    label: str
    css: str


@dataclass(frozen=True, slots=True)
class NeckArc:
    """A way of the hand. `css`: worst, pivot or travel; `text`: its words if there is room."""

    path: str
    css: str
    x: float
    y: float
    text: str
    words: str


@dataclass(frozen=True, slots=True)
class Field:
    """A field over the neck: its wood, or the reach of a grip."""

    x: float
    y: float
    width: float
    height: float


@dataclass(frozen=True, slots=True)
class Stroke:
    """A short line across a string."""

    top: float
    bottom: float


@dataclass(frozen=True, slots=True)
class NeckDrawing:
    """The neck from the nut to beyond the highest place taken. `quiet`: dashes over the strings
    that the grip keeps quiet; `loose`: y of those that nothing lies on.
    """

    width: float
    height: float
    strings: list[float]
    frets: list[float]
    numbers: list[Word]
    marks: list[float]
    dots: list[NeckDot]
    opens: list[float]
    span: Field | None
    quiet: list[Stroke]
    loose: list[float]
    quiet_x: float
    wood: Field
    middle_y: float
    arcs: list[NeckArc]
    left: float
    right: float
    nut: float
    end_x: float
    label: str


@dataclass(frozen=True, slots=True)
class Looked:
    """The grip that stands out, and what it keeps quiet."""

    grip: Grip
    silence: MutingMap


def neck_drawing(route: Route, instrument: Instrument, looked: Looked | None = None) -> NeckDrawing:
    """The neck of a route; mirrored for left-handed players."""
    pressed = [n.fret for place in route.places for n in place.grip.notes if n.finger]
    last = max(MIN_FRETS, max(pressed, default=0) + FRETS_AROUND)
    x = scaled(instrument, last)
    top = TOP if route.moves else BARE_TOP
    y = {s: top + (s - 1) * STRING_PX for s in instrument.strings}
    taken = {
        (note.string, note.fret, note.finger)
        for place in route.places
        for note in place.grip.notes
        if note.finger
    }
    here = set()
    if looked is not None:
        here = {(n.string, n.fret, n.finger) for n in looked.grip.notes if n.finger}
    spots = {(string, fret) for string, fret, _ in here}
    dots = [
        _dot(x, y, string, fret, finger, "other")
        for string, fret, finger in sorted(taken - here)
        if (string, fret) not in spots
    ] + [_dot(x, y, string, fret, finger, "here") for string, fret, finger in sorted(here)]
    frets = [x(fret) for fret in range(last + 1)]
    bottom = y[len(instrument.tuning)]
    flip = instrument.left_handed
    quiet = looked.silence.quiet if looked else ()
    grip = looked.grip if looked else None
    return NeckDrawing(
        width=WIDE,
        height=bottom + 40,
        strings=list(y.values()),
        frets=frets,
        numbers=[Word(x(fret - 0.5), str(fret)) for fret in range(1, last + 1)],
        marks=[x(fret - 0.5) for fret in MARKED_FRETS if fret <= last],
        dots=dots,
        opens=[y[n.string] for n in grip.notes if not n.finger] if grip else [],
        span=_span(grip, x, y) if grip else None,
        quiet=[
            Stroke(y[quiet_string.string] - DASH_PX, y[quiet_string.string] + DASH_PX)
            for quiet_string in quiet
            if quiet_string.by is not None
        ],
        loose=[y[quiet_string.string] for quiet_string in quiet if quiet_string.by is None],
        quiet_x=x((grip.hand or 1) - AT_FINGER) if grip else 0.0,
        wood=Field(min(frets), top - EDGE_PX, max(frets) - min(frets), bottom - top + 2 * EDGE_PX),
        middle_y=(top + bottom) / 2,
        arcs=_arcs(route, x),
        left=min(frets),
        right=max(frets),
        nut=frets[0],
        end_x=frets[0] + (14 if flip else -14),
        label=f"{len(dots)} places of fingers on the neck, {len(route.moves)} moves",
    )


def scaled(instrument: Instrument, last: int, wide: float = WIDE) -> Callable[[float], float]:
    """From frets, parts of them too, to places along a drawing from the nut to a last fret."""
    whole_mm = instrument.fret_mm(last) - instrument.fret_mm(0)

    def x(fret: float) -> float:
        low = int(fret)
        mm = instrument.fret_mm(low)
        if fret > low:
            mm += (instrument.fret_mm(low + 1) - mm) * (fret - low)
        at = SIDE + (mm - instrument.fret_mm(0)) / whole_mm * (wide - 2 * SIDE)
        return round(wide - at if instrument.left_handed else at, 1)

    return x


def _dot(
    x: Callable[[float], float], y: dict[int, float], string: int, fret: int, finger: int, css: str
) -> NeckDot:
    name = "T" if finger == 5 else str(finger)
    called = "thumb" if finger == 5 else f"finger {finger}"
    label = f"string {string}, fret {fret}, {called}"
    return NeckDot(x(fret - AT_FINGER), y[string], name, label, css)


def _span(grip: Grip, x: Callable[[float], float], y: dict[int, float]) -> Field | None:
    pressed = [note for note in grip.notes if note.finger]
    if not pressed:
        return None
    ends = [x(note.fret - AT_FINGER) for note in pressed]
    highs = [y[note.string] for note in pressed]
    return Field(
        round(min(ends) - PX_AROUND, 1),
        min(highs) - PX_AROUND,
        round(max(ends) - min(ends) + 2 * PX_AROUND, 1),
        max(highs) - min(highs) + 2 * PX_AROUND,
    )


def _arcs(route: Route, x: Callable[[float], float]) -> list[NeckArc]:
    """One arc for every pair of places that the hand goes between, its fastest move named."""
    hands = {place.index: place.grip.hand for place in route.places}
    fastest: dict[tuple[int, int], tuple[Move, bool]] = {}
    for k, move in enumerate(route.moves):
        a, b = hands[move.from_index] or 0, hands[move.to_index] or 0
        pair = (min(a, b), max(a, b))
        speed = fastest.get(pair)
        if speed is None or move.speed_mm_s > speed[0].speed_mm_s:
            fastest[pair] = (move, k == route.worst_move)
    out: list[NeckArc] = []
    named: list[tuple[float, float]] = []
    order = sorted(fastest.items(), key=lambda item: (not item[1][1], -item[1][0].distance_mm))
    for (low, high), (move, worst) in order:  # the fastest is named first
        begin, end = x(low - AT_FINGER), x(high - AT_FINGER)
        rise = ARC_PX * min(1.0, 0.18 + move.distance_mm / 240)
        foot = TOP - 14
        middle, crest = round((begin + end) / 2, 1), round(foot - rise - 5, 1)
        free = all(abs(middle - w) > TEXT_WIDE or abs(crest - h) > TEXT_HIGH for w, h in named)
        words = f"{move.distance_mm:.0f} mm, {move.time_ms:.0f} ms"
        if free:
            named.append((middle, crest))
        path = f"M{begin} {foot:.0f}Q{middle} {foot - 2 * rise:.1f} {end} {foot:.0f}"
        css = "pivot" if move.pivot else "travel"
        shown = words if free else ""
        out.append(NeckArc(path, "worst" if worst else css, middle, crest, shown, words))
    return out[::-1]  # and drawn last

"""Routes compared: as lines of a table, and side by side on necks of their own."""

from dataclasses import dataclass

from thrumble.core.instrument import Instrument
from thrumble.core.neck.routes import Route
from thrumble.core.riff.expand import ExpandedRiff
from thrumble.web.drawings.neck import NeckDrawing, neck_drawing
from thrumble.web.neck.moves import chord_name, fails_at
from thrumble.web.neck.query import NeckQuery

LETTERS = "ABCDEFGH"
COMPARED_TEMPOS = (0.6, 0.8, 1.0, 1.2, 1.5)  # times the tempo asked


@dataclass(frozen=True, slots=True)
class RouteLine:
    """A route in the table."""

    letter: str
    name: str
    places: str
    travel: str
    fastest: str
    reach: str
    unguarded: str
    good_to: str
    better: str
    here: bool
    href: str


@dataclass(frozen=True, slots=True)
class Beside:
    """A route drawn beside the others, with the number of its moves that are too fast at each
    tempo.
    """

    letter: str
    name: str
    href: str
    here: bool
    drawing: NeckDrawing
    tempos: list[tuple[str, str]]


def route_line(
    number: int, route: Route, expanded: ExpandedRiff, query: NeckQuery, limit: float, *, here: bool
) -> RouteLine:
    """A route in the table."""
    fails = fails_at(route, expanded, limit)
    fastest = "none" if route.worst_move is None else f"{route.hardest_mm_s:.0f}"
    return RouteLine(
        letter=LETTERS[number],
        name=route.name,
        places=_places(expanded, route),
        travel=f"{route.totals['travel_mm']:.0f}",
        fastest=fastest,
        reach=f"{route.totals['widest_span_mm']:.0f}",
        unguarded=f"{route.totals['unguarded_strings']:.0f}",
        good_to="any tempo" if fails is None else f"{fails:.0f} bpm",
        better=", ".join(route.advantages),
        here=here,
        href="?" + query.query(route=number),
    )


def beside_line(
    number: int,
    route: Route,
    neck: Instrument,
    expanded: ExpandedRiff,
    query: NeckQuery,
    limit: float,
    *,
    here: bool,
) -> Beside:
    """A route beside the others."""
    tempos = []
    for share in COMPARED_TEMPOS:
        bpm = round(expanded.tempo_bpm * share)
        fast = sum(move.speed_mm_s * share > limit for move in route.moves)
        tempos.append((str(bpm), str(fast)))
    return Beside(
        letter=LETTERS[number],
        name=route.name,
        href="?" + query.query(route=number),
        here=here,
        drawing=neck_drawing(route, neck),
        tempos=tempos,
    )


def _places(expanded: ExpandedRiff, route: Route) -> str:
    """Where the chords are taken first, a few of them."""
    seen: dict[str, str] = {}
    for first, _ in route.stops:
        lowest = route.places[first].grip.notes[0]
        seen.setdefault(chord_name(expanded, first), f"{lowest.string}/{lowest.fret}")
    return " · ".join(f"{name} {place}" for name, place in list(seen.items())[:4])

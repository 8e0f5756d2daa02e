"""A riff's routes in words and places."""

from dataclasses import dataclass

from thrumble.core.counting import counted
from thrumble.core.instrument import Instrument
from thrumble.core.neck.grips import School
from thrumble.core.neck.routes import Route
from thrumble.core.riff.expand import ExpandedRiff
from thrumble.web.drawings.neck import NeckDrawing, neck_drawing

SCHOOLS = {
    "": "whatever is easiest",
    School.ONE_THREE.value: "1 and 3",
    School.ONE_FOUR.value: "1 and 4",
    School.ONE_THREE_FOUR.value: "1, 3 and 4",
    School.BARRE.value: "a bar with 1 or 3",
}
SCHOOL_WHY = {
    "": "Each chord takes the fingers that make the whole riff easiest.",
    School.ONE_THREE.value: "Taught first; it spreads the hand, and tires it in quick shifts.",
    School.ONE_FOUR.value: "Compact and relaxed; finger 1 is free to drop back. Weaker at first.",
    School.ONE_THREE_FOUR.value: "The fullest sound, a finger for each string; slowest to move.",
    School.BARRE.value: "Two or three strings at one fret under one finger.",
}


@dataclass(frozen=True, slots=True)
class RouteLine:
    """A route in the table."""

    number: int
    name: str
    travel: str
    moves: str
    fastest: str
    spread: str
    unguarded: str


@dataclass(frozen=True, slots=True, kw_only=True)
class NeckView:
    """The page of a riff's routes. `figure`: the fastest move's millimetres, the largest thing."""

    riff_id: int
    title: str
    lines: list[RouteLine]
    chosen: int
    name: str
    figure: str
    under: str
    sentence: str
    drawing: NeckDrawing
    schools: dict[str, str]
    school: str
    why: str
    reach: str
    strict: bool


def neck_view(
    riff_id: int,
    expanded: ExpandedRiff,
    routes: list[Route],
    neck: Instrument,
    *,
    chosen: int,
    school: School | None,
    reach_mm: float,
    strict: bool,
) -> NeckView:
    """The routes, one of them drawn."""
    chosen = min(chosen, len(routes) - 1)
    route = routes[chosen]
    worst = None if route.worst_move is None else route.moves[route.worst_move]
    bars = {due.index: due.bar for due in expanded.hits}
    if worst is None:
        figure, under = "0", "mm: your hand stays where it is"
        sentence = "No move at all: one place takes the whole riff."
    else:
        figure, under = f"{worst.distance_mm:.0f}", f"mm in {worst.time_ms:.0f} ms"
        sentence = (
            f"The fastest move leads into bar {bars[worst.to_index]}, at "
            f"{worst.speed_mm_s:.0f} mm a second: it fails first as you speed up. Look at the "
            "target fret before you go."
        )
    name = "" if school is None else school.value
    return NeckView(
        riff_id=riff_id,
        title=expanded.riff.title,
        lines=[_line(k, one, bars) for k, one in enumerate(routes)],
        chosen=chosen,
        name=route.name,
        figure=figure,
        under=under,
        sentence=sentence,
        drawing=neck_drawing(route, neck),
        schools=SCHOOLS,
        school=name,
        why=SCHOOL_WHY[name],
        reach=f"{reach_mm:g}",
        strict=strict,
    )


def _line(number: int, route: Route, bars: dict[int, int]) -> RouteLine:
    fastest = "none"
    if route.worst_move is not None:
        worst = route.moves[route.worst_move]
        fastest = (
            f"{worst.distance_mm:.0f} mm in {worst.time_ms:.0f} ms, into bar {bars[worst.to_index]}"
        )
    return RouteLine(
        number=number,
        name=route.name,
        travel=f"{route.totals['travel_mm'] / 1000:.2f} m",
        moves=counted(len(route.moves), "move"),
        fastest=fastest,
        spread=f"{route.totals['widest_span_mm']:.0f} mm",
        unguarded=f"{route.totals['unguarded_strings']:.0f}",
    )

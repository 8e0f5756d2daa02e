"""Routes along the neck as JSON, `thrumble.routes/1`."""

from typing import Any

from thrumble.core.neck.grips import School
from thrumble.core.neck.routes import Move, Place, Route
from thrumble.core.riff.expand import ExpandedRiff


def routes_document(
    routes: list[Route],
    expanded: ExpandedRiff,
    *,
    scale_mm: float,
    reach_mm: float,
    school: School | None,
) -> dict[str, Any]:
    """The document of a riff's routes, cheapest first."""
    return {
        "format": "thrumble.routes/1",
        "title": expanded.riff.title,
        "scale_mm": scale_mm,
        "reach_mm": reach_mm,
        "school": None if school is None else school.value,
        "tempo_bpm": expanded.tempo_bpm,
        "routes": [_route(route) for route in routes],
    }


def _route(route: Route) -> dict[str, Any]:
    return {
        "name": route.name,
        "cost": round(route.cost, 3),
        "places": [_place(place) for place in route.places],
        "moves": [_move(move) for move in route.moves],
        "worst_move": route.worst_move,
        "totals": route.totals,
    }


def _place(place: Place) -> dict[str, Any]:
    notes = [
        {"string": note.string, "fret": note.fret, "finger": note.finger}
        for note in place.grip.notes
    ]
    return {"index": place.index, "notes": notes, "span_mm": round(place.grip.span_mm, 2)}


def _move(move: Move) -> dict[str, Any]:
    return {
        "from_index": move.from_index,
        "to_index": move.to_index,
        "distance_mm": move.distance_mm,
        "time_ms": move.time_ms,
        "speed_mm_s": round(move.speed_mm_s, 1),
        "kind": "pivot" if move.pivot else "travel",
    }

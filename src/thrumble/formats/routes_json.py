"""Routes along the neck as JSON, `thrumble.routes/1`."""

from typing import Any

from thrumble.core.neck.hand import Hand
from thrumble.core.neck.moves import Move
from thrumble.core.neck.routes import Place, Route
from thrumble.core.riff.expand import ExpandedRiff


def routes_document(
    routes: list[Route],
    expanded: ExpandedRiff,
    hand: Hand,
    *,
    scale_mm: float,
) -> dict[str, Any]:
    """The document of a riff's routes, cheapest first."""
    return {
        "format": "thrumble.routes/1",
        "title": expanded.riff.title,
        "scale_mm": scale_mm,
        "reach_mm": hand.reach_mm,
        "school": None if hand.school is None else hand.school.value,
        "tempo_bpm": expanded.tempo_bpm,
        "complete": all(route.complete for route in routes),
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
        "across_mm": move.across_mm,
        "guide_finger": move.guide,
        "stays": list(move.stays),
        "slides": move.slides,
        "look_fret": move.look_fret,
    }

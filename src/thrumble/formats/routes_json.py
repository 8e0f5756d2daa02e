"""Routes along the neck as JSON, `thrumble.routes/1`."""

from typing import Any, Literal

from pydantic import Field

from thrumble.core.neck.hand import Hand
from thrumble.core.neck.moves import Move
from thrumble.core.neck.routes import Place, Route
from thrumble.core.riff.expand import ExpandedRiff
from thrumble.formats.document import Document, Number


class RouteNote(Document):
    """A note under a finger."""

    string: int = Field(description="1 is the highest")
    fret: int | None = Field(
        description="counted from the capo; null for a struck, unpressed string"
    )
    finger: int = Field(description="0 open, 1 to 4, 5 thumb")


class RoutePlace(Document):
    """How one hit is fretted."""

    index: int = Field(description="place in the expanded riff, from 0")
    notes: list[RouteNote]
    span_mm: Number = Field(description="between the outermost pressed frets")


class RouteMove(Document):
    """A move of the fretting hand."""

    from_index: int
    to_index: int
    distance_mm: Number = Field(
        description="difference of the hand's places along the neck, signed"
    )
    time_ms: Number
    speed_mm_s: Number
    kind: Literal["pivot", "travel"] = Field(
        description="pivot: back and forth within 3 frets and 100 mm"
    )
    across_mm: Number = Field(description="across the strings")
    guide_finger: int | None = Field(description="finger that stays on its string")
    stays: list[int] = Field(description="fingers that don't move")
    slides: bool
    look_fret: int | None = Field(description="fret to look at before the move")


class RouteJson(Document):
    """One way to play the whole riff along the neck."""

    name: str
    cost: Number
    places: list[RoutePlace]
    moves: list[RouteMove]
    worst_move: int | None = Field(description="its place in `moves`; null without a move")
    totals: dict[str, Number]


class RoutesJson(Document):
    """Routes along the neck, cheapest first."""

    format: Literal["thrumble.routes/1"]
    title: str
    scale_mm: Number
    reach_mm: list[Number] | Number
    school: str | None = Field(description="fingering of power chords, such as 1-3-4")
    tempo_bpm: Number
    complete: bool = Field(
        description="false if the search stopped early and shows its best so far"
    )
    routes: list[RouteJson]


def routes_document(
    routes: list[Route],
    expanded: ExpandedRiff,
    hand: Hand,
    *,
    scale_mm: float,
) -> dict[str, Any]:
    """The document of a riff's routes, cheapest first."""
    return RoutesJson.checked(
        {
            "format": "thrumble.routes/1",
            "title": expanded.riff.title,
            "scale_mm": scale_mm,
            "reach_mm": hand.reach_mm,
            "school": None if hand.school is None else hand.school.value,
            "tempo_bpm": expanded.tempo_bpm,
            "complete": all(route.complete for route in routes),
            "routes": [_route(route) for route in routes],
        }
    )


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

"""Ways along the neck: for every fretted hit of a riff a grip, so that what the hand pays for all
of them and for the moves between is least. Found by dynamic programming over every place and
fingering, so the first route is the best there is.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from thrumble.core.errors import BadInput
from thrumble.core.instrument import Instrument, Note
from thrumble.core.neck.grips import (
    DEFAULT_REACH_MM,
    REACH_RANGE_MM,
    Fingered,
    Grip,
    School,
    grips,
    layouts,
)
from thrumble.core.riff.expand import DueHit, ExpandedRiff
from thrumble.core.riff.model import Articulation

PIVOT_FRETS, PIVOT_MM = 3, 100.0
JUMPED_STRINGS = 2  # the pick leaves so many strings out: a jump


@dataclass(frozen=True, slots=True, kw_only=True)
class Weights:
    """What things cost, in points. A point is the trouble of ten millimetres along the neck."""

    travel: float = 0.1  # a millimetre moved
    hurry: float = 3.0  # a move at `quick_mm_s`; four times as much at twice the speed
    quick_mm_s: float = 600.0
    spread: float = 4.0  # a spread as wide as the reach; with its square
    unguarded: float = 0.5  # a string that nothing silences, a grip
    skipped: float = 1.5  # a string inside that must be damped, a grip
    fingers: float = 2.0  # other fingers than before
    strings: float = 0.5  # a string that the hand moves across
    high: float = 0.05  # a fret up the neck, a grip
    open_strings: float = 0.0  # an open string given up, a grip


PRESETS = {
    "the easiest way": Weights(),
    "stay in one place": Weights(travel=0.4, hurry=9.0, strings=0.2),
    "stay low": Weights(high=0.8),
    "keep the open strings": Weights(open_strings=3.0, high=0.4),
    "one fingering throughout": Weights(fingers=12.0),
    "spare your reach": Weights(spread=16.0),
}
MOST_ROUTES = 4


@dataclass(frozen=True, slots=True)
class Place:
    """Where one hit is taken: its index in the expanded riff and its grip."""

    index: int
    grip: Grip


@dataclass(frozen=True, slots=True)
class Move:
    """A way of the hand between two fretted hits."""

    from_index: int
    to_index: int
    distance_mm: float
    time_ms: float
    pivot: bool

    @property
    def speed_mm_s(self) -> float:
        """How fast the hand must be."""
        return self.distance_mm / max(1.0, self.time_ms) * 1000


@dataclass(frozen=True, slots=True, kw_only=True)
class Route:
    """One way through the riff. `worst_move`: the place in `moves` of the fastest one."""

    name: str
    cost: float
    places: tuple[Place, ...]
    moves: tuple[Move, ...]
    worst_move: int | None
    totals: dict[str, float]


@dataclass(frozen=True, slots=True)
class _Stop:
    """Fretted hits in a row that one grip serves: the first and last of them, and the grips there
    are.
    """

    hits: tuple[DueHit, ...]
    grips: tuple[Grip, ...]
    time_s: float  # for the move that leads here


def plan_routes(
    expanded: ExpandedRiff,
    instrument: Instrument,
    *,
    reach_mm: float = DEFAULT_REACH_MM,
    school: School | None = None,
    strict: bool = False,
) -> list[Route]:
    """The best routes for a hand, cheapest first, truly different ones, four at most; `strict`: the
    written strings and frets, only the fingers are chosen. Raises BadInput for a reach that no hand
    has, and for a chord out of reach, saying which.
    """
    low, high = REACH_RANGE_MM
    if not low <= reach_mm <= high:
        raise BadInput(
            f"a reach of {reach_mm:g} mm is no hand's: finger 1 to 4 is {low:g} to {high:g} mm"
        )
    stops = _stops(expanded, instrument, reach_mm, school, strict=strict)
    found: dict[tuple[tuple[Note, ...], ...], Route] = {}
    ideal = PRESETS["the easiest way"]
    for name, weights in PRESETS.items():
        chosen = _cheapest(stops, instrument, reach_mm, weights)
        cost = _cost(stops, chosen, instrument, reach_mm, ideal)
        key = tuple(tuple(Note(n.string, n.fret) for n in grip.notes) for grip in chosen)
        if key not in found or cost < found[key].cost - 1e-9:
            route = _route(name, cost, expanded, stops, chosen, instrument)
            kept = found.get(key)
            found[key] = route if kept is None else replace(route, name=kept.name)
    return sorted(found.values(), key=lambda route: route.cost)[:MOST_ROUTES]


def _stops(
    expanded: ExpandedRiff,
    instrument: Instrument,
    reach_mm: float,
    school: School | None,
    *,
    strict: bool,
) -> list[_Stop]:
    """The fretted hits, those that repeat the one before taken together."""
    out: list[_Stop] = []
    known: dict[tuple[Note, ...], tuple[Grip, ...]] = {}
    for due in expanded.hits:
        if not _fretted(due):
            continue
        notes = _plain(due)
        if out and _plain(out[-1].hits[-1]) == notes:
            out[-1] = replace(out[-1], hits=(*out[-1].hits, due))
            continue
        if notes not in known:
            known[notes] = _choices(due, instrument, reach_mm, school, strict=strict)
        time_s = 0.0
        if out:
            last = out[-1].hits[-1]
            time_s = max(0.001, due.due_s - last.due_s - last.slot_s / 2)
        out.append(_Stop((due,), known[notes], time_s))
    return out


def _fretted(due: DueHit) -> bool:
    return due.hit.articulation is not Articulation.DEAD and any(n.fret for n in due.hit.notes)


def _plain(due: DueHit) -> tuple[Note, ...]:
    return tuple(Note(note.string, note.fret) for note in due.hit.notes)


def _choices(
    due: DueHit, instrument: Instrument, reach_mm: float, school: School | None, *, strict: bool
) -> tuple[Grip, ...]:
    notes = _plain(due)
    pitches = tuple(midi for note in notes if (midi := instrument.midi(note)) is not None)
    ways = [notes] if strict else layouts(instrument, pitches)
    found = [grip for way in ways for grip in grips(instrument, way, reach_mm, school)]
    if not found and school is not None:  # a shape that the school has no fingers for is free
        found = [grip for way in ways for grip in grips(instrument, way, reach_mm, None)]
    if found:
        return tuple(found)
    called = due.hit.label or ", ".join(f"{n.string}:{n.fret}" for n in notes)
    near = _nearest(instrument, pitches, reach_mm)
    raise BadInput(
        f"bar {due.bar}: your hand can't reach {called} with {reach_mm:g} mm from finger 1 to 4"
        + (f"; nearest is {near}" if near else ": leave a note out")
    )


def _nearest(instrument: Instrument, pitches: tuple[int, ...], reach_mm: float) -> str:
    """A place where the same pitches can be taken, or the reach they would need."""
    for way in layouts(instrument, pitches):
        if grips(instrument, way, reach_mm, None):
            return ",".join(f"{note.string}:{note.fret}" for note in way)
    for wider in range(int(reach_mm) + 5, int(REACH_RANGE_MM[1]), 5):
        if any(grips(instrument, way, wider, None) for way in layouts(instrument, pitches)):
            return f"a reach of {wider} mm"
    return ""


# --- what it costs --------------------------------------------------------------------------------


def _node(grip: Grip, reach_mm: float, w: Weights) -> float:
    """What a grip costs by itself."""
    opens = sum(note.finger == 0 for note in grip.notes)
    return (
        w.spread * (grip.span_mm / reach_mm) ** 2
        + w.unguarded * grip.unguarded
        + w.skipped * grip.skipped
        + w.high * (grip.hand or 0)
        + w.open_strings * (len(grip.notes) - opens)
    )


def _edges(
    before: tuple[Grip, ...],
    after: tuple[Grip, ...],
    time_s: float,
    instrument: Instrument,
    w: Weights,
) -> NDArray[np.float64]:
    """What the move from each grip to each other one costs. Shape (before, after)."""
    a, b = (
        np.array([[instrument.fret_mm(g.hand or 0), g.notes[0].string] for g in side], dtype=float)
        for side in (before, after)
    )
    mm = np.abs(a[:, :1] - b[None, :, 0])
    across = np.abs(a[:, 1:] - b[None, :, 1])
    names = {fingers: k for k, fingers in enumerate({g.fingers for g in (*before, *after)})}
    x, y = (np.array([names[g.fingers] for g in side]) for side in (before, after))
    changed = (x[:, None] != y[None, :]).astype(float)
    hurry = (mm / time_s / w.quick_mm_s) ** 2
    return np.asarray(
        w.travel * mm + w.hurry * hurry + w.strings * across + w.fingers * changed, dtype=float
    )


def _cheapest(
    stops: list[_Stop], instrument: Instrument, reach_mm: float, w: Weights
) -> list[Grip]:
    """The grips whose whole costs least."""
    if not stops:
        return []
    nodes = [np.array([_node(grip, reach_mm, w) for grip in stop.grips]) for stop in stops]
    best, back = nodes[0], []
    for k in range(1, len(stops)):
        edges = _edges(stops[k - 1].grips, stops[k].grips, stops[k].time_s, instrument, w)
        whole = best[:, None] + edges
        came = np.argmin(whole, axis=0)
        back.append(came)
        best = whole[came, np.arange(came.size)] + nodes[k]
    at = int(np.argmin(best))
    chosen = [at]
    for came in reversed(back):
        at = int(came[at])
        chosen.append(at)
    chosen.reverse()
    return [stop.grips[k] for stop, k in zip(stops, chosen, strict=True)]


def _cost(
    stops: list[_Stop], chosen: list[Grip], instrument: Instrument, reach_mm: float, w: Weights
) -> float:
    """What these grips cost in all."""
    total = sum(_node(grip, reach_mm, w) for grip in chosen)
    for k in range(1, len(chosen)):
        pair = _edges((chosen[k - 1],), (chosen[k],), stops[k].time_s, instrument, w)
        total += float(pair[0, 0])
    return round(float(total), 6)


# --- the route ------------------------------------------------------------------------------------


def _route(
    name: str,
    cost: float,
    expanded: ExpandedRiff,
    stops: list[_Stop],
    chosen: list[Grip],
    instrument: Instrument,
) -> Route:
    by_index = {
        due.index: grip for stop, grip in zip(stops, chosen, strict=True) for due in stop.hits
    }
    held: dict[tuple[Note, ...], Grip] = {}  # what dead hits lie on is taken as it was last
    places = []
    for due in expanded.hits:
        grip = by_index.get(due.index) or held.get(_plain(due)) or _open_grip(due)
        held[_plain(due)] = grip
        places.append(Place(due.index, grip))
    moves = _moves(stops, chosen, instrument)
    worst = max(range(len(moves)), key=lambda k: moves[k].speed_mm_s, default=None)
    lows = [place.grip.notes[0].string for place in places if place.grip.notes]
    totals = {
        "travel_mm": round(sum(move.distance_mm for move in moves), 1),
        "widest_span_mm": round(max((grip.span_mm for grip in chosen), default=0.0), 1),
        "string_changes": _changes([grip.notes[0].string for grip in chosen]),
        "finger_changes": _changes([grip.fingers for grip in chosen]),
        "unguarded_strings": sum(grip.unguarded for grip in chosen),
        "pick_jumps": sum(abs(a - b) >= JUMPED_STRINGS for a, b in pairwise(lows)),
    }
    return Route(
        name=name, cost=cost, places=tuple(places), moves=moves, worst_move=worst, totals=totals
    )


def _open_grip(due: DueHit) -> Grip:
    """A hit that presses nothing: open strings, or dead ones."""
    notes = tuple(Fingered(note.string, note.fret or 0, 0) for note in due.hit.notes)
    return Grip(notes, None, 0.0, 0)


def _changes(values: Sequence[object]) -> int:
    return sum(a != b for a, b in pairwise(values))


def _moves(stops: list[_Stop], chosen: list[Grip], instrument: Instrument) -> tuple[Move, ...]:
    """Every change of the hand's place. Back and forth within three frets it pivots."""
    hands = [grip.hand or 0 for grip in chosen]
    out = []
    for k in range(1, len(hands)):
        if hands[k] == hands[k - 1]:
            continue
        mm = abs(instrument.fret_mm(hands[k]) - instrument.fret_mm(hands[k - 1]))
        came = next((h for h in reversed(hands[: k - 1]) if h != hands[k - 1]), None)
        goes = next((h for h in hands[k + 1 :] if h != hands[k]), None)
        returns = hands[k] == came or goes == hands[k - 1]
        near = abs(hands[k] - hands[k - 1]) <= PIVOT_FRETS and mm <= PIVOT_MM
        first, last = stops[k - 1].hits[-1], stops[k].hits[0]
        out.append(
            Move(
                first.index,
                last.index,
                round(mm, 2),
                round(stops[k].time_s * 1000, 1),
                pivot=returns and near,
            )
        )
    return tuple(out)

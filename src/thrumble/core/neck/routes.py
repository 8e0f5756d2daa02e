"""Routes along the neck: a grip for every fretted hit of a riff, so that what the hand pays for all
of them and for the moves between is least, by dynamic programming over every place and fingering.

The written strings and frets come first, with the best fingers for them: a player who reads a riff
plays it there. Another route is offered only if it beats the written one in something that a player
feels, and it comes first only if the written one is too fast for this hand at this tempo.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from math import inf, isqrt

import numpy as np
from numpy.typing import NDArray

from thrumble.core.errors import BadInput
from thrumble.core.instrument import Instrument, Note
from thrumble.core.neck.conventions import keeps_its_sound, strayed
from thrumble.core.neck.grips import Grip, grips, layouts
from thrumble.core.neck.hand import REACH_RANGE_MM, Hand, check_hand
from thrumble.core.neck.locks import Lock, locked_out
from thrumble.core.neck.moves import Move, moves_between
from thrumble.core.neck.muting_map import Fingered
from thrumble.core.neck.route_titles import advantages, name_routes
from thrumble.core.neck.shortest_path import ShortestPath, Stage
from thrumble.core.neck.weights import Wish, weights_for
from thrumble.core.riff.expand import DueHit, ExpandedRiff
from thrumble.core.riff.model import Articulation

JUMPED_STRINGS = 2  # the pick leaves so many strings out: a jump
TIGHT_REACH = 0.9  # of the reach: a stretch that is felt
MAX_ROUTES = 4
DIFFERENT = 0.25  # of the places at least that lie elsewhere in a route of its own
TRIES = 8
PENALTY = 3.0  # for a place that another route has taken; doubled with every try
DEAREST = 4.0, 30.0  # times the best and points more: what costs more is no way to play
# far more than any guitar has for a chord; beyond these the search leaves the farthest out
MAX_LAYOUTS, MAX_GRIPS, MAX_PAIRS = 60, 150, 3_000_000


@dataclass(frozen=True, slots=True)
class Place:
    """Where one hit is taken: its index in the expanded riff and its grip."""

    index: int
    grip: Grip


@dataclass(frozen=True, slots=True, kw_only=True)
class Route:
    """One way through the riff. `moves`: every change of the hand's place; `changes`: of anything
    it does, those among them; `worst_move`: the place in `moves` of the fastest one; `stops`: of
    each grip in a row the first and the last hit; `complete`: whether every place and fingering was
    looked at; `written`: on the strings and frets of the riff; `advantages`: what it beats the
    written one in.
    """

    name: str
    cost: float
    places: tuple[Place, ...]
    moves: tuple[Move, ...]
    changes: tuple[Move, ...]
    worst_move: int | None
    totals: dict[str, float]
    stops: tuple[tuple[int, int], ...]
    complete: bool = True
    written: bool = False
    advantages: tuple[str, ...] = ()

    @property
    def hardest_mm_s(self) -> float:
        """How fast the fastest move is; 0 if the hand stays."""
        return 0.0 if self.worst_move is None else self.moves[self.worst_move].speed_mm_s


@dataclass(frozen=True, slots=True)
class _Stop:
    """Fretted hits in a row that one grip serves, the grips there are, and the strings that open
    hits beside them are struck on.
    """

    hits: tuple[DueHit, ...]
    grips: tuple[Grip, ...]
    time_s: float  # for the move that leads here
    beside: tuple[int, ...]
    follows: bool  # the pick comes straight from the stop before
    complete: bool = True  # these are all the grips there are


def plan_routes(
    expanded: ExpandedRiff,
    instrument: Instrument,
    hand: Hand | None = None,
    *,
    strict: bool = False,
    wishes: frozenset[Wish] = frozenset(),
    locks: tuple[Lock, ...] = (),
    limit_mm_s: float | None = None,
) -> list[Route]:
    """The routes to choose from, the recommended one first, four at most.

    strict     : the written strings and frets, only the fingers are chosen
    wishes     : what the player would rather have; the route that grants them comes first then
    locks      : hits that are taken as the player says
    limit_mm_s : how fast this hand moves and still lands in time; None if it was never measured

    Raises BadInput for a reach out of range, for a chord out of reach, saying which, and for locks
    that contradict each other.
    """
    hand = check_hand(hand or Hand())
    stops = _within_bounds(_stops(expanded, instrument, hand, strict=strict, locks=locks))
    stages = [Stage(stop.grips, stop.time_s, stop.beside, stop.follows) for stop in stops]
    search = ShortestPath(stages, instrument, hand.reach_mm, weights_for(wishes))
    as_written = None if wishes else _as_written(search, stops)
    complete = all(stop.complete for stop in stops)
    routes = [
        replace(
            _route(search.cost(chosen), expanded, stops, search.grips(chosen), instrument),
            complete=complete,
            written=chosen == as_written,
        )
        for chosen in _different(search, as_written)
    ]
    if wishes or as_written is None:
        routes.sort(key=lambda route: route.cost)
    else:
        routes = _recommended(routes, limit_mm_s, hand.reach_mm)
    written = [tuple((n.string, n.fret) for n in due.hit.notes) for due in expanded.hits]
    taken = [[place.grip for place in route.places] for route in routes]
    names = name_routes(taken, written, wishes)
    return [replace(route, name=name) for route, name in zip(routes, names, strict=True)]


def _recommended(routes: list[Route], limit_mm_s: float | None, reach_mm: float) -> list[Route]:
    """The order of the page: whether the hand is fast enough, then the written places, then reach,
    then travel, then comfort. Routes that beat the written one in nothing are left out.
    """

    limit = inf if limit_mm_s is None else limit_mm_s

    def key(route: Route) -> tuple[float, ...]:
        too_fast = route.hardest_mm_s > limit
        tight = route.totals["widest_span_mm"] > TIGHT_REACH * reach_mm
        return too_fast, not route.written, tight, route.totals["travel_mm"], route.cost

    (written,) = (route for route in routes if route.written)
    out = [written]
    for route in routes:
        better = advantages(route.totals, _grips(route), written.totals, _grips(written))
        faster = route.hardest_mm_s <= limit < written.hardest_mm_s
        if not route.written and (better or faster):
            out.append(replace(route, advantages=better))
    out.sort(key=key)
    return out


def _grips(route: Route) -> list[Grip]:
    return [place.grip for place in route.places]


def _as_written(search: ShortestPath, stops: list[_Stop]) -> list[int] | None:
    """The best fingers for the written strings and frets, as a way through the stops; None if the
    hand can't take one of them there.
    """
    cache: dict[int, NDArray[np.bool_]] = {}
    masks = []
    for stop in stops:
        if id(stop.grips) not in cache:
            layout = {(note.string, note.fret) for note in _plain(stop.hits[0])}
            there = [set(grip.layout) == layout for grip in stop.grips]
            cache[id(stop.grips)] = np.array(there)
        masks.append(cache[id(stop.grips)])
    if not all(mask.any() for mask in masks):
        return None
    return search.best(within=masks)


def _within_bounds(stops: list[_Stop]) -> list[_Stop]:
    """The stops with so few grips each that the search takes bounded time and memory: those that
    come first, which lie nearest to what is written.
    """
    distinct = {(id(a.grips), id(b.grips), b.time_s, b.follows) for a, b in pairwise(stops)}
    most = min(MAX_GRIPS, isqrt(MAX_PAIRS // max(1, len(distinct))))
    cache: dict[int, tuple[Grip, ...]] = {}
    out = []
    for stop in stops:
        few = cache.setdefault(id(stop.grips), stop.grips[:most])
        if len(few) < len(stop.grips):
            stop = replace(stop, grips=few, complete=False)
        out.append(stop)
    return out


def _different(search: ShortestPath, as_written: list[int] | None) -> list[list[int]]:
    """The written way if there is one, the best way, then ways that lie elsewhere on the neck, then
    if there are few, ways with other fingers.
    """
    best = search.best()
    routes = [best] if as_written is None else [as_written]
    most = DEAREST[0] * search.cost(best) + DEAREST[1]
    if search.apart(best, routes[0], by_place=True) >= DIFFERENT:
        routes.append(best)
    for by_place in (True, False) if search.places_differ else (False,):
        for doubled in range(TRIES):
            if len(routes) == MAX_ROUTES:
                return routes
            tried = search.best(avoiding=routes, penalty=PENALTY * 2**doubled, by_place=by_place)
            apart = [search.apart(tried, route, by_place=by_place) for route in routes]
            if min(apart) >= DIFFERENT and search.cost(tried) <= most:
                routes.append(tried)
    return routes


# --- the hits as stops ----------------------------------------------------------------------------


def _stops(
    expanded: ExpandedRiff,
    instrument: Instrument,
    hand: Hand,
    *,
    strict: bool,
    locks: tuple[Lock, ...],
) -> list[_Stop]:
    """The fretted hits, those that repeat the one before taken together."""
    out: list[_Stop] = []
    cache: dict[tuple[Note, ...], tuple[tuple[Grip, ...], bool]] = {}
    before: DueHit | None = None
    for due in expanded.hits:
        if not _fretted(due):
            if out and before is not None and _fretted(before) and _open(due):
                beside = (*out[-1].beside, due.hit.notes[0].string)
                out[-1] = replace(out[-1], beside=beside)
            before = due
            continue
        notes = _plain(due)
        near = () if before is None or not _open(before) else (before.hit.notes[0].string,)
        if out and _plain(out[-1].hits[-1]) == notes:
            last = out[-1]
            out[-1] = replace(last, hits=(*last.hits, due), beside=(*last.beside, *near))
            before = due
            continue
        if notes not in cache:
            cache[notes] = _choices(due, instrument, hand, strict=strict)
        time_s = 0.0
        if out:
            ended = out[-1].hits[-1]
            time_s = max(0.001, due.due_s - ended.due_s - ended.slot_s / 2)
        follows = before is not None and _fretted(before)
        fingerings, complete = cache[notes]
        out.append(_Stop((due,), fingerings, time_s, near, follows, complete))
        before = due
    return _keep_locks(out, locks)


def _fretted(due: DueHit) -> bool:
    return due.hit.articulation is not Articulation.DEAD and any(n.fret for n in due.hit.notes)


def _open(due: DueHit) -> bool:
    return all(note.fret == 0 for note in due.hit.notes)


def _plain(due: DueHit) -> tuple[Note, ...]:
    return tuple(Note(note.string, note.fret) for note in due.hit.notes)


def _choices(
    due: DueHit, instrument: Instrument, hand: Hand, *, strict: bool
) -> tuple[tuple[Grip, ...], bool]:
    """The grips for a hit, and whether these are all there are."""
    notes, reach_mm, school = _plain(due), hand.reach_mm, hand.school
    pitches = tuple(midi for note in notes if (midi := instrument.midi(note)) is not None)
    every = [notes] if strict else layouts(instrument, pitches) or [notes]
    complete = len(every) <= MAX_LAYOUTS
    usual = [way for way in every if keeps_its_sound(way, due.hit)]
    for ways in (usual, every):  # what no player would do only if nothing else can be done
        nearest = sorted(ways, key=lambda way: _away(way, notes))[:MAX_LAYOUTS]
        candidates = [g for way in nearest for g in grips(instrument, way, reach_mm, school)]
        if not candidates and school is not None:  # a shape that the school has no fingers for
            candidates = [g for way in nearest for g in grips(instrument, way, reach_mm, None)]
        if candidates:
            return tuple(replace(g, odd=g.odd + _strayed(g, notes)) for g in candidates), complete
    near = _nearest(instrument, pitches, reach_mm)
    raise BadInput(
        f"bar {due.bar}: your hand can't reach {_called(due)} with {reach_mm:g} mm from finger 1 "
        f"to 4" + (f"; nearest is {near}" if near else ": leave a note out")
    )


def _strayed(grip: Grip, written: tuple[Note, ...]) -> float:
    return strayed([note.string for note in grip.notes], [note.string for note in written])


def _away(way: Sequence[Note], written: Sequence[Note]) -> int:
    """How far a layout lies from the written one, in frets; a string counts as two."""
    return sum(
        abs((a.fret or 0) - (b.fret or 0)) + 2 * abs(a.string - b.string)
        for a, b in zip(way, written, strict=False)
    )


def _called(due: DueHit) -> str:
    return due.hit.label or ", ".join(f"{n.string}:{n.fret}" for n in due.hit.notes)


def ways_of(
    due: DueHit, instrument: Instrument, hand: Hand, *, strict: bool = False
) -> tuple[Grip, ...]:
    """Every way this hand can take a hit. Raises BadInput if there is none; a hit that presses
    nothing has none to choose from: ().
    """
    return _choices(due, instrument, hand, strict=strict)[0] if _fretted(due) else ()


def _nearest(instrument: Instrument, pitches: tuple[int, ...], reach_mm: float) -> str:
    """A place where the same pitches can be taken, or the reach they would need."""
    near = layouts(instrument, pitches)[:MAX_LAYOUTS]
    for way in near:
        if grips(instrument, way, reach_mm, None):
            return ",".join(f"{note.string}:{note.fret}" for note in way)
    for wider in range(int(reach_mm) + 5, int(REACH_RANGE_MM[1]), 5):
        if any(grips(instrument, way, wider, None) for way in near):
            return f"a reach of {wider} mm"
    return ""


def _keep_locks(stops: list[_Stop], locks: tuple[Lock, ...]) -> list[_Stop]:
    """The stops with the grips that the locks leave."""
    by_index = {due.index: k for k, stop in enumerate(stops) for due in stop.hits}
    out = list(stops)
    held: dict[int, Lock] = {}
    for lock in locks:
        k = by_index.get(lock.index)
        if k is None:
            raise BadInput(
                f"hit {lock.index + 1} presses no string, so there is nothing to lock: unlock it"
            )
        left = tuple(grip for grip in out[k].grips if lock.allows(grip))
        if not left:
            first = stops[k].hits[0]
            raise BadInput(locked_out(first.bar, _called(first), lock, held.get(k)))
        out[k], held[k] = replace(out[k], grips=left), lock
    return out


# --- the route ------------------------------------------------------------------------------------


def _route(
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
    struck = [(stop.hits[0].index, stop.hits[-1].index) for stop in stops]
    changes = moves_between(chosen, struck, [stop.time_s for stop in stops], instrument)
    moves = [move for move in changes if move.distance_mm]
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
        name="",
        cost=cost,
        places=tuple(places),
        moves=tuple(moves),
        changes=tuple(changes),
        worst_move=worst,
        totals=totals,
        stops=tuple(struck),
    )


def _open_grip(due: DueHit) -> Grip:
    """A hit that presses nothing: open strings, or dead ones."""
    notes = tuple(Fingered(note.string, note.fret or 0, 0) for note in due.hit.notes)
    return Grip(notes, None, 0.0, 0.0, 0)


def _changes(values: Sequence[object]) -> int:
    return sum(a != b for a, b in pairwise(values))

"""A riff's routes in words and places."""

from dataclasses import dataclass

from thrumble.core.counting import counted
from thrumble.core.instrument import Instrument
from thrumble.core.neck.grips import Grip
from thrumble.core.neck.hand import DEFAULT_BEST_MM_S, SCHOOLS
from thrumble.core.neck.moves import Move
from thrumble.core.neck.muting_map import muting_map
from thrumble.core.neck.picking import Conflict, PickPath, pick_path
from thrumble.core.neck.routes import Route
from thrumble.core.riff.expand import ExpandedRiff
from thrumble.core.riff.silence import ringing_before
from thrumble.web.drawings.bars import BarDrawing
from thrumble.web.drawings.neck import Looked, NeckDrawing, neck_drawing
from thrumble.web.drawings.pick import PickBar, pick_bar
from thrumble.web.drawings.strip import plan_bar
from thrumble.web.neck.comparison import Beside, RouteLine, beside_line, route_line
from thrumble.web.neck.moves import (
    chord_name,
    fails_first,
    figure_words,
    moves_sentence,
    recommendation,
    where_words,
)
from thrumble.web.neck.query import NeckQuery, lock_of, write_lock
from thrumble.web.neck.words import SCHOOL_WORDS, WISH_WORDS, hand_words, how_words
from thrumble.web.shared.muting_lines import StringLine, string_lines
from thrumble.web.shared.neck_words import (
    DAMPING_WORDS,
    PICKING_WORDS,
    avoid_words,
    comfort_words,
)

MAX_ROWS, MAX_BARS, MAX_ELSEWHERE, MAX_CONFLICTS = 80, 12, 9, 4


@dataclass(frozen=True, slots=True)
class ElsewhereLine:
    """Another way to take the chord that is looked at."""

    words: str
    span: str
    feel: str
    href: str


@dataclass(frozen=True, slots=True)
class ChordLine:
    """One chord of the way, and the move to it."""

    where: str
    name: str
    place: str
    fingers: str
    span: str
    feel: str
    move: str
    speed: str
    how: str
    look: str
    here: bool
    locked: bool
    href: str
    lock_href: str


@dataclass(frozen=True, slots=True)
class Chosen:
    """The chord that is looked at."""

    name: str
    strings: list[StringLine]
    avoid: str
    elsewhere: list[ElsewhereLine]


@dataclass(frozen=True, slots=True, kw_only=True)
class NeckView:
    """The page of a riff's routes. `figure`: the tempo that the hand keeps up with, the largest
    thing.
    """

    riff_id: int
    title: str
    meta: str
    figure: str
    under: str
    recommended: str
    sentence: str
    first: list[str]
    drawing: NeckDrawing
    routes: list[RouteLine]
    beside: list[Beside]
    chosen: Chosen | None
    chords: list[ChordLine]
    more_chords: int
    locks: int
    unlock_href: str
    bars: list[tuple[BarDrawing, PickBar]]
    pick: list[str]
    schools: list[tuple[str, str]]
    why: str
    dampings: list[tuple[str, str]]
    pickings: list[tuple[str, str]]
    wishes: list[tuple[str, str, bool]]
    asked: NeckQuery
    changed: bool
    tempo: str
    query: str
    lock_words: list[str]


def neck_view(
    riff_id: int,
    expanded: ExpandedRiff,
    routes: list[Route],
    neck: Instrument,
    query: NeckQuery,
    *,
    best_mm_s: float | None,
    elsewhere: tuple[Grip, ...] = (),
) -> NeckView:
    """The routes, one of them drawn, one of its chords looked at. `best_mm_s`: the hand's own best,
    None if no take has told it; `elsewhere`: the ways to take that chord.
    """
    number = min(query.route, len(routes) - 1)
    route = routes[number]
    at = stop_at(route, query.at)
    looked = _looked(expanded, route, query, at)
    path = pick_path(expanded, route, query.hands.picking, query.hands.hand.damping)
    stops = route.stops[:MAX_ROWS]
    locked = {lock.index for lock in query.locks}
    to = {move.to_index: move for move in route.changes}
    hand, limit = query.hands.hand, best_mm_s or DEFAULT_BEST_MM_S
    figure, under = figure_words(route, expanded, limit)
    return NeckView(
        riff_id=riff_id,
        title=expanded.riff.title,
        meta=f"{neck.scale_mm:g} mm scale · {hand_words(hand)} · {expanded.tempo_bpm:g} bpm",
        figure=figure,
        under=under,
        recommended=recommendation(routes, expanded, limit),
        sentence=moves_sentence(route, expanded, limit, measured=best_mm_s is not None),
        first=fails_first(route, expanded, limit),
        drawing=neck_drawing(route, neck, looked),
        routes=[
            route_line(k, route, expanded, query, limit, here=k == number)
            for k, route in enumerate(routes)
        ],
        beside=[
            beside_line(k, route, neck, expanded, query, limit, here=k == number)
            for k, route in enumerate(routes)
        ]
        if len(routes) > 1
        else [],
        chosen=None if looked is None else _chosen(expanded, looked, at, query, elsewhere),
        chords=[
            _chord_line(expanded, route, stop, to.get(stop[0]), query, locked, here=stop[0] == at)
            for stop in stops
        ],
        more_chords=len(route.stops) - len(stops),
        locks=len(query.locks),
        unlock_href="?" + query.query(locks=(), route=0),
        bars=_bars(expanded, path),
        pick=_pick_words(path),
        schools=[("any", SCHOOL_WORDS[None])] + [(s.value, f.called) for s, f in SCHOOLS.items()],
        why=_why(query),
        dampings=[(damping.value, words) for damping, words in DAMPING_WORDS.items()],
        pickings=[(picking.value, words) for picking, words in PICKING_WORDS.items()],
        wishes=[(w.value, words, w in query.wishes) for w, words in WISH_WORDS.items()],
        asked=query,
        changed=bool(query.wishes) or query.strict or query.tempo_bpm is not None,
        tempo=f"{expanded.tempo_bpm:g}",
        query=query.query(),
        lock_words=[write_lock(lock) for lock in query.locks],
    )


def stop_at(route: Route, at: int | None) -> int | None:
    """The first hit of the chord that holds a hit; of the way's widest move, or its first chord,
    if none is asked for. None if nothing is pressed at all.
    """
    for first, last in route.stops:
        if at is not None and first <= at <= last:
            return first
    if route.worst_move is not None:
        return route.moves[route.worst_move].to_index
    return route.stops[0][0] if route.stops else None


def _looked(
    expanded: ExpandedRiff, route: Route, query: NeckQuery, at: int | None
) -> Looked | None:
    if at is None:
        return None
    grip = route.places[at].grip
    ringing = ringing_before(due.hit for due in expanded.hits)[at]
    strings = len(expanded.riff.tuning)
    return Looked(grip, muting_map(grip.notes, strings, query.hands.hand.damping, ringing))


def _chosen(
    expanded: ExpandedRiff,
    looked: Looked,
    at: int | None,
    query: NeckQuery,
    elsewhere: tuple[Grip, ...],
) -> Chosen:
    neck, index = expanded.riff.instrument, at or 0
    notes = looked.grip.notes
    midis = [neck.open_midi(note.string) + note.fret for note in notes]
    return Chosen(
        name=chord_name(expanded, index),
        strings=string_lines(neck, notes, _root(midis), looked.silence),
        avoid=avoid_words(looked.silence.avoid, query.hands.hand.damping),
        elsewhere=_elsewhere(looked.grip, index, query, elsewhere),
    )


def _root(midis: list[int]) -> int:
    """The root of sounding notes, lowest first: the second if a fifth lies below it."""
    if len(midis) > 1 and midis[1] - midis[0] == 5:
        return midis[1]
    return midis[0]


def _elsewhere(
    grip: Grip, index: int, query: NeckQuery, ways: tuple[Grip, ...]
) -> list[ElsewhereLine]:
    """The same notes in other places, and in this one with other fingers, the easiest first."""
    best: dict[object, Grip] = {}
    for way in sorted(ways, key=lambda way: (way.unguarded, -way.spare_mm)):
        key = (way.layout, way.fingers) if way.layout == grip.layout else way.layout
        if (way.layout, way.fingers) != (grip.layout, grip.fingers):
            best.setdefault(key, way)
    order = sorted(best.values(), key=lambda way: (way.layout != grip.layout, way.hand or 0))
    reach = query.hands.hand.reach_mm
    return [
        ElsewhereLine(
            words=f"{_spots(way)} with {_fingers(way)}",
            span=f"{way.span_mm:.0f} mm",
            feel=comfort_words(way.comfort(reach), len(way.fingers)),
            href="?" + query.with_lock(lock_of(index, way)),
        )
        for way in order[:MAX_ELSEWHERE]
    ]


def _spots(grip: Grip) -> str:
    return " ".join(f"{note.string}/{note.fret}" for note in grip.notes)


def _fingers(grip: Grip) -> str:
    names = ["T" if finger == 5 else str(finger) for finger in grip.fingers]
    return " ".join(names) or "no finger"


def _chord_line(
    expanded: ExpandedRiff,
    route: Route,
    stop: tuple[int, int],
    move: Move | None,
    query: NeckQuery,
    locked: set[int],
    *,
    here: bool,
) -> ChordLine:
    first, last = stop
    grip = route.places[first].grip
    held = next((index for index in range(first, last + 1) if index in locked), None)
    far = move is not None and move.distance_mm > 0
    lock = query.with_lock(lock_of(first, grip)) if held is None else query.without_lock(held)
    return ChordLine(
        where=where_words(expanded, expanded.hits[first]),
        name=chord_name(expanded, first),
        place=_spots(grip),
        fingers=_fingers(grip),
        span=f"{grip.span_mm:.0f}",
        feel=comfort_words(grip.comfort(query.hands.hand.reach_mm), len(grip.fingers)),
        move=_way(move),
        speed=f"{move.speed_mm_s:.0f}" if far and move else "",
        how=how_words(move) if move else "",
        look=f"fret {move.look_fret}" if far and move else "",
        here=here,
        locked=held is not None,
        href="?" + query.query(at=first),
        lock_href="?" + lock,
    )


def _way(move: Move | None) -> str:
    if move is None:
        return ""
    distance = f"{move.distance_mm:.0f} mm" if move.distance_mm else ""
    across = f"{move.across_mm:.0f} mm across" if move.across_mm else ""
    way = ", ".join(part for part in (distance, across) if part)
    return f"{way or 'in place'}, {move.time_ms:.0f} ms"


def _bars(expanded: ExpandedRiff, path: PickPath) -> list[tuple[BarDrawing, PickBar]]:
    """The bars with the pick's way under them, each written bar once."""
    seen: set[tuple[str, int]] = set()
    out: list[tuple[BarDrawing, PickBar]] = []
    for bar in expanded.bars:
        key = (bar.section, bar.bar_in_section)
        if key not in seen and len(out) < MAX_BARS:
            seen.add(key)
            out.append((plan_bar(expanded, bar), pick_bar(expanded, bar, path)))
    return out


def _pick_words(path: PickPath) -> list[str]:
    """The problems of the pick's path, each once with its bars."""
    if not path.conflicts:
        return ["Your pick is always on the right side of the strings."]
    groups: dict[str, list[Conflict]] = {}
    for conflict in path.conflicts:
        groups.setdefault(conflict.words, []).append(conflict)
    order = sorted(groups.items(), key=lambda item: -len(item[1]))
    out = []
    for words, conflicts in order[:MAX_CONFLICTS]:
        bars = sorted({conflict.bar for conflict in conflicts})
        shown = ", ".join(map(str, bars[:6])) + (" and on" if len(bars) > 6 else "")
        name = "Bar" if len(bars) == 1 else "Bars"
        out.append(f"{name} {shown} ({counted(len(conflicts), 'stroke')}): {words}")
    return out


def _why(query: NeckQuery) -> str:
    school = query.hands.hand.school
    if school is None:
        return (
            "Each chord takes the fingers that make the whole riff easiest. Schools disagree, so "
            "try each: the table shows what it costs you."
        )
    facts = SCHOOLS[school]
    return f"{facts.why} {facts.cost}"

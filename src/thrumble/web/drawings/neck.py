"""A route on the true neck: every place the hand takes as dots with their fingers, its ways as arcs
with millimetres and time, the fastest one heaviest. The lowest string lies at the bottom, as in
tablature.
"""

from collections.abc import Callable
from dataclasses import dataclass

from thrumble.core.instrument import Instrument
from thrumble.core.neck.routes import Move, Route
from thrumble.web.drawings.strip import Word

WIDE = 1000.0
SIDE, TOP, STRING_PX = 34.0, 118.0, 24.0
ARC_PX = 78.0
BARE_TOP = 16.0  # where there are no moves
TEXT_WIDE, TEXT_HIGH = 128.0, 19.0
FRETS_AROUND = 2
LEAST_FRETS = 7


@dataclass(frozen=True, slots=True)
class NeckDot:
    """A pressed place: which finger, how often it is taken."""

    x: float
    y: float
    finger: int
    label: str


@dataclass(frozen=True, slots=True)
class NeckArc:
    """A way of the hand. `css`: worst, pivot or travel; `text`: its words, where there is room."""

    path: str
    css: str
    x: float
    y: float
    text: str
    words: str


@dataclass(frozen=True, slots=True)
class NeckDrawing:
    """The neck from the nut to beyond the highest place taken."""

    width: float
    height: float
    strings: list[float]
    frets: list[float]
    numbers: list[Word]
    dots: list[NeckDot]
    arcs: list[NeckArc]
    left: float
    right: float
    nut: float
    label: str


def neck_drawing(route: Route, instrument: Instrument) -> NeckDrawing:
    """The neck of a route; mirrored for left-handed players."""
    pressed = [n.fret for place in route.places for n in place.grip.notes if n.finger]
    last = max(LEAST_FRETS, max(pressed, default=0) + FRETS_AROUND)
    whole_mm = instrument.fret_mm(last) - instrument.fret_mm(0)

    def x(fret: float) -> float:
        low = int(fret)
        mm = instrument.fret_mm(low)
        if fret > low:
            mm += (instrument.fret_mm(low + 1) - mm) * (fret - low)
        at = SIDE + (mm - instrument.fret_mm(0)) / whole_mm * (WIDE - 2 * SIDE)
        return round(WIDE - at if instrument.left_handed else at, 1)

    top = TOP if route.moves else BARE_TOP
    y = {s: top + (s - 1) * STRING_PX for s in instrument.strings}
    counts: dict[tuple[int, int, int], int] = {}
    for place in route.places:
        for note in place.grip.notes:
            if note.finger:
                key = (note.string, note.fret, note.finger)
                counts[key] = counts.get(key, 0) + 1
    dots = [
        NeckDot(x(fret - 0.4), y[string], finger, f"string {string}, fret {fret}, finger {finger}")
        for string, fret, finger in sorted(counts)
    ]
    frets = [x(fret) for fret in range(last + 1)]
    bottom = y[len(instrument.tuning)]
    return NeckDrawing(
        width=WIDE,
        height=bottom + 44,
        strings=list(y.values()),
        frets=frets,
        numbers=[Word(x(fret - 0.5), str(fret)) for fret in range(1, last + 1)],
        dots=dots,
        arcs=_arcs(route, x),
        left=min(frets),
        right=max(frets),
        nut=frets[0],
        label=f"{len(dots)} places of fingers on the neck, {len(route.moves)} moves",
    )


def _arcs(route: Route, x: Callable[[float], float]) -> list[NeckArc]:
    """One arc for every pair of places that the hand goes between, its fastest move named."""
    hands = {place.index: place.grip.hand for place in route.places}
    fastest: dict[tuple[int, int], tuple[Move, bool]] = {}
    for k, move in enumerate(route.moves):
        a, b = hands[move.from_index] or 0, hands[move.to_index] or 0
        pair = (min(a, b), max(a, b))
        known = fastest.get(pair)
        if known is None or move.speed_mm_s > known[0].speed_mm_s:
            fastest[pair] = (move, k == route.worst_move)
    out: list[NeckArc] = []
    named: list[tuple[float, float]] = []
    order = sorted(fastest.items(), key=lambda item: (not item[1][1], -item[1][0].distance_mm))
    for (low, high), (move, worst) in order:  # the fastest is named first
        begin, end = x(low - 0.4), x(high - 0.4)
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

"""What to call a route beside others: by what it has most of."""

from collections.abc import Callable, Mapping
from itertools import pairwise

from thrumble.core.neck.grips import Grip
from thrumble.core.neck.weights import Wish

FIRST = "the easiest place"
WISHED = "as you wish"
WRITTEN = "as written"


def _hands(grips: list[Grip]) -> list[int]:
    return [grip.hand for grip in grips if grip.hand]


def _mean(values: list[int]) -> float:
    return sum(values) / len(values) if values else 0.0


def _shifts(grips: list[Grip]) -> float:
    hands = _hands(grips)
    return float(sum(abs(a - b) for a, b in pairwise(hands)))


# what a route may have least of, and what it is called then
_TRAITS: tuple[tuple[str, Callable[[list[Grip]], float]], ...] = (
    ("open strings ring", lambda grips: -sum(n.finger == 0 for g in grips for n in g.notes)),
    ("low on the neck", lambda grips: _mean(_hands(grips))),
    ("least travel", _shifts),
    ("smallest stretch", lambda grips: max((g.span_mm for g in grips), default=0.0)),
    ("up the neck", lambda grips: -_mean(_hands(grips))),
    ("one fingering", lambda grips: float(len({g.fingers for g in grips if g.fingers}))),
)


def name_routes(
    routes: list[list[Grip]],
    written: list[tuple[tuple[int, int | None], ...]],
    wishes: frozenset[Wish],
) -> list[str]:
    """A name for each route, each its own; the first is the best one. `written`: strings and frets
    of every hit as they stand.
    """
    names: list[str] = []
    for number, grips in enumerate(routes):
        if WRITTEN not in names and [grip.layout for grip in grips] == written:
            names.append(WRITTEN)
            continue
        if not number:
            names.append(WISHED if wishes else FIRST)
            continue
        fingers = "-".join(map(str, sorted({finger for grip in grips for finger in grip.fingers})))
        places = [grip.layout for grip in grips]
        if any([grip.layout for grip in other] == places for other in routes[:number]):
            names.append(_another(f"same frets, other fingers ({fingers})", names))
            continue
        members = [
            name for name, trait in _TRAITS if name not in names and _least(trait, routes, number)
        ]
        hands = _hands(grips)
        where = _where(hands)
        name = members[0] if members else where
        names.append(_another(name if name not in names else f"{name}, fingers {fingers}", names))
    return names


LESS_TRAVEL, MIN_TRAVEL_MM = 0.7, 40.0
LESS_REACH_MM = 10.0
MIN_FINGERINGS, MIN_JUMPS = 1, 2


def advantages(
    totals: Mapping[str, float],
    grips: list[Grip],
    other_totals: Mapping[str, float],
    other_grips: list[Grip],
) -> tuple[str, ...]:
    """What a player feels of one route beside another, the most important first; empty if nothing.
    Totals as of a route.
    """
    out = []
    travel, other_travel = totals["travel_mm"], other_totals["travel_mm"]
    if other_travel >= MIN_TRAVEL_MM and travel <= LESS_TRAVEL * other_travel:
        less = 100 * (1 - travel / other_travel)
        out.append("no shifting at all" if not travel else f"{less:.0f} % less shifting")
    narrower = other_totals["widest_span_mm"] - totals["widest_span_mm"]
    if narrower >= LESS_REACH_MM:
        out.append(f"reaches {narrower:.0f} mm less")
    if _ringing(grips) > _ringing(other_grips):
        out.append("more open strings")
    if len(_fingerings(other_grips)) - len(_fingerings(grips)) > MIN_FINGERINGS:
        out.append("fewer fingerings")
    if other_totals["pick_jumps"] - totals["pick_jumps"] >= MIN_JUMPS:
        out.append("fewer jumps for the pick")
    return tuple(out)


def _ringing(grips: list[Grip]) -> int:
    return sum(note.finger == 0 for grip in grips for note in grip.notes)


def _fingerings(grips: list[Grip]) -> set[tuple[int, ...]]:
    return {grip.fingers for grip in grips if len(grip.fingers) > 1}


def _another(name: str, names: list[str]) -> str:
    """A name that is not given yet."""
    while name in names:
        name += ", another way"
    return name


def _where(hands: list[int]) -> str:
    if not hands:
        return "open strings"
    low, high = min(hands), max(hands)
    return f"all at fret {low}" if low == high else f"frets {low} to {high}"


def _least(trait: Callable[[list[Grip]], float], routes: list[list[Grip]], number: int) -> bool:
    """Whether this route has clearly less of it than every other one."""
    value = trait(routes[number])
    return all(value < trait(other) - 1e-6 for k, other in enumerate(routes) if k != number)

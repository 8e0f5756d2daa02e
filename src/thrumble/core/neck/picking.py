"""The path of the pick: which strings each stroke passes, where it comes to rest, where it must be
before the next one, and where that does not work out.

The pick rests in gaps between strings: gap 6 lies outside string 6, gap 5 between strings 6 and 5,
down to gap 0 outside string 1. A down-stroke goes from a high gap to a lower one.
"""

from dataclasses import dataclass
from enum import StrEnum
from fractions import Fraction
from math import gcd, lcm

from thrumble.core.instrument import BRIDGE_SPACING_MM, Plucking
from thrumble.core.neck.hand import Damping
from thrumble.core.neck.muting_map import muting_map
from thrumble.core.neck.routes import Route
from thrumble.core.riff.expand import DueHit, ExpandedRiff
from thrumble.core.riff.model import Articulation, Stroke

# through the air from rest to start, what a strong wrist does for a while: less where it has to aim
QUICKEST_MM_S = {Damping.AIM: 400.0, Damping.SWEEP: 900.0}
AIR_SHARE = 0.5  # of the time between two strokes: the other half the pick is in the strings
MIN_SWEPT_S = 0.18  # a chord of at least so long may be swept; shorter ones only if accented
HURRIED_MS = 400.0  # below this the pick has no time to look for its side
FINGERS = (Plucking.MIDDLE, Plucking.RING, Plucking.LITTLE)  # beside the pick, from low to high


class Picking(StrEnum):
    """How the picking hand plays a riff."""

    WRITTEN = "written"
    DOWN = "down"
    ALTERNATE = "alternate"
    ACCENTS_UP = "accents-up"
    FINGERS = "fingers"


class Trouble(StrEnum):
    """The ways in which a stroke may not work out."""

    UNGUARDED = "unguarded"
    WRONG_SIDE = "wrong-side"
    TOO_FAST = "too-fast"


@dataclass(frozen=True, slots=True)
class Conflict:
    """A stroke that does not work out, and what would."""

    index: int
    bar: int
    kind: Trouble
    words: str


@dataclass(frozen=True, slots=True, kw_only=True)
class PickStroke:
    """One stroke of a hit, by its index.

    start, rest    the gaps it goes between
    passes         every string it goes through, in the order it does
    crossed        strings passed in the air on the way from the last rest
    air_mm_s       how fast that has to be; None for the first
    plucked        who takes which string, for pick and fingers
    """

    index: int
    stroke: Stroke
    start: int
    rest: int
    passes: tuple[int, ...]
    crossed: int
    air_mm_s: float | None
    plucked: tuple[tuple[int, str], ...] = ()


@dataclass(frozen=True, slots=True)
class PickPath:
    """The pick's path: all strokes of one pass in order, and those that don't work out."""

    strokes: tuple[PickStroke, ...]
    conflicts: tuple[Conflict, ...]


def pick_path(expanded: ExpandedRiff, route: Route, picking: Picking, damping: Damping) -> PickPath:
    """The pick's way through a riff taken along a route. Hits of the fretting hand alone have no
    stroke. A player who damps and sweeps does so if a chord rings long enough or is accented;
    single notes, palm mutes and fast chugs are aimed.
    """
    strings = len(expanded.riff.tuning)
    strokes: list[PickStroke] = []
    conflicts: list[Conflict] = []
    last: DueHit | None = None
    ringing: frozenset[int] = frozenset()
    bar: int | None = None
    count = 0
    finests: dict[int, Fraction] = {}
    for due, place in zip(expanded.hits, route.places, strict=True):
        if due.hit.stroke is None:
            continue
        notes = place.grip.notes
        quiet = muting_map(notes, strings, damping, ringing)
        struck = tuple(note.string for note in notes)
        bar, count = due.bar, count + 1 if due.bar == bar else 0
        if due.bar not in finests:
            finests[due.bar] = _finest(expanded, due)
        finest = finests[due.bar]
        stroke = _stroke_of(due, picking, finest=finest, count=count)
        before = strokes[-1] if strokes else None
        time_ms = (due.due_s - last.due_s) * 1000 if last else 0.0
        if stroke is Stroke.FINGERS:
            plucked = _plucked(due, struck, before)
        else:
            reached = damping if _may_sweep(due) else Damping.AIM
            low, high = _bounds(struck, quiet.unguarded, strings, reached)
            plucked = _struck(due, stroke, low, high, before, time_ms)
            inside = [s for s in quiet.unguarded if struck[-1] < s < struck[0]]
            conflicts += _conflicts(due, plucked, before, time_ms, inside, reached)
        strokes.append(plucked)
        last = due
        left_ringing = frozenset(note.string for note in due.hit.notes if note.let_ring)
        ringing = frozenset() if due.hit.stop else (ringing - set(struck)) | left_ringing
    return PickPath(tuple(strokes), tuple(conflicts))


def _may_sweep(due: DueHit) -> bool:
    """Whether a free stroke through all strings suits the hit: an open chord that is accented or
    has time.
    """
    chord = due.hit.articulation is Articulation.OPEN and len(due.hit.notes) > 1
    return chord and (due.hit.accent or due.slot_s >= MIN_SWEPT_S)


def _finest(expanded: ExpandedRiff, due: DueHit) -> Fraction:
    """The bar's finest slot: the largest length that every place in it is a multiple of."""
    places = [hit.hit.at for hit in expanded.hits if hit.bar == due.bar]
    of = lcm(4, *(place.denominator for place in places))
    return Fraction(gcd(of // 4, *(int(place * of) for place in places)), of)


def _stroke_of(due: DueHit, picking: Picking, *, finest: Fraction, count: int) -> Stroke:
    """Alternating goes by place, even multiples of the finest slot down; triplets go by count."""
    written = due.hit.stroke or Stroke.DOWN
    if picking is Picking.ALTERNATE:
        steps = count if finest.denominator % 3 == 0 else int(due.hit.at / finest)
        return Stroke.UP if steps % 2 else Stroke.DOWN
    if picking is Picking.ACCENTS_UP:
        return Stroke.UP if due.hit.accent else Stroke.DOWN
    return {
        Picking.WRITTEN: written,
        Picking.DOWN: Stroke.DOWN,
        Picking.FINGERS: Stroke.FINGERS,
    }[picking]


def _bounds(
    struck: tuple[int, ...], unguarded: tuple[int, ...], strings: int, damping: Damping
) -> tuple[int, int]:
    """The lowest and the highest string that a stroke passes."""
    low, high = struck[0], struck[-1]
    if damping is Damping.SWEEP and len(struck) > 1:
        while low < strings and low + 1 not in unguarded:
            low += 1
        while high > 1 and high - 1 not in unguarded:
            high -= 1
    return low, high


def _struck(
    due: DueHit,
    stroke: Stroke,
    low: int,
    high: int,
    before: PickStroke | None,
    time_ms: float,
) -> PickStroke:
    down = stroke is Stroke.DOWN
    start, rest = (low, high - 1) if down else (high - 1, low)
    passes = range(low, high - 1, -1) if down else range(high, low + 1)
    crossed = abs(before.rest - start) if before else 0
    air = None
    if before:
        air = crossed * BRIDGE_SPACING_MM / max(1.0, time_ms * AIR_SHARE) * 1000
    return PickStroke(
        index=due.index,
        stroke=stroke,
        start=start,
        rest=rest,
        passes=tuple(passes),
        crossed=crossed,
        air_mm_s=air,
    )


def _plucked(due: DueHit, strings: tuple[int, ...], before: PickStroke | None) -> PickStroke:
    """Pick on the lowest string, fingers on the next ones, all at once; the pick stays where it
    is.
    """
    who = [(strings[0], "pick")]
    for string, finger in zip(strings[1:], FINGERS, strict=False):
        who.append((string, finger.value))
    crossed = abs(before.rest - strings[0]) if before else 0
    return PickStroke(
        index=due.index,
        stroke=Stroke.FINGERS,
        start=strings[0],
        rest=strings[0] - 1,
        passes=strings,
        crossed=crossed,
        air_mm_s=None,
        plucked=tuple(who),
    )


def _conflicts(
    due: DueHit,
    pick_stroke: PickStroke,
    before: PickStroke | None,
    time_ms: float,
    inside: list[int],
    damping: Damping,
) -> list[Conflict]:
    """The problems of a stroke, each with its remedy."""
    out = []
    for string in inside:
        words = (
            f"String {string} lies in the middle of the stroke and nothing damps it: lean the "
            "finger below against it, or play pick and fingers."
        )
        out.append(Conflict(due.index, due.bar, Trouble.UNGUARDED, words))
    if before is None or pick_stroke.air_mm_s is None:
        return out
    turned = before.stroke is not pick_stroke.stroke
    if pick_stroke.air_mm_s > QUICKEST_MM_S[damping]:
        words = (
            f"The pick has to jump {_strings(pick_stroke.crossed)} in "
            f"{time_ms * AIR_SHARE:.0f} ms, at "
            f"{pick_stroke.air_mm_s:.0f} mm a second: "
            + ("slow down, or take it as written." if turned else "an up-stroke would catch it.")
        )
        out.append(Conflict(due.index, due.bar, Trouble.TOO_FAST, words))
    elif turned and pick_stroke.crossed and time_ms < HURRIED_MS:
        other = "a down-stroke" if pick_stroke.stroke is Stroke.UP else "an up-stroke"
        words = (
            f"Your pick comes to rest {_strings(pick_stroke.crossed)} away from where this "
            f"stroke starts: "
            f"take it as {other}."
        )
        out.append(Conflict(due.index, due.bar, Trouble.WRONG_SIDE, words))
    return out


def _strings(count: int) -> str:
    return "one string" if count == 1 else f"{count} strings"

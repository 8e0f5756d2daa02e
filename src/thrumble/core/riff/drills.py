"""Drills: a riff made into a smaller one that trains a single thing. Each is an ordinary riff whose
hits keep the identity of the hit they came from, so that what is played in a drill counts for the
riff. One table holds them all.
"""

from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, replace
from decimal import Decimal
from enum import StrEnum
from fractions import Fraction
from itertools import pairwise

from thrumble.core.errors import BadInput
from thrumble.core.instrument import MAX_FRET, Instrument, Note
from thrumble.core.music.feel import Feel
from thrumble.core.music.meter import Meter
from thrumble.core.riff.checking import check_riff
from thrumble.core.riff.excerpt import cut
from thrumble.core.riff.expand import expand, played_bars
from thrumble.core.riff.model import (
    DEFAULT_DEPTH,
    TEMPO_RANGE_BPM,
    Articulation,
    Bar,
    Hit,
    HitIdentity,
    Riff,
    Section,
    Stroke,
)
from thrumble.core.riff.runs import whole_ramps

QUARTER, HALF = Fraction(1, 4), Fraction(1, 2)
WIDE_FRETS = 3  # from here on a shape is a stretch
LADDER_FRETS = 7  # that a reach ladder starts above the shape
SHORT = Fraction(1, 8)  # hits closer than this are a burst
LONG_MOVE_FRETS = 1
COMMON = Meter(4, 4)


class DrillKind(StrEnum):
    """What a drill takes out of a riff."""

    LOOP = "loop"
    TRANSITION = "transition"
    RIGHT_HAND = "right-hand"
    MUTE_SWITCH = "mute-switch"
    HALF_CHANGES = "half-changes"
    TWO_STRINGS = "two-strings"
    PLAIN = "plain"
    SHIFTS = "shifts"
    BURST_RHYTHM = "burst-rhythm"
    STOPS = "stops"
    GRAB_RELEASE = "grab-release"
    SLIDES = "slides"
    ACCENTS = "accents"
    REACH_LADDER = "reach-ladder"
    INNER_PULSE = "inner-pulse"


@dataclass(frozen=True, slots=True)
class Piece:
    """One bar as it is played: its hits know where they come from."""

    number: int
    section: str
    bar: Bar
    feel: Feel
    neck: Instrument

    @property
    def hits(self) -> tuple[Hit, ...]:
        return self.bar.hits


Build = Callable[[list[Piece]], list[Bar]]


@dataclass(frozen=True, slots=True, kw_only=True)
class Drill:
    """A row of the table. `applies`: whether these bars hold what it trains; `build`: its bars;
    `share`: of the riff's tempo that it starts at.
    """

    kind: DrillKind
    name: str
    trains: str
    applies: Callable[[list[Piece]], bool]
    build: Build
    share: Decimal = Decimal(1)


def pieces_of(riff: Riff, bars: tuple[int, int] | None = None) -> list[Piece]:
    """The played bars from bar 1 on, or some of them, each hit with its identity. Raises BadInput
    for bars that are not there.
    """
    known = [bar for bar in expand(riff).bars if bar.number > 0]
    out = []
    for played, (bar, feel) in zip(known, played_bars(riff), strict=True):
        hits = tuple(
            _from(hit, played.section, played.bar_in_section, played.appearance) for hit in bar.hits
        )
        out.append(
            Piece(played.number, played.section, replace(bar, hits=hits), feel, riff.instrument)
        )
    if bars is None:
        return out
    first, last = bars
    if not 1 <= first <= last <= len(out):
        raise BadInput(f"the riff has bars 1 to {len(out)}; found {first} to {last}")
    return out[first - 1 : last]


def _from(hit: Hit, section: str, bar: int, appearance: int) -> Hit:
    """A hit of a drill keeps the riff's own hit as its origin."""
    own = hit.origin or HitIdentity(section, bar, hit.at, appearance)
    return replace(hit, origin=own)


def drills_of(riff: Riff) -> list[Drill]:
    """The drills that this riff has something for."""
    pieces = pieces_of(riff)
    return [drill for drill in DRILLS if drill.applies(pieces)]


def make_drill(
    riff: Riff,
    kind: DrillKind,
    *,
    bars: tuple[int, int] | None = None,
    tempo_bpm: Decimal | None = None,
) -> Riff:
    """A drill of a riff, or of some of its bars along the play order. Raises BadInput for bars that
    are not there or hold nothing of what it trains, BadTempo for a tempo that no riff has.
    """
    drill = TABLE[kind]
    pieces = pieces_of(riff, bars)
    if not any(piece.hits for piece in pieces) or not drill.applies(pieces):
        where = "this riff" if bars is None else f"bars {bars[0]} to {bars[1]}"
        raise BadInput(f"{where} has nothing for the drill {drill.name!r}: {drill.trains}")
    low, high = TEMPO_RANGE_BPM
    tempo = tempo_bpm or min(high, max(low, (riff.tempo_bpm * drill.share).quantize(Decimal(1))))
    made = drill.build(pieces)
    title = f"{riff.title}: {drill.name}"
    if bars is not None:
        title += f", bar {bars[0]}" if bars[0] == bars[1] else f", bars {bars[0]}-{bars[1]}"
    return check_riff(
        replace(
            riff,
            title=title[:120],
            tempo_bpm=tempo,
            sections=_sections(made, pieces, kind, riff.feel),
            play=(),
            pickup=None,
        )
    )


def _sections(
    made: list[Bar], pieces: list[Piece], kind: DrillKind, usual: Feel
) -> tuple[Section, ...]:
    """The bars as sections, one for each run of the same feel. Drills that are not in the riff's
    own bars take the first one's feel.
    """
    feels = [piece.feel for piece in pieces]
    if len(made) != len(feels):
        feels = [feels[0]] * len(made)
    runs: list[tuple[Feel, list[Bar]]] = []
    for bar, feel in zip(made, feels, strict=True):
        if not runs or runs[-1][0] != feel:
            runs.append((feel, []))
        runs[-1][1].append(bar)
    return tuple(
        Section(
            name=kind.value if k == 0 else f"{kind.value} {k + 1}",
            bars=whole_ramps(cut(run)),
            feel=None if feel == usual else feel,
        )
        for k, (feel, run) in enumerate(runs)
    )


# --- what bars hold -------------------------------------------------------------------------------


def _all(pieces: list[Piece]) -> list[Hit]:
    return [hit for piece in pieces for hit in piece.hits]


def _layout(hit: Hit) -> tuple[tuple[int, int | None], ...]:
    return tuple((note.string, note.fret) for note in hit.notes)


def _pressed(hit: Hit) -> list[int]:
    return [note.fret for note in hit.notes if note.fret]


def _is_chord(hit: Hit) -> bool:
    return len(hit.notes) > 1 and bool(_pressed(hit)) and hit.articulation is not Articulation.DEAD


def _spread(hit: Hit) -> int:
    frets = _pressed(hit)
    return max(frets) - min(frets) if len(frets) > 1 else 0


def _chords(pieces: list[Piece]) -> list[Hit]:
    """Each chord once, in the order they come."""
    seen: dict[object, Hit] = {}
    for hit in _all(pieces):
        if _is_chord(hit):
            seen.setdefault(_layout(hit), hit)
    return list(seen.values())


def _moves(pieces: list[Piece]) -> list[tuple[Hit, Hit]]:
    """Each move of the hand once: the hit it leaves and the one it lands on."""
    fretted = [
        hit for hit in _all(pieces) if _pressed(hit) and hit.articulation is not Articulation.DEAD
    ]
    seen: dict[object, tuple[Hit, Hit]] = {}
    for before, after in pairwise(fretted):
        if abs(min(_pressed(after)) - min(_pressed(before))) >= LONG_MOVE_FRETS:
            seen.setdefault((_layout(before), _layout(after)), (before, after))
    return list(seen.values())


def _bursts(piece: Piece) -> bool:
    """Whether hits of a bar follow each other closer than eighths."""
    return any(b.at - a.at < SHORT for a, b in pairwise(piece.hits))


def _changes(pieces: list[Piece]) -> bool:
    return len(_chords(pieces)) > 1


def _ornate(hit: Hit) -> bool:
    marks = (hit.slide_from, hit.legato, hit.bend, hit.ramp)
    return any(mark is not None for mark in marks) or hit.opens or hit.arpeggio or hit.staccato


# --- how drills are made --------------------------------------------------------------------------


def _bare(hit: Hit, **changes: object) -> Hit:
    """A hit without what either hand adds to it."""
    plain: dict[str, object] = {
        "slide_from": None,
        "legato": None,
        "bend": None,
        "opens": False,
        "arpeggio": False,
        "ramp": None,
        "staccato": False,
        "stroke": hit.stroke or Stroke.DOWN,
    }
    return replace(hit, **{**plain, **changes})  # type: ignore[arg-type]


def _each(pieces: list[Piece], change: Callable[[Hit], Hit | None]) -> list[Bar]:
    """The bars with every hit changed, or left out where it is None."""
    out = []
    for piece in pieces:
        hits = tuple(new for hit in piece.hits if (new := change(hit)) is not None)
        out.append(replace(piece.bar, hits=hits))
    return out


def _as_written(pieces: list[Piece]) -> list[Bar]:
    return [piece.bar for piece in pieces]


def _transition(pieces: list[Piece]) -> list[Bar]:
    """The bar before the first change of section and the one after; of chosen bars all of them."""
    for before, after in pairwise(pieces):
        if before.section != after.section and len(pieces) > 2:
            return [before.bar, after.bar]
    return [piece.bar for piece in pieces]


def _right_hand(pieces: list[Piece]) -> list[Bar]:
    def damped(hit: Hit) -> Hit:
        notes = tuple(Note(note.string, None) for note in hit.notes)
        return _bare(
            hit, notes=notes, articulation=Articulation.DEAD, depth=None, label=None, stop=False
        )

    return _each(pieces, damped)


def _mute_switch(pieces: list[Piece]) -> list[Bar]:
    """On the commonest chord, muted and open in turn."""
    counts = Counter(_layout(hit) for hit in _all(pieces) if _is_chord(hit))
    common = counts.most_common(1)[0][0]
    notes = tuple(Note(string, fret) for string, fret in common)
    label = next(hit.label for hit in _all(pieces) if _layout(hit) == common)
    turn = iter(range(1_000_000))

    def switched(hit: Hit) -> Hit:
        muted = next(turn) % 2 == 0
        kind = Articulation.PALM if muted else Articulation.OPEN
        depth = DEFAULT_DEPTH if muted else None
        return _bare(hit, notes=notes, articulation=kind, depth=depth, label=label)

    return _each(pieces, switched)


def _half_changes(pieces: list[Piece]) -> list[Bar]:
    """Every bar twice in its own rhythm, its chords staying twice as long."""
    out = []
    for piece in pieces:
        chords = [(hit.at, hit.notes, hit.label) for hit in piece.hits if _is_chord(hit)]
        for again in (0, 1):
            hits = []
            for hit in piece.hits:
                at = (hit.at + again * piece.bar.meter.length) / 2
                held = [one for one in chords if one[0] <= at] or chords[:1]
                if _is_chord(hit) and held:
                    hit = _bare(hit, notes=held[-1][1], label=held[-1][2])
                hits.append(hit)
            out.append(replace(piece.bar, hits=tuple(hits)))
    return out


def _two_lowest(hit: Hit) -> Hit:
    return replace(hit, notes=hit.notes[:2], label=None) if len(hit.notes) > 2 else hit


def _two_strings(pieces: list[Piece]) -> list[Bar]:
    return _each(pieces, _two_lowest)


def _plain(pieces: list[Piece]) -> list[Bar]:
    def plain(hit: Hit) -> Hit:
        bare = _bare(hit, notes=tuple(replace(n, let_ring=False, plucked=None) for n in hit.notes))
        if _spread(bare) < WIDE_FRETS:
            return bare
        narrow = _two_lowest(bare)
        notes = narrow.notes if _spread(narrow) < WIDE_FRETS else narrow.notes[:1]
        return replace(narrow, notes=notes, label=None)

    return _each(pieces, plain)


def _shifts(pieces: list[Piece]) -> list[Bar]:
    """Hit, move, settle, hit, rest: the hardest moves first, then all in the riff's order."""
    moves = _moves(pieces)
    neck = pieces[0].neck

    def far(move: tuple[Hit, Hit]) -> float:
        return abs(neck.fret_mm(min(_pressed(move[1]))) - neck.fret_mm(min(_pressed(move[0]))))

    hardest = sorted(moves, key=far, reverse=True)
    return [_two_hits(*move) for move in (*hardest, *moves)]


def _two_hits(first: Hit, second: Hit) -> Bar:
    """A bar of four: the one hit on one, the other on three, a beat of silence after each."""
    return Bar(
        COMMON,
        (
            _open(first, Fraction(0), QUARTER),
            _open(second, HALF, QUARTER),
        ),
    )


def _open(hit: Hit, at: Fraction, length: Fraction) -> Hit:
    notes = tuple(replace(note, let_ring=False, plucked=None) for note in hit.notes)
    return _bare(
        hit,
        at=at,
        length=length,
        notes=notes,
        articulation=Articulation.OPEN,
        depth=None,
        stop=True,
        accent=False,
        stroke=Stroke.DOWN,
    )


def _burst_rhythm(pieces: list[Piece]) -> list[Bar]:
    """The bars with bursts, muted on the lowest string that is played."""
    low = max(note.string for hit in _all(pieces) for note in hit.notes)

    def alone(hit: Hit) -> Hit:
        return _bare(
            hit,
            notes=(Note(low, 0),),
            articulation=Articulation.PALM,
            depth=DEFAULT_DEPTH,
            label=None,
            stop=False,
        )

    return _each([piece for piece in pieces if _bursts(piece)], alone)


def _only(wanted: Callable[[Hit], bool]) -> Build:
    """The hits of a kind alone, where they stand; bars without one are left out."""

    def build(pieces: list[Piece]) -> list[Bar]:
        holding = [piece for piece in pieces if any(map(wanted, piece.hits))]
        return _each(holding, lambda hit: hit if wanted(hit) else None)

    return build


def _grab_release(pieces: list[Piece]) -> list[Bar]:
    """Each chord grabbed on one and three, let go on two and four."""
    return [_two_hits(hit, hit) for hit in _chords(pieces)]


def _reach_ladder(pieces: list[Piece]) -> list[Bar]:
    """The widest shape from high frets down to where it stands."""
    widest = max(_chords(pieces), key=_spread)
    high = min(LADDER_FRETS, MAX_FRET - max(_pressed(widest)))
    out = []
    for up in range(high, -1, -1):
        notes = tuple(Note(n.string, n.fret + up if n.fret else n.fret) for n in widest.notes)
        rung = replace(widest, notes=notes, label=None if up else widest.label)
        out.append(_two_hits(rung, rung))
    return out


def _inner_pulse(pieces: list[Piece]) -> list[Bar]:
    """Two bars played, two bars counted: the next hit shows whether the pulse went on."""
    return [
        piece.bar if k % 4 < 2 else replace(piece.bar, hits=())
        for k, piece in enumerate(pieces[: len(pieces) - len(pieces) % 4 + 1])
    ]


def _slid(hit: Hit) -> bool:
    return hit.slide_from is not None


SLOWER = Decimal("0.75")
DRILLS = (
    Drill(
        kind=DrillKind.LOOP,
        name="loop",
        trains="a bar or a few, round and round, until they sit",
        applies=lambda pieces: bool(_all(pieces)),
        build=_as_written,
    ),
    Drill(
        kind=DrillKind.TRANSITION,
        name="the change",
        trains="the way from one section, or bar, into the next",
        applies=lambda pieces: len(pieces) > 1,
        build=_transition,
    ),
    Drill(
        kind=DrillKind.RIGHT_HAND,
        name="right hand alone",
        trains="the picking hand, all strings damped by the other",
        applies=lambda pieces: bool(_all(pieces)),
        build=_right_hand,
    ),
    Drill(
        kind=DrillKind.MUTE_SWITCH,
        name="mute on and off",
        trains="the palm coming down and lifting in time, on one chord",
        applies=lambda pieces: (
            bool(_chords(pieces))
            and any(hit.articulation is Articulation.PALM for hit in _all(pieces))
        ),
        build=_mute_switch,
    ),
    Drill(
        kind=DrillKind.HALF_CHANGES,
        name="half the changes",
        trains="changes that keep up: you stay twice as long on each chord",
        applies=_changes,
        build=_half_changes,
    ),
    Drill(
        kind=DrillKind.TWO_STRINGS,
        name="two strings",
        trains="fast shifts: the same riff on two strings instead of three",
        applies=lambda pieces: any(len(hit.notes) > 2 for hit in _all(pieces)),
        build=_two_strings,
    ),
    Drill(
        kind=DrillKind.PLAIN,
        name="plain",
        trains="the riff without stretches, slides and other ornaments",
        applies=lambda pieces: any(
            _ornate(hit) or _spread(hit) >= WIDE_FRETS for hit in _all(pieces)
        ),
        build=_plain,
    ),
    Drill(
        kind=DrillKind.SHIFTS,
        name="shifts alone",
        trains="moves: hit, move, settle, hit, rest, the hardest first",
        applies=lambda pieces: bool(_moves(pieces)),
        build=_shifts,
        share=SLOWER,
    ),
    Drill(
        kind=DrillKind.BURST_RHYTHM,
        name="the burst alone",
        trains="gallops and sixteenths on one string, for the wrist",
        applies=lambda pieces: any(map(_bursts, pieces)),
        build=_burst_rhythm,
    ),
    Drill(
        kind=DrillKind.STOPS,
        name="stops alone",
        trains="hands that come down right on the beat",
        applies=lambda pieces: any(hit.stop for hit in _all(pieces)),
        build=_only(lambda hit: hit.stop),
    ),
    Drill(
        kind=DrillKind.GRAB_RELEASE,
        name="grab and release",
        trains="the fretting hand's grip: on the beat, off the beat",
        applies=lambda pieces: bool(_chords(pieces)),
        build=_grab_release,
        share=SLOWER,
    ),
    Drill(
        kind=DrillKind.SLIDES,
        name="slides alone",
        trains="slides that arrive on time",
        applies=lambda pieces: any(map(_slid, _all(pieces))),
        build=_only(_slid),
    ),
    Drill(
        kind=DrillKind.ACCENTS,
        name="accents alone",
        trains="accents that stand out, and nothing between them",
        applies=lambda pieces: any(hit.accent for hit in _all(pieces)),
        build=_only(lambda hit: hit.accent),
    ),
    Drill(
        kind=DrillKind.REACH_LADDER,
        name="reach ladder",
        trains="a stretch, from high frets down where they are wide",
        applies=lambda pieces: any(_spread(hit) >= WIDE_FRETS for hit in _chords(pieces)),
        build=_reach_ladder,
        share=SLOWER,
    ),
    Drill(
        kind=DrillKind.INNER_PULSE,
        name="inner pulse",
        trains="time that goes on without you: two bars played, two counted",
        applies=lambda pieces: len(pieces) >= 4,
        build=_inner_pulse,
    ),
)
TABLE = {drill.kind: drill for drill in DRILLS}

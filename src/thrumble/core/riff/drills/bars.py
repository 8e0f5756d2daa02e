"""How the bars of each drill are made from the riff's own."""

from collections import Counter
from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from itertools import pairwise

from thrumble.core.instrument import MAX_FRET, Note
from thrumble.core.music.meter import Meter
from thrumble.core.riff.drills.pieces import (
    Move,
    Piece,
    bursts,
    chords_of,
    hits_of,
    is_chord,
    is_fretted_whole,
    layout_of,
    moves_of,
    pressed_of,
    root_of,
    spread_of,
)
from thrumble.core.riff.model import DEFAULT_DEPTH, Articulation, Bar, Hit, Stroke

QUARTER, HALF = Fraction(1, 4), Fraction(1, 2)
FIFTH = 7  # half steps
WIDE_FRETS = 3  # from here on a shape is a stretch
LADDER_FRETS = 7  # that a reach ladder starts above the shape
COMMON = Meter(4, 4)
Build = Callable[[list[Piece]], list[Bar]]


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
    """The bars with every hit changed, or left out if it is None."""
    out = []
    for piece in pieces:
        hits = tuple(new for hit in piece.hits if (new := change(hit)) is not None)
        out.append(replace(piece.bar, hits=hits))
    return out


def as_written(pieces: list[Piece]) -> list[Bar]:
    return [piece.bar for piece in pieces]


def transition_bars(pieces: list[Piece]) -> list[Bar]:
    """The bar before the first change of section and the one after; of chosen bars all of them."""
    for before, after in pairwise(pieces):
        if before.section != after.section and len(pieces) > 2:
            return [before.bar, after.bar]
    return [piece.bar for piece in pieces]


def right_hand(pieces: list[Piece]) -> list[Bar]:
    def damped(hit: Hit) -> Hit:
        notes = tuple(Note(note.string, None) for note in hit.notes)
        return _bare(
            hit, notes=notes, articulation=Articulation.DEAD, depth=None, label=None, stop=False
        )

    return _each(pieces, damped)


def mute_switch(pieces: list[Piece]) -> list[Bar]:
    """On the commonest chord, muted and open in turn, a quarter each: the palm has time to come
    down and to lift, however fast the riff's strokes are.
    """
    counts = Counter(layout_of(hit) for hit in hits_of(pieces) if is_chord(hit))
    common = counts.most_common(1)[0][0]
    notes = tuple(Note(string, fret) for string, fret in common)
    label = next(hit.label for hit in hits_of(pieces) if layout_of(hit) == common)
    quarter, turns = -1, 0

    def switched(hit: Hit) -> Hit:
        nonlocal quarter, turns
        if hit.at // QUARTER != quarter:
            quarter, turns = hit.at // QUARTER, turns + 1
        muted = turns % 2 == 1
        kind = Articulation.PALM if muted else Articulation.OPEN
        depth = DEFAULT_DEPTH if muted else None
        return _bare(hit, notes=notes, articulation=kind, depth=depth, label=label)

    return _each(pieces, switched)


def half_changes(pieces: list[Piece]) -> list[Bar]:
    """Every bar twice in its own rhythm, its chords staying twice as long. What rocks over one root
    goes on rocking.
    """
    out = []
    for piece in pieces:
        chords = [hit for hit in piece.hits if is_chord(hit)]
        home = {root_of(hit): hit for hit in reversed(chords)}
        for again in (0, 1):
            hits = []
            for hit in piece.hits:
                at = (hit.at + again * piece.bar.meter.length) / 2
                held = [chord for chord in chords if chord.at <= at] or chords[:1]
                if is_chord(hit) and held:
                    root = root_of(held[-1])
                    shape = hit if root_of(hit) == root else home[root]
                    hit = _bare(hit, notes=shape.notes, label=shape.label)
                hits.append(hit)
            out.append(replace(piece.bar, hits=tuple(hits)))
    return out


def _two_lowest(hit: Hit) -> Hit:
    return replace(hit, notes=hit.notes[:2], label=None) if len(hit.notes) > 2 else hit


def two_strings(pieces: list[Piece]) -> list[Bar]:
    return _each(pieces, _two_lowest)


def plain_bars(pieces: list[Piece]) -> list[Bar]:
    """The riff without ornaments; a stretch becomes root and fifth."""
    neck = pieces[0].neck

    def plain(hit: Hit) -> Hit:
        bare = _bare(hit, notes=tuple(replace(n, let_ring=False, plucked=None) for n in hit.notes))
        if spread_of(bare) < WIDE_FRETS:
            return bare
        narrow = _two_lowest(bare)
        if spread_of(narrow) < WIDE_FRETS:
            return replace(narrow, label=None)
        root, upper = narrow.notes
        fret = (neck.midi(root) or 0) + FIFTH - neck.open_midi(upper.string)
        notes = (root, replace(upper, fret=fret)) if fret >= 0 else (root,)
        return replace(narrow, notes=notes, label=None)

    return _each(pieces, plain)


def shifts_alone(pieces: list[Piece]) -> list[Bar]:
    """Hit, move, settle, hit, rest: the moves that have to be quickest first, then all in the
    riff's order.
    """
    moves = moves_of(pieces)
    neck = pieces[0].neck

    def speed(move: Move) -> float:
        way_mm = abs(neck.fret_mm(move.landed_fret) - neck.fret_mm(move.left_fret))
        return way_mm / float(move.time)

    hardest = sorted(moves, key=speed, reverse=True)
    return [_two_hits(move.before, move.after) for move in (*hardest, *moves)]


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


def burst_rhythm(pieces: list[Piece]) -> list[Bar]:
    """The bars with bursts, muted on the lowest string that is played."""
    low = max(note.string for hit in hits_of(pieces) for note in hit.notes)

    def alone(hit: Hit) -> Hit:
        return _bare(
            hit,
            notes=(Note(low, 0),),
            articulation=Articulation.PALM,
            depth=DEFAULT_DEPTH,
            label=None,
            stop=False,
        )

    return _each([piece for piece in pieces if bursts(piece)], alone)


def only(wanted: Callable[[Hit], bool]) -> Build:
    """The hits of a kind alone, where they stand; bars without one are left out."""

    def build(pieces: list[Piece]) -> list[Bar]:
        holding = [piece for piece in pieces if any(map(wanted, piece.hits))]
        return _each(holding, lambda hit: hit if wanted(hit) else None)

    return build


def grab_release(pieces: list[Piece]) -> list[Bar]:
    """Each chord grabbed on one and three, let go on two and four."""
    return [_two_hits(hit, hit) for hit in chords_of(pieces) if is_fretted_whole(hit)]


def accents(pieces: list[Piece]) -> list[Bar]:
    """The accents as written, and palm mutes on the lowest string between them."""
    low = max(note.string for hit in hits_of(pieces) for note in hit.notes)

    def against(hit: Hit) -> Hit:
        if hit.accent:
            return hit
        notes, kind = (Note(low, 0),), Articulation.PALM
        return _bare(
            hit, notes=notes, articulation=kind, depth=DEFAULT_DEPTH, label=None, stop=False
        )

    return _each([piece for piece in pieces if any(hit.accent for hit in piece.hits)], against)


def reach_ladder_bars(pieces: list[Piece]) -> list[Bar]:
    """The widest shape from high frets down to where it stands."""
    widest = max(chords_of(pieces), key=spread_of)
    high = min(LADDER_FRETS, MAX_FRET - max(pressed_of(widest)))
    out = []
    for up in range(high, -1, -1):
        notes = tuple(Note(n.string, n.fret + up if n.fret else n.fret) for n in widest.notes)
        rung = replace(widest, notes=notes, label=None if up else widest.label)
        out.append(_two_hits(rung, rung))
    return out


def inner_pulse(pieces: list[Piece]) -> list[Bar]:
    """Two bars played, two bars counted: the next hit shows whether the pulse went on."""
    return [
        piece.bar if k % 4 < 2 else replace(piece.bar, hits=())
        for k, piece in enumerate(pieces[: len(pieces) - len(pieces) % 4 + 1])
    ]

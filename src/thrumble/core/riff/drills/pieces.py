"""The bars of a riff as they are played, each hit knowing where it comes from; what they hold."""

from dataclasses import dataclass, replace
from fractions import Fraction
from itertools import pairwise

from thrumble.core.errors import BadInput
from thrumble.core.instrument import Instrument
from thrumble.core.music.feel import Feel
from thrumble.core.riff.expand import expand, played_bars
from thrumble.core.riff.model import Articulation, Bar, Hit, HitIdentity, Riff
from thrumble.core.riff.shifts import hand_frets

SHORT = Fraction(1, 8)  # hits closer than this are a burst


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


def pieces_of(riff: Riff, bars: tuple[int, int] | None = None) -> list[Piece]:
    """The played bars from bar 1 on, or some of them, each hit with its identity. Raises BadInput
    for bars that are not there.
    """
    numbered = [bar for bar in expand(riff).bars if bar.number > 0]
    out = []
    for played, (bar, feel) in zip(numbered, played_bars(riff), strict=True):
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
    identity = hit.origin or HitIdentity(section, bar, hit.at, appearance)
    return replace(hit, origin=identity)


def hits_of(pieces: list[Piece]) -> list[Hit]:
    return [hit for piece in pieces for hit in piece.hits]


def layout_of(hit: Hit) -> tuple[tuple[int, int | None], ...]:
    return tuple((note.string, note.fret) for note in hit.notes)


def pressed_of(hit: Hit) -> list[int]:
    return [note.fret for note in hit.notes if note.fret]


def is_chord(hit: Hit) -> bool:
    return (
        len(hit.notes) > 1 and bool(pressed_of(hit)) and hit.articulation is not Articulation.DEAD
    )


def spread_of(hit: Hit) -> int:
    frets = pressed_of(hit)
    return max(frets) - min(frets) if len(frets) > 1 else 0


def chords_of(pieces: list[Piece]) -> list[Hit]:
    """Each chord once, in the order they come."""
    seen: dict[object, Hit] = {}
    for hit in hits_of(pieces):
        if is_chord(hit):
            seen.setdefault(layout_of(hit), hit)
    return list(seen.values())


@dataclass(frozen=True, slots=True)
class Move:
    """A move of the fretting hand: the hit it leaves, the one it lands on, the frets of finger 1 at
    both, and the time from one to the other in whole notes.
    """

    before: Hit
    after: Hit
    left_fret: int
    landed_fret: int
    time: Fraction


def moves_of(pieces: list[Piece]) -> list[Move]:
    """Each move of the hand once, with the least time it has."""
    fretted: list[tuple[Fraction, Hit]] = []
    start = Fraction(0)
    for piece in pieces:
        fretted += [
            (start + hit.at, hit)
            for hit in piece.hits
            if pressed_of(hit) and hit.articulation is not Articulation.DEAD
        ]
        start += piece.bar.meter.length
    moves: dict[object, Move] = {}
    hands = zip(fretted, hand_frets(hit for _, hit in fretted), strict=True)
    for ((left_at, before), left), ((landed_at, after), landed) in pairwise(hands):
        if left is None or landed is None or left == landed:
            continue
        move = Move(before, after, left, landed, landed_at - left_at)
        same = moves.setdefault((layout_of(before), layout_of(after)), move)
        if move.time < same.time:
            moves[layout_of(before), layout_of(after)] = move
    return list(moves.values())


def bursts(piece: Piece) -> bool:
    """Whether hits of a bar follow each other closer than eighths."""
    return any(b.at - a.at < SHORT for a, b in pairwise(piece.hits))


def root_of(hit: Hit) -> tuple[int, int | None]:
    """String and fret of the lowest note: a shuffle's fifth and sixth are one chord."""
    return hit.notes[0].string, hit.notes[0].fret


def has_changes(pieces: list[Piece]) -> bool:
    return len({root_of(hit) for hit in chords_of(pieces)}) > 1


def is_fretted_whole(hit: Hit) -> bool:
    """Whether every string of a chord is pressed, so that the fretting hand can silence it."""
    return is_chord(hit) and all(note.fret for note in hit.notes)


def is_ornate(hit: Hit) -> bool:
    marks = (hit.slide_from, hit.legato, hit.bend, hit.ramp)
    return any(mark is not None for mark in marks) or hit.opens or hit.arpeggio or hit.staccato


def is_slid(hit: Hit) -> bool:
    """Whether a hit is slid into."""
    return hit.slide_from is not None

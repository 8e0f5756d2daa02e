"""The rhythm of MIDI notes: which were struck together, whether they swing, and their places on the
plainest grid that fits.
"""

from collections import Counter, defaultdict
from dataclasses import dataclass
from fractions import Fraction

from thrumble.core.music.feel import STRAIGHT, Feel

ONE_STROKE = Fraction(1, 240)  # whole notes: strikes a sixtieth of a quarter apart are one hit
GRIDS = (1, 2, 4, 3, 6, 8, 12, 16, 24)  # parts of a quarter, plainer ones first
OFF_GRID = 0.09  # of a part: so far from a plainer grid's place another one is tried
SWUNG = (1.3, 3.2)

Strike = tuple[Fraction, Fraction, tuple[int, ...]]
"""Where notes struck together begin, where the last of them ends (whole notes), their pitches."""


@dataclass(frozen=True, slots=True)
class Struck:
    """A note: where it begins and ends, in whole notes from the file's start, and its pitch."""

    at: Fraction
    end: Fraction
    pitch: int


def strokes_of(notes: list[Struck], lost: "Counter[str]") -> list[Strike]:
    """Notes struck together, in the order of `notes`; adds to `lost` how many were doubled."""
    out: list[tuple[Fraction, Fraction, set[int]]] = []
    for note in notes:
        if out and note.at - out[-1][0] <= ONE_STROKE:
            at, end, pitches = out[-1]
            lost["doubled"] += note.pitch in pitches
            pitches.add(note.pitch)
            out[-1] = (at, max(end, note.end), pitches)
        else:
            out.append((note.at, note.end, {note.pitch}))
    return [(at, end, tuple(sorted(pitches))) for at, end, pitches in out]


def feel_of(places: list[Fraction]) -> Feel:
    """A shuffle if the off-beats all lie late by as much and nothing else lies between."""
    inside = [float(at * 4 % 1) for at in places]
    off = [x for x in inside if 0.1 < x < 0.95]
    if len(off) < 4 or max(off) - min(off) > 0.06:
        return STRAIGHT
    middle = sorted(off)[len(off) // 2]
    ratio = middle / (1 - middle)
    if not SWUNG[0] <= ratio <= SWUNG[1]:
        return STRAIGHT
    return Feel(Fraction(round(ratio * 10), 10), Fraction(1, 8))


def on_grid(strokes: list[Strike], feel: Feel, lost: "Counter[str]") -> list[Strike]:
    """Each stroke at the nearest place of the plainest grid that its beat fits, ends likewise; of
    two at one place the pitches go together, and `lost` counts the pitches they share. The second
    figure of a result is its length, not its end.
    """
    beats: dict[int, list[Fraction]] = defaultdict(list)
    for at, *_ in strokes:
        beats[int(at * 4 + Fraction(1, 24))].append(at * 4)
    grids = {beat: _grid([float(at - beat) for at in inside]) for beat, inside in beats.items()}
    placed: dict[Fraction, tuple[Fraction, tuple[int, ...]]] = {}
    for at, end, pitches in strokes:
        beat = int(at * 4 + Fraction(1, 24))
        if feel.ratio is not None:
            here = Fraction(beat, 4) + (Fraction(1, 8) if float(at * 4 - beat) > 0.3 else 0)
        else:
            here = (
                Fraction(beat, 4)
                + Fraction(round((at * 4 - beat) * grids[beat]), 4) / (grids[beat])
            )
        long = max(Fraction(1, 32), Fraction(round((end - at) * 32), 32))
        before = placed.get(here)
        if before:
            lost["too close"] += len(set(pitches) & set(before[1]))
        both = tuple(sorted({*pitches, *(before[1] if before else ())}))
        placed[here] = (max(long, before[0] if before else long), both)
    return [(at, long, pitches) for at, (long, pitches) in sorted(placed.items())]


def _grid(inside: list[float]) -> int:
    for parts in GRIDS:
        if all(abs(x * parts - round(x * parts)) <= OFF_GRID for x in inside):
            return parts
    return min(
        GRIDS, key=lambda parts: sum(abs(x * parts - round(x * parts)) / parts for x in inside)
    )

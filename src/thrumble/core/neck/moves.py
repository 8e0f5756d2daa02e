"""What the fretting hand does between two grips: how far along and across, in what time, what
stays, what leads the way, where to look.
"""

from dataclasses import dataclass
from itertools import pairwise

from thrumble.core.instrument import Instrument
from thrumble.core.neck.grips import Grip
from thrumble.core.neck.hand import OPEN, THUMB
from thrumble.core.neck.muting_map import Fingered

PIVOT_FRETS, PIVOT_MM = 3, 100.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Move:
    """A way of the hand between two fretted hits, by their index.

    distance_mm   along the neck, finger 1 to finger 1; 0 for a change of strings or fingers alone
    across_mm     across the strings, lowest note to lowest note
    time_ms       from half the last fretted hit's slot to the next one
    pivot         back and forth within a few frets: the thumb stays planted
    stays         fingers that stay down on their string and fret
    guide         the finger that keeps its string and leads along it, None without one
    slides        the whole shape keeps its strings and fingers: it slides; else fingers lift
    look_fret     where to look, as soon as the hit before it is struck
    """

    from_index: int
    to_index: int
    distance_mm: float
    across_mm: float
    time_ms: float
    pivot: bool
    stays: tuple[int, ...]
    guide: int | None
    slides: bool
    look_fret: int

    @property
    def speed_mm_s(self) -> float:
        """How fast the hand must be along the neck."""
        return self.distance_mm / max(1.0, self.time_ms) * 1000

    def fails_at_bpm(self, tempo_bpm: float, best_mm_s: float) -> float | None:
        """The tempo from which on this is faster than the hand's own best; None for a hand that
        stays. Times go as 1/tempo.
        """
        return tempo_bpm * best_mm_s / self.speed_mm_s if self.distance_mm else None


def moves_between(
    chosen: list[Grip],
    struck: list[tuple[int, int]],
    times_s: list[float],
    instrument: Instrument,
) -> list[Move]:
    """Every change of grip, in order. `struck`: of each grip the first and the last hit;
    `times_s`: what time there is to reach it. Grips that press nothing are no changes.
    """
    hands = [grip.hand or 0 for grip in chosen]
    pressed = {id(grip): _pressed(grip) for grip in chosen}  # a riff has few grips, many moves
    out = []
    for k, (before, after) in enumerate(pairwise(chosen), 1):
        if before.notes == after.notes:
            continue
        mm = abs(instrument.fret_mm(hands[k]) - instrument.fret_mm(hands[k - 1]))
        across = abs(after.notes[0].string - before.notes[0].string)
        old, new = pressed[id(before)], pressed[id(after)]
        stays = _staying(old, new)
        out.append(
            Move(
                from_index=struck[k - 1][1],
                to_index=struck[k][0],
                distance_mm=round(mm, 2),
                across_mm=round(across * instrument.spacing_mm(hands[k]), 1),
                time_ms=round(times_s[k] * 1000, 1),
                pivot=_returns(hands, k)
                and abs(hands[k] - hands[k - 1]) <= PIVOT_FRETS
                and mm <= PIVOT_MM,
                stays=stays,
                guide=_guide(old, new, stays) if mm else None,
                slides=bool(mm) and _same_hand(old, new),
                look_fret=hands[k],
            )
        )
    return out


def _returns(hands: list[int], k: int) -> bool:
    """Whether the hand goes back to where it came from, or will."""
    previous = next((h for h in reversed(hands[: k - 1]) if h != hands[k - 1]), None)
    goes = next((h for h in hands[k + 1 :] if h != hands[k]), None)
    return hands[k] != hands[k - 1] and (hands[k] == previous or goes == hands[k - 1])


Pressed = tuple[Fingered, ...]


def _pressed(grip: Grip) -> Pressed:
    return tuple(note for note in grip.notes if note.finger not in (OPEN, THUMB))


def _staying(before: Pressed, after: Pressed) -> tuple[int, ...]:
    return tuple(sorted({note.finger for note in before if note in after}))


def _guide(before: Pressed, after: Pressed, stays: tuple[int, ...]) -> int | None:
    """The lowest finger that moves along one string."""
    fingers = {(note.finger, note.string) for note in before}
    both = {note.finger for note in after if (note.finger, note.string) in fingers}
    return min(both - set(stays), default=None)


def _same_hand(before: Pressed, after: Pressed) -> bool:
    """The same fingers on the same strings, as far apart as before in frets."""
    if [(n.finger, n.string) for n in before] != [(n.finger, n.string) for n in after]:
        return False
    return len({y.fret - x.fret for x, y in zip(before, after, strict=True)}) == 1

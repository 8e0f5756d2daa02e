"""Which string sounds, and which finger or hand keeps each of the others quiet. Derived from the
grip alone: from where its fingers lie and what they lean on.
"""

from dataclasses import dataclass
from enum import StrEnum

from thrumble.core.neck.hand import OPEN, THUMB, Damping


@dataclass(frozen=True, slots=True)
class Fingered:
    """A note and the finger on it: 0 open, 1 to 4, 5 the thumb."""

    string: int
    fret: int
    finger: int


class Silencer(StrEnum):
    """The part of a hand that lies on a string that must not sound."""

    TIP = "tip"  # of the finger on the next higher string, leaning against it
    FLAT = "flat"  # a finger laid across the higher strings
    UNDERSIDE = "underside"  # of the finger on the next lower string
    THUMB = "thumb"  # over the top
    HAND = "hand"  # all of the fretting hand, resting
    PALM = "palm"  # the edge of the picking hand


@dataclass(frozen=True, slots=True)
class Quiet:
    """A string that must not sound. `by` None: nothing lies on it; `finger`: whose tip, flat or
    underside.
    """

    string: int
    by: Silencer | None
    finger: int | None = None


@dataclass(frozen=True, slots=True)
class MutingMap:
    """The strings that must not sound, highest first; `avoid`: those the pick must not touch."""

    quiet: tuple[Quiet, ...]
    avoid: tuple[int, ...]

    @property
    def unguarded(self) -> tuple[int, ...]:
        """The strings that nothing lies on."""
        return tuple(string.string for string in self.quiet if string.by is None)


def muting_map(
    notes: tuple[Fingered, ...],
    strings: int,
    damping: Damping = Damping.SWEEP,
    ringing: frozenset[int] = frozenset(),
) -> MutingMap:
    """What keeps each other string quiet while these notes sound, lowest string first. `ringing`:
    strings that may ring on from before. Aiming, the picking hand's edge may rest on lower strings
    that the fretting hand leaves free; sweeping, it may not, for the pick comes from there.
    """
    by_string = {note.string: note for note in notes}
    quiet = []
    for string in range(1, strings + 1):
        if string in by_string or string in ringing:
            continue
        if string > notes[0].string:
            by, finger = _below(notes, string, strings, damping)
        elif string < notes[-1].string:
            by, finger = _flat(notes, notes, string)
        else:
            by, finger = _inside(by_string, notes, string)
        quiet.append(Quiet(string, by, finger))
    aimed = tuple(quiet_string.string for quiet_string in quiet)
    left = tuple(quiet_string.string for quiet_string in quiet if quiet_string.by is None)
    return MutingMap(tuple(quiet), aimed if damping is Damping.AIM else left)


Muted = tuple[Silencer | None, int | None]
NOTHING: Muted = (None, None)


def _resting(notes: tuple[Fingered, ...]) -> bool:
    """Nothing is pressed: the whole fretting hand is free to lie on the strings."""
    return all(note.finger == OPEN for note in notes)


def _below(notes: tuple[Fingered, ...], string: int, strings: int, damping: Damping) -> Muted:
    """A string lower than the lowest note."""
    lowest = notes[0]
    if string == lowest.string + 1 and lowest.finger not in (OPEN, THUMB):
        return Silencer.TIP, lowest.finger
    if string == strings and all(note.finger != THUMB for note in notes):
        return Silencer.THUMB, None
    return (Silencer.PALM, None) if damping is Damping.AIM else NOTHING


def _flat(lower: tuple[Fingered, ...], among: tuple[Fingered, ...], string: int) -> Muted:
    """A string above these notes: a finger lies flat across it. It comes from the side of the
    highest string: finger 1, or a bar, from the string it presses up; a free finger 1 behind the
    others just so far. It cannot if it would touch an open string that has to sound.
    """
    if _resting(among):
        return Silencer.HAND, None
    opens = [note.string for note in among if note.finger == OPEN]
    for note in lower:
        lies = note.finger == 1 or _is_bar(among, note.finger)
        if lies and all(open > note.string for open in opens):
            return Silencer.FLAT, note.finger
    free = all(note.finger != 1 for note in among)
    if free and all(open > string for open in opens):
        return Silencer.FLAT, 1
    return NOTHING


def _inside(by_string: dict[int, Fingered], notes: tuple[Fingered, ...], string: int) -> Muted:
    """A string between two notes: the finger on the next lower string touches it; with more than
    one left out, a finger laid flat over the rest.
    """
    under = by_string.get(string + 1)
    if under is not None and under.finger == THUMB:
        return Silencer.THUMB, None
    if under is not None and under.finger != OPEN:
        return Silencer.UNDERSIDE, under.finger
    lower = tuple(note for note in notes if note.string > string)
    return NOTHING if _resting(notes) else _flat(lower, notes, string)


def _is_bar(notes: tuple[Fingered, ...], finger: int) -> bool:
    return finger not in (OPEN, THUMB) and sum(note.finger == finger for note in notes) > 1

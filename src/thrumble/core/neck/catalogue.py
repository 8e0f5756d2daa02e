"""The shapes that riffs are made of, each by its intervals on a set of strings, so that it lies
right in any tuning; and where on the neck each can be taken.
"""

from dataclasses import dataclass
from functools import lru_cache

from thrumble.core.instrument import Instrument, Note
from thrumble.core.neck.conventions import oddness
from thrumble.core.neck.grips import LAST_FRET, WIDEST_FRETS, Grip, grips
from thrumble.core.neck.hand import THUMB, Hand

DEGREES = {
    0: "root",
    2: "second",
    3: "minor third",
    4: "third",
    5: "fourth",
    6: "flat fifth",
    7: "fifth",
    8: "sharp fifth",
    9: "sixth",
    10: "flat seventh",
    12: "octave",
    14: "ninth",
    17: "fourth",
    19: "fifth, an octave up",
    -5: "fifth in the bass",
    -8: "third in the bass",
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Shape:
    """A shape. `on`: its strings counted from the root's towards the highest, lowest first;
    `intervals`: semitones from the root, beside it; `open_at_nut`: it is taken with the root's
    string open only; `level`: it is the one-finger form, so all frets must be the same;
    `drones`: that many of the highest strings ring open over it.
    """

    key: str
    name: str
    sound: str
    on: tuple[int, ...]
    intervals: tuple[int, ...]
    needs: str = ""
    open_at_nut: bool = False
    level: bool = False
    drones: int = 0


CATALOGUE = (
    Shape(
        key="two",
        name="root and fifth",
        sound="The power chord itself: tight under gain, quickest to move.",
        on=(0, 1),
        intervals=(0, 7),
    ),
    Shape(
        key="three",
        name="root, fifth, octave",
        sound="Fuller on top. For fast shifts leave the octave out.",
        on=(0, 1, 2),
        intervals=(0, 7, 12),
    ),
    Shape(
        key="bass-fifth",
        name="fifth in the bass",
        sound="Two strings under one finger, heavy below.",
        on=(-1, 0),
        intervals=(-5, 0),
    ),
    Shape(
        key="fifth-root-fifth",
        name="one-finger power chord",
        sound="The biggest sound three adjacent strings can make.",
        on=(-1, 0, 1),
        intervals=(-5, 0, 7),
    ),
    Shape(
        key="wide",
        name="root, octave, fifth above",
        sound="Clear even under gain: there is air between the notes.",
        on=(0, 2, 3),
        intervals=(0, 12, 19),
        needs="The string inside must be damped, or play pick and fingers.",
    ),
    Shape(
        key="one-finger",
        name="one finger, dropped tuning",
        sound="A bar of one finger: slides anywhere at any speed.",
        on=(0, 1, 2),
        intervals=(0, 7, 12),
        needs="The lowest string tuned a whole step down.",
        level=True,
    ),
    Shape(
        key="open",
        name="open form",
        sound="The root rings on its own open string. It can't be moved as it is.",
        on=(0, 1, 2),
        intervals=(0, 7, 12),
        needs="The root on an open string.",
        open_at_nut=True,
    ),
    Shape(
        key="sixth",
        name="root and sixth",
        sound="The shuffle's second half: fifth, then sixth.",
        on=(0, 1),
        intervals=(0, 9),
        needs="Finger 4 reaches for it while 1 and 3 stay.",
    ),
    Shape(
        key="seventh",
        name="root and flat seventh",
        sound="One fret past the sixth: the shuffle's third step.",
        on=(0, 1),
        intervals=(0, 10),
    ),
    Shape(
        key="sus2",
        name="suspended second",
        sound="Open and bright, neither major nor minor.",
        on=(0, 1, 2),
        intervals=(0, 7, 14),
    ),
    Shape(
        key="sus4",
        name="suspended fourth",
        sound="It wants to fall back to the power chord.",
        on=(0, 1, 2),
        intervals=(0, 5, 12),
    ),
    Shape(
        key="flat-fifth",
        name="flat fifth",
        sound="Sinister: the fifth a fret lower.",
        on=(0, 1),
        intervals=(0, 6),
    ),
    Shape(
        key="sharp-fifth",
        name="sharp fifth",
        sound="Restless: the fifth a fret higher.",
        on=(0, 1),
        intervals=(0, 8),
    ),
    Shape(
        key="drones",
        name="power chord with two strings open on top",
        sound="The two highest strings ring over every chord you move to.",
        on=(0, 1, 2),
        intervals=(0, 7, 12),
        needs="Finger 1 stays arched, so that strings 2 and 1 ring.",
        drones=2,
    ),
    Shape(
        key="over-bass",
        name="over another bass",
        sound="The third below the chord: a walking bass without leaving it.",
        on=(-2, 0, 1, 2),
        intervals=(-8, 0, 7, 12),
        needs="Your thumb over the top, or finger 1, on the bass; the string inside is damped.",
    ),
    Shape(
        key="single",
        name="single bass note",
        sound="For walks of three or four notes between chords.",
        on=(0,),
        intervals=(0,),
    ),
    Shape(
        key="major",
        name="small major triad",
        sound="Turns to mud under gain: keep it for clean tones.",
        on=(0, 1, 2),
        intervals=(0, 4, 7),
    ),
    Shape(
        key="minor",
        name="small minor triad",
        sound="As the major one: for clean tones.",
        on=(0, 1, 2),
        intervals=(0, 3, 7),
    ),
)
SHAPES = {shape.key: shape for shape in CATALOGUE}


def place_shape(
    shape: Shape, instrument: Instrument, root_string: int, root_fret: int
) -> tuple[Note, ...] | None:
    """The notes of a shape around a root, lowest string first; None if strings, frets or the
    form do not allow it.
    """
    if shape.open_at_nut and root_fret:
        return None
    root = instrument.open_midi(root_string) + root_fret
    notes = []
    for away, interval in zip(shape.on, shape.intervals, strict=True):
        string = root_string - away
        if string not in instrument.strings:
            return None
        fret = root + interval - instrument.open_midi(string)
        if not 0 <= fret <= LAST_FRET or abs(fret - root_fret) > WIDEST_FRETS:
            return None
        notes.append(Note(string, fret))
    if shape.level and len({note.fret for note in notes}) > 1:
        return None
    if shape.drones:
        if notes[-1].string <= shape.drones or root_fret == 0:
            return None
        notes += [Note(string, 0) for string in range(shape.drones, 0, -1)]
    return tuple(notes)


def root_strings(shape: Shape, instrument: Instrument) -> tuple[int, ...]:
    """The strings that can carry the root, lowest first."""
    frets = (0,) if shape.open_at_nut else range(1, 13)
    return tuple(
        string
        for string in reversed(instrument.strings)
        if any(place_shape(shape, instrument, string, fret) for fret in frets)
    )


@dataclass(frozen=True, slots=True)
class AtFret:
    """A shape at one fret: how wide it is, and the grip that spares the hand most, None if the
    hand cannot.
    """

    fret: int
    span_mm: float
    grip: Grip | None


@lru_cache(maxsize=64)
def along_the_neck(
    shape: Shape, instrument: Instrument, root_string: int, hand: Hand
) -> tuple[AtFret, ...]:
    """The shape with its root at every fret up to the twelfth."""
    out = []
    for fret in range(13):
        notes = place_shape(shape, instrument, root_string, fret)
        if notes is None:
            continue
        pressed = [note.fret for note in notes if note.fret]
        span = 0.0
        if pressed:
            span = instrument.fret_mm(max(pressed)) - instrument.fret_mm(min(pressed))
        out.append(AtFret(fret, span, easiest(instrument, notes, hand)))
    return tuple(out)


def easiest(instrument: Instrument, notes: tuple[Note, ...], hand: Hand) -> Grip | None:
    """The grip that players know for these notes: without the thumb, by the conventions of power
    chords, then with the fewest strings unguarded and the most reach to spare; by the hand's school
    if that can. None if the hand can't reach.
    """
    fingerings = grips(instrument, notes, hand.reach_mm, hand.school) or grips(
        instrument, notes, hand.reach_mm, None
    )
    return min(
        fingerings,
        key=lambda grip: (
            THUMB in grip.fingers,
            oddness(grip.notes, hand.school),
            grip.unguarded,
            -grip.spare_mm,
        ),
        default=None,
    )

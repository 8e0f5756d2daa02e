"""The fretting hand: how far it reaches, which fingers it takes power chords with, how it keeps the
other strings quiet. What each school is good for stands here as data.
"""

from dataclasses import dataclass
from enum import StrEnum

from thrumble.core.errors import BadInput
from thrumble.core.instrument import Instrument

DEFAULT_REACH_MM = 112.0  # finger 1 to 4; four frets at fret 3 of a usual scale
REACH_RANGE_MM = (60.0, 220.0)
# how far two fingers go apart, as a share of the reach from 1 to 4
SHARES = {(1, 2): 0.5, (1, 3): 0.8, (1, 4): 1.0, (2, 3): 0.45, (2, 4): 0.75, (3, 4): 0.5}
OPEN, THUMB = 0, 5
BARS = (1, 3)  # fingers that can lie across several strings
SPEED_RANGE_MM_S = (100.0, 5000.0)
DEFAULT_BEST_MM_S = 700.0  # of a hand that was never measured: a long move in a fifth of a second
ASKED_FRETS = (1, 5, 9)  # where finger 1 lies in the three questions about the reach
MAX_FRETS_ASKED = 9


class School(StrEnum):
    """Which fingers a power chord is taken with."""

    ONE_THREE = "1-3"
    ONE_FOUR = "1-4"
    ONE_THREE_FOUR = "1-3-4"
    BARRE = "barre"


@dataclass(frozen=True, slots=True)
class SchoolFacts:
    """What a school is, and what players say for and against it."""

    fingers: frozenset[int]
    called: str
    why: str
    cost: str


SCHOOLS = {
    School.ONE_THREE: SchoolFacts(
        frozenset({1, 3}),
        "1 and 3",
        "Taught first: two strong fingers, and 4 is left over for the shuffle.",
        "It spreads your hand, and in quick shifts it tires first.",
    ),
    School.ONE_FOUR: SchoolFacts(
        frozenset({1, 4}),
        "1 and 4",
        "Compact and relaxed: finger 1 is free to drop back a fret or catch a lower bass note.",
        "Your little finger needs a few weeks to get strong.",
    ),
    School.ONE_THREE_FOUR: SchoolFacts(
        frozenset({1, 3, 4}),
        "1, 3 and 4",
        "The fullest sound: a finger for root, fifth and octave.",
        "Slowest to move: for fast shifts play two strings of it.",
    ),
    School.BARRE: SchoolFacts(
        frozenset({1, 3}),
        "barre with 1 or 3",
        "Two or three strings at one fret under one finger: made for drop tunings.",
        "Every string has to be pressed clean by one finger, so it takes strength.",
    ),
}


class Damping(StrEnum):
    """How strings that must not sound are kept quiet."""

    AIM = "aim"  # the pick touches the written strings only
    SWEEP = "sweep"  # the fretting hand damps all others and the pick goes through everything


@dataclass(frozen=True, slots=True, kw_only=True)
class Hand:
    """A player's fretting hand. `reach_mm`: finger 1 to 4, comfortably; `school` None: whatever is
    easiest, chord by chord.
    """

    reach_mm: float = DEFAULT_REACH_MM
    school: School | None = None
    damping: Damping = Damping.SWEEP


def check_hand(hand: Hand) -> Hand:
    """The hand, if there can be such a one. Raises BadInput for a reach that no hand has."""
    low, high = REACH_RANGE_MM
    if not low <= hand.reach_mm <= high:  # also refuses NaN
        raise BadInput(
            f"{hand.reach_mm:g} mm isn't a realistic reach: from finger 1 to 4 it is {low:g} to "
            f"{high:g} mm"
        )
    return hand


def check_speed(speed_mm_s: float | None) -> float | None:
    """The speed of a hand, if there can be such a one. Raises BadInput for one out of range."""
    low, high = SPEED_RANGE_MM_S
    if speed_mm_s is not None and not low <= speed_mm_s <= high:  # also refuses NaN
        raise BadInput(
            f"{speed_mm_s:g} mm a second isn't a realistic speed: hands move at {low:g} to {high:g}"
        )
    return speed_mm_s


@dataclass(frozen=True, slots=True)
class MeasuredReach:
    """What the three answers say. `low_mm` is reached for sure, `high_mm` is not."""

    reach_mm: float
    low_mm: float
    high_mm: float
    agree: bool


def measure_reach(instrument: Instrument, answers: dict[int, int]) -> MeasuredReach:
    """The reach from the frets that finger 4 gets to, finger 1 lying on the frets asked. Each
    answer says that so much is reached and a fret more is not; if they agree the reach lies
    between the narrowest of these. If they do not, the middle answer counts. Raises BadInput
    for no answer, and for frets that are not above finger 1.
    """
    spans = []
    for first, reached in sorted(answers.items()):
        if not 1 <= reached - first <= MAX_FRETS_ASKED:
            raise BadInput(
                f"with finger 1 on fret {first}, finger 4 lies on fret {first + 1} to "
                f"{first + MAX_FRETS_ASKED}; found {reached}"
            )
        at = instrument.fret_mm(first)
        spans.append((instrument.fret_mm(reached) - at, instrument.fret_mm(reached + 1) - at))
    if not spans:
        raise BadInput("answer at least one of the three: which fret does your little finger reach")
    low, high = max(span[0] for span in spans), min(span[1] for span in spans)
    agree = low < high
    if not agree:
        low, high = sorted(spans)[len(spans) // 2]
    least, most = REACH_RANGE_MM
    reach = round(min(most, max(least, low + (high - low) / 4)), 1)  # on the safe side
    return MeasuredReach(reach, low, high, agree)

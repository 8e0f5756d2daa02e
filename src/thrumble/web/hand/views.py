"""The player's own hands in words."""

from dataclasses import dataclass

from thrumble.core.coach.progress.ladder import LADDERS, LadderSchool
from thrumble.core.instrument import Instrument
from thrumble.core.neck.catalogue import SHAPES, along_the_neck, root_strings
from thrumble.core.neck.hand import ASKED_FRETS, SCHOOLS, MeasuredReach
from thrumble.core.neck.picking import Picking
from thrumble.store.practice.hands import Hands
from thrumble.web.shared.neck_words import DAMPING_WORDS, PICKING_WORDS, comfort_words

FARTHEST = 8  # frets above finger 1 that an answer may name
SHOWN_FRETS = (1, 3, 5, 7, 9, 12)
SHOWN_SHAPES = ("two", "three", "sixth", "wide", "sus2")


@dataclass(frozen=True, slots=True)
class Question:
    """One of the three: finger 1 on a fret, the frets finger 4 may get to, with their distance."""

    fret: int
    choices: list[tuple[int, str]]


@dataclass(frozen=True, slots=True)
class Choice:
    """Something to choose, with what speaks for it."""

    value: str
    words: str
    why: str
    on: bool


@dataclass(frozen=True, slots=True)
class ReachRow:
    """A shape at some frets: how wide, and how that feels to this hand."""

    name: str
    cells: list[tuple[str, str]]


@dataclass(frozen=True, slots=True, kw_only=True)
class HandView:
    """The page. `figure`: the reach."""

    figure: str
    under: str
    sentence: str
    reach: str
    speed: str
    questions: list[Question]
    schools: list[Choice]
    dampings: list[Choice]
    pickings: list[Choice]
    ladders: list[Choice]
    frets: tuple[int, ...]
    rows: list[ReachRow]


def hand_view(
    hands: Hands, ladder: LadderSchool, neck: Instrument, speed_mm_s: float | None
) -> HandView:
    """The hands as they are kept, and what their reach makes of the commonest shapes."""
    hand = hands.hand
    speed = "Your takes don't tell yet how fast your hand lands: riffs with long moves will."
    if speed_mm_s:
        speed = f"Your takes show moves of up to {speed_mm_s:.0f} mm a second landing in time."
    if hands.speed_mm_s:
        speed = f"You set your hand's speed to {hands.speed_mm_s:.0f} mm a second."
    return HandView(
        figure=f"{hand.reach_mm:.0f}",
        under="mm from finger 1 to 4" + ("" if hands.known else ", until you measure yours"),
        sentence=speed,
        reach=f"{hand.reach_mm:g}",
        speed="" if hands.speed_mm_s is None else f"{hands.speed_mm_s:.0f}",
        questions=[_question(fret, neck) for fret in ASKED_FRETS],
        schools=[Choice("any", "whatever is easiest", "Chord by chord.", hand.school is None)]
        + [
            Choice(school.value, facts.called, f"{facts.why} {facts.cost}", hand.school is school)
            for school, facts in SCHOOLS.items()
        ],
        dampings=[
            Choice(choice.value, words, DAMPING_WHY[choice.value], hand.damping is choice)
            for choice, words in DAMPING_WORDS.items()
        ],
        pickings=[
            Choice(choice.value, words, PICKING_WHY[choice], hands.picking is choice)
            for choice, words in PICKING_WORDS.items()
        ],
        ladders=[
            Choice(school.value, facts.called, facts.what, ladder is school)
            for school, facts in LADDERS.items()
        ],
        frets=SHOWN_FRETS,
        rows=[_row(key, hands, neck) for key in SHOWN_SHAPES if root_strings(SHAPES[key], neck)],
    )


DAMPING_WHY = {
    "sweep": "Snappier under gain, and your picking hand needn't be precise.",
    "aim": "Cleaner on light gain; every stroke has to find its strings.",
}
PICKING_WHY = {
    Picking.WRITTEN: "Each riff says it stroke by stroke.",
    Picking.DOWN: "Drive and one weight; at speed it tires.",
    Picking.ALTERNATE: "Down on the beat, up between: half the work.",
    Picking.ACCENTS_UP: "Down all through, an up-stroke where it has to bite.",
    Picking.FINGERS: "The pick on the lowest string, your fingers on the next, all at once.",
}


def _question(fret: int, neck: Instrument) -> Question:
    at = neck.fret_mm(fret)
    return Question(
        fret,
        [
            (reached, f"fret {reached} ({neck.fret_mm(reached) - at:.0f} mm)")
            for reached in range(fret + 2, fret + FARTHEST + 1)
        ],
    )


def _row(key: str, hands: Hands, neck: Instrument) -> ReachRow:
    shape, hand = SHAPES[key], hands.hand
    lines = {
        line.fret: line for line in along_the_neck(shape, neck, root_strings(shape, neck)[0], hand)
    }
    cells = []
    for fret in SHOWN_FRETS:
        line = lines.get(fret)
        if line is None:
            cells.append(("", ""))
            continue
        feel = "out of reach"
        if line.grip is not None:
            feel = comfort_words(line.grip.comfort(hand.reach_mm), len(line.grip.fingers))
        cells.append((f"{line.span_mm:.0f}", feel))
    return ReachRow(shape.name, cells)


def measured_words(measured_reach: MeasuredReach) -> str:
    """The measured reach in a sentence, and what to try if the three answers disagree."""
    span = f"between {measured_reach.low_mm:.0f} and {measured_reach.high_mm:.0f} mm"
    if measured_reach.agree:
        return f"Your reach is {span}: we plan with {measured_reach.reach_mm:.0f}."
    return (
        f"Your answers don't agree, so we take the middle one, {span}, and plan with "
        f"{measured_reach.reach_mm:.0f}. Try each fret again with your thumb low behind the neck."
    )

"""Sixty passages and how a rhythm guitarist fingers them: from general guitar teaching, not from
what the planner says. Fingers in brackets; grips in the order in which they are first needed.
"""

from dataclasses import dataclass

from thrumble.core.neck.grips import Grip
from thrumble.core.neck.hand import Hand, School
from thrumble.core.neck.routes import Route, plan_routes
from thrumble.core.riff.expand import ExpandedRiff, expand
from thrumble.core.riff.notation.text import parse_riff

ANY = Hand()
ONE_THREE, ONE_FOUR = Hand(school=School.ONE_THREE), Hand(school=School.ONE_FOUR)
FULL, BARRE = Hand(school=School.ONE_THREE_FOUR), Hand(school=School.BARRE)
WIDE = Hand(reach_mm=135)
DROP = "tuning: D2 A2 D3 G3 B3 E4\n"
SEVEN = "tuning: B1 E2 A2 D3 G3 B3 E4\n"
FLAT = "tuning: Eb2 Ab2 Db3 Gb3 Bb3 Eb4\n"


@dataclass(frozen=True, slots=True)
class Case:
    """Bars of a riff, and the grips of the first route; | separates alternatives."""

    name: str
    bars: str
    grips: tuple[str, ...]
    hand: Hand = ANY
    head: str = ""
    tempo: int = 120


CASES = (
    # two-string power chords keep one fingering and move as a whole
    Case("a chord", "| 6:5,5:7 o ~ ~ ~ |", ("6/5(1) 5/7(3)",), ONE_THREE),
    Case("a chord, compact", "| 6:5,5:7 o ~ ~ ~ |", ("6/5(1) 5/7(4)",), ONE_FOUR),
    Case("a chord, any fingers", "| 6:5,5:7 o ~ ~ ~ |", ("6/5(1) 5/7(3)",)),
    Case("low on the neck", "| 6:1,5:3 o ~ ~ ~ |", ("6/1(1) 5/3(3)",)),
    Case("high on the neck", "| 6:12,5:14 o ~ ~ ~ |", ("6/12(1) 5/14(3)",)),
    Case("on the middle strings", "| 5:3,4:5 o ~ ~ ~ |", ("5/3(1) 4/5(3)",)),
    Case("on four and three", "| 4:5,3:7 o ~ ~ ~ |", ("4/5(1) 3/7(3)",)),
    Case("between three and two", "| 3:5,2:8 o ~ ~ ~ |", ("3/5(1) 2/8(4)|3/5(1) 2/8(3)",)),
    Case(
        "punk box",
        "| 6:5,5:7 o o o o 5:5,4:7 o o o o | 5:7,4:9 o o o o o o o o |",
        ("6/5(1) 5/7(3)", "5/5(1) 4/7(3)", "5/7(1) 4/9(3)"),
        tempo=184,
    ),
    Case(
        "along one string",
        "| 6:3,5:5 o o 6:6,5:8 o o | 6:5,5:7 o o 6:3,5:5 o o |",
        ("6/3(1) 5/5(3)", "6/6(1) 5/8(3)", "6/5(1) 5/7(3)"),
    ),
    Case(
        "along one string, compact",
        "| 6:3,5:5 o o 6:6,5:8 o o | 6:5,5:7 o o 6:3,5:5 o o |",
        ("6/3(1) 5/5(4)", "6/6(1) 5/8(4)", "6/5(1) 5/7(4)"),
        ONE_FOUR,
    ),
    Case(
        "a half step and back",
        "| 6:5,5:7 o o 6:6,5:8 o o 6:5,5:7 o o 6:6,5:8 o o |",
        ("6/5(1) 5/7(3)", "6/6(1) 5/8(3)"),
        tempo=160,
    ),
    Case(
        "a long shift, slowly",
        "| 6:2,5:4 o ~ ~ ~ | 6:9,5:11 o ~ ~ ~ |",
        ("6/2(1) 5/4(3)", "6/9(1) 5/11(3)"),
        tempo=80,
    ),
    Case(
        "across the strings",
        "| 6:3,5:5 o o 5:3,4:5 o o 4:3,3:5 o o 5:3,4:5 o o |",
        ("6/3(1) 5/5(3)", "5/3(1) 4/5(3)", "4/3(1) 3/5(3)"),
    ),
    # three strings
    Case("with the octave", "| 6:5,5:7,4:7 o ~ ~ ~ |", ("6/5(1) 5/7(3) 4/7(4)",), FULL),
    Case(
        "with the octave, any fingers",
        "| 6:5,5:7,4:7 o ~ ~ ~ |",
        ("6/5(1) 5/7(3) 4/7(4)|6/5(1) 5/7(3) 4/7(3)",),
    ),
    Case("octave, barre", "| 6:5,5:7,4:7 o ~ ~ ~ |", ("6/5(1) 5/7(3) 4/7(3)",), BARRE),
    Case(
        "octave shapes that move",
        "| 6:5,5:7,4:7 o o 6:8,5:10,4:10 o o 6:10,5:12,4:12 o o o o |",
        ("6/5(1) 5/7(3) 4/7(4)", "6/8(1) 5/10(3) 4/10(4)", "6/10(1) 5/12(3) 4/12(4)"),
        FULL,
        tempo=140,
    ),
    Case(
        "from six to five, three strings",
        "| 6:3,5:5,4:5 o o 5:3,4:5,3:5 o o |",
        ("6/3(1) 5/5(3) 4/5(4)", "5/3(1) 4/5(3) 3/5(4)"),
        FULL,
    ),
    Case("fifth below", "| 6:5,5:5 o ~ ~ ~ |", ("6/5(1) 5/5(1)",)),
    Case("fourths that move", "| 6:5,5:5 o o 6:7,5:7 o o |", ("6/5(1) 5/5(1)", "6/7(1) 5/7(1)")),
    Case(
        "fifth, root, fifth",
        "| 5:5,4:5,3:7 o ~ ~ ~ |",
        ("5/5(1) 4/5(1) 3/7(3)|5/5(1) 4/5(1) 3/7(4)",),
    ),
    # drop tunings: one finger
    Case("drop, one finger", "| 6:3,5:3,4:3 o ~ ~ ~ |", ("6/3(1) 5/3(1) 4/3(1)",), head=DROP),
    Case(
        "drop, moved",
        "| 6:3,5:3,4:3 o o 6:5,5:5,4:5 o o 6:8,5:8,4:8 o o 6:5,5:5,4:5 o o |",
        ("6/3(1) 5/3(1) 4/3(1)", "6/5(1) 5/5(1) 4/5(1)", "6/8(1) 5/8(1) 4/8(1)"),
        head=DROP,
    ),
    Case(
        "drop, from open",
        "| 6:0,5:0,4:0 o o o o 6:3,5:3,4:3 o o o o |",
        ("6/0 5/0 4/0", "6/3(1) 5/3(1) 4/3(1)"),
        head=DROP,
    ),
    Case(
        "drop, two strings",
        "| 6:5,5:5 o o 6:7,5:7 o o |",
        ("6/5(1) 5/5(1)", "6/7(1) 5/7(1)"),
        head=DROP,
    ),
    Case(
        "drop, by the barre school",
        "| 6:3,5:3,4:3 o o 6:5,5:5,4:5 o o |",
        ("6/3(1) 5/3(1) 4/3(1)", "6/5(1) 5/5(1) 4/5(1)"),
        BARRE,
        head=DROP,
    ),
    # the shuffle
    Case(
        "open boogie",
        "| 5:0,4:2 o o 5:0,4:4 o o 5:0,4:2 o o 5:0,4:4 o o |",
        ("5/0 4/2(1)", "5/0 4/4(3)"),
    ),
    Case(
        "open boogie in E",
        "| 6:0,5:2 o o 6:0,5:4 o o 6:0,5:2 o o 6:0,5:4 o o |",
        ("6/0 5/2(1)", "6/0 5/4(3)"),
    ),
    Case(
        "open boogie in D",
        "| 4:0,3:2 o o 4:0,3:4 o o 4:0,3:2 o o 4:0,3:4 o o |",
        ("4/0 3/2(1)", "4/0 3/4(3)"),
    ),
    Case(
        "open boogie to the flat seventh",
        "| 5:0,4:2 o o 5:0,4:4 o o 5:0,4:5 o o 5:0,4:4 o o |",
        ("5/0 4/2(1)", "5/0 4/4(3)", "5/0 4/5(4)"),
    ),
    Case(
        "boogie, two chords",
        "| 5:0,4:2 o o 5:0,4:4 o o | 4:0,3:2 o o 4:0,3:4 o o |",
        ("5/0 4/2(1)", "5/0 4/4(3)", "4/0 3/2(1)", "4/0 3/4(3)"),
    ),
    Case(
        "shuffle at fret 5",
        "| 6:5,5:7 o o 6:5,5:9 o o 6:5,5:7 o o 6:5,5:9 o o |",
        ("6/5(1) 5/7(3)", "6/5(1) 5/9(4)"),
    ),
    Case(
        "shuffle in E flat",
        "| 5:6,4:8 o o 5:6,4:10 o o 5:6,4:8 o o 5:6,4:10 o o |",
        ("5/6(1) 4/8(3)", "5/6(1) 4/10(4)"),
        ONE_THREE,
    ),
    Case(
        "shuffle to the flat seventh",
        "| 6:8,5:10 o o 6:8,5:12 o o 6:8,5:13 o o 6:8,5:12 o o |",
        ("6/8(1) 5/10(3)", "6/8(1) 5/12(4)", "6/8(1) 5/13(4)"),
    ),
    Case(
        "shuffle from one to four",
        "| 6:7,5:9 o o 6:7,5:11 o o | 5:7,4:9 o o 5:7,4:11 o o |",
        ("6/7(1) 5/9(3)", "6/7(1) 5/11(4)", "5/7(1) 4/9(3)", "5/7(1) 4/11(4)"),
    ),
    Case(
        "shuffle low, a wide hand",
        "| 6:3,5:5 o o 6:3,5:7 o o 6:3,5:5 o o 6:3,5:7 o o |",
        ("6/3(1) 5/5(3)", "6/3(1) 5/7(4)"),
        WIDE,
    ),
    # open forms
    Case("E, two strings", "| 6:0,5:2 o ~ ~ ~ |", ("6/0 5/2(1)|6/0 5/2(2)",)),
    Case("A, two strings", "| 5:0,4:2 o ~ ~ ~ |", ("5/0 4/2(1)|5/0 4/2(2)",)),
    Case(
        "E, three strings",
        "| 6:0,5:2,4:2 o ~ ~ ~ |",
        ("6/0 5/2(1) 4/2(1)|6/0 5/2(2) 4/2(3)",),
    ),
    Case(
        "A, three strings",
        "| 5:0,4:2,3:2 o ~ ~ ~ |",
        ("5/0 4/2(1) 3/2(1)|5/0 4/2(2) 3/2(3)",),
    ),
    Case("D", "| 4:0,3:2,2:3 o ~ ~ ~ |", ("4/0 3/2(1) 2/3(2)|4/0 3/2(1) 2/3(3)",)),
    Case(
        "E to G",
        "| 6:0,5:2 o o o o 6:3,5:5 o o o o |",
        ("6/0 5/2(1)|6/0 5/2(2)", "6/3(1) 5/5(3)"),
    ),
    # what is written stays: palm mutes, drones, walks
    Case("a chug", "| 6:0 m m m m m m m m |", ("6/0",), head="pedal: 6:0\n", tempo=200),
    Case(
        "a gallop",
        "| 6:0 m m m 6:0 m m m 6:3,5:5 o o 6:5,5:7 o o |",
        ("6/0", "6/3(1) 5/5(3)", "6/5(1) 5/7(3)"),
        head="pedal: 6:0\n",
        tempo=220,
    ),
    Case(
        "muted chords stay on their strings",
        "| 6:7,5:9 m m m m 6:10,5:12 m m m m |",
        ("6/7(1) 5/9(3)", "6/10(1) 5/12(3)"),
        tempo=160,
    ),
    Case(
        "muted notes stay low",
        "| 6:7 m m 6:8 m m 6:7 m m 6:5 m m |",
        ("6/7(2)|6/7(3)", "6/8(3)|6/8(4)", "6/5(1)"),
    ),
    Case(
        "a drone above",
        "| 6:7,5:9,2:0^,1:0^ o o o o 6:5,5:7,2:0^,1:0^ o o o o |",
        ("6/7(1) 5/9(3) 2/0 1/0", "6/5(1) 5/7(3) 2/0 1/0"),
    ),
    Case(
        "a drone below",
        "| 5:0^,4:7 o o 5:0^,4:9 o o 5:0^,4:7 o o |",
        ("5/0 4/7(1)", "5/0 4/9(3)|5/0 4/9(4)"),
    ),
    Case(
        "a walk in one place",
        "| 6:5 o 6:7 o 6:8 o 5:5 o |",
        ("6/5(1)", "6/7(3)", "6/8(4)", "5/5(1)"),
    ),
    Case("a walk, three notes", "| 6:3 o 6:4 o 6:5 o |", ("6/3(1)", "6/4(2)", "6/5(3)")),
    Case(
        "a walk into a chord",
        "| 6:3 o 6:4 o 6:5,5:7 o o |",
        ("6/3(1)|6/3(2)", "6/4(1)|6/4(2)|6/4(3)", "6/5(1) 5/7(3)"),
    ),
    # colour
    Case("flat fifth", "| 6:5,5:6 o ~ ~ ~ |", ("6/5(1) 5/6(2)",)),
    Case("sharp fifth", "| 6:5,5:8 o ~ ~ ~ |", ("6/5(1) 5/8(4)|6/5(1) 5/8(3)",)),
    Case("octaves", "| 6:5,4:7 o ~ ~ ~ |", ("6/5(1) 4/7(3)|6/5(1) 4/7(4)",)),
    Case(
        "octaves that move",
        "| 5:3,3:5 o o 5:5,3:7 o o 5:7,3:9 o o |",
        ("5/3(1) 3/5(3)", "5/5(1) 3/7(3)", "5/7(1) 3/9(3)"),
    ),
    Case("wide fifth", "| 6:5,4:7,3:9 o ~ ~ ~ |", ("6/5(1) 4/7(3) 3/9(4)|6/5(1) 4/7(2) 3/9(4)",)),
    # other guitars
    Case(
        "seven strings",
        "| 7:3,6:5 o o 7:5,6:7 o o 7:3,6:5 o o |",
        ("7/3(1) 6/5(3)", "7/5(1) 6/7(3)"),
        head=SEVEN,
    ),
    Case(
        "a half step down",
        "| 6:5,5:7 o o 6:8,5:10 o o |",
        ("6/5(1) 5/7(3)", "6/8(1) 5/10(3)"),
        head=FLAT,
    ),
    Case(
        "doom, slowly",
        "| 6:8,5:10,4:10 o ~ ~ ~ | 6:6,5:8,4:8 o ~ ~ ~ |",
        ("6/8(1) 5/10(3) 4/10(4)", "6/6(1) 5/8(3) 4/8(4)"),
        FULL,
        tempo=60,
    ),
    Case(
        "stabs with rests",
        "| 6:5,5:7 o . . 5:5,4:7 o . . | 6:7,5:9 o . . 6:5,5:7 o . . |",
        ("6/5(1) 5/7(3)", "5/5(1) 4/7(3)", "6/7(1) 5/9(3)"),
        tempo=150,
    ),
    Case(
        "odd meter",
        "| 6:0 o 6:0 o 6:3,5:5 o 6:0 o 6:5,5:7 o 6:3,5:5 o 6:0 o |",
        ("6/0", "6/3(1) 5/5(3)", "6/5(1) 5/7(3)"),
        head="meter: 7/8\n",
    ),
)


def planned(case: Case) -> tuple[ExpandedRiff, list[Route]]:
    """A passage and its routes."""
    head = f"title: {case.name}\ntempo: {case.tempo}\n{case.head}"
    expanded = expand(parse_riff(f"{head}[A]\n{case.bars}\n"))
    return expanded, plan_routes(expanded, expanded.riff.instrument, case.hand)


def is_met(case: Case) -> bool:
    """Whether the first route takes the passage as players do, grip by grip."""
    _, routes = planned(case)
    grips = list(dict.fromkeys(_named(place.grip) for place in routes[0].places))
    return len(grips) == len(case.grips) and all(
        grip in wanted.split("|") for grip, wanted in zip(grips, case.grips, strict=True)
    )


def _named(grip: Grip) -> str:
    return " ".join(
        f"{n.string}/{n.fret}" + (f"({n.finger})" if n.finger else "") for n in grip.notes
    )

"""The notation: what it means, what it refuses and where, and that printing and parsing are each
other's reverse.
"""

from dataclasses import replace
from decimal import Decimal
from fractions import Fraction as F

import pytest
from hypothesis import HealthCheck, given, settings

from tests.core.strategies import riffs
from thrumble.core.errors import RiffError
from thrumble.core.instrument import Note
from thrumble.core.riff.model import Articulation, Legato, Stroke
from thrumble.core.riff.notation.printing import print_riff
from thrumble.core.riff.notation.text import parse_riff
from thrumble.demo import riff_texts
from thrumble.formats.riff_json import riff_document, riff_from_document

HEAD = "title: T\ntempo: 100\n"


def bar(body: str, head: str = HEAD):  # type: ignore[no-untyped-def]
    return parse_riff(f"{head}[A]\n{body}\n").sections[0].bars[0]


@settings(
    max_examples=70,
    deadline=None,
    suppress_health_check=[HealthCheck.too_slow, HealthCheck.filter_too_much],
)
@given(riffs())
def test_printing_then_parsing_gives_the_riff_back_and_printing_is_stable(riff) -> None:  # type: ignore[no-untyped-def]
    text = print_riff(riff)
    assert parse_riff(text) == riff
    assert print_riff(parse_riff(text)) == text
    assert riff_from_document(riff_document(riff)) == riff


@pytest.mark.parametrize("name", list(riff_texts()))
def test_every_demo_riff_reads_and_round_trips(name: str) -> None:
    riff = parse_riff(riff_texts()[name])
    assert parse_riff(print_riff(riff)) == riff


def test_slots_share_the_bar_and_groups_share_a_slot() -> None:
    hits = bar("| 6:2 o (o o) o - |").hits
    assert [h.at for h in hits] == [0, F(1, 4), F(3, 8), F(1, 2)]
    assert [h.length for h in hits] == [F(1, 4), F(1, 8), F(1, 8), F(1, 4)]
    assert hits[-1].stop and not hits[0].stop


def test_a_hold_passes_the_bar_line_and_a_dot_is_not_judged() -> None:
    bars = parse_riff(HEAD + "[A]\n| 6:2 o . o o | ~ o . . |\n").sections[0].bars
    assert bars[0].hits[-1].length == F(1, 2)
    assert not bars[0].hits[0].stop and bars[0].hits[0].length == F(1, 4)


@pytest.mark.parametrize(
    ("token", "expected"),
    [
        ("m", (Articulation.PALM, Decimal("0.6"), (Note(6, 0),))),
        ("k", (Articulation.PALM, Decimal("0.9"), (Note(6, 0),))),
        ("M", (Articulation.PALM, Decimal("0.6"), (Note(5, 2), Note(4, 4)))),
        ("K", (Articulation.PALM, Decimal("0.9"), (Note(5, 2), Note(4, 4)))),
        ("m=0.35", (Articulation.PALM, Decimal("0.35"), (Note(6, 0),))),
        ("o", (Articulation.OPEN, None, (Note(5, 2), Note(4, 4)))),
        ("_o", (Articulation.OPEN, None, (Note(6, 0),))),
        ("_x", (Articulation.DEAD, None, (Note(6, 0),))),
        ("x", (Articulation.DEAD, None, (Note(5, 2), Note(4, 4)))),
    ],
)
def test_letters_say_articulation_depth_and_where(token: str, expected: tuple[object, ...]) -> None:
    hit = bar(f"| B5@5/2 {token} |", HEAD + "pedal: 6:0\n").hits[0]
    assert (hit.articulation, hit.depth, hit.notes) == expected


def test_marks_before_and_after_the_letter() -> None:
    hits = bar("| 6:5,5:7 >/3o'u oh \\op of |").hits
    assert (hits[0].accent, hits[0].slide_from, hits[0].staccato, hits[0].stroke) == (
        True,
        -3,
        True,
        Stroke.UP,
    )
    assert (hits[1].legato, hits[1].stroke) == (Legato.HAMMER, None)
    assert (hits[2].legato, hits[2].slide_from, hits[3].stroke) == (Legato.PULL, 2, Stroke.FINGERS)


def test_drones_ring_on_open_strings_above_the_lowest() -> None:
    hit = bar("| 5:3,4:5,3:0,2:0 o^ |").hits[0]
    assert [n.string for n in hit.notes if n.let_ring] == [3, 2]


@pytest.mark.parametrize(
    ("name", "notes"),
    [
        ("F#5", [(6, 2), (5, 4)]),
        ("E5", [(6, 0), (5, 2)]),
        ("E5@7", [(5, 7), (4, 9)]),
        ("B5@5/2", [(5, 2), (4, 4)]),
        ("A5+8@6/5", [(6, 5), (5, 7), (4, 7)]),
        ("E5w", [(6, 0), (3, 4)]),
        ("A5/5@5/0", [(6, 0), (5, 0), (4, 2)]),
        ("A6@5/0", [(5, 0), (4, 4)]),
        ("Bb", [(5, 1)]),
        ("Esus4", [(6, 0), (5, 2), (4, 2), (3, 2)]),
        ("Adim5@5/0", [(5, 0), (4, 1)]),
        ("A5", [(5, 0), (4, 2)]),
    ],
)
def test_chord_names_become_strings_and_frets(name: str, notes: list[tuple[int, int]]) -> None:
    assert [(n.string, n.fret) for n in bar(f"| {name} o |").hits[0].notes] == notes


def test_names_can_be_shapes_in_a_lowered_tuning() -> None:
    tuning = "tuning: D#2 G#2 C#3 F#3 A#3 D#4\n"
    assert bar("| E5 o |", HEAD + tuning + "names: shape\n").hits[0].notes == (
        Note(6, 0),
        Note(5, 2),
    )
    assert bar("| E5@6/1 o |", HEAD + tuning).hits[0].notes == (Note(6, 1), Note(5, 3))


def test_bare_tuning_letters_take_the_octave_near_standard() -> None:
    assert parse_riff(HEAD + "tuning: D A D G B E\n[A]\n| 6:0 o |").tuning == (
        "D2",
        "A2",
        "D3",
        "G3",
        "B3",
        "E4",
    )


def test_alternate_strokes_go_by_place_and_triplets_by_count() -> None:
    head = HEAD + "strokes: alternate\n"
    assert [h.stroke for h in bar("| 6:2 o - o o o o o o |", head).hits] == [
        Stroke.DOWN,
        Stroke.DOWN,
        Stroke.UP,
        Stroke.DOWN,
        Stroke.UP,
        Stroke.DOWN,
        Stroke.UP,
    ]
    assert [h.stroke for h in bar("| 6:2 (o o o) (o o o) o o |", head).hits][:4] == [
        Stroke.DOWN,
        Stroke.UP,
        Stroke.DOWN,
        Stroke.UP,
    ]


def test_meters_change_to_the_sections_end_and_endings_follow_the_bars() -> None:
    riff = parse_riff(
        HEAD
        + "[A]\n| 5/4: 6:2 o o o o o |\n| 6:2 o o o o o |\n1| o o o o o |\n2| 6:4 o ~ ~ ~ ~ |\n[B]\n| 6:2 o o o o |\n"
    )
    assert [str(b.meter) for b in riff.sections[0].bars] == ["5/4", "5/4"]
    assert len(riff.sections[0].endings) == 2 and str(riff.sections[0].endings[1][0].meter) == "5/4"
    assert str(riff.sections[1].bars[0].meter) == "4/4"


@pytest.mark.parametrize(
    ("text", "line", "column", "found", "expected"),
    [
        ("tempo: 100\n[A]\n| 6:2 o |", 1, 1, "", "title"),
        ("title: T\ntempo: fast\n[A]\n| 6:2 o |", 2, 8, "fast", "20 to 400"),
        ("title: T\ntempo: 401\n[A]\n| 6:2 o |", 2, 8, "401", "20 to 400"),
        (HEAD + "key: E\n[A]\n| 6:2 o |", 3, 1, "key: E", "a header is one of"),
        (HEAD + "tempo: 90\n[A]\n| 6:2 o |", 3, 1, "tempo: 90", "given twice"),
        (HEAD + "feel: swing\n[A]\n| 6:2 o |", 3, 7, "swing", "shuffle RATIO"),
        (HEAD + "play: A C\n[A]\n| 6:2 o |", 3, 7, "A C", "'C' is not a section"),
        (HEAD + "[A]\n| 6:2 o q |", 4, 9, "q", "a slot is"),
        (HEAD + "[A]\n| o |", 4, 3, "o", "no chord named yet"),
        (HEAD + "[A]\n| 6:2 _o |", 4, 7, "_o", "needs a pedal"),
        (HEAD + "[A]\n| ~ 6:2 o |", 4, 3, "~", "no ringing hit"),
        (HEAD + "[A]\n| 6:2 o - ~ |", 4, 11, "~", "no ringing hit"),
        (HEAD + "[A]\n| 6:2 o - . o |", 4, 11, ".", "either checked (-) or not (.)"),
        (HEAD + "[A]\n| 6:2 (o o |", 4, 7, "(", "not closed"),
        (HEAD + "[A]\n| 6:2 o ) |", 4, 9, ")", "extra"),
        (HEAD + "[A]\n| 6:2 o\n", 4, 7, "o", "ends with |"),
        (HEAD + "[A]\n6:2 o |\n", 4, 1, "6:2", "starts with |"),
        (HEAD + "[A]\n| | 6:2 o |\n", 4, 1, "|", "an empty bar"),
        (HEAD + "[A]\n| 9/7: 6:2 o |", 4, 3, "9/7:", "a power of two"),
        (HEAD + "[A]\n| H5 o |", 4, 3, "H5", "a slot is"),
        (HEAD + "[A]\n| E5@5/3 o |", 4, 3, "E5@5/3", "the root is not there"),
        (HEAD + "[A]\n| 7:2 o |", 4, 3, "7:2", "strings 1 to 6"),
        (HEAD + "[A]\n| 6:x,5:x o |", 4, 11, "o", "only be struck dead"),
        (HEAD + "[A]\n| 6:2 m=1.5 |", 4, 7, "m=1.5", "0 to 1"),
        (HEAD + "[A]\n| 6:2 odu |", 4, 7, "odu", "one stroke at most"),
        (HEAD + "[A]\n| 6:1 /o |", 3, 1, "-2", "off the neck"),
        (HEAD + "[A]\n1| 6:2 o |", 3, 1, "[A]", "at least one bar"),
        (HEAD + "[A]\n| 6:2 o |\n2| o |", 5, 1, "2| o |", "numbered 1, 2, 3"),
        (HEAD + "[A]\n| 6:2 o |\n[A]\n| 6:2 o |", 5, 1, "[A]", "used twice"),
        (
            HEAD + "feel: shuffle 2.0 on 1/8\n[A]\n| 6:2 (o o o o o o) o (o o) o |",
            4,
            1,
            "",
            "swung and unswung",
        ),
        (HEAD + "[A]\n| - - |", 3, 1, "", "no hit in it"),
    ],
)
def test_errors_name_line_column_token_and_what_was_expected(
    text: str, line: int, column: int, found: str, expected: str
) -> None:
    with pytest.raises(RiffError) as caught:
        parse_riff(text)
    error = caught.value
    assert (error.line, error.column, error.found) == (line, column, found)
    assert expected in error.expected


def test_comments_and_windows_line_ends_are_read() -> None:
    riff = parse_riff(
        "title: A #1 hit\r\ntempo: 100\r\n# all of it\r\n[A]  # the first\r\n| 6:2 o F#5 o | # the end\r\n"
    )
    assert riff.title == "A #1 hit" and len(riff.sections[0].bars[0].hits) == 2


def test_text_is_kept_apart_from_meaning() -> None:
    one, other = (
        parse_riff(HEAD + f"[A]\n{body}\n") for body in ("| 6:2 o o |", "|  6:2   (o)  o  |")
    )
    assert one == other == replace(one)

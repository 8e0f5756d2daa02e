"""Second parts, both as one, and the way from one section into another."""

from fractions import Fraction

import pytest
from hypothesis import given, settings

from tests.core.strategies import riffs
from thrumble.core.errors import BadInput, RiffError
from thrumble.core.riff.editing.edits import insert_bar, unrolled, written_bars
from thrumble.core.riff.editing.parts import Part, has_parts, take_part, transition
from thrumble.core.riff.expand import expand
from thrumble.core.riff.model import Articulation
from thrumble.core.riff.notation.printing import print_riff
from thrumble.core.riff.notation.text import parse_riff
from thrumble.formats.exchange import FORMATS
from thrumble.formats.riff_json import riff_document, riff_from_document

TEXT = """title: Weir
tempo: 100
pedal: 6:0
play: A A B
[A]
| m m m m | E5@5/7 >o ~ m m |
[lead over A]
| . 2:5 o 6:3 o 3:4 o |
[B]
| G5@6/3 o - - - |
"""
RIFF = parse_riff(TEXT)


def test_a_second_part_is_written_over_its_section_and_not_played_by_itself() -> None:
    assert has_parts(RIFF) and RIFF.sections[1].over == "A"
    assert parse_riff(print_riff(RIFF)) == RIFF == riff_from_document(riff_document(RIFF))
    assert [bar.section for bar in expand(RIFF).bars] == ["A", "A", "A", "A", "B"]
    assert len(written_bars(RIFF)) == 4 and len(expand(unrolled(RIFF)).bars) == 4
    longer = insert_bar(RIFF, 1)
    assert len(longer.sections[0].bars) == 3, "the first part may go on alone"


def test_each_part_alone() -> None:
    rhythm = take_part(RIFF, Part.RHYTHM)
    assert expand(rhythm.riff).hits == expand(RIFF).hits and rhythm.lost == ()
    assert rhythm.riff.title == "Weir, rhythm" and not has_parts(rhythm.riff)
    signature = take_part(RIFF, Part.SIGNATURE).riff
    assert [h.notes[0].string for h in signature.sections[0].bars[0].hits] == [2, 6, 3]
    assert signature.sections[0].bars[1] == RIFF.sections[0].bars[1]


def test_both_parts_as_one_say_what_two_hands_cannot_do() -> None:
    both = take_part(RIFF, Part.BOTH)
    first = both.riff.sections[0].bars[0].hits
    assert [[n.string for n in hit.notes] for hit in first] == [[6], [6, 2], [6], [6, 3]]
    assert [hit.articulation for hit in first] == [
        Articulation.PALM, Articulation.OPEN, Articulation.PALM, Articulation.OPEN,
    ]  # fmt: skip
    assert first[2].notes[0].fret == 0, "the rhythm part keeps the string"
    assert "1 hit of lead in A on a string that is struck already" in both.lost
    assert any("2 hits in A muted in one part and open in the other" in w for w in both.lost)


def test_the_way_from_one_section_into_another() -> None:
    way = transition(RIFF, "A", "B")
    assert way.title == "Weir, A to B" and way.order == ("A to B",)
    assert way.sections[0].bars == (RIFF.sections[0].bars[1], RIFF.sections[2].bars[0])
    back = transition(RIFF, "B", "A", bars=2)
    assert len(back.sections[0].bars) == 3
    with pytest.raises(BadInput, match="no section"):
        transition(RIFF, "A", "C")


@pytest.mark.parametrize(
    ("changed", "said"),
    [
        (("[lead over A]", "[lead over C]"), "needs an existing section"),
        (
            ("[lead over A]\n", "[lead over A]\n| o |\n| o |\n"),
            "names? one|no chord|no more than its",
        ),
        (("| . 2:5 o", "| 3/4: . 2:5 o"), "has the meters of section"),
        (("play: A A B", "play: A lead"), "comes with the section"),
    ],
)
def test_second_parts_that_fit_nothing_are_refused(changed: tuple[str, str], said: str) -> None:
    with pytest.raises(RiffError, match=said):
        parse_riff(TEXT.replace(*changed))


def test_what_holds_no_second_part_says_so() -> None:
    for one in FORMATS:
        named = any("lead" in words or "second part" in words for words in one.loses(RIFF))
        assert named == (one.name not in ("json", "text")), one.name


@settings(max_examples=35, deadline=None)
@given(riffs())
def test_the_way_between_any_two_sections_is_a_riff(riff) -> None:  # type: ignore[no-untyped-def]
    names = [section.name for section in riff.sections]
    try:
        way = transition(riff, names[0], names[-1], bars=2)
    except (BadInput, RiffError):
        return  # no hit there, or feels that do not go together
    assert sum((bar.meter.length for bar in way.sections[0].bars), Fraction(0)) > 0
    assert parse_riff(print_riff(way)) == way

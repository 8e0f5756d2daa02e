"""Some bars of a riff as a riff of its own."""

import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from tests.core.strategies import riffs
from thrumble.core.errors import BadInput
from thrumble.core.riff.editing.excerpt import take_bars
from thrumble.core.riff.expand import expand, played_bars
from thrumble.core.riff.model import Riff
from thrumble.core.riff.notation.printing import print_riff
from thrumble.core.riff.notation.text import parse_riff
from thrumble.demo import riff_texts

SLUICE = parse_riff(riff_texts()["1-sluice-gate"])


def test_bars_are_counted_along_the_play_order() -> None:
    bars = take_bars(SLUICE, 9, 10)
    assert bars.title == "Sluice Gate, bars 9-10"
    assert bars.sections[0].bars == SLUICE.sections[1].bars, "the B after two times A"
    assert len(expand(bars).bars) == 2 and not bars.pickup


def test_endings_come_as_they_are_played() -> None:
    riff = parse_riff(
        "title: E\ntempo: 90\nplay: A A\n[A]\n| E5 o o o o |\n1| G5 o o o o |\n2| A5 o o o o |\n"
    )
    assert [take_bars(riff, n, n).sections[0].bars[0].hits[0].label for n in (2, 4)] == ["G5", "A5"]


def test_a_hit_that_rings_over_the_end_is_cut_there() -> None:
    riff = parse_riff("title: H\ntempo: 90\n[A]\n| E5 o o o o | ~ ~ o o |\n")
    (bar,) = take_bars(riff, 1, 1).sections[0].bars
    assert bar.hits[-1].at + bar.hits[-1].length == 1
    (second,) = take_bars(riff, 2, 2).sections[0].bars
    assert len(second.hits) == 2, "what rings in from before is not struck again"


@pytest.mark.parametrize(("first", "last"), [(0, 1), (1, 15), (3, 2)])
def test_bars_that_are_not_there_are_refused(first: int, last: int) -> None:
    with pytest.raises(BadInput, match="bars 1 to 14"):
        take_bars(SLUICE, first, last)


@settings(max_examples=30, deadline=None)
@given(riffs(), st.data())
def test_any_bars_of_any_riff_sound_as_they_did(riff: Riff, data: st.DataObject) -> None:
    count = len(played_bars(riff))
    first = data.draw(st.integers(1, count))
    last = data.draw(st.integers(first, count))
    try:
        part = take_bars(riff, first, last)
    except BadInput:
        assume(False)
    whole = [due for due in expand(riff).hits if first <= due.bar <= last]
    taken = expand(part).hits
    assert [due.hit.notes for due in taken] == [due.hit.notes for due in whole]
    offset = whole[0].due_s - taken[0].due_s
    assert [due.due_s for due in taken] == pytest.approx([due.due_s - offset for due in whole])
    assert parse_riff(print_riff(part)) == part

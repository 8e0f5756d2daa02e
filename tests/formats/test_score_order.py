"""Repeats and endings of scores, in the order they are played."""

from xml.etree import ElementTree as ET

import pytest

from thrumble.core.errors import RiffError
from thrumble.formats.musicxml.score import Measure, measures_of, played


def order(*signs: str) -> list[int]:
    """Signs of each measure: `|:` `:|` `:|3` for repeats, `1` `2` `1,2` for endings."""
    out = []
    for number, words in enumerate(signs, 1):
        measure = Measure(str(number), ET.Element("measure"), implicit=False)
        for word in words.split():
            if word == "|:":
                measure.forward = True
            elif word.startswith(":|"):
                measure.backward = int(word[2:] or 2)
            else:
                measure.ending = frozenset(int(n) for n in word.split(","))
        out.append(measure)
    return [place + 1 for place in played(out)]


@pytest.mark.parametrize(
    ("signs", "asked"),
    [
        (("", "", ""), [1, 2, 3]),
        (("", ":|", ""), [1, 2, 1, 2, 3]),
        (("", "|: :|3", ""), [1, 2, 2, 2, 3]),
        (("|:", ":|", "|:", ":|"), [1, 2, 1, 2, 3, 4, 3, 4]),
        (("|:", "1 :|", "2", ""), [1, 2, 1, 3, 4]),
        (("|:", "1,2 :|", "3", ""), [1, 2, 1, 2, 1, 3, 4]),
        (("|:", "1 :|", "2,3 :|", ""), [1, 2, 1, 3, 1, 3, 4]),
        (("|:", "1", "1 :|", "2", "2", ""), [1, 2, 3, 1, 4, 5, 6]),
        (("", "1 :|", "2", "|:", "1 :|", "2"), [1, 2, 1, 3, 4, 5, 4, 6]),
    ],
)
def test_the_order_of_play(signs: tuple[str, ...], asked: list[int]) -> None:
    assert order(*signs) == asked


def test_what_goes_on_for_ever_is_refused() -> None:
    with pytest.raises(RiffError, match="more than 2000 measures"):
        order(*["|: :|64"] * 40)


def test_an_ending_holds_to_where_it_stops() -> None:
    bar = "<measure number='{}'>{}</measure>"
    line = "<barline><ending number='{}' type='{}'/>{}</barline>"
    score = ET.fromstring(
        "<score-partwise><part id='P1'>"
        + bar.format(1, "")
        + bar.format(2, line.format("1", "start", ""))
        + bar.format(3, line.format("1", "stop", "<repeat direction='backward'/>"))
        + bar.format(4, line.format("2", "start", "") + line.format("2", "discontinue", ""))
        + bar.format(5, "")
        + "</part></score-partwise>"
    )
    measures = measures_of(score, "P1")
    assert [sorted(measure.ending) for measure in measures] == [[], [1], [1], [2], []]
    assert [place + 1 for place in played(measures)] == [1, 2, 3, 1, 4, 5]

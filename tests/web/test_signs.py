"""The signs over the strip's blocks, the wedge of a mute ramp, counts of every kind, as drawn."""

import html
import re
from fractions import Fraction

import pytest

from thrumble.core.music.meter import Meter
from thrumble.core.riff.counts import Counting, counts_of
from thrumble.core.riff.expand import ExpandedRiff, expand
from thrumble.core.riff.model import Hit
from thrumble.core.riff.notation.text import parse_riff
from thrumble.web.drawings.bars import HALF_PX, BarDrawing
from thrumble.web.drawings.caret import caret_places
from thrumble.web.drawings.signs import place_words, plan_words, signs_of
from thrumble.web.drawings.strip import plan_strip
from thrumble.web.riffs.strip_editor import desk_html

FOUR = Meter(4, 4)
HEAD = "title: T\ntempo: 120\npedal: 6:0\n[A]\n"


def riff(bars: str) -> ExpandedRiff:
    return expand(parse_riff(f"{HEAD}{bars}\n"))


def hits(bars: str) -> list[Hit]:
    return [due.hit for due in riff(bars).hits]


def bar(bars: str, number: int = 0) -> BarDrawing:
    return plan_strip(riff(bars))[number]


@pytest.mark.parametrize(
    ("token", "words"),
    [
        ("E5@5/7 /o", "slide in from below"),
        ("E5@5/7 \\o", "slide in from above"),
        ("E5@5/7 oh", "hammered on"),
        ("E5@5/7 op", "pulled off"),
        ("E5@5/7 ob1", "bend 1"),
        ("E5@5/7 o%", "one string after another"),
        ("E5@5/7 ou", "up"),
        ("6:0,2:0^ o", "open strings ring on"),
        ("6:0,3:2m o", "string 3 with middle"),
    ],
)
def test_every_sign_is_drawn_and_said(token: str, words: str) -> None:
    plain, signed = hits("| E5@5/7 o - - - |")[0], hits(f"| {token} - - - |")[0]
    assert signs_of(plain, 10, 60, 86, 30) == ""
    path = signs_of(signed, 10, 60, 86, 30)
    assert path.startswith("M") and words in plan_words(signed, FOUR)
    assert words not in plan_words(plain, FOUR)


@pytest.mark.parametrize(
    ("at", "meter", "words"),
    [
        ("0", Meter(4, 4), "1"),
        ("3/8", Meter(4, 4), "2 &"),
        ("13/16", Meter(4, 4), "4 e"),
        ("7/12", Meter(4, 4), "3 trip"),
        ("1/32", Meter(4, 4), "after 1"),
        ("3/8", Meter(6, 8), "4"),
    ],
)
def test_a_place_is_named_as_it_is_counted(at: str, meter: Meter, words: str) -> None:
    assert place_words(Fraction(at), meter) == words


def test_slides_from_below_and_above_lean_the_other_way() -> None:
    below, above = (
        signs_of(hits(f"| E5@5/7 {t} - - - |")[0], 20, 60, 86, 30) for t in ("/o", "\\o")
    )
    rise = [float(re.search(r"l9 (-?\d+)", path)[1]) for path in (below, above)]  # type: ignore[index]
    assert rise[0] < 0 < rise[1], "up into the hit, or down into it"


def test_a_mute_that_opens_is_followed_by_its_ringing() -> None:
    plan = bar("| E5@5/7 M* ~ ~ ~ |").plan
    assert [(block.css, block.title) for block in plan] == [
        ("palm", "1: E5 palm-muted, opens up as it rings"),
        ("open", "opens up"),
    ]


def test_the_wedge_of_a_ramp_widens_as_the_mute_opens_and_goes_over_the_bar_line() -> None:
    bars = "| { m=0.9 m m m | m m m m=0.1 } | m m - - |"
    first, second, third = plan_strip(riff(bars))
    assert len(first.ramps) == len(second.ramps) == 1 and third.ramps == []

    def gaps(path: str) -> tuple[float, float]:
        (a, b), (c, d) = (
            tuple(float(n) for n in re.findall(r"[ML][\d.]+ ([\d.]+)", part))
            for part in path.split("M")[1:]
            for part in ["M" + part]
        )
        return abs(c - a), abs(d - b)

    for drawing in (first, second):
        begin, end = gaps(drawing.ramps[0])
        assert begin < end < HALF_PX
    assert gaps(second.ramps[0])[0] >= gaps(first.ramps[0])[1] - 1e-6


def test_counts_stand_under_the_hits() -> None:
    expanded = riff("| E5@5/7 >o m m >o m m m m |")
    said = {}
    for way in Counting:
        (drawing,) = plan_strip(expanded, counts=counts_of(expanded, way))
        said[way] = [slot.text for slot in drawing.slots]
    assert said[Counting.BEATS] == ["1", "&", "2", "&", "3", "&", "4", "&"]
    assert said[Counting.STROKES] == list("12345678")
    assert said[Counting.GROUPS] == list("12312345")


def test_a_bar_that_stays_is_not_drawn_again_and_one_that_changes_is() -> None:
    eighth = Fraction(1, 8)
    before = desk_html(riff("| E5@5/7 o m m m | o o o o |"), eighth, Counting.BEATS, {"A": 1})
    after = desk_html(riff("| E5@5/7 o m m m | o o x o |"), eighth, Counting.BEATS, {"A": 1})
    assert before[0] is after[0] and before[1] != after[1]
    quicker = parse_riff(HEAD.replace("120", "121") + "| E5@5/7 o m m m | o o o o |\n")
    assert desk_html(expand(quicker), eighth, Counting.BEATS, {"A": 1})[0] != before[0], (
        "its times are others"
    )
    finer = desk_html(
        riff("| E5@5/7 o m m m | o o o o |"), Fraction(1, 16), Counting.BEATS, {"A": 1}
    )
    places = re.search(r'data-places="([^"]*)"', finer[0])
    assert places is not None and len(html.unescape(places[1]).split(";")) == 16


def test_the_pick_up_has_places_for_the_caret_too() -> None:
    text = "title: T\ntempo: 120\nfeel: shuffle 2.0 on 1/8\n[pickup]\n| 2/8: E5@5/7 o o |\n[A]\n| E5@5/7 o o |\n"
    expanded = expand(parse_riff(text))
    places = caret_places(expanded, expanded.bars[0], Fraction(1, 8))
    assert [str(place.at) for place in places] == ["0", "1/8"]
    assert places[1].x == pytest.approx(200 / 3, abs=0.01), "it swings as it is played"

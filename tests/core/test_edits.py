"""Edits at the caret, each Riff -> Riff."""

from collections.abc import Callable
from decimal import Decimal
from fractions import Fraction

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.strategies import riffs
from thrumble.core.errors import BadInput, RiffError
from thrumble.core.instrument import Note
from thrumble.core.music.meter import Meter
from thrumble.core.riff.editing import edits, whole
from thrumble.core.riff.model import Hit, Riff
from thrumble.core.riff.notation.printing import print_riff
from thrumble.core.riff.notation.text import parse_riff
from thrumble.demo import riff_texts

EIGHTH, QUARTER = Fraction(1, 8), Fraction(1, 4)
EMPTY = parse_riff("title: T\ntempo: 100\npedal: 6:0\n[A]\n| E5 o . . . |\n| . . . . |\n")


def bar_text(riff: Riff, bar: int = 0) -> str:
    """A bar as it is printed, without its chords' places."""
    lines = [line for line in print_riff(riff).split("\n") if line.startswith("|")]
    return lines[bar].replace("@6/0", "").replace("@6/3", "").strip("| ")


def hits(riff: Riff, bar: int = 0) -> list[Hit]:
    return list(edits.written_bars(riff)[bar][1].hits)


def test_a_hit_is_put_on_the_chord_before_it_and_on_the_pedal() -> None:
    riff = edits.put_hit(EMPTY, 0, QUARTER, EIGHTH, "o")
    riff = edits.put_hit(riff, 0, QUARTER + EIGHTH, EIGHTH, "m")
    assert [hit.notes for hit in hits(riff)][1] == (Note(6, 0), Note(5, 2))
    assert hits(riff)[2].notes == (Note(6, 0),) and hits(riff)[2].depth is not None
    named = edits.put_hit(riff, 1, Fraction(0), EIGHTH, "o", "G5@6/3")
    assert hits(named, 1)[0].label == "G5" and hits(named, 1)[0].notes[0] == Note(6, 3)
    raw = edits.put_hit(riff, 1, Fraction(0), EIGHTH, "o", "6:1, 5:3")
    assert hits(raw, 1)[0].notes == (Note(6, 1), Note(5, 3))


def test_a_hit_in_the_middle_of_another_ends_it_there() -> None:
    whole = parse_riff("title: T\ntempo: 100\n[A]\n| E5 o ~ ~ ~ |\n")
    riff = edits.put_hit(whole, 0, Fraction(1, 2), QUARTER, "x")
    assert [(hit.at, hit.length) for hit in hits(riff)] == [
        (0, Fraction(1, 2)),
        (Fraction(1, 2), QUARTER),
    ]


def test_another_letter_changes_the_kind_and_keeps_the_rest() -> None:
    riff = edits.mark(EMPTY, 0, Fraction(0), "accent")
    muted = edits.put_hit(riff, 0, Fraction(0), EIGHTH, "K")
    (hit,) = hits(muted)
    assert hit.articulation == "palm" and hit.accent and hit.length == QUARTER
    assert bar_text(edits.put_hit(muted, 0, Fraction(0), EIGHTH, "o")).startswith("E5 >o")


def test_holds_rests_and_gaps() -> None:
    held = edits.hold(EMPTY, 0, QUARTER, QUARTER)
    assert hits(held)[0].length == Fraction(1, 2)
    stopped = edits.rest(held, 0, QUARTER)
    assert hits(stopped)[0].length == QUARTER and hits(stopped)[0].stop
    two = edits.put_hit(EMPTY, 1, QUARTER, QUARTER, "o")
    gone = edits.clear(two, 0, Fraction(0))
    assert hits(gone) == [] and len(hits(gone, 1)) == 1
    with pytest.raises(RiffError, match="at least one"):
        edits.clear(EMPTY, 0, Fraction(0))
    with pytest.raises(BadInput, match="no hit before"):
        edits.hold(EMPTY, 0, Fraction(0), QUARTER)


def test_marks_go_on_and_off() -> None:
    here = Fraction(0)
    for what in ("accent", "staccato", "stop"):
        on = edits.mark(EMPTY, 0, here, what)
        off = edits.mark(on, 0, here, what)
        assert getattr(hits(on)[0], what) and not getattr(hits(off)[0], what)
    full = parse_riff("title: T\ntempo: 100\n[A]\n| E5 o o o o |\n")
    assert hits(edits.mark(full, 0, here, "stop"))[0].length == EIGHTH, "silence needs room"
    strokes = [EMPTY]
    for _ in range(3):
        strokes.append(edits.mark(strokes[-1], 0, here, "stroke"))
    assert [hits(r)[0].stroke for r in strokes] == ["down", "up", "fingers", "down"]
    with pytest.raises(BadInput, match="no hit here"):
        edits.mark(EMPTY, 0, QUARTER, "accent")
    with pytest.raises(BadInput, match="a mark is one of"):
        edits.mark(EMPTY, 0, here, "colour")


def test_a_new_chord_is_that_of_the_hits_that_shared_it() -> None:
    riff = parse_riff("title: T\ntempo: 100\npedal: 6:0\n[A]\n| E5 o m o G5 o |\n| E5 o o o o |\n")
    changed = edits.set_chord(riff, 0, Fraction(0), "A5@5/0")
    assert [hit.label for hit in hits(changed)] == ["A5", None, "A5", "G5"]
    assert hits(changed, 1)[0].label == "E5", "the next bar keeps its own"
    for bad in ("H5", "F#5@x", "E5@9/0", "6:", "9:1", ""):
        with pytest.raises(BadInput):
            edits.set_chord(riff, 0, Fraction(0), bad)


def test_bars_are_inserted_repeated_deleted_and_pasted() -> None:
    sluice = parse_riff(riff_texts()["1-sluice-gate"])
    written = [bar for _, bar in edits.written_bars(sluice)]
    assert len(written) == 6
    longer = edits.insert_bar(sluice, 1)
    assert [len(b.hits) for _, b in edits.written_bars(longer)][2] == 0
    twice = edits.repeat_bars(sluice, 0, 1)
    assert [b for _, b in edits.written_bars(twice)][:4] == written[:2] * 2
    shorter = edits.delete_bars(twice, 0, 1)
    assert shorter == sluice
    pasted = edits.paste_bars(sluice, 5, edits.copy_hits(sluice, 0, 0))
    assert [b for _, b in edits.written_bars(pasted)][6] == written[0]
    with pytest.raises(BadInput, match="one section"):
        edits.repeat_bars(sluice, 3, 4)
    assert [section.name for section in edits.delete_bars(sluice, 4, 5).sections] == ["A"]
    with pytest.raises(BadInput, match="bars 1 to 6"):
        edits.insert_bar(sluice, 6)


LETTERED = parse_riff(
    "title: T\ntempo: 100\nplay: A B A\n[A]\n| E5 o . . . |\n| G5 o . . . |\n| A5 o . . . |\n"
    "[B]\n| D5 o . . . |\n"
)


def sections_of(riff: Riff) -> dict[str, str]:
    """Each section's bars by the root of their chord."""
    return {
        section.name: "".join((bar.hits[0].label or "?")[0] for bar in section.bars)
        for section in riff.sections
    }


@pytest.mark.parametrize(
    ("first", "last", "to", "behind", "a", "b"),
    [
        (0, 0, 2, True, "GAE", "D"),
        (0, 0, 2, False, "GEA", "D"),
        (2, 2, 0, False, "AEG", "D"),
        (0, 1, 2, True, "AEG", "D"),
        (1, 2, 0, True, "EGA", "D"),
        (0, 1, 1, True, "EGA", "D"),  # onto themselves
        (1, 1, 3, True, "EA", "DG"),
        (0, 1, 3, False, "A", "EGD"),
    ],
)
def test_bars_are_moved_within_a_section_and_into_another(
    first: int, last: int, to: int, behind: bool, a: str, b: str
) -> None:
    moved = edits.move_bars(LETTERED, first, last, to, behind=behind)
    assert sections_of(moved) == {"A": a, "B": b}
    assert moved.play == LETTERED.play


def test_a_section_whose_bars_all_move_goes() -> None:
    assert sections_of(edits.move_bars(LETTERED, 3, 3, 1, behind=False)) == {"A": "EDGA"}
    with pytest.raises(BadInput, match="one section"):
        edits.move_bars(LETTERED, 2, 3, 0, behind=False)
    with pytest.raises(BadInput, match="bars 1 to 4"):
        edits.move_bars(LETTERED, 0, 0, 9, behind=False)


def test_a_hit_that_rings_over_the_bar_line_is_cut_if_its_bar_moves_away() -> None:
    over = edits.put_hit(EMPTY, 0, Fraction(3, 4), Fraction(1, 2), "o", "E5")
    apart = edits.move_bars(over, 0, 0, 1, behind=True)
    assert [hit.length for _, bar in edits.written_bars(apart) for hit in bar.hits][-1] == QUARTER


def test_endings_are_bars_like_others() -> None:
    riff = parse_riff(
        "title: E\ntempo: 90\nplay: A A\n[A]\n| E5 o o o o |\n1| G5 o o o o |\n2| A5 o o o o |\n"
    )
    changed = edits.put_hit(riff, 2, Fraction(0), QUARTER, "x")
    assert changed.sections[0].endings[1][0].hits[0].articulation == "dead"
    assert len(edits.unrolled(riff).sections[0].bars) == 3 and not edits.unrolled(riff).play


EDITS: list[Callable[[Riff, int, Fraction, int], Riff]] = [
    lambda r, b, a, _: edits.put_hit(r, b, a, EIGHTH, "o"),
    lambda r, b, a, _: edits.put_hit(r, b, a, EIGHTH, "m", "F#5@6/2"),
    lambda r, b, a, _: edits.hold(r, b, a, EIGHTH),
    lambda r, b, a, _: edits.rest(r, b, a),
    lambda r, b, a, _: edits.clear(r, b, a),
    lambda r, b, a, _: edits.mark(r, b, a, "stop"),
    lambda r, b, a, _: edits.mark(r, b, a, "stroke"),
    lambda r, b, a, _: edits.set_chord(r, b, a, "A5"),
    lambda r, b, _, e: edits.insert_bar(r, b),
    lambda r, b, _, e: edits.repeat_bars(r, b, e),
    lambda r, b, _, e: edits.delete_bars(r, b, e),
    lambda r, b, _, e: edits.paste_bars(r, b, edits.copy_hits(r, b, e)),
    lambda r, b, _, e: edits.move_bars(r, b, b, e, behind=True),
    lambda r, b, _, e: edits.move_bars(r, e, e, b, behind=False),
]


@settings(max_examples=50, deadline=None)
@given(riffs(), st.data())
def test_whatever_is_edited_stays_a_riff_or_is_refused(riff: Riff, data: st.DataObject) -> None:
    for _ in range(4):
        count = len(edits.written_bars(riff))
        bar = data.draw(st.integers(0, count))
        at = Fraction(data.draw(st.integers(0, 15)), 16)
        edit = data.draw(st.sampled_from(EDITS))
        try:
            riff = edit(riff, bar, at, data.draw(st.integers(bar, count)))
        except (BadInput, RiffError):
            continue
        assert parse_riff(print_riff(riff)) == riff


def test_the_pick_up_is_written_like_any_bar() -> None:
    riff = parse_riff("title: T\ntempo: 100\n[A]\n| E5@5/7 o o o o |\n")
    with_one = edits.turn_pickup(riff)
    assert with_one.pickup is not None and with_one.pickup.length == Fraction(1, 4)
    assert [name for name, _ in edits.written_bars(with_one)] == ["pickup", "A"]
    struck = edits.put_hit(with_one, 0, Fraction(1, 8), Fraction(1, 8), "M", "G5@6/3")
    assert struck.pickup is not None and struck.pickup.hits[0].label == "G5"
    assert parse_riff(print_riff(struck)) == struck
    longer = edits.set_meter(struck, 0, 0, Meter(3, 8))
    assert longer.pickup is not None and longer.pickup.length == Fraction(3, 8)
    assert (
        edits.put_hit(longer, 1, Fraction(0), Fraction(1, 4), "x").sections[0].bars[0].hits[0]
        != (riff.sections[0].bars[0].hits[0])
    )
    for wrong in (edits.insert_bar, lambda r, n: edits.repeat_bars(r, n, n)):
        with pytest.raises(BadInput, match="one bar"):
            wrong(longer, 0)
    assert edits.delete_bars(longer, 0, 0) == riff == edits.turn_pickup(with_one)


def test_a_hit_is_painted_along_and_lengthened_over_others() -> None:
    riff = parse_riff("title: T\ntempo: 100\n[A]\n| E5@6/0 >o ~ . . x . . . | . . . . M . . . |\n")
    eighth = Fraction(1, 8)
    painted = edits.paint(riff, 0, Fraction(0), 1, Fraction(1, 8), eighth)
    first, second = painted.sections[0].bars
    assert [hit.at for hit in first.hits] == [k * eighth for k in range(8)]
    assert [hit.accent for hit in first.hits] == [True] + [False] * 7
    assert [(str(hit.at), hit.articulation) for hit in second.hits] == [
        ("0", "open"),
        ("1/8", "open"),
        ("1/2", "palm"),
    ]
    long = edits.stretch(riff, 0, Fraction(0), 1, Fraction(3, 8), eighth)
    (hit,) = long.sections[0].bars[0].hits
    assert hit.length == Fraction(3, 2) and len(long.sections[0].bars[1].hits) == 1
    shorter = edits.stretch(long, 0, Fraction(0), 0, Fraction(1, 4), eighth)
    assert shorter.sections[0].bars[0].hits[0].length == Fraction(3, 8)
    for edit in (edits.paint, edits.stretch):
        with pytest.raises(BadInput, match="put one first"):
            edit(riff, 0, Fraction(3, 8), 0, Fraction(1, 2), eighth)


def test_painting_stays_within_a_section() -> None:
    riff = parse_riff("title: T\ntempo: 100\n[A]\n| E5@6/0 o . . . |\n[B]\n| . . . . |\n")
    with pytest.raises(BadInput, match="one section"):
        edits.paint(riff, 0, Fraction(0), 1, Fraction(0), Fraction(1, 4))


def test_sections_are_added_and_played_more_or_less_often() -> None:
    riff = parse_riff(
        "title: T\ntempo: 100\nplay: A B A\n[A]\n| 7/8: E5@6/0 o . . . . . . |\n[B]\n| E5@6/0 M . . . |\n"
    )
    more = whole.add_section(riff, "A")
    assert [section.name for section in more.sections] == ["A", "C", "B"]
    assert more.play == ("A", "B", "A", "C")
    assert str(more.sections[1].bars[0].meter) == "7/8" and not more.sections[1].bars[0].hits
    twice = whole.play_again(riff, "A", more=True)
    assert twice.play == ("A", "A", "B", "A") and whole.times_played(twice) == {"A": 2, "B": 1}
    assert whole.play_again(twice, "A", more=False) == riff
    with pytest.raises(BadInput, match="played once"):
        whole.play_again(riff, "B", more=False)
    every = parse_riff("title: T\ntempo: 100\n[A]\n| E5@6/0 o |\n[B]\n| E5@6/0 M |\n")
    assert whole.play_again(every, "B", more=True).play == ("A", "B", "B")
    assert whole.add_section(every, "B").play == ()


def test_title_and_tempo_are_set_or_refused() -> None:
    riff = parse_riff("title: T\ntempo: 100\n[A]\n| E5@6/0 o |\n")
    assert whole.set_title(riff, " Winch ").title == "Winch"
    assert whole.set_tempo(riff, Decimal("132.5")).tempo_bpm == Decimal("132.5")
    with pytest.raises(RiffError, match="title"):
        whole.set_title(riff, "  ")
    with pytest.raises(RiffError, match="tempo"):
        whole.set_tempo(riff, Decimal(10))


def test_a_section_goes_with_its_last_bar_and_the_riff_keeps_one() -> None:
    riff = parse_riff("title: T\ntempo: 100\nplay: A B A\n[A]\n| E5@6/0 o |\n[B]\n| E5@6/0 M |\n")
    left = edits.delete_bars(riff, 1, 1)
    assert [section.name for section in left.sections] == ["A"] and left.play == ("A", "A")
    with pytest.raises(BadInput, match="of the riff"):
        edits.delete_bars(left, 0, 0)


def test_a_second_part_is_not_played_by_itself() -> None:
    riff = parse_riff(
        "title: T\ntempo: 100\npedal: 6:0\n[A]\n| m m |\n[lead over A]\n| 2:5 o |\n[B]\n| m m |\n"
    )
    assert whole.times_played(riff) == {"A": 1, "B": 1}
    assert whole.play_again(riff, "B", more=True).play == ("A", "B", "B")
    with pytest.raises(BadInput, match="isn't played"):
        whole.play_again(riff, "lead", more=True)

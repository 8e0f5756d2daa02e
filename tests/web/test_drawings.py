"""The drawings as numbers: shapes stand where the time says, the mirror breaks where plan and take
differ, dots pile up on their place.
"""

import re
from dataclasses import replace
from datetime import date
from itertools import pairwise

import pytest

from tests.core.hand_made import HEAD, expanded, heard
from thrumble.core.coach.progress.clean_speed import Round, clean_speed
from thrumble.core.coach.verdict.finding import early_or_late
from thrumble.core.coach.verdict.judgement import Judgement, judge
from thrumble.core.ear.reading import (
    ExtraOnset,
    HeardKind,
    HitState,
    Reading,
)
from thrumble.core.riff.expand import ExpandedRiff, expand
from thrumble.core.riff.model import Articulation
from thrumble.core.riff.notation.text import parse_riff
from thrumble.web.drawings.bars import BAND_PX, HALF_PX, WHOLE_PX, BarDrawing, Word
from thrumble.web.drawings.charts import PILE_W, SIZE, bar_clock, deviation_pile
from thrumble.web.drawings.mirror import NOTE_CHAR_PX, reading_strip, spaced
from thrumble.web.drawings.speed import WIDE, speed_chart
from thrumble.web.drawings.strip import plan_strip


def first_point(path: str) -> tuple[float, float]:
    match = re.match(r"M([\d.-]+) ([\d.-]+)", path)
    assert match
    return float(match[1]), float(match[2])


def judged(riff: ExpandedRiff, **changes: dict[int, dict[str, object]]) -> Judgement:
    return judge(replace(heard(riff, **changes), bias_judged=True), riff)


def strip_of(
    riff: ExpandedRiff, reading: Reading, named: dict[tuple[int, int], str] | None = None
) -> list[BarDrawing]:
    return reading_strip(judge(replace(reading, bias_judged=True), riff), named or {})


def test_bars_are_as_wide_as_they_are_long_and_hits_stand_at_their_time() -> None:
    bars = plan_strip(expanded("| 6:2 o o o o | 7/8: o o o o o o o |"))
    assert [bar.width for bar in bars] == [WHOLE_PX, WHOLE_PX * 7 / 8]
    assert [first_point(block.path)[0] for block in bars[0].plan] == pytest.approx(
        [0, WHOLE_PX / 4, WHOLE_PX / 2, WHOLE_PX * 3 / 4], abs=0.1
    )


def test_shape_alone_tells_how_a_hit_sounds() -> None:
    bar = plan_strip(expanded("| 6:2 o M x - |"))[0]
    open_, palm, dead = (block.path for block in bar.plan)
    assert "L" in open_ and "L" not in palm and "L" not in dead, "only what rings tapers"
    assert palm.count("V") == 2 and dead.count("V") == 1, "only a palm mute has a heel"
    assert [block.css for block in bar.plan] == ["open", "palm", "dead"]
    assert bar.plan[2].stop and not bar.plan[0].stop, "a wall where silence is asked for"


def test_accents_are_taller_and_deeper_mutes_lower() -> None:
    def height(path: str) -> float:
        return abs(float(re.search(r"v(-?[\d.]+)", path)[1]))  # type: ignore[index]

    blocks = plan_strip(expanded("| 6:2 >o o M=0.1 M=0.9 |"))[0].plan
    assert (
        height(blocks[0].path)
        > height(blocks[1].path)
        > height(blocks[2].path)
        > height(blocks[3].path)
    )


def test_a_hit_held_over_the_bar_line_goes_on_in_the_next_bar() -> None:
    bars = plan_strip(expanded("| 6:2 - - - o | ~ ~ . . |"))
    assert (
        len(bars[1].plan) == 1
        and "held on" in bars[1].plan[0].title
        and first_point(bars[1].plan[0].path)[0] == 0
    )


def test_counts_chords_and_swing_show_in_the_plan() -> None:
    bar = plan_strip(
        expanded("| F#5@6/2 o o B5@5/2 o o o o o o |", HEAD + "feel: shuffle 2.0 on 1/8\n")
    )[0]
    assert [slot.text for slot in bar.slots] == ["1", "&", "2", "&", "3", "&", "4", "&"]
    assert bar.slots[1].x == pytest.approx(WHOLE_PX / 6, abs=0.1) and bar.slots[
        0
    ].to_s == pytest.approx(1 / 3, abs=1e-3)
    assert [(word.text, word.css) for word in bar.chords] == [("F#5", "6/2"), ("B5", "5/2")]


def test_every_change_of_chord_is_named_however_quick() -> None:
    """A riff of eight changes a bar once showed four of them, and notes had no name at all."""
    chords = ["E5@6/0", "G5@6/3", "A5@6/5", "Bb5@6/6", "A5@6/5", "G5@6/3", "E5@6/0", "D5@5/5"]
    bar = plan_strip(expanded("| " + " ".join(f"{chord} o" for chord in chords) + " |"))[0]
    assert [word.text for word in bar.chords] == [chord.split("@")[0] for chord in chords]
    notes = " ".join(f"6:{fret}" for fret in (3, 5, 6, 8) * 4)
    dense = plan_strip(expanded(f"| {' o '.join(notes.split())} o |"))[0]
    assert [word.text for word in dense.chords] == ["G", "A", "A#", "C"] * 4
    for row in (0, 1):
        places = [word.x for word in dense.chords if word.row == row]
        assert min(b - a for a, b in pairwise(places)) > 15, "names of a row don't touch"


def test_the_take_hangs_below_the_line_where_it_was_played() -> None:
    riff = expanded("| 6:2 o o o o |")
    late = {1: {"deviation_ms": 40.0, "onset_s": 0.54}, 2: {"deviation_ms": -30.0}}
    bar = strip_of(riff, heard(riff, hits=late))[0]
    assert all(first_point(block.path)[1] == bar.line_y + BAND_PX for block in bar.take)
    assert first_point(bar.take[1].path)[0] == pytest.approx(WHOLE_PX * 0.54 / 2, abs=0.2)
    assert [wedge.css for wedge in bar.wedges] == ["dot", "late", "early", "dot"]
    lean = [
        float(re.search(r"H([\d.-]+)z", wedge.path)[1]) - first_point(wedge.path)[0]
        for wedge in bar.wedges[1:3]
    ]  # type: ignore[index]
    assert lean[0] > 0 > lean[1] and abs(lean[0]) > abs(lean[1]), "leans late or early, and grows"
    assert "; 2: open, heard open, 40 ms late; 3: open, heard open, 30 ms early;" in bar.label
    assert bar.height > 2 * HALF_PX


def test_missed_extra_unsure_and_wrong_hits_break_the_mirror() -> None:
    riff = expanded("| 6:2 M M M M |")
    changes = {
        0: {
            "state": HitState.MISSED,
            "onset_s": None,
            "deviation_ms": None,
            "heard_articulation": None,
        },
        1: {"heard_articulation": HeardKind.OPEN},
        2: {
            "heard_articulation": HeardKind.UNSURE,
            "probabilities": {"open": 0.4, "palm": 0.5, "dead": 0.1},
        },
        3: {
            "state": HitState.NOT_REACHED,
            "onset_s": None,
            "deviation_ms": None,
            "heard_articulation": None,
        },
    }
    reading = replace(
        heard(riff, hits=changes),
        extra_onsets=[ExtraOnset(onset_s=0.25, level_db=-20.0, near_index=0)],
    )
    bar = strip_of(riff, reading, {(1, 1): "rang"})[0]
    assert [block.css for block in bar.take] == ["missed", "open", "palm unsure", "extra"]
    assert bar.take[2].question_x is not None and [word.text for word in bar.notes] == [
        "missed",
        "rang",
    ]
    assert first_point(bar.take[3].path)[0] == pytest.approx(WHOLE_PX / 8, abs=0.2)


def test_rounds_follow_each_other_and_the_pickup_comes_once() -> None:
    riff = expand(parse_riff(HEAD + "[pickup]\n| 1/4: 6:2 o |\n[A]\n| 6:2 o o o o |\n"))
    reading = heard(riff)
    second = [replace(hit, round=2) for hit in reading.hits if hit.bar > 0]
    bars = strip_of(riff, replace(reading, rounds=2, hits=[*reading.hits, *second]))
    assert [(bar.number, bar.round) for bar in bars] == [(0, 1), (1, 1), (1, 2)]
    assert all(len(bar.take) == len(bar.plan) for bar in bars)


@pytest.mark.parametrize(
    ("ms", "words"), [(0.2, "on time"), (12.4, "12 ms late"), (-7.6, "8 ms early")]
)
def test_deviations_in_words(ms: float, words: str) -> None:
    assert early_or_late(ms) == words


def test_the_pile_holds_every_hit_at_its_deviation_and_far_ones_at_the_edge() -> None:
    riff = expanded("| 6:2 o o o o |")
    pile = deviation_pile(
        judged(
            riff,
            hits={
                1: {"deviation_ms": 24.0},
                2: {"deviation_ms": 24.5},
                3: {"deviation_ms": -300.0},
            },
        )
    )
    xs = [dot.x for dot in pile.dots]
    assert xs[0] == PILE_W / 2 and xs[1] == xs[2] > xs[0] > xs[3] > 0
    assert pile.dots[2].y < pile.dots[1].y, "equal ones pile up"
    assert [dot.css for dot in pile.dots] == ["in", "out", "out", "out"] and pile.label.startswith(
        "1 of 4"
    )
    nothing = {
        k: {"state": HitState.NOT_REACHED, "onset_s": None, "deviation_ms": None} for k in range(4)
    }
    assert deviation_pile(judged(riff, hits=nothing)).dots == []


def test_a_dot_is_in_or_out_by_its_own_hits_slot() -> None:
    """Fourteen milliseconds are within twenty, and more than a quarter of a short slot."""
    quick = expanded("| 6:2 (o o o o) (o o o o) (o o o o) (o o o o) |", "title: T\ntempo: 270\n")
    pile = deviation_pile(
        judged(quick, hits={3: {"deviation_ms": 14.0}, 5: {"deviation_ms": 13.0}})
    )
    assert [dot.css for dot in pile.dots].count("out") == 1 and pile.label == "15 of 16 in time"


@pytest.mark.parametrize(
    ("notes", "shown"),
    [
        ([(0, "missed"), (10, "missed"), (20, "missed")], ["missed ×3"]),
        ([(0, "missed"), (200, "missed")], ["missed", "missed"]),
        ([(0, "rang"), (5, "rings on 140"), (90, "late")], ["rang", "late"]),
        ([(268, "rings on 140")], ["rings on 140"]),
    ],
)
def test_labels_neither_overlap_nor_run_over_the_edge(
    notes: list[tuple[float, str]], shown: list[str]
) -> None:
    placed = spaced([Word(x, text) for x, text in notes], WHOLE_PX)
    assert [word.text for word in placed] == shown
    ends = [word.x + len(word.text) * NOTE_CHAR_PX for word in placed]
    assert (
        all(end <= after.x for end, after in zip(ends, placed[1:], strict=False))
        and ends[-1] <= WHOLE_PX
    )


def test_the_bar_clock_starts_at_the_top_and_runs_clockwise() -> None:
    riff = expanded("| 6:2 o o o M |")
    clock = bar_clock(judged(riff))
    top, right, bottom, left = clock.dots
    middle = SIZE / 2
    assert abs(top.x - middle) < 1 and top.y < middle < bottom.y and abs(bottom.x - middle) < 1
    assert left.x < middle < right.x
    assert (
        [dot.css for dot in clock.dots] == ["rings", "rings", "rings", "damped"]
        and len(clock.marks) == 4
        and clock.middle == "4/4"
    )
    late = bar_clock(judged(riff, hits={0: {"deviation_ms": 60.0}}))
    assert late.dots[0].x > middle + 5, "late goes on clockwise"
    assert Articulation.OPEN == "open"


@pytest.mark.parametrize("many", [1, 3, 60])
def test_rounds_of_one_day_lie_side_by_side_within_the_drawing(many: int) -> None:
    rounds = [Round(date(2026, 11, 20), 110.0, clean=True)]
    rounds += [Round(date(2026, 11, 27), 120.0, clean=False)] * many
    told = clean_speed(rounds, 118.0)
    assert told is not None
    places = [dot.x for dot in speed_chart(told, rounds, 118.0).dots]
    assert len(places) == many + 1 and max(places) < WIDE - 3.6, "a whole dot"
    assert len(set(places)) == many + 1 and places == sorted(places)

"""Verdicts, number by number: made by hand, or by a library."""

from dataclasses import replace

import numpy as np
import pytest
from scipy.stats import f as scipy_f

from tests.core.hand_made import expanded, heard
from thrumble.core.coach.progress.drill_effect import Helped, Measure, helped_words
from thrumble.core.coach.progress.moves import landings
from thrumble.core.coach.verdict.finding import (
    Finding,
    Review,
    bars_named,
    early_or_late,
    in_bars,
)
from thrumble.core.coach.verdict.findings import FINDINGS, find_findings
from thrumble.core.coach.verdict.judgement import is_in_time, judge, robust_spread
from thrumble.core.coach.verdict.proposals import propose, worst_bar
from thrumble.core.coach.verdict.strings import StopsRingOn, StrayStrings, WrongFrets
from thrumble.core.coach.verdict.tempo import Drift, _chance_of_curve
from thrumble.core.coach.verdict.timing import (
    LateAfterShifts,
    LooseTiming,
    Tiring,
    _change_point,
    _standard_errors_later,
)
from thrumble.core.coach.verdict.whole_take import CLOSING
from thrumble.core.ear.reading import HitState, RingEnd
from thrumble.core.instrument import Instrument
from thrumble.core.riff.drills.catalogue import DrillKind
from thrumble.core.riff.expand import expand
from thrumble.core.riff.notation.text import parse_riff

NECK = Instrument()
EIGHT = "| 6:2 o o o o o o o o | 6:7 o o o o o o o o |"


def bars_of(bar: str, count: int) -> str:
    return "|" + f" {bar} |" * count


def test_a_robust_spread_is_the_scaled_deviation_from_the_median() -> None:
    assert robust_spread(np.array([1.0, 2.0, 3.0, 4.0, 100.0])) == pytest.approx(1.4826)
    assert robust_spread(np.array([])) == 0.0


def test_a_take_has_a_spread_from_four_hits_on() -> None:
    riff = expanded("| 6:2 o o o o o o o o |")
    late = {k: {"deviation_ms": ms} for k, ms in enumerate((0.0, 10.0, 0.0, -10.0))}
    assert judge(heard(riff, hits=late), riff, NECK).spread_ms() is not None
    missing = {k: {"state": "missed", "deviation_ms": None} for k in range(3, 8)}
    assert judge(heard(riff, hits=missing), riff, NECK).spread_ms() is None


def test_a_landing_has_the_time_that_its_speed_and_distance_say() -> None:
    riff = expanded(EIGHT)
    (landing,) = landings(judge(heard(riff), riff, NECK))
    assert landing.mm == pytest.approx(NECK.fret_mm(7) - NECK.fret_mm(2), abs=0.5)
    assert 50 < landing.time_ms < 500 and landing.bar == 2


@pytest.mark.parametrize(
    ("change", "interval", "words"),
    [
        (-4.0, (-6.0, -2.0), "Loop helped: the same hits lie 4 ms closer to the click (2 to 6)."),
        (4.0, (2.0, 6.0), "Loop didn't help: the same hits lie 4 ms farther off the click"),
        (1.0, (-3.0, 5.0), "between 3 ms better and 5 ms worse on the same hits."),
        (-1.0, (-5.0, 0.0), "between 5 ms better and 0 ms worse on the same hits."),
        (None, None, "Too early to say whether 'loop' helped: only 9 of its hits were heard."),
    ],
)
def test_what_a_drill_changed_is_said_with_its_interval(
    change: float | None, interval: tuple[float, float] | None, words: str
) -> None:
    helped = Helped(
        kind=DrillKind.LOOP, measure=Measure.TIMING, hits=9, change=change, interval=interval
    )
    assert words in helped_words(helped, "loop")


def test_muting_is_said_in_hits_of_a_hundred() -> None:
    helped = Helped(
        kind=DrillKind.MUTE_SWITCH,
        measure=Measure.MUTING,
        hits=20,
        change=-0.25,
        interval=(-0.4, -0.1),
    )
    assert "25 in 100 fewer of the same hits sound wrong (10 to 40)" in helped_words(helped, "mute")


def test_only_a_take_with_something_to_practise_gets_proposals() -> None:
    riff = expanded(EIGHT)
    wrong = {k: {"deviation_ms": 90.0 * (-1) ** k} for k in range(8, 16)}
    bad = judge(heard(riff, hits=wrong), riff, NECK)
    assert worst_bar(bad) == 2
    assert propose(bad, find_findings(bad))[0].bars == (2, 2)
    good = judge(heard(riff), riff, NECK)
    assert worst_bar(good) is None and propose(good, find_findings(good)) == []
    silent = {kind.kind for kind in FINDINGS if not kind.needs_practice}
    assert {"damaged", "other_riff"} <= silent and "spread" not in silent
    assert all(issubclass(kind, Finding) for kind in FINDINGS)


# --- words ---------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("bars", "words"),
    [
        ([3], "bar 3"),
        ([3, 3], "bar 3"),
        ([0], "the pick-up"),
        ([5, 2], "bars 2 and 5"),
        ([0, 1], "bars the pick-up and 1"),
        ([1, 2, 3, 4, 5, 6], "bars 1, 2, 3, 4, 5 and 6"),
        ([1, 2, 3, 4, 5, 6, 7], "bars 1, 2, 3, 4, 5 and 2 more"),
    ],
)
def test_bars_are_named(bars: list[int], words: str) -> None:
    assert bars_named(bars) == words


def test_of_many_bars_the_worst_is_named_if_it_stands_out() -> None:
    riff = expanded(bars_of("6:2 o o o o o o o o", 5))
    judgement = judge(heard(riff), riff, NECK)
    by_bar = [[hit.key for hit in judgement.hits if hit.hit.bar == bar] for bar in range(1, 6)]
    once = [keys[0] for keys in by_bar]
    assert in_bars(once[:4], judgement) == "in bars 1, 2, 3 and 4"
    assert in_bars(once, judgement) == "all over the riff"
    assert in_bars([*once, by_bar[2][1]], judgement) == "most often in bar 3"
    assert in_bars([], judgement) == ""


@pytest.mark.parametrize(
    ("ms", "words"),
    [(1.4, "on time"), (-1.4, "on time"), (1.6, "2 ms late"), (-12.0, "12 ms early")],
)
def test_a_lateness_in_words(ms: float, words: str) -> None:
    assert early_or_late(ms) == words


def test_what_may_stand_beside_what_is_said_of_each_finding() -> None:
    """Which findings hold a take back, stand alone, or leave something to practise."""
    every = (*FINDINGS, *CLOSING)
    no_cause = {kind.__name__ for kind in every if not kind.is_cause}
    alone = {kind.__name__ for kind in every if kind.stands_alone}
    idle = {kind.__name__ for kind in every if not kind.needs_practice}
    assert no_cause == {"NothingHeard", "Clean", "FewErrors", "AlsoWrong"}
    assert alone == {"NothingHeard", "WrongRiff", "DamagedRecording"}
    assert idle == {"NothingHeard", "WrongRiff", "DamagedRecording", "Clean"}
    not_looped = {kind.__name__ for kind in every if not kind.helped_by_loop}
    assert not_looped == {"LateAfterShifts", "Swing"}
    assert {kind.__name__ for kind in every if not kind.helped_by_slowing} == {"LateAfterShifts"}


# --- a take as a whole -----------------------------------------------------------------------------


@pytest.mark.parametrize(("reached", "whole"), [(20, True), (18, True), (17, False)])
def test_a_take_is_whole_from_nine_tenths_of_its_hits(reached: int, whole: bool) -> None:
    riff = expanded("| 6:2 o o o o o o o o | 6:2 o o o o o o o o | 6:2 o o o o - - - - |")
    left = {k: {"state": HitState.NOT_REACHED, "deviation_ms": None} for k in range(reached, 20)}
    judgement = judge(heard(riff, hits=left), riff, NECK)
    assert judgement.is_whole is whole and judgement.is_clean is whole


def test_a_silent_take_costs_everything_and_so_does_another_riff() -> None:
    riff = expanded(EIGHT)
    gone = {k: {"state": HitState.MISSED, "deviation_ms": None} for k in range(16)}
    (silent,) = find_findings(judge(heard(riff, hits=gone), riff, NECK))
    assert (silent.kind, silent.cost, silent.is_cause) == ("nothing", 1.0, False)
    ten = {k: change for k, change in gone.items() if k < 10}
    (other,) = find_findings(judge(heard(riff, hits=ten), riff, NECK))
    assert (other.kind, other.cost) == ("other_riff", 1.0)
    half = {k: change for k, change in gone.items() if k < 8}
    assert find_findings(judge(heard(riff, hits=half), riff, NECK))[0].kind == "missed"


# --- lateness --------------------------------------------------------------------------------------


def late_take(late_ms: list[float], head: str = "title: T\ntempo: 120\n") -> Review:
    """A review of eighths that are so late, the latency known."""
    slots = ["o"] * len(late_ms) + ["-"] * (-len(late_ms) % 8)
    bars = [" ".join(slots[k : k + 8]) for k in range(0, len(slots), 8)]
    riff = expanded("".join(f"| 6:2 {bar} " for bar in bars) + "|", head)
    changes: dict[int, dict[str, object]] = {
        k: {"deviation_ms": ms, "onset_s": riff.hits[k].due_s + ms / 1000}
        for k, ms in enumerate(late_ms)
    }
    reading = replace(heard(riff, hits=changes), bias_judged=True)
    return Review(judge(reading, riff, NECK))


def test_a_tempo_of_ones_own_is_told_in_bpm() -> None:
    """At 120 bpm a player at 121 gains 1000 / 121 ms a second, and one who gains 12 bpm a minute
    t² times 120 / 120 / 2 / 60 s.
    """
    t = np.arange(160) * 0.25
    faster = Drift.find(late_take(list(-t * 1000 * (1 - 120 / 121))))
    assert faster is not None and faster.drift_bpm_per_min == 0
    assert faster.tempo_off_bpm == pytest.approx(1.0, abs=0.05)
    take = late_take([0.0]).judgement
    assert "about 1.0 bpm faster than the click" in faster.sentence(take)
    slower = replace(faster, tempo_off_bpm=-0.6)
    assert "about 0.6 bpm slower than the click" in slower.sentence(take)
    gaining = Drift.find(late_take(list(-(t**2) * 12 / 120 / 60 / 2 * 1000)))
    assert gaining is not None and gaining.tempo_off_bpm == 0
    assert gaining.drift_bpm_per_min == pytest.approx(12.0, abs=0.3)
    assert gaining.away_ms == pytest.approx(-(t[-1] ** 2) * 12 / 120 / 120 * 1000, rel=0.02)
    assert gaining.bar == 20 and gaining.span_s == pytest.approx(t[-1], rel=0.05)


@pytest.mark.parametrize(("hits", "found"), [(15, False), (24, True)])
def test_a_drift_takes_sixteen_hits_and_four_seconds(hits: int, found: bool) -> None:
    assert (Drift.find(late_take([-3.0 * k for k in range(hits)])) is not None) is found
    quick = late_take([-3.0 * k for k in range(16)], head="title: T\ntempo: 240\n")
    assert Drift.find(quick) is None, "two seconds"


def test_the_chance_of_a_curve_is_the_f_tests_with_fewer_hits_if_they_follow_each_other() -> None:
    rng = np.random.default_rng(1)
    curve = np.linspace(-6, 6, 60)
    late = curve + rng.normal(0, 5, 60)
    rest, level = late - curve, late - late.mean()
    ratio = ((level @ level - rest @ rest) / 4) / (rest @ rest / 55)
    follows = float(np.clip(rest[1:] @ rest[:-1] / (rest @ rest), 0.0, 0.9))
    expected = scipy_f.sf(ratio * (1 - follows) / (1 + follows), 4, 55)
    assert 1e-6 < expected < 0.2
    assert _chance_of_curve(late, curve, np.ones(60)) == pytest.approx(expected, rel=1e-6)
    slow = np.repeat(rng.normal(0, 5, 12), 5)
    free = _chance_of_curve(slow + curve, curve, np.ones(60))
    assert free > _chance_of_curve(rng.permutation(slow) + curve, curve, np.ones(60))


def test_how_much_later_moved_hits_are_in_standard_errors() -> None:
    moved = np.arange(40) % 4 == 0
    steady = np.tile([-4.0, 4.0, -2.0, 2.0], 10)
    late = np.where(moved, 30.0 + steady, steady)
    spreads = [max(3.0, robust_spread(late[of])) for of in (moved, ~moved)]
    error = 1.25 * np.hypot(spreads[0] / np.sqrt(10), spreads[1] / np.sqrt(30))
    step = np.median(late[moved]) - np.median(late[~moved])
    assert _standard_errors_later(late, moved) == pytest.approx(step / error)
    assert _standard_errors_later(np.where(moved, 5.0, 0.0), moved) == 0, "nobody hears 5 ms"
    assert _standard_errors_later(-late, moved) == 0, "earlier is not later"
    for few, told in ((3, True), (2, False)):
        some = np.arange(40) < few
        assert (_standard_errors_later(np.where(some, 40.0, 0.0), some) > 0) is told
    for rest, told in ((6, True), (5, False)):
        some = np.arange(12 + rest) < 12
        assert (_standard_errors_later(np.where(some, 40.0, 0.0), some) > 0) is told


def test_timing_that_fades_is_told_by_ranks_and_only_if_it_grows() -> None:
    rng = np.random.default_rng(6)
    grows = np.concatenate([rng.normal(0, 5, 48), rng.normal(0, 30, 48)])
    found = Tiring.find(late_take(list(grows)))
    assert found is not None and found.before_ms < 10 < 20 < found.after_ms
    assert found.bar in (6, 7, 8) and found.round == 1
    assert Tiring.find(late_take(list(grows[::-1]))) is None, "it gets better"
    assert Tiring.find(late_take(list(rng.normal(0, 15, 96)))) is None
    assert Tiring.find(late_take(list(grows[36:60]))) is None, "too few hits"


def test_a_place_is_in_time_within_its_tolerance_and_a_quarter_of_its_slot() -> None:
    assert is_in_time(20.0, 1.0) and is_in_time(-20.0, 1.0) and not is_in_time(20.1, 1.0)
    assert is_in_time(0.0, 1.0) and not is_in_time(16.0, 0.06)
    assert is_in_time(5.0, 1.0, tolerance_ms=5.0) and not is_in_time(5.1, 1.0, tolerance_ms=5.0)


def test_slower_is_a_tenth_slower() -> None:
    judgement = late_take([0.0] * 8).judgement
    drift = Drift(cost=0.1, drift_bpm_per_min=9, tempo_off_bpm=0, span_s=9, away_ms=60, bar=1)
    slower = [p.tempo_bpm for p in propose(judgement, [drift]) if p.drill is None]
    assert slower == [108.0]


@pytest.mark.parametrize("at", [10, 24, 39])
def test_the_spread_leaves_its_first_level_where_it_does(at: int) -> None:
    assert _change_point(np.where(np.arange(48) < at, 2.0, 30.0)) == at


def test_loose_timing_says_to_which_side() -> None:
    """Of eighths at 120 bpm, spread over the whole take."""
    wild = [30.0, -1.0, -0.5, 2.0, 28.0, -2.0, 35.0, 1.0] * 6
    found = LooseTiming.find(late_take(wild))
    assert found is not None and found.early_share == 0 and (found.off, found.played) == (18, 48)
    early = LooseTiming.find(late_take([-ms for ms in wild]))
    assert early is not None and early.early_share == 1
    judgement = late_take(wild).judgement
    assert "more than 20 ms late (" in found.sentence(judgement)
    assert "more than 20 ms early (" in early.sentence(judgement)
    assert "more than 20 ms early or late (" in replace(found, early_share=0.5).sentence(judgement)


def test_a_part_is_explained_only_if_the_hits_are_closer_without_it() -> None:
    late = late_take([30.0, -30.0, 5.0, 30.0]).lateness
    share, hits = late.explain(np.array([25.0, 25.0, 25.0, 0.0]))
    assert share == 0.25 and [hit.key.index for hit in hits] == [0]
    assert late.left_ms == pytest.approx([5.0, -55.0, -20.0, 30.0])
    assert [hit.key.index for hit in late.off()] == [1, 3], "20 ms is still in time"


# --- strings ---------------------------------------------------------------------------------------


def test_two_stops_that_surely_ring_on_are_told_and_one_is_not() -> None:
    riff = expanded("| 6:2 o ~ - o ~ - o ~ | 6:2 - o ~ - o ~ - - |")
    stopped: dict[int, dict[str, object]] = {
        k: {"stop_late_ms": 0.0, "ring_end": RingEnd.STOP} for k in range(len(riff.hits))
    }
    for late, told in ((2, True), (1, False)):
        changes = stopped | {
            k: {"stop_late_ms": 150.0, "ring_end": RingEnd.STOP} for k in range(late)
        }
        found = StopsRingOn.find(Review(judge(heard(riff, hits=changes), riff, NECK)))
        assert (found is not None) is told
    barely = stopped | {k: {"stop_late_ms": 63.0, "ring_end": RingEnd.STOP} for k in range(2)}
    assert StopsRingOn.find(Review(judge(heard(riff, hits=barely), riff, NECK))) is None


def test_chords_are_weighed_by_what_was_measured_of_each() -> None:
    riff = expanded(bars_of("E5@6/0 o o o o o o o o", 4))
    known: dict[int, dict[str, object]] = {
        k: {"chord_ok": True, "chord_probability": 0.999} for k in range(32)
    }
    for probability, told in ((0.985, True), (0.6, False)):
        wrong = {k: {"chord_ok": False, "chord_probability": probability} for k in (3, 20)}
        judgement = judge(heard(riff, hits=known | wrong), riff, NECK)
        assert (WrongFrets.find(Review(judgement)) is not None) is told
    for probability, told in ((0.99, True), (0.6, False)):
        rings = {
            k: {"stray_strings": [3] if k in (3, 20) else [], "stray_probability": p}
            for k in range(32)
            for p in [probability if k in (3, 20) else 0.999]
        }
        found = StrayStrings.find(Review(judge(heard(riff, hits=rings), riff, NECK)))
        assert (found is not None) is told
        assert found is None or (found.chords, found.string) == (2, 3)


def test_what_should_mute_a_string_is_told_by_most_of_its_chords() -> None:
    riff = expanded("| A5@5/0 o E5@6/0 o o o o o o o |")
    rings = {
        k: {"stray_strings": [4 if k == 0 else 3], "stray_probability": 0.99} for k in range(8)
    }
    found = StrayStrings.find(Review(judge(heard(riff, hits=rings), riff, NECK)))
    assert found is not None and found.string == 3 and found.by
    only = {k: change for k, change in rings.items() if k}
    alone = StrayStrings.find(Review(judge(heard(riff, hits=only), riff, NECK)))
    assert alone is not None and (alone.by, alone.finger) == (found.by, found.finger)


# --- what to play next -----------------------------------------------------------------------------


def test_a_bar_is_worst_if_it_stands_out_by_three_hits_at_least() -> None:
    riff = expanded(bars_of("6:2 o o o o o o o o", 4))
    for off, bar in ((3, 3), (2, None)):
        late = {16 + k: {"deviation_ms": 60.0} for k in range(off)}
        assert worst_bar(judge(heard(riff, hits=late), riff, NECK)) == bar
    everywhere = {8 * n + k: {"deviation_ms": 60.0} for n in range(4) for k in range(3)}
    assert worst_bar(judge(heard(riff, hits=everywhere), riff, NECK)) is None


def test_the_worst_bar_is_looped_slower_or_played_into_after_a_change_of_section() -> None:
    riff = expand(
        parse_riff(
            "title: T\ntempo: 120\n[A]\n| 6:2 o o o o o o o o | 6:2 o o o o o o o o |\n"
            "[B]\n| 6:7 o o o o o o o o | 6:7 o o o o o o o o |\n"
        )
    )
    for first, drill, bars in ((8, "loop", (2, 2)), (16, "transition", (2, 3))):
        late = {first + k: {"deviation_ms": 70.0 * (-1) ** k} for k in range(8)}
        judgement = judge(heard(riff, hits=late), riff, NECK)
        found = find_findings(judgement)
        best = propose(judgement, found)[0]
        assert (best.drill, best.bars, best.tempo_bpm) == (drill, bars, 108)


def test_a_move_that_fails_far_more_often_is_drilled_with_the_bar_before_it() -> None:
    three = "6:2 o o o o o o o o | 6:9 o o o o o o o o | 6:2 o o o o 6:9 o o o o"
    riff = expanded(bars_of(three, 3))
    into = [k for k, due in enumerate(riff.hits) if due.hit.at == 0 and due.bar in (2, 5, 8) and k]
    late = {k: {"deviation_ms": 60.0, "onset_s": riff.hits[k].due_s + 0.06} for k in into}
    judgement = judge(replace(heard(riff, hits=late), bias_judged=True), riff, NECK)
    found = LateAfterShifts(
        cost=0.1,
        hits=tuple(hit.key for hit in judgement.hits if hit.key.index in into),
        late_ms=60.0,
        others_ms=0.0,
        moves=3,
        least_mm=145.0,
    )
    shifts = [p for p in propose(judgement, [found]) if p.drill is DrillKind.SHIFTS]
    assert shifts and shifts[0].bars is None, "three bars, each with one late move: none stands out"
    assert all(p.drill is not None for p in propose(judgement, [found])), "never merely slower"

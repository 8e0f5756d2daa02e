"""Progress, number by number: by hand, or by a library."""

from dataclasses import replace
from datetime import date, timedelta
from decimal import Decimal

import numpy as np
import pytest
from scipy.stats import theilslopes

from tests.core.coach_takes import invented
from tests.core.hand_made import expanded, heard
from thrumble.core.coach.progress import moves
from thrumble.core.coach.progress.clean_speed import Round
from thrumble.core.coach.progress.drill_effect import Helped, Measure, did_it_help, helped_words
from thrumble.core.coach.progress.drill_tempo import drill_tempo
from thrumble.core.coach.progress.habits import PlayedPlace, habits_of
from thrumble.core.coach.progress.hand_speed import hand_speed
from thrumble.core.coach.progress.inner_pulse import inner_pulse
from thrumble.core.coach.progress.ladder import LadderSchool, evidence_words, next_step
from thrumble.core.coach.progress.moves import Landing, Slope, early_release_ms, fit_landings
from thrumble.core.coach.progress.passes import rounds_of
from thrumble.core.coach.progress.stamina import load_of, longest_run
from thrumble.core.coach.verdict.judgement import judge
from thrumble.core.ear.reading import Change, ChangeKind, ExtraOnset, HitReading, HitState, RingEnd
from thrumble.core.instrument import Instrument
from thrumble.core.riff.drills.catalogue import DrillKind

NECK = Instrument()
DAY = date(2026, 11, 30)
EIGHT = "| 6:2 o o o o o o o o |"
MOVING = "| 6:2 o o o o 6:7 o o o o | 6:2 o o o o 6:12 o o o o | 6:3 o o o o 6:9 o o o o |"


def landing(index: int, mm: float, late_ms: float, *, number: int = 1) -> Landing:
    return Landing(
        index=index,
        round=number,
        bar=1,
        mm=mm,
        time_ms=200.0,
        late_ms=late_ms,
        in_time=True,
        early_ms=None,
    )


# --- moves ---------------------------------------------------------------------------------------


def test_a_slope_and_its_interval_are_those_of_a_statistics_library() -> None:
    rng = np.random.default_rng(3)
    mm = np.round(rng.uniform(20, 300, 14), 1)
    late = 0.1 * mm + rng.normal(0, 4, mm.size)
    fit = moves._fitted([landing(k, *at) for k, at in enumerate(zip(mm, late, strict=True))], [])
    library = theilslopes(late, mm / 100, 0.95)
    assert fit.per_100_mm is not None and fit.per_100_mm.clear
    ours = (fit.per_100_mm.value, fit.per_100_mm.low, fit.per_100_mm.high)
    assert ours == pytest.approx((library.slope, library.low_slope, library.high_slope))
    assert fit.level_ms == pytest.approx(np.median(late))


def test_moves_of_one_place_count_once_with_their_mean() -> None:
    once = [landing(k, 20.0 * (k + 1), 3.0 * k) for k in range(8)]
    twice = [landing(k, 20.0 * (k + 1), 3.0 * k + way) for k in range(8) for way in (-5.0, 5.0)]
    assert moves._fitted(twice, []).per_100_mm == moves._fitted(once, []).per_100_mm


@pytest.mark.parametrize(
    ("mm", "has_slope"),
    [
        ([10, 20, 30, 10, 20, 30, 10, 20], True),
        ([10, 20, 30, 10, 20, 30, 10], False),
        ([10, 20, 10, 20, 10, 20, 10, 20], False),
        ([10, 20, 30, 40, 50, 60, 70, 80], True),
    ],
)
def test_a_slope_takes_eight_moves_of_three_sizes(mm: list[float], has_slope: bool) -> None:
    fit = moves._fitted([landing(k, size, float(k)) for k, size in enumerate(mm)], [])
    assert (fit.per_100_mm is not None) is has_slope


def test_the_variance_of_kendalls_count_is_the_textbooks() -> None:
    assert moves._kendall_variance(np.arange(10.0)) == pytest.approx(125.0)
    tied = np.repeat([1.0, 2.0], 5)
    assert moves._kendall_variance(tied) == pytest.approx((10 * 9 * 25 - 2 * 5 * 4 * 15) / 18)


def test_a_slope_is_clear_only_if_its_interval_leaves_zero_out() -> None:
    assert Slope(1.0, 0.5, 2.0).clear and Slope(-1.0, -2.0, -0.5).clear
    assert not Slope(1.0, 0.0, 2.0).clear and not Slope(-1.0, -2.0, 0.0).clear


def test_how_early_a_hit_was_let_go() -> None:
    riff = expanded("| 6:2 o o o o m m o o |")
    length_s = riff.hits[0].end_s - riff.hits[0].due_s
    changes: dict[int, dict[str, object]] = {
        0: {"ring_s": length_s - 0.05, "ring_end": RingEnd.STOP},
        1: {"ring_s": length_s + 0.05, "ring_end": RingEnd.DECAY},
        2: {"ring_s": 0.01, "ring_end": RingEnd.NEXT},
        3: {"ring_s": 0.01, "ring_end": RingEnd.END},
        4: {"ring_s": 0.01, "ring_end": RingEnd.STOP},
        5: {"ring_s": None, "ring_end": RingEnd.STOP},
        7: {"ring_s": 0.1, "ring_end": None},
    }
    hits = judge(heard(riff, hits=changes), riff, NECK).hits
    early = [early_release_ms(hit) for hit in hits]
    assert early[0] == pytest.approx(50.0) and early[1] == 0.0
    assert early[2] == early[3] == 0.0, "cut by what follows"
    assert early[4] is None and early[5] is None and early[7] is None


def test_what_is_let_go_before_moves_is_held_against_all_other_hits() -> None:
    riff = expanded(MOVING)
    let_go = {k: {"ring_s": 0.1, "ring_end": RingEnd.STOP} for k in (3, 7, 11, 15, 19)}
    fit = fit_landings(judge(heard(riff, hits=let_go), riff, NECK))
    assert [move.index for move in fit.landings] == [4, 8, 12, 16, 20]
    slot_ms = (riff.hits[0].end_s - riff.hits[0].due_s) * 1000
    assert fit.let_go_ms == pytest.approx(slot_ms - 100)
    assert fit.others_ms == 0.0
    nothing = fit_landings(judge(heard(expanded(EIGHT)), expanded(EIGHT), NECK))
    assert nothing.landings == () and nothing.level_ms is None and nothing.let_go_ms is None


# --- hand speed ----------------------------------------------------------------------------------


def test_one_move_in_eight_that_fails_by_chance_hardly_slows_the_hand() -> None:
    speeds = (200.0, 400.0, 600.0, 800.0, 1000.0, 1200.0)
    takes = [[(s, s <= 800) for s in speeds] for _ in range(12)]
    slips = [
        [*take[:-1], take[-1]] if k % 3 else [(200.0, False), *take] for k, take in enumerate(takes)
    ]
    before, after = hand_speed(takes), hand_speed(slips)
    assert before is not None and after is not None
    assert 750 < before.mm_s < 1000 and after.mm_s > 0.95 * before.mm_s


# --- habits --------------------------------------------------------------------------------------


def place(take: int, *, late: float | None = 0.0, day: date = DAY, **counts: int) -> PlayedPlace:
    counted = {"times": 1, "missed": 0, "told": 1, "wrong": 0} | counts
    return PlayedPlace(take, "A", 1, "0", late_ms=late, day=day, **counted)  # type: ignore[arg-type]


def test_a_habit_has_its_shares_and_the_middle_of_what_was_hit() -> None:
    takes = [
        place(1, late=10.0, times=4, missed=1, told=3, wrong=1),
        place(2, late=30.0, times=2, missed=0, told=2, wrong=1, day=DAY + timedelta(days=1)),
        place(3, late=None, times=2, missed=2, told=0),
    ]
    (habit,) = habits_of(takes)
    assert (habit.times, habit.missed, habit.wrong) == (8, 3 / 8, 2 / 5)
    assert habit.late_ms == 10.0, "three hits at 10, two at 30"
    assert habit.days == 2 and habit.is_settled
    assert habits_of([place(1, told=0), place(2, told=0)]) == [], "twice is too few"
    (untold,) = habits_of([place(k, told=0) for k in range(3)])
    assert untold.wrong is None


@pytest.mark.parametrize(
    ("passes", "days", "settled"), [(5, 2, True), (4, 2, False), (5, 1, False), (6, 2, True)]
)
def test_a_habit_takes_five_passes_on_two_days(passes: int, days: int, settled: bool) -> None:
    takes = [place(k, day=DAY + timedelta(days=k % days)) for k in range(passes)]
    assert habits_of(takes)[0].is_settled is settled


# --- passes --------------------------------------------------------------------------------------


def test_an_extra_hit_counts_in_its_own_pass() -> None:
    riff = expanded(EIGHT)
    once = heard(riff)
    hits = [h for number in (1, 2, 3) for h in _as_round(once.hits, number, riff.round_s)]
    for number in (1, 2, 3):
        at_s = (number - 0.5) * riff.round_s
        extra = [ExtraOnset(onset_s=at_s + k / 50, level_db=-20, near_index=4) for k in range(2)]
        reading = replace(once, hits=hits, rounds=3, extra_onsets=extra)
        passes = [r for r in rounds_of(judge(reading, riff, NECK)) if r.section == ""]
        assert [p.clean for p in passes] == [n != number for n in (1, 2, 3)]
        assert [p.timing for p in passes] == [n != number for n in (1, 2, 3)]
        assert all(p.muting and p.stops is None and p.hits == 8 for p in passes)


def _as_round(hits: list[HitReading], number: int, round_s: float) -> list[HitReading]:
    later_s = (number - 1) * round_s
    return [replace(h, round=number, expected_s=h.expected_s + later_s) for h in hits]


def test_a_pass_is_told_once_nine_tenths_of_it_were_reached() -> None:
    riff = expanded("| 6:2 o o o o o o o o | 6:2 o o o o o o o o | 6:2 o o o o |")
    for reached, told in ((18, True), (17, False)):
        left = {
            k: {"state": HitState.NOT_REACHED, "deviation_ms": None} for k in range(reached, 20)
        }
        passes = rounds_of(judge(heard(riff, hits=left), riff, NECK))
        assert bool(passes) is told


# --- drill effect --------------------------------------------------------------------------------


def test_a_change_is_after_less_before_on_the_hits_that_both_have() -> None:
    riff = expanded(EIGHT)
    held = frozenset(due.identity for due in riff.hits[:7])
    late = {k: {"deviation_ms": 20.0 * (-1) ** k} for k in range(8)}
    before = judge(heard(riff, hits=late), riff, NECK)
    after = judge(
        heard(riff, hits={0: {"state": HitState.MISSED, "deviation_ms": None}}), riff, NECK
    )
    helped = did_it_help(DrillKind.LOOP, before, after, held)
    assert helped.hits == 6 and helped.before == pytest.approx(20.0)
    assert helped.after == 0.0 and helped.change == pytest.approx(-20.0) and helped.clear
    five = frozenset(due.identity for due in riff.hits[:6])
    assert did_it_help(DrillKind.LOOP, before, after, five).change is None, "five hits are too few"


def test_a_drill_for_stops_falls_back_to_timing_if_the_riff_has_few() -> None:
    riff = expanded("| 6:2 o ~ - o ~ - o o | 6:2 o o o o o o o o |")
    held = frozenset(due.identity for due in riff.hits)
    take = judge(heard(riff), riff, NECK)
    assert did_it_help(DrillKind.STOPS, take, take, held).measure is Measure.TIMING
    stops = expanded("| 6:2 o ~ - o ~ - o ~ | 6:2 o ~ - o ~ - o ~ |")
    late = {k: {"stop_late_ms": 90.0} for k in range(len(stops.hits))}
    before = judge(heard(stops, hits=late), stops, NECK)
    after_ms = {k: {"stop_late_ms": -30.0} for k in range(len(stops.hits))}
    after = judge(heard(stops, hits=after_ms), stops, NECK)
    helped = did_it_help(
        DrillKind.STOPS, before, after, frozenset(due.identity for due in stops.hits)
    )
    assert helped.measure is Measure.STOPS and helped.change == pytest.approx(-90.0)


def test_a_small_clear_loss_is_a_loss() -> None:
    helped = Helped(
        kind=DrillKind.LOOP, measure=Measure.TIMING, hits=9, change=0.6, interval=(0.2, 1.0)
    )
    assert "didn't help" in helped_words(helped, "loop")


# --- inner pulse ---------------------------------------------------------------------------------


def test_a_bar_is_silent_below_a_tenth_of_its_level() -> None:
    at = np.arange(24 * 8) / 8
    late = list(10.0 * np.where(at % 4 >= 2, at % 4 - 2, 0.0))
    soft = inner_pulse(invented(late), (1.0, 1.0, 0.05, 0.05))
    assert soft is not None and soft.ms_a_bar == pytest.approx(10.0)
    assert inner_pulse(invented(late), (1.0, 1.0, 0.1, 0.1)) is None


# --- tempos --------------------------------------------------------------------------------------


def test_a_drill_begins_at_its_share_and_no_faster_than_the_hand() -> None:
    riff = expanded(MOVING).riff
    whole = drill_tempo(riff, Decimal(1), 120, 90, NECK, None)
    assert (whole.tempo_bpm, whole.why) == (90, "as fast as the riff goes by now")
    own = drill_tempo(riff, Decimal(1), 120, 130, NECK, None)
    assert (own.tempo_bpm, own.why) == (120, "the riff's own tempo")
    still = expanded(EIGHT).riff
    unmoved = drill_tempo(still, Decimal(1), 120, 120, NECK, 1e-9)
    assert unmoved.tempo_bpm == 120, "nothing moves"


def passes(*results: tuple[float, bool]) -> list[Round]:
    return [Round(day=DAY, tempo_bpm=bpm, clean=clean) for bpm, clean in results]


def test_only_the_newest_two_passes_settle_a_tempo() -> None:
    bad_first = passes(*[(120, False)] * 4, (120, True), (120, True))
    step = next_step(bad_first, 120, LadderSchool.EVIDENCE, today=DAY)
    assert step.tempo_bpm == 124 and step.why.startswith("clean twice at 120")
    bad_last = passes((120, True), (120, True), (120, False))
    assert next_step(bad_last, 120, LadderSchool.EVIDENCE, today=DAY).tempo_bpm <= 120
    assert evidence_words(passes((100, True)), 100) == "your pass at 100 was clean"
    assert evidence_words(passes((100, True), (101, False), (100, False)), 100) == (
        "1 of the last 2 passes at 100 clean"
    )


# --- stamina -------------------------------------------------------------------------------------


@pytest.mark.parametrize(("gap", "run"), [(1, 8), (3, 8), (4, 4)])
def test_a_rest_longer_than_two_beats_ends_a_run(gap: int, run: int) -> None:
    bars = ["o", "o", "o", "o", *["-"] * gap, "o", "o", "o", "o"]
    bars += ["-"] * (16 - len(bars))
    text = f"| 6:2 {' '.join(bars[:8])} | 6:2 {' '.join(bars[8:])} |"
    riff = expanded(text)
    assert len(longest_run(judge(heard(riff), riff, NECK))) == run


def test_hands_tire_from_where_the_spread_grew_counted_from_the_first_hit() -> None:
    riff = expanded(MOVING)
    reading = heard(riff)
    grew = Change(kind=ChangeKind.SPREAD, bar=3, round=1, amount=6.0)
    shrank = Change(kind=ChangeKind.SPREAD, bar=3, round=1, amount=-6.0)
    loads = {}
    for name, changes in (("grew", [grew]), ("shrank", [shrank]), ("none", [])):
        summary = replace(reading.summary, changes=changes)
        loads[name] = load_of(judge(replace(reading, summary=summary), riff, NECK), [])
    bar_3_s = next(due.due_s for due in riff.hits if due.bar == 3)
    assert loads["grew"].tired_s == pytest.approx(bar_3_s - riff.hits[0].due_s)
    assert loads["shrank"].tired_s is None and loads["shrank"].spread_ms == -6.0
    assert loads["none"].tired_s is None and loads["none"].spread_ms is None
    assert loads["none"].strokes == loads["none"].run_strokes == 24

"""Where progress changes its mind: one pass, one second or one hit to either side of a limit."""

from dataclasses import replace
from datetime import date, timedelta

import numpy as np
import pytest

from tests.core.coach_takes import invented
from tests.core.hand_made import expanded, heard
from thrumble.core.coach.progress.clean_speed import Round, chance_clean, clean_speed
from thrumble.core.coach.progress.habits import PlayedPlace, habits_of
from thrumble.core.coach.progress.hand_speed import hand_speed
from thrumble.core.coach.progress.inner_pulse import inner_pulse
from thrumble.core.coach.progress.ladder import LadderSchool, evidence_words, next_step
from thrumble.core.coach.progress.passes import rounds_of
from thrumble.core.coach.progress.stamina import Run, load_of, work_and_rest
from thrumble.core.coach.verdict.judgement import judge
from thrumble.core.ear.reading import ExtraOnset, HitState
from thrumble.core.instrument import Instrument
from thrumble.core.riff.expand import expand
from thrumble.core.riff.notation.text import parse_riff

NECK = Instrument()
TODAY = date(2026, 12, 1)


def passes(*results: tuple[float, bool]) -> list[Round]:
    return [Round(day=TODAY, tempo_bpm=bpm, clean=clean) for bpm, clean in results]


# --- the ladder ----------------------------------------------------------------------------------


def test_a_pass_counts_for_a_tempo_within_half_a_bpm_and_ten_of_them_at_most() -> None:
    near = passes((100.4, True), (99.6, True), (100.6, False), (99.4, False))
    assert evidence_words(near, 100) == "2 of the last 2 passes at 100 clean"
    many = passes(*[(100, False)] * 3, *[(100, True)] * 9)
    assert evidence_words(many, 100) == "9 of the last 10 passes at 100 clean"
    assert evidence_words(passes((100, False)), 100) == "your pass at 100 wasn't clean"


@pytest.mark.parametrize(
    ("school", "results", "bpm", "why"),
    [
        (LadderSchool.THREE_UP, [(100, True), (103, False)], 100, "back to 100"),
        (LadderSchool.THREE_UP, [(97, True), (100, True), (103, True)], 106, "106 next"),
        # only what went up since the last step down counts
        (
            LadderSchool.THREE_UP,
            [(90, True), (93, True), (96, True), (93, True), (96, True)],
            99,
            "99 next",
        ),
        (LadderSchool.SMALL_STEPS, [(100, False), (100, True), (100, True)], 103, "103 next"),
        (LadderSchool.SMALL_STEPS, [(100, True), (100, False), (100, False)], 97, "back to 97"),
        (LadderSchool.SMALL_STEPS, [(100, True), (110, True)], 110, "110 again"),
        (LadderSchool.HALF_CHANGES, [(130, True)], 130, "half the changes"),
        (LadderSchool.HALF_CHANGES, [(130, True), (130, True)], 130, "all its changes now"),
        (LadderSchool.SMALL_STEPS, [(400, True), (400, True)], 400, "400 next"),
        (LadderSchool.SMALL_STEPS, [(20, False), (20, False)], 20, "back to 20"),
    ],
)
def test_every_school_takes_the_step_it_describes(
    school: LadderSchool, results: list[tuple[float, bool]], bpm: float, why: str
) -> None:
    step = next_step(passes(*results), 130, school)
    assert step.tempo_bpm == bpm and why in step.why and step.rest_s == 0


def test_a_slower_tempo_comes_first_and_a_faster_one_next() -> None:
    up, down = (
        next_step(passes(*[(100, clean)] * 10), 130, LadderSchool.EVIDENCE)
        for clean in (True, False)
    )
    assert up.tempo_bpm > 100 and up.why.endswith(f"{up.tempo_bpm:g} next")
    assert down.tempo_bpm < 100 and down.why.endswith(f"{down.tempo_bpm:g} first")
    begin = next_step([], 130, LadderSchool.EVIDENCE)
    assert begin.tempo_bpm == 104  # four fifths


# --- clean speed ---------------------------------------------------------------------------------


def test_many_passes_at_even_odds_put_the_speed_where_four_of_five_are_clean() -> None:
    """Half of the passes at 120 clean: the clean speed lies below 120 by the curve's own shape."""
    mixed = [
        Round(day=TODAY - timedelta(days=d), tempo_bpm=120.0, clean=bool(k % 2))
        for d in range(20)
        for k in range(10)
    ]
    speed = clean_speed(mixed, 120.0)
    assert speed is not None and speed.rounds == 200 and speed.clean == 100
    assert chance_clean(speed.now.bpm, 120.0) == pytest.approx(0.5, abs=0.1)
    assert speed.now.low < speed.now.bpm < speed.now.high
    assert [day for day, _ in speed.by_day] == sorted(day for day, _ in speed.by_day)
    doubled = clean_speed([Round(r.day, 2 * r.tempo_bpm, r.clean) for r in mixed], 240.0)
    assert doubled is not None and doubled.now.bpm == pytest.approx(2 * speed.now.bpm)


def test_a_pause_widens_the_interval_to_both_sides_and_keeps_the_middle() -> None:
    played = passes(*[(100, k % 5 > 0) for k in range(25)])
    fresh = clean_speed(played, 110.0)
    rusty = clean_speed(played, 110.0, today=TODAY + timedelta(days=30))
    assert fresh is not None and rusty is not None
    assert rusty.now.bpm == pytest.approx(fresh.now.bpm, rel=0.02)
    assert rusty.now.low < fresh.now.low and rusty.now.high > fresh.now.high
    later = clean_speed(played, 110.0, today=TODAY + timedelta(days=60))
    never = clean_speed(played, 110.0, today=TODAY + timedelta(days=600))
    assert later == never  # rust has done what it does


# --- stamina -------------------------------------------------------------------------------------


def run(seconds: float, *, tempo: float = 150.0, ago: int = 1, tired: float | None = None) -> Run:
    return Run(
        take_id=1,
        day=TODAY - timedelta(days=ago),
        tempo_bpm=tempo,
        strokes=round(5 * seconds),
        seconds=seconds,
        tired_s=tired,
    )


@pytest.mark.parametrize(
    ("seconds", "work_s"),
    [
        ([50, 60, 55], 45),  # four fifths of the usual 55, in steps of five
        ([20, 20, 100], 40),  # four fifths of half the longest
        ([300, 300, 300], 180),
        ([5, 5, 5], 15),
    ],
)
def test_work_is_four_fifths_of_what_is_clean(seconds: list[float], work_s: float) -> None:
    work = work_and_rest([run(s) for s in seconds], 150, TODAY)
    assert work.work_s == work_s and work.rest_s == max(20, work_s)


@pytest.mark.parametrize(
    ("played", "told"),
    [
        (run(50, ago=28), True),
        (run(50, ago=29), False),
        (run(50, tempo=144.0), True),
        (run(50, tempo=143.9), False),
        (run(50, tempo=156.0), True),
        (run(50, tempo=156.1), False),
    ],
)
def test_runs_of_four_weeks_within_four_percent_of_the_tempo_tell(played: Run, told: bool) -> None:
    work = work_and_rest([played] * 3, 150, TODAY)
    assert ("you stay clean for 50 s" in work.why) is told
    assert ("little played" in work.why) is not told


def test_hands_slip_if_more_than_half_of_the_takes_show_it() -> None:
    runs = [run(60, tired=20.0), run(60, tired=20.0), run(60), run(60)]
    assert "you stay clean for 60 s" in work_and_rest(runs, 150, TODAY).why
    slips = work_and_rest([*runs, run(60, tired=20.0)], 150, TODAY)
    assert "you begin to slip after 20 s" in slips.why
    assert slips.work_s == 25  # four fifths of half the longest: 24, in steps of five


def test_the_weeks_strokes_allow_so_many_times() -> None:
    runs = [run(50)] * 3  # 5 strokes a second, 40 s of work
    times = [
        work_and_rest(runs, 150, TODAY, strokes_left=left).times for left in (0, 199, 200, 450, 9e9)
    ]
    assert times == [0, 0, 1, 2, 6]
    assert "used up" in work_and_rest(runs, 150, TODAY, strokes_left=0).why


def test_a_take_without_a_hit_asked_nothing_of_the_hands() -> None:
    silent = {k: {"state": HitState.MISSED, "deviation_ms": None} for k in range(16)}
    load = load_of(invented([0.0] * 16, hits=silent), [])
    assert (load.strokes, load.down, load.run_strokes, load.clean) == (0, 0, 0, 0)
    assert (load.seconds, load.run_s, load.tired_s) == (0.0, 0.0, None)
    ups = expanded("| 6:2 o ou o ou o ou o ou |")
    picked = load_of(judge(heard(ups), ups, NECK), [])
    assert (picked.strokes, picked.down) == (8, 4)


# --- passes and habits ---------------------------------------------------------------------------

TWO = parse_riff(
    "title: T\ntempo: 120\n[A]\n| 6:2 o o o o o o o o |\n[B]\n| 6:7 o o o o o o o o |\n"
)


def test_a_section_that_the_take_reached_counts_though_the_one_before_it_does_not() -> None:
    riff = expand(TWO)
    late_start = {k: {"state": HitState.NOT_REACHED, "deviation_ms": None} for k in range(8)}
    results = rounds_of(judge(heard(riff, hits=late_start), riff, NECK))
    assert [(r.section, r.hits, r.clean) for r in results] == [("B", 8, True)]


@pytest.mark.parametrize(("extra", "clean"), [(0, True), (1, True), (2, False)])
def test_one_extra_hit_in_a_pass_of_ten_is_let_be(extra: int, clean: bool) -> None:
    riff = expanded("| 6:2 o o o o o o o o | 6:2 o o o o |")
    onsets = [ExtraOnset(onset_s=1.0 + k / 10, level_db=-20, near_index=4) for k in range(extra)]
    reading = replace(heard(riff), extra_onsets=onsets)
    (whole, *_) = rounds_of(judge(reading, riff, NECK))
    assert (whole.section, whole.clean, whole.timing) == ("", clean, clean)


def place(times: int, late_ms: float | None = 10.0, missed: int = 0) -> PlayedPlace:
    return PlayedPlace(1, "A", 1, "1/4", times, late_ms, missed, times, 1, TODAY)


def test_a_place_is_shown_from_three_times_on_and_each_hit_weighs_the_same() -> None:
    assert habits_of([place(2)]) == []
    (habit,) = habits_of([place(2), place(1)])
    assert (habit.times, habit.wrong, habit.days) == (3, pytest.approx(2 / 3), 1)
    (often,) = habits_of([place(4, late_ms=30.0, missed=1), place(2, late_ms=0.0)])
    assert often.late_ms == 30.0 and often.missed == pytest.approx(1 / 6)
    (never,) = habits_of([place(3, late_ms=None, missed=3)])
    assert never.late_ms is None and never.missed == 1.0


# --- the hand, and the pulse ---------------------------------------------------------------------


def test_a_hand_that_lands_below_a_speed_and_not_above_it_is_as_fast_as_that() -> None:
    takes = [[(speed, speed < 800.0) for speed in range(300, 1400, 50)] for _ in range(8)]
    hand = hand_speed([[(float(speed), good) for speed, good in take] for take in takes])
    assert hand is not None and hand.low < hand.mm_s < hand.high
    assert 600 < hand.mm_s < 850
    faster = [[(speed * 2.0, good) for speed, good in take] for take in takes]
    twice = hand_speed(faster)
    assert twice is not None and twice.mm_s == pytest.approx(2 * hand.mm_s, rel=0.15)
    assert hand_speed([[(300.0, True)]]) is None and hand_speed([]) is None


@pytest.mark.parametrize(("hits", "told"), [(6, True), (5, False)])
def test_a_silent_stretch_takes_six_hits_after_two_bars_with_a_click(hits: int, told: bool) -> None:
    at = np.arange(24 * 8) / 8
    late = list(10.0 * np.where(at % 4 >= 2, at % 4 - 2, 0.0))
    quiet = {
        k: {"state": HitState.MISSED, "deviation_ms": None}
        for k in range(24 * 8)
        if k // 8 % 4 >= 2 and k % 16 >= hits
    }
    pulse = inner_pulse(invented(late, hits=quiet), (1.0, 1.0, 0.0, 0.0))
    assert (pulse is not None) is told
    assert pulse is None or pulse.ms_a_bar == pytest.approx(10.0)

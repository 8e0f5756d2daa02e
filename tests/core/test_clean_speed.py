"""Clean speed and the ladder: honest after little, never contradicting itself, true to players of
known ceilings.
"""

from datetime import date, timedelta

import numpy as np
import pytest
from benchmarks.coach import RIFF_BPM, play
from hypothesis import given, settings
from hypothesis import strategies as st

from thrumble.core.chance import norm_cdf
from thrumble.core.coach.progress.clean_speed import (
    REMEMBERED_DAYS,
    Round,
    chance_clean,
    clean_speed,
)
from thrumble.core.coach.progress.ladder import LADDERS, LadderSchool, next_step
from thrumble.core.riff.drills.catalogue import DrillKind

DAY = date(2026, 9, 1)
rounds = st.lists(
    st.builds(
        Round,
        st.integers(0, 20).map(lambda days: DAY + timedelta(days=days)),
        st.integers(60, 180).map(float),
        st.booleans(),
    ),
    min_size=1,
    max_size=14,
)


def found(history: list[Round], today: date | None = None) -> tuple[float, float, float]:
    told = clean_speed(history, 120.0, today=today)
    assert told is not None
    return told.now.low, told.now.bpm, told.now.high


@settings(max_examples=120, deadline=None)
@given(rounds, st.integers(60, 180))
def test_a_clean_round_more_never_lowers_it_and_a_bad_one_never_raises_it(
    history: list[Round], tempo: int
) -> None:
    last = max(one.day for one in history)
    before = np.array(found(history))
    better = np.array(found([*history, Round(last, float(tempo), True)]))
    worse = np.array(found([*history, Round(last, float(tempo), False)]))
    assert np.all(better >= before - 1e-6) and np.all(worse <= before + 1e-6)


@settings(max_examples=60, deadline=None)
@given(rounds, st.randoms())
def test_the_order_within_a_day_does_not_matter(history: list[Round], random: object) -> None:
    mixed = list(history)
    random.shuffle(mixed)  # type: ignore[attr-defined]
    assert found(mixed) == found(history)


def test_what_lies_far_back_says_nothing_any_more() -> None:
    played = [
        Round(date(2026, 1, 1) + timedelta(days=2 * k), 80.0 + k % 9 + k / 4, k % 5 > 0)
        for k in range(150)
    ]
    last = {one.day for one in played[-REMEMBERED_DAYS:]}
    part = found([one for one in played if one.day in last])
    assert part == pytest.approx(found(played), rel=2e-3)


def test_it_is_wide_after_little_and_wider_after_a_pause() -> None:
    three = [Round(DAY, 110.0, clean) for clean in (True, True, False)]
    low, bpm, high = found(three)
    assert (high - low) / bpm > 0.15, "three takes tell little"
    many = [Round(DAY + timedelta(days=d), 110.0, d % 5 != 0) for d in range(25)]
    sharp = found(many)
    assert (sharp[2] - sharp[0]) / sharp[1] < 0.18 and sharp[0] < 112 < sharp[2]
    rusty = found(many, today=DAY + timedelta(days=80))
    assert rusty[2] - rusty[0] > 1.2 * (sharp[2] - sharp[0])
    one_day = [Round(DAY, 110.0, d % 5 != 0) for d in range(25)]
    width = found(one_day)
    assert width[2] - width[0] > sharp[2] - sharp[0], "rounds of one day hang together"
    assert clean_speed([], 120.0) is None


@pytest.mark.parametrize("takes", [3, 10, 30])
def test_the_interval_holds_the_truth_nine_times_of_ten(takes: int) -> None:
    """Simulated players with known ceilings, learning and bad days; another law for half of
    them. The benchmark does 500 of each."""
    held, errors = [], []
    for seed in range(9000, 9120):
        player, history = play(seed, takes)
        told = clean_speed(history, RIFF_BPM)
        assert told is not None
        truth = RIFF_BPM * float(np.exp(player.ceiling))
        held.append(told.now.low <= truth <= told.now.high)
        errors.append(told.now.bpm / truth - 1)
    assert 0.82 <= np.mean(held) <= 0.97 and abs(np.median(errors)) < 0.03


def test_the_normal_table_is_the_normal() -> None:
    assert float(norm_cdf(0.0)) == pytest.approx(0.5)
    assert float(norm_cdf(1.96)) == pytest.approx(0.975, abs=1e-4)
    assert chance_clean(120.0, 120.0) == pytest.approx(0.8, abs=1e-6)
    assert chance_clean(120.0, 140.0) < 0.3 < 0.98 < chance_clean(120.0, 100.0)


# --- the ladder -----------------------------------------------------------------------------------


def played(*pairs: tuple[float, bool]) -> list[Round]:
    return [Round(DAY, tempo, clean) for tempo, clean in pairs]


def test_small_steps_go_up_after_two_clean_rounds_and_back_after_two_others() -> None:
    def step(*pairs: tuple[float, bool]) -> float:
        return next_step(played(*pairs), 130.0, LadderSchool.SMALL_STEPS).tempo_bpm

    assert step((100, True), (100, True)) == 103
    assert step((100, True), (100, False)) == 100 == step((100, True))
    assert step((100, False), (100, False)) == 97
    assert step((40, True), (40, True)) == 42, "two at least"


def test_three_up_one_down() -> None:
    climb = [(100, True)]
    seen = []
    for _ in range(8):
        tempo = next_step(played(*climb), 200.0, LadderSchool.THREE_UP).tempo_bpm
        seen.append(tempo)
        climb.append((tempo, True))
    steps = ["up" if b > a else "down" for a, b in zip([100.0, *seen], seen, strict=False)]
    assert steps[:4] == ["up", "up", "up", "down"] and steps[4:8] == ["up", "up", "up", "down"]


def test_the_evidence_goes_up_when_it_is_easy_and_down_when_it_is_not() -> None:
    easy = played(*[(100.0, True)] * 10)
    step = next_step(easy, 130.0)
    assert 102 <= step.tempo_bpm <= 104 and "10 of the last 10 passes at 100 clean" in step.why
    hard = played(*[(100.0, False)] * 10)
    assert 96 <= next_step(hard, 130.0).tempo_bpm < 100
    slip = played(*[(100.0, True)] * 3, (100.0, False))
    assert next_step(slip, 130.0).tempo_bpm >= 100, "one slip takes nothing down"
    again = played(*[(100.0, True)] * 3, (100.0, False), (100.0, False))
    assert next_step(again, 130.0).tempo_bpm <= 100
    done = played(*[(130.0, True)] * 4)
    beyond = next_step(done, 130.0)
    assert 133 <= beyond.tempo_bpm <= 135 and "its own tempo" in beyond.why, "a next goal"
    near = played(*[(127.0, True)] * 4)
    assert next_step(near, 130.0).tempo_bpm <= 130, "the tempo wanted first"
    assert "not played yet" in next_step([], 130.0).why


def test_bursts_rest_and_half_changes_are_drills() -> None:
    burst = next_step(played((90, True)), 130.0, LadderSchool.BURSTS)
    assert (burst.tempo_bpm, burst.drill, burst.rest_s > 0) == (130.0, DrillKind.LOOP, True)
    half = next_step(played((130, False)), 130.0, LadderSchool.HALF_CHANGES)
    assert half.drill is DrillKind.HALF_CHANGES
    whole = next_step(played((130, True), (130, True)), 130.0, LadderSchool.HALF_CHANGES)
    assert whole.drill is None and set(LADDERS) == set(LadderSchool)

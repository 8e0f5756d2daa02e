"""Where plans and comparisons change their mind: one day, one take or one millisecond to either side
of a limit.
"""

from datetime import date, timedelta

import numpy as np
import pytest
from scipy.stats import t as student

from tests.core.coach_takes import invented
from thrumble.core.coach.comparing.comparison import Comparison, Difference, compare_sides
from thrumble.core.coach.comparing.metrics import METRICS, TakeHits, hits_of
from thrumble.core.coach.comparing.trial import Outcome, draw_order, judge_trial
from thrumble.core.coach.planning.hand_health import PracticeHistory, TakeEffort
from thrumble.core.coach.planning.plan import Standing, interval_of, plan_words, week_ahead
from thrumble.core.coach.progress.clean_speed import Estimate, Round
from thrumble.core.errors import BadInput

TODAY = date(2026, 12, 1)
TIMING = next(metric for metric in METRICS if metric.name == "spread_ms")
NEUTRAL = next(metric for metric in METRICS if not metric.better)


def ago(days: int) -> date:
    return TODAY - timedelta(days=days)


# --- the plan ------------------------------------------------------------------------------------


def speedy(number: int, bpm: float, goal: float) -> Standing:
    return Standing(
        riff_id=number,
        title=f"Riff {number}",
        last=TODAY,
        interval_days=60,
        speed=Estimate(bpm, bpm - 5, bpm + 5),
        goal_bpm=goal,
        tempo_bpm=goal,
        bars=None,
        strokes_a_minute=300.0,
        drill=None,
        weak_why="",
    )


def test_if_nothing_is_due_the_riff_farthest_from_its_own_tempo_is_next() -> None:
    """90 of 120 is farther than 80 of 100, though it is faster."""
    ahead = week_ahead([speedy(1, 80, 100), speedy(2, 90, 120)], [], 6, TODAY)
    assert ahead[0][1] == ["Riff 2"]


@pytest.mark.parametrize(
    ("days", "interval"),
    [
        ([], 1),
        ([[True]], 2),
        ([[True], [True], [True]], 8),
        ([[True], [False]], 1),
        ([[True], [False], [True]], 2),
        ([[True]] * 12, 16),
    ],
)
def test_a_riff_waits_twice_as_long_after_every_day_that_held(
    days: list[list[bool]], interval: int
) -> None:
    rounds = [Round(ago(30 - k), 100.0, clean) for k, day in enumerate(days) for clean in day]
    assert interval_of(rounds) == interval


def test_a_plan_without_blocks_is_said_as_such() -> None:
    assert plan_words([]) == "0 minutes, 0 blocks"


def effort(pace: float, *, back: int = 0, worse: bool = True) -> TakeEffort:
    return TakeEffort(day=ago(back), pace=pace, spread_grew=worse, level_fell=worse)


def test_a_take_is_fast_from_the_fastest_third_on() -> None:
    def tense(*takes: TakeEffort) -> int:
        return PracticeHistory(TODAY, (), (), tuple(takes), rise_percent=10.0).tense()

    assert tense(*[effort(5.0)] * 12) == 12  # all as fast as the fastest
    mixed = [effort(float(pace)) for pace in range(1, 13)]
    assert tense(*mixed) == 4
    assert tense(*mixed[:-1], effort(12.0, back=1)) == 3
    assert tense(*mixed[:-1], effort(12.0, worse=False)) == 3
    one_sign = TakeEffort(day=TODAY, pace=12.0, spread_grew=True, level_fell=False)
    assert tense(*mixed[:-1], one_sign) == 3


# --- comparing -----------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("interval", "clear"),
    [((0.0, 2.0), False), ((-2.0, 0.0), False), ((0.1, 2.0), True), ((-2.0, -0.1), True)],
)
def test_a_difference_is_clear_if_its_interval_leaves_none_out(
    interval: tuple[float, float], clear: bool
) -> None:
    value = sum(interval) / 2
    difference = Difference(metric=TIMING, a=9.0, b=9.0 + value, value=value, interval=interval)
    assert difference.clear is clear
    lower_is_better = "b" if value < 0 else "a"
    assert difference.better == (lower_is_better if clear else "")
    outcome = Outcome(
        metric=TIMING, a=9.0, b=9.0 + value, value=value, interval=interval, more_pairs=None
    )
    assert outcome.clear is clear and outcome.better == difference.better.upper()
    neither = Difference(metric=NEUTRAL, a=1.0, b=1.0, value=value, interval=interval)
    assert neither.better == ""


def test_what_could_not_be_measured_is_neither_clear_nor_open_nor_better() -> None:
    unknown = Difference(metric=TIMING, a=None, b=None, why="too few hits tell it")
    assert not unknown.clear and not unknown.is_open and unknown.better == ""


def sides(first: list[float], second: list[float], rounds: int = 2) -> Comparison:
    a, b = ([hits_of(invented(late)) for _ in range(rounds)] for late in (first, second))
    return compare_sides(a, b)


@pytest.mark.parametrize(("hits", "told"), [(5, False), (6, True)])
def test_a_difference_takes_six_hits_a_side(hits: int, told: bool) -> None:
    late = [float(k % 3) for k in range(hits)]
    rounds = compare_sides([hits_of(invented(late))], [hits_of(invented(late))])
    bias = next(d for d in rounds.differences if d.metric.name == "bias_ms")
    assert (bias.interval is not None) is told
    assert bias.why == ("" if told else "too few hits tell it")


def test_only_a_single_pass_is_warned_of() -> None:
    late = [float(k % 5) for k in range(16)]
    assert sides(late, late).cautions == () and sides(late, late).rounds == (2, 2)
    single = sides(late, late, rounds=1)
    assert len(single.cautions) == 1 and "One pass alone" in single.cautions[0]


def test_a_places_interval_is_students_over_the_pooled_spread() -> None:
    """Two passes a side: of each place the mean of two, with one spread for all places."""
    rng = np.random.default_rng(5)
    late = [[rng.normal(0, 4, 8) for _ in range(2)] for _ in range(2)]
    takes = [[hits_of(invented(list(values))) for values in side] for side in late]
    places = compare_sides(*takes).places
    centred = [np.array(side) - np.median(np.concatenate(side)) for side in late]
    means = [side.mean(axis=0) for side in centred]
    free = 2 * 8
    within = np.sqrt(
        sum(((side - mean) ** 2).sum() for side, mean in zip(centred, means, strict=True)) / free
    )
    half = student.ppf(1 - 0.025 / 8, free) * within * np.sqrt(1 / 2 + 1 / 2)
    assert len(places) == 8
    for k, place in enumerate(sorted(places, key=lambda p: p.at and eval_place(p.at))):
        assert place.value == pytest.approx(means[1][k] - means[0][k])
        assert place.interval[1] - place.interval[0] == pytest.approx(2 * half, rel=1e-3)


def eval_place(at: str) -> float:
    top, _, below = at.partition("/")
    return int(top) / int(below or 1)


# --- trials --------------------------------------------------------------------------------------


def turn(way: str, spread: float, seed: int) -> tuple[str, TakeHits, int]:
    rng = np.random.default_rng(seed)
    return way, hits_of(invented(list(rng.normal(0, spread, 64)))), 1


def test_a_trial_takes_six_takes_and_two_of_each_way() -> None:
    for ways in ("ABBAB", "AAAAAB", "ABBBBB"):
        with pytest.raises(BadInput, match="at least 6 takes, two of each way"):
            judge_trial([turn(way, 8.0, k) for k, way in enumerate(ways)])
    assert judge_trial([turn(way, 8.0, k) for k, way in enumerate("ABBAAA")])


@pytest.mark.parametrize("pairs", [1, 41])
def test_a_trial_has_two_to_forty_pairs(pairs: int) -> None:
    with pytest.raises(BadInput, match="2 to 40 pairs"):
        draw_order(pairs, 1)
    assert [len(draw_order(n, 1)) for n in (2, 3, 40)] == [4, 6, 80]


def test_a_trial_that_would_take_hundreds_of_pairs_names_no_number() -> None:
    """Spreads of 2 and 400 ms in turns: any difference is lost in them."""
    wild = [turn(way, 2.0 if k % 3 else 400.0, k) for k, way in enumerate("ABBAABBA")]
    timing = next(o for o in judge_trial(wild) if o.metric is TIMING)
    assert not timing.clear and not timing.settled and timing.more_pairs is None
    near = [turn(way, 8.0 + k % 2, k) for k, way in enumerate("ABBAABBA")]
    found = next(o for o in judge_trial(near) if o.metric is TIMING)
    assert found.clear or found.settled or (found.more_pairs or 0) >= 1

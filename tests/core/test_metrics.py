"""What two sides are compared by, each figure by hand."""

from dataclasses import replace

import numpy as np
import pytest

from tests.core.hand_made import expanded, heard
from thrumble.core.coach.comparing.metrics import (
    METRICS,
    TakeHits,
    hits_of,
    hits_of_reading,
    own_middle,
    rows_of,
)
from thrumble.core.coach.verdict.judgement import judge
from thrumble.core.ear.reading import HeardKind, HitState
from thrumble.core.instrument import Instrument

NECK = Instrument()
BY_NAME = {metric.name: metric for metric in METRICS}


def figure(name: str, *takes: TakeHits) -> float:
    rows = rows_of(takes, {})
    return float(BY_NAME[name].of(rows, np.ones((1, rows.round.size)))[0])


def take(text: str, hits: dict[int, dict[str, object]], *, known: bool = True) -> TakeHits:
    riff = expanded(text)
    reading = replace(heard(riff, hits=hits), bias_judged=known)
    return hits_of(judge(reading, riff, NECK))


EIGHTHS = "| 6:2 o o o o o o o o |"


def late(*ms: float) -> dict[int, dict[str, object]]:
    return {k: {"deviation_ms": value} for k, value in enumerate(ms)}


def test_the_spread_and_the_middle_of_what_was_played() -> None:
    ms = (1.0, 2.0, 4.0, 8.0, 16.0, 32.0, 64.0)
    played = take("| 6:2 o o o o o o o - |", late(*ms))
    assert figure("bias_ms", played) == 8.0
    # off the middle by 7, 6, 4, 0, 8, 24 and 56: their middle is 7
    assert figure("spread_ms", played) == pytest.approx(1.4826 * 7)
    assert figure("bias_ms", played, take(EIGHTHS, late(*[-50.0] * 8))) == -50.0


def test_early_and_late_count_from_the_middle_if_the_latency_is_not_known() -> None:
    ms = [30.0] * 5 + [40.0] * 3
    assert figure("bias_ms", take(EIGHTHS, late(*ms))) == 30.0
    assert figure("bias_ms", take(EIGHTHS, late(*ms), known=False)) == 0.0
    reading = heard(expanded(EIGHTHS), hits=late(*ms))
    assert figure("bias_ms", hits_of_reading(reading)) == 0.0
    known = hits_of_reading(replace(reading, bias_judged=True))
    assert known.bias_judged and figure("bias_ms", known) == 30.0


def test_hits_after_moves_are_held_against_all_others() -> None:
    moving = "| 6:2 o o o o 6:9 o o o o |"
    played = take(moving, late(1.0, 2.0, 3.0, 4.0, 30.0, 5.0, 6.0, 7.0))
    assert figure("after_moves_ms", played) == pytest.approx(30.0 - 28.0 / 7)


def test_shares_are_in_percent_of_what_was_told() -> None:
    text = "| 6:2 o m o m o m x x |"
    hits: dict[int, dict[str, object]] = {
        0: {"heard_articulation": HeardKind.DEAD},
        1: {"heard_articulation": HeardKind.OPEN},
        2: {"heard_articulation": HeardKind.UNSURE},
        3: {"state": HitState.MISSED, "deviation_ms": None, "heard_articulation": None},
    }
    played = take(text, hits)
    assert figure("articulation_wrong", played) == pytest.approx(100 * 2 / 6)
    assert figure("choked", played) == pytest.approx(50.0)  # of two open hits told
    assert figure("rang", played) == pytest.approx(50.0)  # of two palm mutes played
    assert figure("missed", played) == pytest.approx(12.5)


def test_a_stop_that_comes_early_weighs_as_one_in_time() -> None:
    text = "| 6:2 o ~ - o ~ - o ~ |"
    stops = {0: {"stop_late_ms": 90.0}, 1: {"stop_late_ms": -40.0}}
    assert figure("stop_late_ms", take(text, stops)) == 45.0
    depths = {0: {"mute_depth": 0.4}, 1: {"mute_depth": 0.7}}
    assert figure("mute_depth", take("| 6:2 m m m m |", depths)) == pytest.approx(0.55)


def test_levels_spread_within_accents_and_within_the_others() -> None:
    text = "| 6:2 >o >o >o o o o o o |"
    db = (6.0, 8.0, 10.0, -1.0, -1.0, 0.0, 1.0, 1.0)
    levels = {k: {"relative_level_db": value} for k, value in enumerate(db)}
    played = take(text, levels)
    assert figure("accent_db", played) == 8.0
    assert figure("level_spread_db", played) == pytest.approx(np.sqrt((4 + 0 + 4 + 4) / 8))
    two = {k: {"relative_level_db": value} for k, value in enumerate((6.0, 60.0, 0.0, 2.0, 4.0))}
    few = take("| 6:2 >o >o o o o - - - |", two)
    assert figure("level_spread_db", few) == pytest.approx(np.sqrt((4 + 0 + 4) / 3))


def test_nothing_measured_has_no_figure() -> None:
    assert np.isnan(own_middle(np.array([]))) and np.isnan(own_middle(np.array([np.nan])))
    played = take(EIGHTHS, {})
    for name in ("rang", "stop_late_ms", "accent_db", "after_moves_ms", "swing"):
        assert np.isnan(figure(name, played)), name


def test_rounds_are_numbered_through_a_side() -> None:
    rows = rows_of([take(EIGHTHS, {}), take(EIGHTHS, {})], {})
    assert sorted(set(rows.round)) == [0, 1] and rows.spot.max() == 7
    weights = np.array([[1.0] * 8 + [0.0] * 8, [0.0] * 8 + [1.0] * 8])
    sides = rows_of([take(EIGHTHS, late(*[5.0] * 8)), take(EIGHTHS, late(*[9.0] * 8))], {})
    assert list(BY_NAME["bias_ms"].of(sides, weights)) == [5.0, 9.0]


@pytest.mark.parametrize(("unit", "digits"), [("", 2), ("dB", 1), ("ms", 1), ("%", 0)])
def test_a_figure_has_as_many_digits_as_say_something(unit: str, digits: int) -> None:
    assert {metric.digits for metric in METRICS if metric.unit == unit} == {digits}

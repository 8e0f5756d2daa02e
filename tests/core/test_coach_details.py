"""Numbers and words that a planted fault changed without any test noticing."""

import numpy as np
import pytest

from tests.core.hand_made import expanded, heard
from thrumble.core.coach.progress.drill_effect import Helped, Measure, helped_words
from thrumble.core.coach.progress.moves import landings
from thrumble.core.coach.verdict.finding import Finding
from thrumble.core.coach.verdict.findings import FINDINGS, find_findings
from thrumble.core.coach.verdict.judgement import judge, robust_spread
from thrumble.core.coach.verdict.proposals import propose, worst_bar
from thrumble.core.instrument import Instrument
from thrumble.core.riff.drills.catalogue import DrillKind

NECK = Instrument()
EIGHT = "| 6:2 o o o o o o o o | 6:7 o o o o o o o o |"


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

"""Keeping the tempo while the click is silent."""

import numpy as np
import pytest

from tests.core.coach_takes import invented
from thrumble.core.coach.progress.inner_pulse import InnerPulse, inner_pulse, pulse_words

TWO_TWO = (1.0, 1.0, 0.0, 0.0)


def drifting(ms_a_bar: float, seed: int, *, bars: int = 24, spread: float = 8.0) -> list[float]:
    """Eight hits a bar; every second pair of bars drifts, and is back with the click."""
    at = np.arange(bars * 8) / 8
    since = np.where(at % 4 >= 2, at % 4 - 2, 0.0)
    return list(ms_a_bar * since + np.random.default_rng(seed).normal(0, spread, at.size))


def test_a_player_who_rushes_or_drags_without_the_click_is_told_by_how_much() -> None:
    for true in (-15.0, 12.0):
        found = inner_pulse(invented(drifting(true, 1, bars=48)), TWO_TWO)
        assert found is not None and found.clear and found.stretches == 12
        assert found.interval[0] < true < found.interval[1]
    assert pulse_words(found).startswith("With the click off you drag by 1")


def test_the_interval_holds_as_often_as_it_says() -> None:
    held, clear = 0, 0
    for seed in range(300):
        found = inner_pulse(invented(drifting(0.0, seed)), TWO_TWO)
        assert found is not None
        held += found.interval[0] <= 0 <= found.interval[1]
        clear += found.clear
    assert 0.91 <= held / 300 <= 0.99 and clear == 300 - held


def test_silences_go_on_from_the_rounds_before() -> None:
    """The take begins in mid pattern: its bars 1 and 2 are the silent ones, with nothing before."""
    shifted = drifting(10.0, 3)[16:]
    found = inner_pulse(invented(shifted), TWO_TWO, bars_before=2)
    assert found is not None and found.stretches == 5 and found.interval[0] < 10 < found.interval[1]


@pytest.mark.parametrize("levels", [(1.0,), (1.0,) * 20 + (0.0,) * 2])
def test_without_enough_silence_nothing_is_said(levels: tuple[float, ...]) -> None:
    assert inner_pulse(invented(drifting(10.0, 3)), levels) is None


def test_what_cannot_be_told_is_said_so() -> None:
    words = pulse_words(InnerPulse(1.0, (-4.0, 6.0), 3))
    assert words == (
        "With the click off you hold the tempo: no drift that we can tell in 3 silent stretches, "
        "within 6 ms a bar."
    )

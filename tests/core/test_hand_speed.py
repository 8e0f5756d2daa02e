"""How fast a hand moves, from takes of simulated hands whose limit is known."""

import numpy as np
import pytest

from thrumble.core.coach.progress.hand_speed import hand_speed


def takes_of(limit: float, count: int, seed: int = 1) -> list[list[tuple[float, bool]]]:
    """Takes of a hand that lands up to `limit` mm/s nearly always, and beyond it rarely."""
    rng = np.random.default_rng(seed)
    speeds = (200.0, 350.0, 500.0, 700.0, 900.0, 1200.0)
    return [
        [(s, bool(rng.random() < (0.95 if s <= limit else 0.1))) for s in speeds for _ in range(4)]
        for _ in range(count)
    ]


@pytest.mark.parametrize("limit", [400.0, 800.0, 1100.0])
def test_the_hands_speed_lies_between_what_lands_and_what_does_not(limit: float) -> None:
    speed = hand_speed(takes_of(limit, 8))
    assert speed is not None and limit * 0.8 < speed.mm_s < limit * 1.45
    assert speed.low < speed.mm_s < speed.high


def test_two_odd_takes_do_not_take_the_hands_speed_away() -> None:
    """It once fell from 1,025 to 330 mm/s."""
    usual = takes_of(900, 10)
    odd = [[(s, False) for s in (330.0, 500.0, 900.0) for _ in range(10)] for _ in range(2)]
    before, after = hand_speed(usual), hand_speed([*odd, *usual])
    assert before is not None and after is not None
    assert after.mm_s > 0.8 * before.mm_s and after.mm_s >= before.low * 0.9
    assert hand_speed([]) is None and hand_speed(usual[:2]) is None, "too few takes"
    slow = [[(150.0, True)] * 20 for _ in range(6)]
    assert hand_speed(slow) is None, "nothing fast was tried"

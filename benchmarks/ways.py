"""Two ways held against each other, on simulated players whose truth is known: how often a
difference is seen that is not there, and how often one that is.

python -m benchmarks.ways [HOW_MANY]
"""

import sys
import time
from collections.abc import Callable

import numpy as np

from thrumble.core.coach.comparing.comparison import compare_sides
from thrumble.core.coach.comparing.metrics import HitRow, TakeHits
from thrumble.core.coach.comparing.trial import draw_order, judge_trial

HITS = 48
SPREAD_MS, ROUND_MS, ROUND_SPREAD = 9.0, 4.0, 0.12
WRONG, MISSED = 0.06, 0.01
MOVE_EVERY, STOP_EVERY, ACCENT_EVERY = 6, 8, 4


def take(
    rng: np.random.Generator, *, spread_ms: float = SPREAD_MS, rounds: int = 1, tired: float = 0.0
) -> TakeHits:
    """A take of a player: each round has a lag and a spread of its own, places are late by habit;
    `tired`: share by which the spread has grown.
    """
    hits = []
    habit = np.random.default_rng(7).normal(0, 4, HITS)
    for number in range(1, rounds + 1):
        lag = rng.normal(0, ROUND_MS)
        own = spread_ms * (1 + tired) * np.exp(rng.normal(0, ROUND_SPREAD))
        for k in range(HITS):
            missed = bool(rng.random() < MISSED)
            wrong = float(rng.random() < WRONG)
            palm = k % 2 == 1
            hits.append(
                (
                    ("A", 1 + k // 8, str(k % 8)),
                    HitRow(
                        round=float(number),
                        late_ms=np.nan if missed else float(habit[k] + lag + rng.normal(0, own)),
                        missed=float(missed),
                        wrong=np.nan if missed else wrong,
                        rang=wrong if palm and not missed else np.nan,
                        choked=wrong if not palm and not missed else np.nan,
                        stop_ms=float(abs(rng.normal(20, 12))) if k % STOP_EVERY == 0 else np.nan,
                        level_db=float(rng.normal(2.0 if k % ACCENT_EVERY == 0 else 0.0, 1.5)),
                        depth=float(rng.normal(0.6, 0.1)) if palm else np.nan,
                        accent=float(k % ACCENT_EVERY == 0),
                        moved=float(k % MOVE_EVERY == 0),
                    ),
                )
            )
    return TakeHits(tuple(hits), bias_judged=True)


def trials(count: int, pairs: int, more_ms: float) -> tuple[float, float]:
    """How often any difference is reported, and how often the one of the spread, which B has more
    of; the player tires and learns over the trial.
    """
    any_seen = spread_seen = 0
    for seed in range(count):
        rng = np.random.default_rng(seed)
        drift = rng.normal(0, 0.25)
        order = draw_order(pairs, seed)
        turns = [
            (
                way,
                take(
                    rng,
                    spread_ms=SPREAD_MS + (more_ms if way == "B" else 0.0),
                    tired=drift * k / len(order),
                ),
                1,
            )
            for k, way in enumerate(order)
        ]
        found = judge_trial(turns)
        any_seen += any(one.clear for one in found)
        spread_seen += any(one.clear and one.metric.name == "spread_ms" for one in found)
    return any_seen / count, spread_seen / count


def comparisons(count: int, rounds: int, more_ms: float) -> tuple[float, float]:
    """The same for two sets of so many rounds."""
    any_seen = spread_seen = 0
    for seed in range(count):
        rng = np.random.default_rng(seed)
        a = take(rng, rounds=rounds)
        b = take(rng, rounds=rounds, spread_ms=SPREAD_MS + more_ms)
        found = compare_sides([a], [b], seed=seed).differences
        any_seen += any(one.clear for one in found)
        spread_seen += any(one.clear and one.metric.name == "spread_ms" for one in found)
    return any_seen / count, spread_seen / count


def timed(what: Callable[[], object]) -> float:
    begun = time.perf_counter()
    what()
    return time.perf_counter() - begun


def main() -> None:
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 500
    print(f"fair trials, {count} each: any difference reported, that of the spread reported")
    for pairs in (4, 10, 20):
        for more_ms in (0.0, 5.0):
            seen, spread = trials(count, pairs, more_ms)
            print(f"  {pairs} pairs, {more_ms:g} ms more spread: {seen:.3f} {spread:.3f}")
    print(f"two sets of rounds, {count} each: the same")
    for rounds in (1, 2, 4, 8, 16):
        for more_ms in (0.0, 5.0):
            seen, spread = comparisons(count, rounds, more_ms)
            print(f"  {rounds} rounds, {more_ms:g} ms more spread: {seen:.3f} {spread:.3f}")
    rng = np.random.default_rng(1)
    sides = [take(rng, rounds=10) for _ in range(2)]
    print(
        f"two takes of 480 hits: {timed(lambda: compare_sides(sides[:1], sides[1:])) * 1000:.0f} ms"
    )


if __name__ == "__main__":
    main()

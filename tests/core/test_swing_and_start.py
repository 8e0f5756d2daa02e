"""Swing and the start of a take, on onsets whose truth is made here."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from thrumble.core.ear.align.onsets import Candidates
from thrumble.core.ear.align.start import fit_unknown
from thrumble.core.ear.measure.swing import measure_swing
from thrumble.core.ear.reading import HitReading, HitState
from thrumble.core.riff.expand import expand
from thrumble.core.riff.notation.text import parse_riff
from thrumble.trained import EAR

SHUFFLE = parse_riff(
    "title: Shuffle\ntempo: 120\nfeel: shuffle 2.0 on 1/8\n[A]\n"
    + "| A5@5/0 o o o o o o o o " * 6
    + "|\n"
)


def played(ratio: float, spread_ms: float, seed: int) -> list[HitReading]:
    """The shuffle's hits at a ratio with a player's scatter, as heard."""
    rng = np.random.default_rng(seed)
    out = []
    for due in expand(SHUFFLE).hits:
        pair_s, inside = divmod(due.due_s, 0.5)
        at = (
            pair_s * 0.5
            + (0.5 * ratio / (ratio + 1) if inside > 0.01 else 0.0)
            + rng.normal(0, spread_ms / 1000)
        )
        out.append(
            HitReading(
                index=due.index,
                round=1,
                section="A",
                bar=due.bar,
                at=str(due.hit.at),
                expected_s=due.due_s,
                state=HitState.PLAYED,
                expected_articulation=due.hit.articulation,
                onset_s=float(at),
                deviation_ms=0.0,
            )
        )
    return out


@pytest.mark.parametrize("ratio", [1.0, 1.6, 2.0, 2.9])
def test_an_exact_shuffle_has_its_exact_ratio_in_every_bar(ratio: float) -> None:
    expanded = expand(SHUFFLE)
    whole, bars = measure_swing(played(ratio, 0, 1), [(hit, 1) for hit in expanded.hits], expanded)
    assert whole is not None and whole.ratio == pytest.approx(ratio, abs=0.002) and len(bars) == 6
    assert all(bar.ratio == pytest.approx(ratio, abs=0.002) for bar in bars)


def test_the_interval_covers_the_ratio_played_as_often_as_it_says() -> None:
    """600 players with 9 ms of scatter: nineteen of twenty intervals hold the true ratio, in the
    take and bar by bar.
    """
    expanded = expand(SHUFFLE)
    due = [(hit, 1) for hit in expanded.hits]
    inside, by_bar = [], []
    for seed in range(600):
        whole, bars = measure_swing(played(2.0, 9, seed), due, expanded)
        assert whole is not None
        inside.append(whole.interval[0] <= 2.0 <= whole.interval[1])
        by_bar += [bar.interval[0] <= 2.0 <= bar.interval[1] for bar in bars]
    assert 0.925 <= np.mean(inside) <= 0.975 and 0.93 <= np.mean(by_bar) <= 0.98


def test_too_few_pairs_and_straight_riffs_have_no_swing() -> None:
    expanded = expand(SHUFFLE)
    due = [(hit, 1) for hit in expanded.hits]
    sparse = [
        replace(hit, onset_s=hit.onset_s if k < 6 else None)
        for k, hit in enumerate(played(2.0, 5, 1))
    ]
    assert measure_swing(sparse, due, expanded) == (None, [])


def surely(times_s: np.ndarray) -> Candidates:
    """Candidates that are surely hits."""
    return Candidates(np.sort(times_s), np.full(times_s.size, 5.0), np.zeros(times_s.size))


@settings(max_examples=10, deadline=None)
@given(st.floats(0.2, 3.0), st.integers(0, 1000))
def test_a_start_told_from_scattered_hits_keeps_the_written_tempo(
    start_s: float, seed: int
) -> None:
    rng = np.random.default_rng(seed)
    due = np.cumsum(rng.choice([0.18, 0.36, 0.54], 60)) - 0.18
    times = start_s + due + rng.normal(0, 0.008, 60)
    fit = fit_unknown(surely(times), due, EAR.decisions)
    assert (
        fit is not None
        and fit.start_s == pytest.approx(start_s, abs=0.006)
        and fit.stretch == pytest.approx(1.0, abs=0.001)
    )
    slow = fit_unknown(surely(start_s + 1.015 * due + rng.normal(0, 0.004, 60)), due, EAR.decisions)
    assert slow is not None and slow.stretch == pytest.approx(1.015, abs=0.002)

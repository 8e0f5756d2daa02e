"""What changes along a take: a tempo that drifts, a spread that grows, a level that falls; and a
steady player, of whom nothing is said.
"""

from fractions import Fraction

import numpy as np
import pytest

from thrumble.core.ear.measure.drift import find_drift, hinge
from thrumble.core.ear.reading import (
    ChangeKind,
    HeardKind,
    HitReading,
    HitState,
)
from thrumble.core.riff.expand import expand
from thrumble.core.riff.model import Articulation
from thrumble.core.riff.notation.text import parse_riff
from thrumble.demo import riff_texts

SLUICE = parse_riff(riff_texts()["1-sluice-gate"])


def a_hit(k: int, late_ms: float, level_db: float) -> HitReading:
    return HitReading(
        index=k,
        round=1,
        section="A",
        bar=1 + k // 8,
        at=str(Fraction(k % 8, 8)),
        expected_s=k * 0.25,
        state=HitState.PLAYED,
        expected_articulation=Articulation.PALM,
        onset_s=k * 0.25 + late_ms / 1000,
        deviation_ms=late_ms,
        heard_articulation=HeardKind.PALM,
        relative_level_db=level_db,
    )


def changes_of(late: np.ndarray, level: np.ndarray) -> dict[ChangeKind, tuple[int, float]]:
    due = expand(SLUICE).hits[1]
    played = [(a_hit(k, float(late[k]), float(level[k])), due) for k in range(late.size)]
    return {c.kind: (c.bar, c.amount) for c in find_drift(played, 120.0)}


def test_a_drift_a_growing_spread_and_a_falling_level_are_found_where_they_begin() -> None:
    rng = np.random.default_rng(6)
    k = np.arange(160)
    steady, flat = rng.normal(0, 8, 160), rng.normal(0, 1, 160)
    later = np.maximum(0, k - 80) * 0.25  # seconds since bar 11 began
    tempo = changes_of(steady - later * 20, flat)[ChangeKind.TEMPO]
    assert 9 <= tempo[0] <= 13 and tempo[1] == pytest.approx(2.4, abs=0.6)
    spread = changes_of(steady * (1 + later / 5), flat)[ChangeKind.SPREAD]
    assert 7 <= spread[0] <= 16 and spread[1] > 5
    level = changes_of(steady, flat - later * 0.3)[ChangeKind.LEVEL]
    assert 9 <= level[0] <= 13 and level[1] == pytest.approx(-6, abs=1.5)


def test_a_steady_player_is_told_of_no_change() -> None:
    """Over 150 steady takes at most a few in a hundred are said to change, in any of three ways."""
    rng = np.random.default_rng(7)
    told = [len(changes_of(rng.normal(0, 8, 96), rng.normal(0, 1, 96))) for _ in range(150)]
    assert np.mean(np.array(told) > 0) <= 0.06
    assert hinge(np.arange(40.0), np.zeros(40)) is None

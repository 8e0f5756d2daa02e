"""What a take's figures mean: each has its limits, and the player's own last takes count."""

from dataclasses import replace

import numpy as np
import pytest

from tests.core.coach_takes import invented
from tests.core.hand_made import expanded, heard
from thrumble.core.coach.progress.ratings import Rated, Rating, TakeFigures, figures_of, rate
from thrumble.core.coach.verdict.judgement import HitKey, Judgement, judge
from thrumble.core.ear.reading import HeardKind, HitState, Summary

RIFF = expanded("| 6:2 o m o m o m o m | 6:2 o m o m o m o m |")


def take(
    tolerance_ms: float = 20.0,
    *,
    bias_judged: bool = True,
    rest_db: float | None = None,
    clean: bool = False,
    **summary: object,
) -> Judgement:
    """A take in which every hit is as written, but for its summary, and two that are late unless
    it is a clean one.
    """
    hits: dict[int, dict[str, object]] = {0: {"rest_db": rest_db}}
    if not clean:
        hits |= {k: {"deviation_ms": 150.0} for k in (7, 15)}
    reading = replace(heard(RIFF, hits=hits), bias_judged=bias_judged)
    reading = replace(reading, summary=replace(reading.summary, **summary))  # type: ignore[arg-type]
    return judge(reading, RIFF, tolerance_ms=tolerance_ms)


def before(*spreads_ms: float) -> list[TakeFigures]:
    return [
        TakeFigures(
            summary=Summary(matched=16, missed=0, extra=0, unsure=0, spread_ms=spread_ms),
            tempo_bpm=120.0,
            length_s=10.0,
        )
        for spread_ms in spreads_ms
    ]


@pytest.mark.parametrize(
    ("name", "figures", "rating"),
    [
        ("hits heard", {"matched": 100, "missed": 0}, Rating.GOOD),
        ("hits heard", {"matched": 95, "missed": 5}, Rating.WATCH),
        ("hits heard", {"matched": 92, "missed": 8}, Rating.PROBLEM),
        ("extra hits", {"matched": 100, "extra": 4}, Rating.WATCH),
        ("extra hits", {"matched": 100, "extra": 8}, Rating.PROBLEM),
        ("lead or lag", {"bias_ms": -8.0}, Rating.GOOD),
        ("lead or lag", {"bias_ms": 9.0}, Rating.WATCH),
        ("lead or lag", {"bias_ms": -21.0}, Rating.PROBLEM),
        ("spread", {"spread_ms": 10.0}, Rating.GOOD),
        ("spread", {"spread_ms": 13.0}, Rating.WATCH),
        ("spread", {"spread_ms": 14.0}, Rating.PROBLEM),
        ("level spread", {"level_spread_db": 2.4}, Rating.GOOD),
        ("level spread", {"level_spread_db": 3.0}, Rating.WATCH),
        ("level spread", {"level_spread_db": 3.3}, Rating.PROBLEM),
        ("accents stand out", {"accent_db": 3.0}, Rating.GOOD),
        ("accents stand out", {"accent_db": 2.0}, Rating.WATCH),
        ("accents stand out", {"accent_db": 0.5}, Rating.PROBLEM),
        ("up-strokes", {"up_stroke_db": -2.0}, Rating.GOOD),
        ("up-strokes", {"up_stroke_db": 3.0}, Rating.WATCH),
        ("up-strokes", {"up_stroke_db": -5.0}, Rating.PROBLEM),
        ("silence in rests", {"rest_db": -25.0}, Rating.GOOD),
        ("silence in rests", {"rest_db": -15.0}, Rating.WATCH),
        ("silence in rests", {"rest_db": -8.0}, Rating.PROBLEM),
        # ten seconds at 120 bpm: 1 bpm a minute more leads by 6.9 ms, 2 by 13.9, 4 by 27.8
        ("tempo drift", {"drift_bpm_per_min": -1.0}, Rating.GOOD),
        ("tempo drift", {"drift_bpm_per_min": 2.0}, Rating.WATCH),
        ("tempo drift", {"drift_bpm_per_min": 4.0}, Rating.PROBLEM),
    ],
)
def test_each_figure_has_its_limits(name: str, figures: dict[str, float], rating: Rating) -> None:
    assert rate(take(**figures), [])[name] == Rated(rating)  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("name", "figures"),
    [
        ("spread", {"spread_ms": 29.0}),
        ("lead or lag", {"bias_ms": -21.0}),
        ("hits heard", {"matched": 92, "missed": 8}),
        ("extra hits", {"matched": 92, "extra": 8}),
        ("tempo drift", {"drift_bpm_per_min": 9.0}),
    ],
)
def test_no_figure_calls_a_clean_take_a_problem(name: str, figures: dict[str, float]) -> None:
    assert rate(take(**figures), [])[name].rating is Rating.PROBLEM  # type: ignore[arg-type]
    clean = take(clean=True, **figures)  # type: ignore[arg-type]
    assert clean.is_clean and rate(clean, [])[name].rating is Rating.WATCH
    uneven = take(clean=True, level_spread_db=3.3)
    assert rate(uneven, [])["level spread"].rating is Rating.PROBLEM  # clean or not, it is uneven


def test_hits_scattered_to_the_very_edge_of_the_tolerance_are_clean_and_one_to_watch() -> None:
    scattered = invented([19.5 * (-1) ** k for k in range(48)])
    summary = replace(scattered.reading.summary, spread_ms=scattered.spread_ms())
    judgement = replace(scattered, reading=replace(scattered.reading, summary=summary))
    assert judgement.is_clean and (judgement.spread_ms() or 0) > 25
    assert rate(judgement, [])["spread"].rating is Rating.WATCH


def test_a_missed_hit_that_leaves_a_take_clean_is_no_problem() -> None:
    one = {3: {"state": HitState.MISSED, "deviation_ms": None}}
    reading = heard(RIFF, hits=one)
    summary = replace(reading.summary, matched=15, missed=1)
    judgement = judge(replace(reading, summary=summary), RIFF)
    assert judgement.is_clean and rate(judgement, [])["hits heard"].rating is Rating.WATCH


def test_a_tight_player_is_held_to_what_is_tight() -> None:
    assert rate(take(12.0, spread_ms=8.0), [])["spread"].rating is Rating.WATCH
    assert rate(take(35.0, spread_ms=16.0), [])["spread"].rating is Rating.GOOD


def test_what_was_not_measured_has_no_rating() -> None:
    rated = rate(take(bias_judged=False, bias_ms=30.0), [])
    assert set(rated) == {"hits heard", "extra hits", "sound as written"}
    gone = {k: {"state": HitState.MISSED, "deviation_ms": None} for k in range(16)}
    assert rate(judge(heard(RIFF, hits=gone), RIFF), before(1, 2, 3, 4)) == {}


def test_corrections_count() -> None:
    rings = {k: {"heard_articulation": HeardKind.OPEN} for k in (1, 3, 5)}
    reading = heard(RIFF, hits=rings)
    assert figures_of(reading).wrong == 3 / 16
    assert rate(judge(reading, RIFF), [])["sound as written"].rating is Rating.PROBLEM
    said = {(1, 1): "palm", (1, 3): "palm", (1, 5): "palm"}
    corrected = judge(reading, RIFF, corrections={HitKey(*key): kind for key, kind in said.items()})
    assert rate(corrected, [])["sound as written"].rating is Rating.GOOD


@pytest.mark.parametrize(
    ("spread_ms", "own", "rating", "against"),
    [
        (8.0, (8, 8, 8), Rating.GOOD, ""),
        (8.0, (5, 5, 5, 6), Rating.WATCH, "worse than usual"),
        (8.0, (7, 8, 9, 8), Rating.GOOD, ""),
        (4.0, (2, 2, 2, 2), Rating.GOOD, "worse than usual"),
        (8.0, (12, 13, 14, 15), Rating.GOOD, "better than usual"),
        (18.0, (22, 23, 24, 25), Rating.PROBLEM, "better than usual"),
        (18.0, (5, 5, 5, 6), Rating.PROBLEM, "worse than usual"),
    ],
)
def test_a_figure_is_held_against_the_players_own(
    spread_ms: float, own: tuple[float, ...], rating: Rating, against: str
) -> None:
    rated = rate(take(spread_ms=spread_ms), before(*own))["spread"]
    assert (rated.rating, rated.against) == (rating, against)
    assert (rated.usual is None) is (len(own) < 4)


def test_a_clean_take_has_no_problem_with_its_timing() -> None:
    """The verdict and the ratings agree: spreads of clean takes are not called a problem."""
    for seed in range(40):
        late = list(np.random.default_rng(seed).normal(0, 9, 96))
        judgement = invented(late)
        spread_ms = judgement.spread_ms()
        reading = judgement.reading
        summary = replace(reading.summary, spread_ms=spread_ms)
        judged = judge(replace(reading, summary=summary), judgement.expanded)
        if judged.is_clean:
            assert rate(judged, [])["spread"].rating is not Rating.PROBLEM

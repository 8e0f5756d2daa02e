"""The one judgement of a take: what clean means, what corrections change, which errors are named."""

from collections.abc import Iterator
from dataclasses import fields, is_dataclass, replace
from functools import lru_cache
from itertools import product
from math import isclose

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.core.hand_made import expanded
from tests.core.hand_made import heard as reading_of
from thrumble.core.chance import poisson_binomial_sf
from thrumble.core.coach.progress.passes import WHOLE, rounds_of
from thrumble.core.coach.verdict.articulation import PalmMutesRing
from thrumble.core.coach.verdict.findings import find_findings
from thrumble.core.coach.verdict.judgement import HitKey, Judgement, is_clean, judge
from thrumble.core.coach.verdict.strings import StopsRingOn
from thrumble.core.ear.reading import HeardKind, HitState, Reading
from thrumble.core.ear.take import TakeInfo, read_take
from thrumble.core.player.flaws import Flaws
from thrumble.core.player.perform import perform
from thrumble.core.riff.expand import expand
from thrumble.core.riff.notation.text import parse_riff
from thrumble.demo import riff_texts
from thrumble.trained import EAR

SLUICE = parse_riff(riff_texts()["1-sluice-gate"])
PLANKS = parse_riff(riff_texts()["6-stop-planks"])


@pytest.mark.parametrize(
    ("off", "hits", "clean"),
    [
        (0, 0, False),
        (0, 1, True),
        (1, 9, False),
        (1, 10, True),
        (2, 10, False),
        (1, 20, True),
        (2, 39, False),
        (2, 40, True),
        (5, 98, False),
        (4, 98, True),
        (5, 100, True),
        (6, 100, False),
    ],
)
def test_clean_is_95_percent_and_from_10_hits_on_one_may_be_off(
    off: int, hits: int, clean: bool
) -> None:
    assert is_clean(off, hits) is clean


@given(st.lists(st.floats(0, 1), max_size=7), st.integers(-1, 8))
def test_the_poisson_binomial_tail_is_the_sum_over_all_outcomes(
    chances: list[float], count: int
) -> None:
    tail = 0.0
    for outcome in product((0, 1), repeat=len(chances)):
        if sum(outcome) > count:
            each = (p if hit else 1 - p for hit, p in zip(outcome, chances, strict=True))
            tail += float(np.prod(list(each)))
    assert isclose(poisson_binomial_sf(count, chances), tail, abs_tol=1e-9)


def walked(value: object, path: str) -> Iterator[tuple[str, object]]:
    """Every value inside a value, with the way to it."""
    if is_dataclass(value):
        for field in fields(value):
            yield from walked(getattr(value, field.name), f"{path}.{field.name}")
    elif isinstance(value, dict):
        for key, inner in value.items():
            yield from walked(key, f"{path} key")
            yield from walked(inner, f"{path}[{key}]")
    elif isinstance(value, list | tuple):
        for number, inner in enumerate(value):
            yield from walked(inner, f"{path}[{number}]")
    else:
        yield path, value


@lru_cache
def heard(flaws: Flaws, *, stops: bool = False, seed: int = 3) -> Reading:
    riff = PLANKS if stops else SLUICE
    take = perform(riff, seed=seed, flaws=flaws)
    info = TakeInfo(start_s=take.start_s, delay_ms=9.0, delay_spread_ms=1.0)
    return read_take(take.samples, take.rate_hz, expand(riff), info, ear=EAR)


@pytest.mark.parametrize("stops", [False, True])
def test_no_numpy_value_leaves_the_analysis(stops: bool) -> None:
    """A NumPy bool is neither True nor False to `is`: late stops vanished from verdicts by it."""
    reading = heard(Flaws(timing=5, stop=150, missed=0.05, extra=0.05), stops=stops)
    odd = [path for path, value in walked(reading, "reading") if isinstance(value, np.generic)]
    assert not odd


def test_late_stops_are_found_before_the_reading_was_stored() -> None:
    judgement = judge(heard(Flaws(timing=4, stop=180, stop_spread=10), stops=True), expand(PLANKS))
    assert any(hit.stop_late for hit in judgement.hits)
    assert StopsRingOn.kind in {cause.kind for cause in find_findings(judgement)}


BARS = "| 6:2 o o M x o o M x o o M x |"
RIFF = expanded(BARS)


def verdict(judgement: Judgement) -> str:
    return find_findings(judgement)[0].sentence(judgement)


def taken(**hits: object) -> Judgement:
    return judge(replace(reading_of(RIFF, **hits), bias_judged=True), RIFF)


def test_a_correction_counts_and_keeps_the_tolerance() -> None:
    reading = replace(
        reading_of(RIFF, hits={2: {"heard_articulation": HeardKind.OPEN}}), bias_judged=True
    )
    before = judge(reading, RIFF, tolerance_ms=35.0)
    after = judge(reading, RIFF, corrections={HitKey(1, 2): "palm"}, tolerance_ms=35.0)
    assert (before.clean, after.clean) == (11, 12) and after.counted == 12
    assert after.limits == before.limits and after.corrected == {HitKey(1, 2)}
    assert reading.hits[2].heard_articulation is HeardKind.OPEN, "what was detected stays"


def test_clean_is_said_of_clean_takes_only_and_their_errors_are_listed() -> None:
    rings = {"heard_articulation": HeardKind.OPEN}
    one = taken(hits={2: rings})
    assert one.is_clean and verdict(one).startswith("Clean: 12 of 12 hits are in time")
    assert "1 palm mute rings: bar 1." in verdict(one)
    two = taken(hits={2: rings, 6: rings})
    assert not two.is_clean and "Clean" not in verdict(two) and "2" in verdict(two)
    assert rounds_of(one)[0].clean and not rounds_of(two)[0].clean


@pytest.mark.parametrize("count", [0, 1, 2])
def test_errors_are_counted_in_plain_words(count: int) -> None:
    missing = {
        "state": HitState.MISSED, "onset_s": None, "deviation_ms": None,
        "heard_articulation": None, "probabilities": None, "ring_s": None, "ring_end": None,
    }  # fmt: skip
    many = "| 6:2 " + "o " * 40 + "|"
    riff = expanded(many)
    reading = reading_of(riff, hits=dict.fromkeys(range(3, 3 + count), missing))
    words = verdict(judge(replace(reading, bias_judged=True), riff))
    assert ("hit is missing: bar 1." in words) == (count == 1)
    assert ("2 hits are missing: bar 1." in words) == (count == 2)
    assert ("missing" in words) == (count > 0)


def test_a_take_that_was_cut_off_is_not_called_clean() -> None:
    away = {
        "state": HitState.NOT_REACHED, "onset_s": None, "deviation_ms": None,
        "heard_articulation": None, "probabilities": None, "ring_s": None, "ring_end": None,
    }  # fmt: skip
    judgement = taken(hits=dict.fromkeys(range(6, 12), away))
    assert not judgement.is_clean
    assert verdict(judgement).startswith("You stopped after 6 of 12 hits. In time: 6 of 6 hits")


def test_a_few_ringing_mutes_that_are_sure_are_named() -> None:
    """5 of 64 at odds of 0.99 each: an error rate of 2 % for all would wave them through."""
    reading = heard(Flaws(timing=4))
    palms = [hit for hit in reading.hits if hit.expected_articulation.value == "palm"]
    rung = {(hit.round, hit.index) for hit in palms[5:60:11]}
    sure = {"open": 0.99, "palm": 0.01, "dead": 0.0}
    hits = [
        replace(hit, heard_articulation=HeardKind.OPEN, probabilities=sure)
        if (hit.round, hit.index) in rung
        else hit
        for hit in reading.hits
    ]
    judgement = judge(replace(reading, hits=hits), expand(SLUICE))
    first, *_ = find_findings(judgement)
    assert len(rung) == 5 and first.kind == PalmMutesRing.kind
    assert {tuple(key) for key in first.hits} >= rung


def test_what_no_finding_names_is_listed_beside_them() -> None:
    reading = heard(Flaws(timing=5, ringing=0.3))
    opens = [k for k, hit in enumerate(reading.hits) if hit.expected_articulation.value == "open"]
    hits = list(reading.hits)
    hits[opens[0]] = replace(hits[opens[0]], heard_articulation=HeardKind.DEAD)
    judgement = judge(replace(reading, hits=hits), expand(SLUICE))
    sentences = [cause.sentence(judgement) for cause in find_findings(judgement)]
    assert any(
        "open hit is choked" in words or "Open hits are choked" in words for words in sentences
    )


def test_a_round_and_its_take_agree_on_clean() -> None:
    for flaws in (Flaws(timing=5), Flaws(timing=14), Flaws(timing=5, wrong=0.04)):
        judgement = judge(heard(flaws), expand(SLUICE))
        (whole,) = [one for one in rounds_of(judgement) if one.section == WHOLE]
        assert whole.clean == judgement.is_clean

"""Two sets of takes, and the fair trial: what differs is seen, what does not is not, and what nobody
measured is said.
"""

import numpy as np
import pytest
from benchmarks.ways import comparisons, take, trials

from tests.core.coach_takes import invented
from thrumble.core.chance import t_cdf, t_ppf
from thrumble.core.coach.comparing.comparison import Comparison, compare_sides
from thrumble.core.coach.comparing.metrics import METRICS, TakeHits, hits_of, hits_of_reading
from thrumble.core.coach.comparing.trial import draw_order, judge_trial
from thrumble.core.coach.verdict.judgement import judge
from thrumble.core.ear.take import TakeInfo, read_take
from thrumble.core.errors import BadInput
from thrumble.core.player.flaws import Flaws
from thrumble.core.player.perform import perform
from thrumble.core.riff.expand import expand
from thrumble.core.riff.notation.text import parse_riff
from thrumble.demo import riff_texts
from thrumble.formats.comparison_json import (
    comparison_csv,
    comparison_document,
    comparison_lines,
    difference_line,
)
from thrumble.trained import EAR


def rng() -> np.random.Generator:
    return np.random.default_rng(11)


def figures(found: Comparison) -> dict[str, object]:
    return {one.metric.name: one for one in found.differences}


def test_a_difference_has_its_value_and_the_interval_holds_it() -> None:
    a = [hits_of(invented(list(rng().normal(0, 5, 64)))) for _ in range(4)]
    late = [hits_of(invented(list(rng().normal(14, 5, 64)))) for _ in range(4)]
    bias = figures(compare_sides(a, late))["bias_ms"]
    assert bias.clear and bias.interval[0] < 14 < bias.interval[1]  # type: ignore[attr-defined]
    same = compare_sides(a, a[:])
    assert not any(one.clear for one in same.differences)
    assert all(one.value in (None, 0.0) for one in same.differences)


def test_both_ways_round_say_the_same() -> None:
    one, other = take(rng(), rounds=12), take(np.random.default_rng(3), rounds=12, spread_ms=18)
    forth = figures(compare_sides([one], [other]))["spread_ms"]
    back = figures(compare_sides([other], [one]))["spread_ms"]
    assert forth.value == pytest.approx(-back.value)  # type: ignore[attr-defined]
    assert forth.better == "a" and back.better == "b"  # type: ignore[attr-defined]


def test_a_place_that_lies_elsewhere_is_named() -> None:
    late = np.tile(np.where(np.arange(8) == 3, 25.0, 0.0), 4)
    steady = [np.random.default_rng(50 + k).normal(0, 3, 32) for k in range(5)]
    first = [hits_of(invented(list(own))) for own in steady]
    moved = [
        hits_of(invented(list(late + np.random.default_rng(k).normal(0, 3, 32)))) for k in range(5)
    ]
    clear = [one for one in compare_sides(first, moved).places if one.clear]
    assert {one.at for one in clear} == {"3/8"} and len(clear) == 4
    assert all(15 < one.value < 35 for one in clear)


def test_two_shuffles_differ_in_their_ratio() -> None:
    """Swung 2:1 and 1.5:1 by the simulated guitarist."""
    riff = parse_riff(riff_texts()["3-towpath-shuffle"])
    sides = []
    for ratio, seed in ((2.0, 3), (1.5, 4)):
        made = perform(riff, seed=seed, rounds=1, flaws=Flaws(timing=4, swing=ratio))
        info = TakeInfo(start_s=made.start_s)
        reading = read_take(made.samples, made.rate_hz, expand(riff), info, ear=EAR)
        sides.append([hits_of(judge(reading, expand(riff)))])
    swing = figures(compare_sides(*sides))["swing"]
    assert swing.a == pytest.approx(2.0, abs=0.1)  # type: ignore[attr-defined]
    assert swing.b == pytest.approx(1.5, abs=0.1)  # type: ignore[attr-defined]
    assert swing.clear and swing.better == ""  # type: ignore[attr-defined]
    straight = [hits_of(invented(list(rng().normal(0, 5, 64))))]
    assert figures(compare_sides(straight, straight))["swing"].interval is None  # type: ignore[attr-defined]


def test_what_cannot_be_told_says_why() -> None:
    unknown = [hits_of(invented([1.0] * 16, known=False))] * 2
    found = compare_sides(unknown[:1], unknown[1:])
    told = figures(found)
    assert told["bias_ms"].why == "latency not measured"  # type: ignore[attr-defined]
    assert told["stop_late_ms"].why == "too few hits tell it"  # type: ignore[attr-defined]
    assert any("One pass alone" in words for words in found.cautions)
    assert any("measured latency" in words for words in found.cautions)
    with pytest.raises(BadInput, match="no hits to compare"):
        compare_sides([TakeHits((), bias_judged=True)], unknown)


def test_a_reading_without_its_riff_tells_all_but_moves() -> None:
    takes = [hits_of_reading(invented(list(rng().normal(0, 6, 64))).reading) for _ in range(2)]
    told = figures(compare_sides(takes[:1], takes[1:]))
    assert told["spread_ms"].interval is not None  # type: ignore[attr-defined]
    assert told["after_moves_ms"].interval is None  # type: ignore[attr-defined]


def test_the_document_holds_every_figure_and_place_in_json_csv_and_lines() -> None:
    found = compare_sides([take(rng(), rounds=3)], [take(rng(), rounds=3, spread_ms=30)])
    document = comparison_document(found, (1, 1))
    assert document["format"] == "thrumble.comparison/1" and document["a"]["rounds"] == 3
    assert [one["name"] for one in document["figures"]] == [one.name for one in METRICS]
    assert {"section", "bar", "at", "difference", "interval", "clear"} <= set(document["hits"][0])
    rows = comparison_csv(found).splitlines()
    assert len(rows) == 1 + len(METRICS) + len(document["hits"])
    lines = comparison_lines(found)
    assert any(line.startswith("timing spread:") and "B +" in line for line in lines)


def test_no_difference_is_rarely_called_one_and_a_real_one_is_seen() -> None:
    """The fast representative of `python -m benchmarks.ways`."""
    assert comparisons(40, 8, 0.0)[0] <= 0.1
    assert comparisons(20, 16, 6.0)[1] >= 0.8
    assert trials(60, 8, 0.0)[0] <= 0.1
    assert trials(20, 20, 5.0)[1] >= 0.8


def test_the_order_is_balanced_whatever_the_lot() -> None:
    for pairs in range(2, 41):
        order = draw_order(pairs, pairs)
        assert len(order) == 2 * pairs and order.count("A") == pairs
        assert all(set(order[k : k + 2]) == {"A", "B"} for k in range(0, 2 * pairs, 2))
    assert len({draw_order(4, seed) for seed in range(20)}) == 4
    for pairs in (0, 1, 41):
        with pytest.raises(BadInput, match="2 to 40 pairs"):
            draw_order(pairs, 0)


def test_a_hand_that_tires_is_no_difference_between_the_ways() -> None:
    order = draw_order(10, 3)
    turns = [
        (way, take(np.random.default_rng(k), spread_ms=6 + 0.9 * k), 1)
        for k, way in enumerate(order)
    ]
    assert not any(one.clear for one in judge_trial(turns) if one.metric.name == "spread_ms")


def test_a_trial_says_how_many_more_pairs_or_that_it_is_settled() -> None:
    order = draw_order(3, 1)
    few = judge_trial([(way, take(np.random.default_rng(k)), 1) for k, way in enumerate(order)])
    assert any(one.more_pairs for one in few) and not any(one.settled for one in few[:1])
    order = draw_order(30, 1)
    many = judge_trial(
        [(way, take(np.random.default_rng(k), rounds=4), 1) for k, way in enumerate(order)]
    )
    settled = [one for one in many if one.metric.name in ("spread_ms", "level_spread_db")]
    assert all(one.settled and one.more_pairs is None for one in settled)
    assert all(metric.min_relevant > 0 for metric in METRICS)
    with pytest.raises(BadInput, match="at least 6 takes"):
        judge_trial([("A", take(rng()), 1)] * 5)


def test_two_sittings_add_up_though_the_second_was_a_better_day() -> None:
    order = draw_order(8, 2)
    turns = [
        (way, take(np.random.default_rng(100 * day + k), spread_ms=base + 5 * (way == "B")), day)
        for day, base in ((0, 14.0), (1, 8.0))
        for k, way in enumerate(order)
    ]
    spread = next(one for one in judge_trial(turns) if one.metric.name == "spread_ms")
    assert spread.clear and spread.better == "A" and 2 < spread.value < 9


def test_the_quantile_undoes_the_tail() -> None:
    for freedom in (1.0, 2.0, 7.5, 60.0):
        for share in (0.6, 0.975, 0.9999):
            assert t_cdf(freedom, t_ppf(freedom, share)) == pytest.approx(share)


def test_one_pass_a_side_leaves_open_what_a_player_would_care_about() -> None:
    """A spread of 10 ms against one of 19, a pass each: too early to say, and not the same."""
    noise = np.random.default_rng(8).normal(0, 1, 24)
    a, b = (hits_of(invented((noise * spread).tolist())) for spread in (10, 19))
    (spread,) = [
        one for one in compare_sides([a], [b]).differences if one.metric.name == "spread_ms"
    ]
    assert not spread.clear and spread.is_open
    assert "too early to say" in difference_line(spread)

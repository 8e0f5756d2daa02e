"""The measuring sticks themselves: a perfect reading scores 1, the plan alone scores the plan,
seeds repeat.
"""

import json
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from benchmarks.cases import Case, Score, Take, measure, merged
from benchmarks.corpus import STYLES, draw_riff, draw_take
from benchmarks.finer_tables import stop_table
from benchmarks.hearing import report
from benchmarks.tables import articulation_row, depth_lines, reliability_table, share
from training import colour
from training import examples as gathering
from training.examples import (
    MANY_STRAYS,
    NARROW_HZ,
    SINGLE_PALMS,
    Examples,
    as_recorded,
    examples_of,
    gathered,
    ringing_of,
    singles_of,
    together,
)
from training.fit import fit_network, fit_several, near, one_of, place_of, struck_or_not
from training.train import options

from thrumble.core.ear.front.conditioning import condition
from thrumble.core.ear.front.spectrum import BAND_EDGES_HZ, Bands, bands_of
from thrumble.core.ear.measure.articulation import HITS, KINDS, measure_hits
from thrumble.core.ear.measure.chords import STRAYS
from thrumble.core.ear.reading import HeardKind, HitReading, HitState, Reading, StartSource, Summary
from thrumble.core.riff.expand import expand
from thrumble.core.riff.model import Articulation
from thrumble.formats.truth_json import truth_document


def perfect(truth: dict, expanded) -> Reading:  # type: ignore[no-untyped-def, type-arg]
    """The truth as a reading."""
    hits = [
        HitReading(
            index=h["index"],
            round=1,
            section="A",
            bar=1,
            at="0",
            expected_s=h["expected_s"],
            state=HitState.PLAYED if h["played"] else HitState.MISSED,
            expected_articulation=h["planned"],
            onset_s=h["onset_s"],
            heard_articulation=HeardKind(h["articulation"]) if h["played"] else None,
        )
        for h in truth["hits"]
        if h["index"] is not None
    ]
    return Reading(
        engine="2.4",
        tempo_bpm=truth["tempo_bpm"],
        start_s=truth["start_s"],
        start_source=StartSource.GIVEN,
        sample_rate=1,
        duration_s=1,
        rounds=1,
        hits=hits,
        extra_onsets=[],
        summary=Summary(matched=0, missed=0, extra=0, unsure=0),
        cautions=[],
    )


@pytest.fixture(scope="module")
def drawn() -> Take:
    riff, performance, _ = draw_take(12)
    truth = json.loads(json.dumps(truth_document(performance, riff="", audio="")))
    return Take("12", "modelled", truth, expand(riff), performance.samples, performance.rate_hz)


def test_a_perfect_reading_scores_one_and_a_late_copy_too(drawn: Take) -> None:
    for shift_s in (0.0, 0.02):
        reading = perfect(drawn.truth, drawn.expanded)
        reading = replace(
            reading,
            hits=[replace(h, onset_s=h.onset_s and h.onset_s + shift_s) for h in reading.hits],
        )
        score = Score()
        measure(drawn, reading, score)
        assert score.f25[0] > 0.97 and all(
            abs(c.error_ms) < 0.01 for c in score.cases if c.error_ms is not None
        )
        assert all(c.heard == c.real for c in score.cases if c.played)


def test_the_plan_repeated_without_listening_gets_nothing_of_what_was_played_otherwise(
    drawn: Take,
) -> None:
    reading = perfect(drawn.truth, drawn.expanded)
    deaf = [
        replace(h, heard_articulation=HeardKind(str(h.expected_articulation))) if h.onset_s else h
        for h in reading.hits
    ]
    score = Score()
    measure(drawn, replace(reading, hits=deaf), score)
    unlike = [c for c in score.cases if c.played and c.real != c.planned]
    assert unlike and not any(c.heard == c.real for c in unlike)
    row = articulation_row("unlike", unlike)
    assert row[1] == str(len(unlike)) and row[3].startswith("0.00") and row[6].startswith("0.00")
    text = "\n".join(report(merged([score, score])))
    assert "unlike the plan" in text and "plan only" in text and "2 takes" in text


def a_case(**values: object) -> Case:
    return Case(
        **{
            "take": "1",
            "tone": "clean",
            "source": "modelled",
            "slot_ms": 200,
            "strings": 1,
            "planned": "palm",
            "played": True,
            "real": "palm",
            "heard": "palm",
        }
        | values
    )  # type: ignore[arg-type]


def test_chances_are_held_against_what_was_so() -> None:
    """Hits called palm at 0.9 of which half are palm: the table says a half."""
    cases = [
        a_case(real=kind, chance=0.9, chances=(0.05, 0.9, 0.05)) for kind in ("palm", "open") * 150
    ]
    rows = [row for row in reliability_table(cases) if row.startswith("| 0.85")]
    assert rows == ["| 0.85 to 0.95 | 300 | 0.900 | 0.500 |"]


def test_depths_in_the_right_order_rank_one_and_stops_told_late_count() -> None:
    palms = [a_case(depth=k / 20, said_depth=0.2 + k / 40) for k in range(20)]
    assert depth_lines(palms)[2].split("|")[3].strip() == "1.00"
    stops = [
        a_case(stop=True, late_ms=late, said_late_ms=said)
        for late, said in ((100, 90), (10, 80), (120, 0), (0, 5))
    ]
    row = stop_table(stops)[2].split("|")
    assert (
        row[4].strip() == "40"
        and row[6].strip().startswith("0.50")
        and row[7].strip().startswith("0.50")
    )


def test_small_cells_print_an_interval_and_large_ones_a_figure() -> None:
    assert share(0, 0) == "none" and share(190, 200) == "0.950"
    assert share(9, 10) == "0.90 (0.60 to 0.98)"  # by Wilson's formula with z = 1.96


def test_the_corpus_repeats_by_seed_and_holds_the_contrary_cases() -> None:
    one, other = draw_take(5), draw_take(5)
    assert one[0] == other[0] and np.array_equal(one[1].samples, other[1].samples)
    riffs = [draw_riff(seed) for seed in range(60)]
    hits = [
        hit
        for riff, _ in riffs
        for section in riff.sections
        for bar in section.bars
        for hit in bar.hits
    ]
    assert {name for _, name in riffs} == set(STYLES)
    assert (
        sum(len(h.notes) == 1 and h.articulation == "open" for h in hits) > 100
        and sum(len(h.notes) > 1 and h.articulation == "palm" for h in hits) > 100
    )


def seen(inputs: np.ndarray) -> Callable[[np.ndarray], np.ndarray]:
    return lambda rows: inputs[rows].astype(np.float32)


def test_the_fit_separates_what_can_be_separated() -> None:
    rng = np.random.default_rng(1)
    inputs = rng.normal(0, 1, (600, 2))
    ring = (np.hypot(*inputs.T) > 1.1).astype(int)
    curved = fit_network(
        seen(inputs),
        600,
        struck_or_not(ring),
        hidden=(16,),
        outputs=1,
        decay=0.001,
        passes=400,
        batch=64,
    )
    assert np.mean((curved.outputs(inputs)[:, 0] > 0) == ring) > 0.95
    three = np.clip((inputs[:, 0] * 2 + 1.5).astype(int), 0, 2)
    linear = fit_network(
        seen(inputs), 600, one_of(three), hidden=(), outputs=3, decay=0.0, passes=1200, batch=64
    )
    assert np.mean(linear.outputs(inputs).argmax(axis=1) == three) > 0.9
    again = fit_network(
        seen(inputs), 600, one_of(three), hidden=(), outputs=3, decay=0.0, passes=1200, batch=64
    )
    assert np.array_equal(again.outputs(inputs), linear.outputs(inputs)), (
        "the same seed gives the same network"
    )


@pytest.mark.parametrize("hidden", [(6,), (6, 4), (5, 4, 3)])
def test_networks_joined_say_the_mean_of_what_each_says(hidden: tuple[int, ...]) -> None:
    rng = np.random.default_rng(3)
    inputs = rng.normal((1, -2, 0), (1, 3, 0.5), (300, 3))
    loss = struck_or_not((inputs[:, 0] * inputs[:, 2] > 0).astype(int))
    told, how = (seen(inputs), 300, loss), {"outputs": 1, "decay": 0.01, "passes": 20}
    each = [fit_network(*told, hidden=hidden, seed=k, **how).outputs(inputs) for k in range(3)]
    whole = fit_several(3, *told, hidden=hidden, **how).outputs(inputs)
    near_all = np.abs(inputs - inputs.mean(axis=0)) < 3.5 * inputs.std(axis=0)
    near_all = near_all.all(axis=1)  # what one of them clips at four of its spreads may differ
    assert np.allclose(whole[near_all], np.mean(each, axis=0)[near_all], atol=1e-5)
    assert np.ptp(each, axis=0).max() > 0.05, "they were drawn differently"


def test_the_fit_finds_places_and_values() -> None:
    """Of five places in turn the one with the largest input, where that is above nothing; and a
    value from its inputs.
    """
    rng = np.random.default_rng(2)
    inputs = rng.normal(0, 1, (400, 5))
    inputs[300:] = -0.5 - np.abs(inputs[300:])
    wanted = np.eye(5, dtype=np.float32)[inputs.argmax(axis=1)]
    wanted[300:] = 0
    one_by_one = lambda rows: seen(inputs)(rows).reshape(-1, 1)  # noqa: E731
    places = fit_network(
        one_by_one, 400, place_of(wanted), hidden=(4,), outputs=1, decay=0.0, passes=200, batch=64
    )
    scores = places.outputs(inputs.reshape(-1, 1)).reshape(-1, 5)
    assert np.mean(scores[:300].argmax(axis=1) == inputs[:300].argmax(axis=1)) > 0.98
    assert np.mean(scores[300:].max(axis=1) < 0) > 0.98, "and none of them where none is right"
    values = np.tanh(inputs[:, 0]) - inputs[:, 1]
    told = fit_network(
        seen(inputs),
        400,
        near(values, np.ones(400)),
        hidden=(8,),
        outputs=1,
        decay=0.0,
        passes=400,
        batch=64,
    )
    assert np.std(told.outputs(inputs)[:, 0] - values) < 0.1


def test_measures_in_another_colour_are_those_of_the_sound_in_that_colour(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    gains = colour.equalisers(1, BAND_EDGES_HZ.size - 1, np.random.default_rng(1))
    monkeypatch.setattr(colour, "equalisers", lambda count, *_: np.repeat(gains, count, axis=0))
    _, performance, _ = draw_take(12)
    heard = condition(performance.samples, performance.rate_hz)
    onsets = np.sort([h.onset_s for h in performance.hits if h.onset_s is not None])
    ends = np.append(onsets[1:], heard.duration_s)
    bands = bands_of(heard.samples)
    plain, through = (
        measure_hits(heard.samples, b, onsets, ends)
        for b in (bands, Bands(bands.level_db + 10 * gains))
    )
    drawn = colour.recoloured_hits(plain.astype(np.float32), np.random.default_rng(2))
    away = lambda seen, columns: np.abs(through - seen)[:, columns].mean()  # noqa: E731
    assert away(plain, colour.SPECTRA) > 0.2 > 0.001 > away(drawn, colour.SPECTRA)
    assert away(drawn, colour.SHAPES) < away(plain, colour.SHAPES) / 2, (
        "within a group of bands an equaliser is not known"
    )
    between = slice(colour.SHAPES.stop, colour.SPECTRA.start)
    assert np.array_equal(drawn[:, between], plain.astype(np.float32)[:, between])


def test_what_the_ear_learns_from_is_recorded_in_several_ways_and_repeats() -> None:
    _, performance, _ = draw_take(12)
    plain, narrow, changed = 0, 0, 0
    for number in range(24):
        samples, rate_hz = as_recorded(performance, number, 9)
        assert samples.size / rate_hz == pytest.approx(
            performance.samples.size / performance.rate_hz, abs=0.001
        )
        same = rate_hz == performance.rate_hz and np.array_equal(samples, performance.samples)
        plain, narrow = plain + same, narrow + (NARROW_HZ[0] <= rate_hz < NARROW_HZ[1])
        if not same and not changed:
            again, _ = as_recorded(performance, number, 9)
            assert np.array_equal(again, samples)
            changed = 1
    assert 8 <= plain < 24 and 0 < narrow < 10 and changed


def test_a_take_teaches_where_its_hits_are_and_where_none_is() -> None:
    one = examples_of(12, None, 9)
    hits = one.kinds.size
    assert (
        one.hits.shape == (hits, HITS.size) and one.places.shape[0] == one.places_s.size > hits
    ), "false candidates beside the hits"
    assert hits * 0.8 < one.struck.sum() <= hits < one.struck.size / 2
    assert (
        np.median(np.abs(one.places_s[:hits]))
        < 0.003
        < 0.02
        < np.median(np.abs(one.places_s[hits:]))
    )
    strays, rang, drawn = ringing_of(3, 9)
    assert (
        strays.shape == (rang.size, STRAYS.size)
        and np.isfinite(strays).all()
        and (drawn == MANY_STRAYS).all()
    )
    assert 0.02 < rang.mean() < MANY_STRAYS, (
        "a stray is one of three strings, and some of those belong to the chord"
    )


@pytest.mark.parametrize("number", [0, 2])
def test_single_hits_are_palms_of_any_depth_beside_open_and_dead_ones(number: int) -> None:
    measures, kinds, depths = singles_of(number, 9)
    assert measures.shape == (SINGLE_PALMS + 4, HITS.size) and np.isfinite(measures).all()
    palms = kinds == KINDS.index(Articulation.PALM)
    assert palms.sum() == SINGLE_PALMS and np.ptp(depths[palms]) > 0.5
    assert (
        np.isnan(depths[kinds == KINDS.index(Articulation.DEAD)]).all()
        and (depths[kinds == KINDS.index(Articulation.OPEN)] == 0).all()
    )


def test_a_hurried_take_is_the_same_riff_faster() -> None:
    (riff, performance, style), (quick, hurried, same) = draw_take(12), draw_take(12, hurry=1.5)
    assert (
        style == same
        and quick.sections == riff.sections
        and float(quick.tempo_bpm) == pytest.approx(1.5 * float(riff.tempo_bpm), abs=0.5)
    )
    slots, short = (
        np.array([h.slot_ms for h in p.hits if h.index is not None]) for p in (performance, hurried)
    )
    assert short == pytest.approx(slots / 1.5, rel=0.02)


def test_what_was_gathered_is_taken_again_and_never_for_other_options(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    asked: list[tuple[int, ...]] = []

    def counted(*options: int) -> dict[str, Examples]:
        asked.append(options)
        return {
            source: Examples(**{name: np.full((2, k + 1), float(k)) for name in Examples.__slots__})
            for k, source in enumerate(gathering.SOURCES)
        }

    monkeypatch.setattr(gathering, "gather", counted)
    command = [
        "--takes",
        "4",
        "--loud",
        "2",
        "--ringing",
        "3",
        "--guitars",
        "2",
        "--examples",
        str(tmp_path / "kept.npz"),
    ]
    first, again = (gathered(options("").parse_args(command)) for _ in range(2))
    assert (
        asked == [(4, 2, 3, 2, 9)]
        and np.array_equal(again["sampled"].hits, first["sampled"].hits)
        and again["modelled"].hits.shape == (2, 1)
    )
    with pytest.raises(ValueError, match="other options"):
        gathered(options("").parse_args([*command, "--seed", "8"]))
    assert together([first["modelled"], first["modelled"]]).hits.shape == (4, 1)

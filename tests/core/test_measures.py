"""Onsets, rings, levels and filters on sounds made by hand, whose answers follow from how they were
made.
"""

from dataclasses import replace

import numpy as np
import pytest

from tests.core.sounds import RATE, string, with_sounds
from thrumble.core.ear.align.onsets import find_candidates, measure_candidates
from thrumble.core.ear.front.envelope import Envelope
from thrumble.core.ear.front.spectrum import bands_of
from thrumble.core.ear.measure.articulation import KINDS, classify_hits, measure_hits
from thrumble.core.ear.measure.ringing import hit_levels_db, measure_rings
from thrumble.core.ear.measure.summary import robust_spread
from thrumble.core.ear.model.network import Network
from thrumble.core.signal import filtered, high_pass, low_pass, peak, rms_db
from thrumble.trained import EAR


def test_attacks_are_placed_within_a_millisecond_and_sure() -> None:
    places = [0.503, 1.1037, 1.7251, 2.402]
    samples = with_sounds(4, *[(at, string(0.5, stop_s=0.4)) for at in places])
    found = find_candidates(Envelope(samples), bands_of(samples), EAR)
    for at in places:
        nearest = int(np.argmin(np.abs(found.times_s - at)))
        assert abs(found.times_s[nearest] - at) < 0.001 and found.log_odds[nearest] > 0


def test_a_flat_sound_has_no_candidates_and_a_wavering_one_no_sure_ones() -> None:
    silence = np.zeros(RATE, dtype=np.float32)
    assert measure_candidates(Envelope(silence), bands_of(silence))[0].size == 0
    t = np.arange(3 * RATE) / RATE
    wavering = (0.3 * np.sin(2 * np.pi * 196 * t + 3 * np.sin(2 * np.pi * 5 * t))).astype(
        np.float32
    )
    found = find_candidates(Envelope(wavering), bands_of(wavering), EAR)
    assert (found.log_odds[(found.times_s > 0.1) & (found.times_s < 2.9)] < 0).all(), (
        "vibrato is no onset"
    )


@pytest.mark.parametrize("stop_s", [0.12, 0.3, 0.6])
def test_a_stopped_ring_ends_where_the_hand_came_down(stop_s: float) -> None:
    samples = with_sounds(2.0, (0.5, string(1.2, stop_s=stop_s)))
    ring = measure_rings(bands_of(samples), np.array([0.5]), np.array([np.inf]), take_end_s=2.0)[0]
    assert (
        ring.end == "stop"
        and ring.ring_s == pytest.approx(stop_s, abs=0.02)
        and ring.stopped_s == pytest.approx(stop_s, abs=0.015)
    )


def test_a_free_string_decays_and_one_cut_by_the_next_is_censored() -> None:
    samples = with_sounds(3.0, (0.5, string(2.4, t60_s=1.5)))
    free = measure_rings(bands_of(samples), np.array([0.5]), np.array([np.inf]), take_end_s=3.0)[0]
    assert (
        free.end == "decay"
        and free.ring_s == pytest.approx(0.5, abs=0.06)
        and free.stopped_s is None
    )
    samples = with_sounds(3.0, (0.5, string(0.4)), (0.9, string(2.0)))
    cut, last = measure_rings(
        bands_of(samples), np.array([0.5, 0.9]), np.array([0.9, np.inf]), take_end_s=3.0
    )
    assert cut.end == "next" and cut.ring_s == pytest.approx(0.4, abs=0.01)
    assert last.end in ("decay", "end")


def test_a_hit_lost_in_noise_has_no_ring() -> None:
    noise = np.random.default_rng(1).normal(0, 0.2, RATE * 2).astype(np.float32)
    samples = noise + with_sounds(2.0, (0.5, string(0.5) * np.float32(0.2)))
    assert (
        measure_rings(bands_of(samples), np.array([0.5]), np.array([np.inf]), take_end_s=2.0)[
            0
        ].ring_s
        is None
    )


def test_levels_follow_the_sound_and_the_files_gain() -> None:
    samples = with_sounds(2.0, (0.2, string(0.5)), (1.0, string(0.5) * np.float32(0.5)))
    loud, soft = hit_levels_db(samples, np.array([0.2, 1.0]), np.array([0.5, 0.5]), gain_db=-12.0)
    assert loud - soft == pytest.approx(6.02, abs=0.2)
    assert loud == pytest.approx(rms_db(samples[int(0.2 * RATE) : int(0.26 * RATE)]) - 12, abs=0.1)


def test_a_tone_and_a_dead_thud_are_told_apart_without_any_plan() -> None:
    rng = np.random.default_rng(4)
    thud = (
        rng.normal(0, 1, int(0.05 * RATE))
        * np.exp(-np.arange(int(0.05 * RATE)) / (0.008 * RATE))
        * 0.3
    ).astype(np.float32)
    places = np.arange(12) * 0.4 + 0.3
    samples = with_sounds(
        5.4, *[(at, string(0.38) if k % 2 else thud) for k, at in enumerate(places)]
    )
    measures = measure_hits(samples, bands_of(samples), places, np.append(places[1:], 5.4))
    chances = classify_hits(measures, np.full(12, -1), EAR)
    assert np.allclose(chances.sum(axis=1), 1)
    assert [KINDS[int(row.argmax())].value == "dead" for row in chances] == [True, False] * 6


def test_a_hits_own_plan_never_touches_its_own_odds() -> None:
    """Two takes that differ in one hit's plan: that hit's row is the same to the bit."""
    rng = np.random.default_rng(5)
    measures = rng.normal(0, 1, (40, 3))
    network = Network(np.zeros(3), np.ones(3), ((rng.normal(0, 1, (3, 3)), np.zeros(3)),))
    ear = replace(EAR, articulation=network)
    planned = rng.integers(0, 3, 40)
    base = classify_hits(measures, planned, ear)
    for k in range(0, 40, 7):
        other = planned.copy()
        other[k] = (other[k] + 1) % 3
        assert np.array_equal(classify_hits(measures, other, ear)[k], base[k])
    assert classify_hits(measures[:0], planned[:0], ear).shape == (0, 3)


def test_filters_pass_and_stop_what_they_should_in_blocks_as_in_one() -> None:
    t = np.arange(RATE * 8) / RATE
    low, high = (np.sin(2 * np.pi * hz * t).astype(np.float32) for hz in (50, 4000))
    assert rms_db(filtered(low, RATE, high_pass(900))) < rms_db(low) - 45
    assert rms_db(filtered(high, RATE, high_pass(900))) == pytest.approx(rms_db(high), abs=0.1)
    assert rms_db(filtered(high, RATE, low_pass(200))) < rms_db(high) - 45
    assert rms_db(filtered(high, RATE, peak(4000, gain_db=6, q=1))) == pytest.approx(
        rms_db(high) + 6, abs=0.2
    )
    # -46 dB of difference: an analogue response cut off at half the rate rings a little
    noise = np.random.default_rng(1).normal(0, 1, RATE * 8).astype(np.float32)
    late = filtered(noise[RATE:], RATE, high_pass(900))
    assert np.allclose(
        filtered(noise, RATE, high_pass(900))[2 * RATE :], late[RATE:], atol=5e-3
    )  # an analogue response cut at half the rate rings a little


def test_a_filter_answers_an_impulse_alike_wherever_it_falls() -> None:
    """Over many blocks, also across their seams."""
    samples = np.zeros(RATE * 21, np.float32)
    places = np.arange(1, 20) * RATE + np.arange(19) * 997
    samples[places] = 1.0
    out = filtered(samples, RATE, high_pass(35))
    answers = out[places[:, np.newaxis] + np.arange(RATE // 4)]
    assert out.size == samples.size and answers[0, 0] > 0.9 and answers[0, 1:].min() < -0.01
    assert np.allclose(answers, answers[0], atol=2e-4)


def test_the_robust_spread_ignores_a_few_wild_hits() -> None:
    values = np.random.default_rng(1).normal(5, 10, 2000)
    assert robust_spread(values) == pytest.approx(10, rel=0.06)
    values[:50] = 900
    assert robust_spread(values) == pytest.approx(10, rel=0.1)

"""The finer measures by themselves: stops, placing, strings, clicks, each on sounds or
onsets whose truth is made here.
"""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.sounds import RATE, string, with_sounds
from thrumble.core.ear.align.clicks import (
    Clicks,
    click_channel,
    find_clicks,
    start_by_clicks,
    without,
)
from thrumble.core.ear.align.onsets import Candidates, find_candidates
from thrumble.core.ear.front.conditioning import in_memory
from thrumble.core.ear.front.envelope import GRID_S, Envelope
from thrumble.core.ear.front.spectrum import bands_of
from thrumble.core.ear.measure.chords import (
    STRAYS,
    UNTOLD,
    Ringing,
    check_chords,
    measure_strays,
)
from thrumble.core.ear.measure.placing import (
    FIRST,
    HEARD_BANDS,
    LAST,
    RESIDUAL_BANDS,
    STEP_S,
    around_places,
    measure_places,
    place_hits,
)
from thrumble.core.ear.measure.placing import PLACES as PLACE_STEPS
from thrumble.core.ear.measure.ringing import measure_rings, rest_levels_db
from thrumble.core.ear.measure.strumming import CLASSES_MS, measure_strums, strum_times
from thrumble.core.ear.model.ear import Ear
from thrumble.core.ear.model.network import Network
from thrumble.core.music.pitch import frequency_hz
from thrumble.core.pulse.click import click_sound
from thrumble.trained import EAR

# --- stops ----------------------------------------------------------------------------------------


def test_a_string_that_dies_by_itself_was_not_stopped_and_one_cut_by_the_next_is_censored() -> None:
    free = with_sounds(3.0, (0.5, string(2.4)))
    ring = measure_rings(bands_of(free), np.array([0.5]), np.array([np.inf]), take_end_s=3.0)[0]
    assert ring.end in ("decay", "end") and ring.stopped_s is None
    cut = measure_rings(bands_of(free), np.array([0.5]), np.array([0.8]), take_end_s=3.0)[0]
    assert (
        cut.end == "next" and cut.ring_s == pytest.approx(0.3, abs=0.02) and cut.stopped_s is None
    )


@pytest.mark.parametrize("tail_db", [-14, -22])
def test_a_rooms_tail_does_not_move_the_hand(tail_db: float) -> None:
    samples = with_sounds(2.5, (0.5, string(1.5, stop_s=0.6)))
    rng = np.random.default_rng(3)
    tail = (
        rng.standard_normal(RATE // 2) * 10 ** (-3 * np.arange(RATE // 2) / (0.4 * RATE))
    ).astype(np.float32)
    wet = np.convolve(samples, tail)[: samples.size].astype(np.float32)
    wet *= np.float32(10 ** (tail_db / 20) * np.abs(samples).max() / np.abs(wet).max())
    ring = measure_rings(
        bands_of(samples + wet), np.array([0.5]), np.array([np.inf]), take_end_s=2.5
    )[0]
    assert ring.end == "stop" and ring.stopped_s == pytest.approx(0.6, abs=0.02)


def test_hum_is_no_ring_and_a_rest_is_measured_against_its_hit() -> None:
    samples = with_sounds(3.0, (0.5, string(1.5, stop_s=0.4)))
    t = np.arange(samples.size) / RATE
    hum = (0.4 * np.abs(samples).max() * np.sin(2 * np.pi * 50 * t)).astype(np.float32)
    buried = measure_rings(
        bands_of(samples * np.float32(0.05) + hum),
        np.array([0.5]),
        np.array([np.inf]),
        take_end_s=3.0,
    )[0]
    assert buried.ring_s is None and buried.end is None
    envelope = Envelope(samples)
    rest = rest_levels_db(envelope, 0.5, 1.0, 2.0)
    assert rest is not None and rest < -30
    assert rest_levels_db(envelope, 0.5, 1.0, 1.05) is None, "too short a rest to hear"


# --- placing and strings --------------------------------------------------------------------------


def test_places_are_measured_around_each_candidate_and_the_likeliest_stretch_wins() -> None:
    samples = with_sounds(2.0, (0.5, string(0.8, stop_s=0.5)))
    about = np.array([0.5, 0.512])
    measures = measure_places(samples, about)
    assert (
        measures.shape == (2, LAST - FIRST + 1, HEARD_BANDS + RESIDUAL_BANDS)
        and np.isfinite(measures).all()
    )
    placed = place_hits(samples, about, EAR)
    assert placed[0] == pytest.approx(0.5, abs=0.001) and abs(placed[1] - 0.5) < 0.006, (
        "a candidate on the note's body goes back to its attack"
    )
    assert place_hits(samples, np.zeros(0), EAR).size == 0
    seen = around_places(measures).shape[1]
    blind = Network(np.zeros(seen), np.ones(seen), ((np.zeros((seen, 1)), np.zeros(1)),))
    assert np.all(np.abs(place_hits(samples, about, replace(EAR, places=blind)) - about) <= 0.03)


class Told:
    """A network that has made up its mind: the same scores of the places for every hit of a look,
    and `none`, the odds that it is elsewhere.
    """

    def __init__(self, *looks: dict[int, float], none: float = 0.001) -> None:
        self.looks, self.none, self.asked = looks, none, 0

    def outputs(self, inputs: np.ndarray) -> np.ndarray:
        scores = np.full(PLACE_STEPS.size, -20.0)
        for step, chance in self.looks[min(self.asked, len(self.looks) - 1)].items():
            scores[step - PLACE_STEPS[0]] = np.log(chance / self.none)
        self.asked += 1
        return np.tile(scores, len(inputs) // PLACE_STEPS.size)[:, np.newaxis]


def placing_by(network: Told) -> Ear:
    return replace(EAR, places=network)  # type: ignore[arg-type]


def test_a_hit_lies_in_the_middle_of_the_likeliest_stretch() -> None:
    samples, about = with_sounds(2.0, (0.5, string(0.8, stop_s=0.5))), np.array([0.51])
    one = place_hits(samples, about, placing_by(Told({-9: 0.9, 5: 0.1})))
    assert one[0] == pytest.approx(0.51 - 9 * STEP_S, abs=0.0001), "what is far away has no say"
    several = place_hits(samples, about, placing_by(Told({-12: 0.27, -10: 0.2, -8: 0.27, 5: 0.26})))
    assert several[0] == pytest.approx(0.51 - 10 * STEP_S, abs=0.0001), "between three places"


def test_a_hit_found_at_no_place_is_looked_for_before_and_after() -> None:
    samples, about = with_sounds(2.0, (0.5, string(0.8, stop_s=0.5))), np.array([0.6])
    nowhere = {0: 0.0001}
    before = place_hits(samples, about, placing_by(Told(nowhere, {12: 0.9}, nowhere)))
    assert before[0] == pytest.approx(0.6 + (12 - PLACE_STEPS.size) * STEP_S, abs=0.0001)
    after = place_hits(samples, about, placing_by(Told(nowhere, nowhere, {-20: 0.9})))
    assert after[0] == pytest.approx(0.6 + (PLACE_STEPS.size - 20) * STEP_S, abs=0.0001)
    lost = place_hits(samples, about, placing_by(Told({3: 0.0001})))
    assert lost[0] == pytest.approx(0.6 + 3 * STEP_S, abs=0.0001), (
        "found nowhere: at the likeliest place of the first look"
    )


def test_what_rings_on_is_predicted_and_a_string_struck_under_it_is_not() -> None:
    ringing = with_sounds(2.0, (0.2, string(1.7, hz=82.4)), (0.2, string(1.7, hz=123.5)))
    under = ringing + with_sounds(2.0, (1.0, 0.3 * string(0.8, hz=110.0)))
    for drive in (1.0, 3.0):  # clean, and clipped
        alone, both = (
            measure_places(np.tanh(drive * x).astype(np.float32), np.array([1.0]))[0]
            for x in (ringing, under)
        )
        before, after = slice(0, -FIRST - 4), slice(-FIRST, -FIRST + 12)
        heard, residual = slice(0, HEARD_BANDS), slice(HEARD_BANDS, None)
        told_db = 10 * (
            alone[after, heard].max(axis=1).mean() - alone[after, residual].max(axis=1).mean()
        )
        assert told_db > 30, "a ringing chord is predicted but for a thousandth of its power"
        rise_db = (
            10 * (both[after, residual].mean(axis=0) - both[before, residual].mean(axis=0)).max()
        )
        loudness_db = (
            10 * (both[after, heard].mean(axis=0) - both[before, heard].mean(axis=0)).max()
        )
        assert rise_db > 12 and rise_db > loudness_db + 3


@pytest.mark.parametrize("about_s", [0.0, 0.004, 1.999])
def test_a_hit_at_the_edge_of_the_take_is_placed_too(about_s: float) -> None:
    samples = with_sounds(2.0, (0.004, string(0.8, stop_s=0.5)))
    placed = place_hits(samples, np.array([about_s]), EAR)
    assert np.isfinite(placed).all() and abs(placed[0] - about_s) <= 0.03


def test_strings_struck_apart_are_told_apart_and_an_unsure_network_says_nothing() -> None:
    spread = {}
    for gap_s in (0.004, 0.010):
        sounds = [
            (0.5 + k * gap_s / 2, string(0.8, hz=hz)) for k, hz in enumerate((82.4, 123.5, 164.8))
        ]
        envelope = Envelope(with_sounds(2.0, *sounds))
        scores = EAR.strum.outputs(measure_strums(envelope, np.array([0.5])))
        chances = np.exp(scores - scores.max())
        spread[gap_s] = float((chances / chances.sum() @ CLASSES_MS)[0])
    assert spread[0.010] > spread[0.004] + 1.5
    together = Envelope(
        with_sounds(
            2.0,
            *((0.5 + k * 0.00075, string(0.8, hz=hz)) for k, hz in enumerate((82.4, 123.5, 164.8))),
        )
    )
    assert np.isnan(strum_times(together, np.array([0.5]), EAR)).all(), (
        "too near together to be told from strings far apart"
    )
    even = Network(np.zeros(120), np.ones(120), ((np.zeros((120, 8)), np.zeros(8)),))
    unsure = replace(EAR, strum=even)
    assert (
        np.isnan(strum_times(envelope, np.array([0.5]), unsure)).all()
        and strum_times(envelope, np.zeros(0), unsure).size == 0
    )


@settings(max_examples=15, deadline=None)
@given(st.integers(64, 40_000))
def test_running_energies_add_up_to_the_takes_own(size: int) -> None:
    samples = np.random.default_rng(size).normal(0, 0.3, size).astype(np.float32)
    envelope = Envelope(samples)
    assert envelope.energy[-1] == pytest.approx(
        float(np.sum(samples.astype(np.float64) ** 2)), rel=1e-4
    )
    assert (
        np.all(np.diff(envelope.bright_energy) >= 0)
        and envelope.bright_energy.size == envelope.energy.size == -(-size // 8) + 1
    )
    whole = envelope.level_db(envelope.energy, np.array([0.0]), np.array([size * GRID_S]))
    assert whole[0] == pytest.approx(
        10 * np.log10(np.mean(samples.astype(np.float64) ** 2) + 1e-9), abs=0.6
    )


# --- clicks ---------------------------------------------------------------------------------------


def clicked(times: list[float], strings: list[float]) -> tuple[np.ndarray, Candidates]:
    samples = with_sounds(6.0, *[(at, string(0.3, stop_s=0.2)) for at in strings])
    for k, at in enumerate(times):
        sound = click_sound(RATE, accent=k % 4 == 0)
        begin = round(at * RATE)
        samples[begin : begin + sound.size] += 0.2 * sound
    return samples, find_candidates(Envelope(samples), bands_of(samples), EAR)


def test_clicks_are_told_from_strings_and_placed_to_the_sample() -> None:
    times, strings = [0.5 + 0.5 * k for k in range(10)], [0.75, 1.75, 2.75, 3.75]
    samples, candidates = clicked(times, strings)
    clicks = find_clicks(samples, bands_of(samples), candidates)
    assert clicks.times_s.size >= 9 and all(
        np.abs(np.array(times) - t).min() < 2 / RATE for t in clicks.times_s
    )
    left = without(candidates, clicks)
    assert all(np.abs(left.times_s - at).min() < 0.003 for at in strings)
    assert not any(
        np.abs(left.times_s[left.log_odds > 0] - at).min(initial=1) < 0.004 for at in times
    )
    none = find_clicks(*_without_clicks(strings))
    assert not none.times_s.size and not none.candidates.any()


def _without_clicks(strings: list[float]) -> tuple[np.ndarray, object, Candidates]:
    samples, candidates = clicked([], strings)
    return samples, bands_of(samples), candidates  # type: ignore[return-value]


def test_the_grid_of_the_clicks_gives_start_and_tempo_or_nothing() -> None:
    beats = np.arange(-4, 16) * 0.5
    heard = 2.003 + 1.01 * beats[2:]
    clicks = Clicks(heard, np.ones(heard.size, dtype=bool))
    start, stretch = start_by_clicks(clicks, beats, 2.02, 1.009) or (0, 0)
    assert start == pytest.approx(2.003, abs=1e-6) and stretch == pytest.approx(1.01, abs=1e-6)
    wild = Clicks(np.sort(np.random.default_rng(4).uniform(0, 9, 12)), np.ones(12, dtype=bool))
    assert start_by_clicks(wild, beats, 2.0, 1.0) is None
    assert start_by_clicks(Clicks(heard[:3], np.ones(3, dtype=bool)), beats, 2.0, 1.0) is None


def test_only_a_channel_of_nothing_but_clicks_is_taken_for_one() -> None:
    samples, _ = clicked([0.5 + 0.5 * k for k in range(10)], [])
    guitar, _ = clicked([], [0.75, 1.75, 2.75])
    assert click_channel(in_memory(np.stack([guitar, samples], axis=1), RATE)) == 1
    assert click_channel(in_memory(np.stack([guitar, guitar], axis=1), RATE)) is None
    assert click_channel(in_memory(samples, RATE)) is None, (
        "a single channel is the take, whatever it holds"
    )


# --- chords ---------------------------------------------------------------------------------------


def chord(midi: list[int], *, stray: int | None = None) -> tuple[np.ndarray, Ringing]:
    sounds = [(0.5, string(1.2, hz=frequency_hz(note))) for note in midi] + (
        [(0.5, 0.4 * string(1.2, hz=frequency_hz(stray)))] if stray else []
    )
    return with_sounds(2.0, *sounds), Ringing(0.5, 1.4, (45, 52), {1: 64, 2: 59, 3: 55})


def test_a_chord_in_its_place_a_fret_off_and_with_a_string_ringing_along() -> None:
    samples, asked = chord([45, 52])
    # every partial of the first string is one of the written notes' own: a reading never asks for it
    (right,) = check_chords(samples, [replace(asked, silent={2: 59, 3: 55})], EAR)
    assert right.chord_ok is True and right.stray_strings == ()
    for off in (-2, -1, 1, 2):
        samples, asked = chord([45 + off, 52 + off])
        assert check_chords(samples, [asked], EAR)[0].chord_ok is False
    samples, asked = chord([45, 52], stray=59)
    assert check_chords(samples, [asked], EAR)[0].stray_strings == (2,)
    short = replace(asked, end_s=0.6)
    assert check_chords(samples, [short], EAR)[0] == UNTOLD and check_chords(samples, [], EAR) == []


def test_strays_are_named_untold_or_denied_by_how_sure_the_network_is() -> None:
    samples, asked = chord([45, 52])
    assert measure_strays(samples, [asked])[0].shape == (3, STRAYS.size)
    assert measure_strays(samples, [replace(asked, end_s=0.6)])[0].shape == (0, STRAYS.size), (
        "too short to tell"
    )
    for odds, named in ((4.0, (1, 2, 3)), (0.0, None), (-4.0, ())):
        fixed = Network(
            np.zeros(STRAYS.size),
            np.ones(STRAYS.size),
            ((np.zeros((STRAYS.size, 1)), np.array([odds])),),
        )
        assert check_chords(samples, [asked], replace(EAR, strays=fixed))[0].stray_strings == named
    nothing_silent = replace(asked, silent={})
    assert check_chords(samples, [nothing_silent], EAR)[0].stray_strings == ()

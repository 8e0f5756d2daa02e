"""The simulated hands: what a palm, a stroke and a slipped fret do to the sound, and strokes by
themselves.
"""

import numpy as np
import pytest

from thrumble.core.ear.front.conditioning import condition
from thrumble.core.ear.front.spectrum import bands_of
from thrumble.core.ear.measure.articulation import measure_hits
from thrumble.core.music.pitch import frequency_hz
from thrumble.core.player.flaws import Flaws
from thrumble.core.player.guitars import ModelGuitar, StringHit
from thrumble.core.player.perform import perform
from thrumble.core.player.single import LEAD_S, LENGTH_S, strike
from thrumble.core.player.sound import Tone, draw_setup
from thrumble.core.riff.model import Articulation
from thrumble.core.riff.notation.text import parse_riff
from thrumble.core.signal import rms_db
from thrumble.demo import guitar, setup_of
from thrumble.formats.truth_json import truth_document

RATE = 44100


def one_string(kind: Articulation, depth: float, seed: int = 1) -> np.ndarray:
    rng = np.random.default_rng(seed)
    hands = ModelGuitar(draw_setup(Tone.CLEAN, rng), rng)
    asked = StringHit(
        midi=45, articulation=kind, depth=depth, gain_db=0, release_s=2, length_s=1.2, leading=True
    )
    return hands.string(asked, RATE, rng)


def pitch_hz(sound: np.ndarray) -> float:
    """The strongest partial's fundamental below 400 Hz, by autocorrelation."""
    piece = sound[int(0.05 * RATE) : int(0.35 * RATE)].astype(np.float64)
    auto = np.fft.irfft(np.abs(np.fft.rfft(piece, 1 << 16)) ** 2)
    low, high = int(RATE / 400), int(RATE / 60)
    return RATE / (low + int(np.argmax(auto[low:high])))


@pytest.mark.parametrize("seed", range(5))
def test_a_deeper_palm_dies_sooner_and_an_open_string_last(seed: int) -> None:
    left = [
        rms_db(one_string(Articulation.PALM, depth, seed)[int(0.4 * RATE) : int(0.6 * RATE)])
        - rms_db(one_string(Articulation.PALM, depth, seed)[: int(0.05 * RATE)])
        for depth in (0.05, 0.5, 0.95)
    ]
    open_ = one_string(Articulation.OPEN, 0, seed)
    assert left[0] > left[1] > left[2]
    assert (
        rms_db(open_[int(0.4 * RATE) : int(0.6 * RATE)]) - rms_db(open_[: int(0.05 * RATE)])
        > left[0] - 1
    )


def test_hands_are_drawn_once_and_stay_for_the_take() -> None:
    rng = np.random.default_rng(3)
    hands = ModelGuitar(draw_setup(Tone.CRUNCH, rng), rng)
    assert hands.damping(Articulation.PALM, 0.4) == hands.damping(Articulation.PALM, 0.4)
    assert (
        hands.damping(Articulation.OPEN, 0).low_t60_s
        > hands.damping(Articulation.PALM, 0.5).low_t60_s
        > hands.damping(Articulation.DEAD, 0).low_t60_s
    )
    assert ModelGuitar(draw_setup(Tone.CRUNCH, rng), rng).hands != hands.hands


def test_a_slipped_fret_sounds_where_it_slipped_and_is_in_the_truth() -> None:
    riff = parse_riff("title: S\ntempo: 60\n[A]\n| D5=5:5 o o o o |\n")
    take = perform(riff, seed=4, tone=Tone.CLEAN, flaws=Flaws(timing=0, fret=1.0), rate_hz=RATE)
    for hit in take.hits:
        assert hit.fret_error in (-2, -1, 1, 2) and hit.onset_s is not None
        heard = pitch_hz(take.samples[int(hit.onset_s * RATE) : int((hit.onset_s + 0.5) * RATE)])
        wanted = frequency_hz(50 + hit.fret_error)
        assert min(abs(heard * k / wanted - 1) for k in (0.5, 1, 2)) < 0.02
    document = truth_document(take, riff="", audio="")
    assert [h["fret_error"] for h in document["hits"]] == [h.fret_error for h in take.hits]


def test_a_stroke_by_itself_begins_after_its_lead_and_fits_its_length() -> None:
    rng = np.random.default_rng(5)
    setup = setup_of(Tone.CRUNCH)
    for kind in Articulation:
        sound = strike(guitar(setup, rng), setup, kind, depth=0.6, midi=[40.0, 47.0], rng=rng)
        assert sound.size == int(LENGTH_S * 48000) and np.abs(sound).max() == pytest.approx(
            0.5, abs=1e-3
        )
        before, after = (
            rms_db(sound[: int((LEAD_S - 0.01) * 48000)]),
            rms_db(sound[int(LEAD_S * 48000) : int((LEAD_S + 0.05) * 48000)]),
        )
        assert after > before + 15


def test_the_demos_guitar_is_one_guitar() -> None:
    one, other = (
        guitar(setup_of(Tone.CLEAN), np.random.default_rng(1)),
        guitar(setup_of(Tone.HIGH_GAIN), np.random.default_rng(2)),
    )
    assert (
        isinstance(one, ModelGuitar) and isinstance(other, ModelGuitar) and one.hands == other.hands
    )


def test_what_the_ear_measures_of_a_hit_is_finite_and_bounded_for_every_kind() -> None:
    for kind in Articulation:
        heard = condition(one_string(kind, 0.6), RATE)
        measures = measure_hits(
            heard.samples, bands_of(heard.samples), np.array([0.002]), np.array([heard.duration_s])
        )
        assert np.isfinite(measures).all() and np.abs(measures).max() < 20

"""The rig's measurements against sounds whose truth is made here: delays, hum, gates, palms and the
fret hand.
"""

from functools import partial

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.rig_sounds import RATE, decaying, held, hits, released, returned
from thrumble.core.ear.measure.articulation import HITS
from thrumble.core.errors import BadAudio
from thrumble.core.player.guitars import ModelGuitar
from thrumble.core.player.single import strike
from thrumble.core.player.sound import Tone, draw_setup
from thrumble.core.riff.model import Articulation
from thrumble.core.rig.calibration import (
    SOUND_MS_PER_M,
    hear_strikes,
    measure_drum,
    measure_return,
    openings_spread_ms,
)
from thrumble.core.rig.fret_hand import StringState, check_strings, exercise_text, measure_releases
from thrumble.core.rig.levels import measure_loudness, measure_silence
from thrumble.core.rig.palm import (
    MeasuredExample,
    Place,
    measure_example,
    measure_single,
    profile_of,
    repeatability,
)
from thrumble.trained import EAR


@settings(max_examples=12, deadline=None)
@given(st.floats(0.0005, 0.4), st.sampled_from([44100, 48000]))
def test_a_returned_click_gives_its_delay_within_a_fraction_of_a_frame(
    delay_s: float, rate: int
) -> None:
    sound, frames = returned(delay_s, rate=rate)
    found = measure_return(sound, rate, frames)
    assert (
        found.delay_ms == pytest.approx(delay_s * 1000, abs=0.03)
        and found.repeat_ms < 0.2
        and len(found.delays_ms) == 16
    )


def test_an_echo_after_the_click_does_not_move_it() -> None:
    sound, frames = returned(0.012, echo=0.9)
    assert measure_return(sound, RATE, frames).delay_ms == pytest.approx(12, abs=0.2)


def test_silence_and_noise_give_no_delay_but_the_remedy() -> None:
    frames = returned(0.01)[1]
    for sound in (
        np.zeros(int(8.8 * RATE), np.float32),
        np.random.default_rng(2).normal(0, 0.1, int(8.8 * RATE)).astype(np.float32),
    ):
        with pytest.raises(BadAudio, match="turn the loudspeaker up"):
            measure_return(sound, RATE, frames)


def test_drumming_gives_the_middle_lateness_and_refuses_a_wild_hand() -> None:
    clicks = np.arange(16) * 0.6 + 1
    rng = np.random.default_rng(3)
    found = measure_drum(clicks + 0.035 + rng.normal(0, 0.006, 16), clicks)
    assert found.delay_ms == pytest.approx(35, abs=5) and 2 < found.repeat_ms < 12
    with pytest.raises(BadAudio, match="scatter"):
        measure_drum(clicks + rng.uniform(-0.1, 0.2, 16), clicks)
    with pytest.raises(BadAudio, match="no tap"):
        measure_drum(np.zeros(0), clicks)


def test_knocks_on_the_body_are_heard_and_silence_has_none() -> None:
    rng = np.random.default_rng(6)
    sound = 1e-4 * rng.standard_normal(4 * RATE)
    places = [0.5, 1.1, 1.7, 2.3, 2.9]
    for at in places:
        n = np.arange(int(0.08 * RATE))
        sound[int(at * RATE) : int(at * RATE) + n.size] += (
            0.4 * rng.standard_normal(n.size) * np.exp(-n / (0.006 * RATE))
        )
    heard = hear_strikes(sound.astype(np.float32), RATE, ear=EAR)
    assert (
        all(np.abs(heard - at).min() < 0.003 for at in places)
        and hear_strikes(np.zeros(RATE, np.float32), RATE, ear=EAR).size == 0
    )


def test_the_spread_over_openings_is_their_range_and_a_metre_is_near_three_ms() -> None:
    assert openings_spread_ms([12.0]) is None and openings_spread_ms(
        [12.0, 12.7, 11.9]
    ) == pytest.approx(0.8)
    assert pytest.approx(2.915, abs=0.01) == SOUND_MS_PER_M


@pytest.mark.parametrize("mains", [50, 60])
def test_hum_is_found_and_named(mains: int) -> None:
    t = np.arange(2 * RATE) / RATE
    hum = sum(10 ** (-50 / 20) / k * np.sin(2 * np.pi * mains * k * t) for k in (1, 2, 3, 4, 5))
    noise = 1e-4 * np.random.default_rng(4).standard_normal(t.size)
    found = measure_silence((hum + noise).astype(np.float32), RATE)
    assert found.hum_hz == mains and found.hum_db == pytest.approx(-51.3, abs=2)
    assert measure_silence(noise.astype(np.float32), RATE).hum_hz is None
    burst = noise.copy()
    burst[RATE : RATE + 4800] += 0.3
    with pytest.raises(BadAudio, match="something was played"):
        measure_silence(burst.astype(np.float32), RATE)


def test_headroom_gain_and_gate() -> None:
    well = measure_loudness(decaying(0.35), RATE, -70)
    assert (
        well.gain_change_db is None
        and well.headroom_db == pytest.approx(9.1, abs=0.2)
        and not well.gated
    )
    assert measure_loudness(decaying(0.03), RATE, -70).gain_change_db == pytest.approx(21, abs=1)
    clipped = measure_loudness(np.clip(decaying(3.0), -1, 1), RATE, -70)
    assert clipped.clipped and clipped.gain_change_db is not None and clipped.gain_change_db < 0
    gated = measure_loudness(decaying(0.35, gate_db=-35), RATE, -90)
    assert gated.gated and gated.gate_at_db == pytest.approx(-38, abs=5)
    with pytest.raises(BadAudio, match="nothing was heard"):
        measure_loudness(np.zeros(RATE, np.float32), RATE, None)


def test_open_is_too_far_back_a_palm_in_the_pocket_and_a_dead_hit_too_far_forward() -> None:
    for seed in (3, 7):
        assert {
            measure_single(s, RATE, ear=EAR).place for s in hits(Articulation.OPEN, 0, 3, seed)
        } == {Place.BACK}
        assert {
            measure_single(s, RATE, ear=EAR).place for s in hits(Articulation.PALM, 0.6, 3, seed)
        } == {Place.POCKET}
        assert {
            measure_single(s, RATE, ear=EAR).place for s in hits(Articulation.DEAD, 0, 3, seed)
        } == {Place.FORWARD}


def test_a_tighter_palm_stands_further_along_the_scale_and_decays_faster() -> None:
    scales, decays = [], []
    for depth in (0.1, 0.35, 0.6, 0.85):
        found = [measure_single(s, RATE, ear=EAR) for s in hits(Articulation.PALM, depth, 4)]
        scales.append(np.median([f.scale for f in found]))
        decays.append(np.median([f.decay_s or 2.0 for f in found]))
    assert all(np.diff(scales) > 0) and all(np.diff(decays) < 0)


@pytest.mark.parametrize("tone", [Tone.CRUNCH, Tone.HIGH_GAIN])
def test_light_mutes_of_ones_own_tone_are_not_too_far_back(tone: Tone) -> None:
    """Half of them are, by what is usual; four examples of open and of light mutes settle it."""
    back = {"usual": 0, "own": 0, "open": 0}
    for seed in range(100, 103):
        rng = np.random.default_rng(seed)
        setup = draw_setup(tone, rng)
        guitar = ModelGuitar(setup, rng)
        struck = partial(strike, guitar, setup, midi=[40.0, 47.0], rng=rng)
        examples = [
            MeasuredExample(
                measure_example(struck(kind, depth=depth), RATE, ear=EAR), kind, depth or None
            )
            for kind, depth in [(Articulation.OPEN, 0.0), (Articulation.PALM, 0.25)] * 4
        ]
        profile = profile_of(examples)
        for _ in range(6):
            light, ringing = (
                struck(Articulation.PALM, depth=0.25),
                struck(Articulation.OPEN, depth=0.0),
            )
            back["usual"] += measure_single(light, RATE, ear=EAR).place is Place.BACK
            back["own"] += measure_single(light, RATE, profile, ear=EAR).place is Place.BACK
            back["open"] += measure_single(ringing, RATE, profile, ear=EAR).place is Place.BACK
    assert back["usual"] >= 6 and back["own"] <= 2 and back["open"] >= 15


def test_a_steady_sound_is_no_hit() -> None:
    hum = 0.2 * np.sin(2 * np.pi * 110 * np.arange(RATE) / RATE)
    with pytest.raises(BadAudio, match="steady sound"):
        measure_single(hum.astype(np.float32), RATE, ear=EAR)


def test_one_hit_by_itself_is_placed_and_levelled() -> None:
    sound = hits(Articulation.PALM, 0.6, 1)[0]
    found, quiet = (
        measure_single(sound, RATE, ear=EAR),
        measure_single(sound * np.float32(0.1), RATE, ear=EAR),
    )
    assert found.onset_s == pytest.approx(0.12, abs=0.004) and quiet.onset_s == pytest.approx(
        found.onset_s, abs=0.001
    )
    assert quiet.level_db == pytest.approx(
        found.level_db - 20, abs=0.2
    ) and quiet.scale == pytest.approx(found.scale, abs=0.02)
    with pytest.raises(BadAudio, match="we heard nothing"):
        measure_single(np.zeros(RATE, np.float32), RATE, ear=EAR)
    with pytest.raises(BadAudio, match="one hit at a time"):
        measure_single(np.zeros(5 * RATE, np.float32), RATE, ear=EAR)


def test_repeatability_is_the_spread_of_the_last_eight() -> None:
    assert repeatability([0.5, 0.6], [Place.POCKET] * 2) is None
    steady = repeatability([0.1, *[0.6] * 8], [Place.BACK, *[Place.POCKET] * 8])
    assert steady is not None and (steady.hits, steady.spread, steady.in_pocket) == (8, 0.0, 8)
    loose = repeatability([0.4, 0.5, 0.6, 0.7], [Place.POCKET] * 4)
    assert loose is not None and loose.spread == pytest.approx(
        1.4826 * 0.1, abs=1e-3
    )  # the middle is 0.55


def test_a_profile_holds_what_was_kept_as_loud_as_it_was_beside_the_rest() -> None:
    sound = hits(Articulation.OPEN, 0, 1)[0]
    kept = [
        MeasuredExample(measure_example(samples, RATE, ear=EAR), Articulation.OPEN)
        for samples in (sound, sound * np.float32(0.1))
    ]
    profile = profile_of(kept)
    assert profile.kinds.tolist() == [0, 0] and np.isfinite(profile.measures).all()
    loud, soft = profile.measures[:, HITS.column("level")]
    assert loud - soft == pytest.approx(2, abs=0.02), "20 dB, in tens of decibels"
    assert len(profile_of([]).kinds) == 0
    with pytest.raises(BadAudio):
        measure_example(np.zeros(RATE, np.float32), RATE, ear=EAR)


def test_a_quick_release_a_dragging_one_and_one_that_leaves_strings_ringing() -> None:
    quick = measure_releases(released(0.02, 0.0), RATE, tempo_bpm=80, start_s=0.2, ear=EAR)
    assert (
        quick.fall_ms is not None
        and quick.fall_ms < 45
        and quick.left_db is not None
        and quick.left_db < -30
    )
    assert quick.late_ms == pytest.approx(0, abs=15) and len(quick.each) == 8
    slow = measure_releases(released(0.12, 0.0), RATE, tempo_bpm=80, start_s=0.2, ear=EAR)
    assert slow.fall_ms is not None and slow.fall_ms > 2 * quick.fall_ms
    ringing = measure_releases(released(0.02, 1.5), RATE, tempo_bpm=80, start_s=0.2, ear=EAR)
    assert ringing.left_db is not None and ringing.left_db > -14 and "ring on" in ringing.words
    with pytest.raises(BadAudio, match="releases were heard"):
        measure_releases(np.zeros(13 * RATE, np.float32), RATE, tempo_bpm=80, start_s=0.2, ear=EAR)
    assert exercise_text(80).count("o - o -") == 4


def test_a_clear_chord_rings_and_the_string_at_fault_is_named() -> None:
    states = {s.string: s.state for s in check_strings(*_chord(held()))}
    assert (
        set(states.values()) <= {StringState.RINGS, StringState.UNTOLD}
        and states[4] is StringState.RINGS
    )
    assert {s.string: s.state for s in check_strings(*_chord(held(damped=4)))}[
        4
    ] is StringState.DAMPED
    assert {s.string: s.state for s in check_strings(*_chord(held(weak=4)))}[4] is StringState.WEAK
    assert {s.string: s.state for s in check_strings(*_chord(held(buzzing=4)))}[
        4
    ] is StringState.BUZZES
    sound, notes = held()
    with pytest.raises(BadAudio, match="must ring for a second"):
        check_strings(sound[: RATE // 2], RATE, notes)


def _chord(made: tuple[np.ndarray, dict[int, float]]) -> tuple[np.ndarray, int, dict[int, float]]:
    return made[0], RATE, made[1]

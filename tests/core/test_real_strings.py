"""Strings that age, hands that are heard, rooms that answer: what the simulated player adds to a
clean take.
"""

from dataclasses import replace
from functools import partial

import numpy as np
import pytest

from thrumble.core.ear.align.echoes import echo_lag, repeats
from thrumble.core.ear.measure.articulation import NO_PROFILE, Profile
from thrumble.core.ear.reading import Reading
from thrumble.core.ear.take import TakeInfo, read_take
from thrumble.core.player.flaws import Flaws
from thrumble.core.player.guitars import ModelGuitar
from thrumble.core.player.perform import Performance, perform
from thrumble.core.player.single import strike
from thrumble.core.player.sound import Setup, Tone, aged, amplify, draw_setup, with_echo
from thrumble.core.player.strings import Damping, Pluck, pluck, worn
from thrumble.core.riff.expand import expand
from thrumble.core.riff.model import Articulation
from thrumble.core.riff.notation.text import parse_riff
from thrumble.core.rig.palm import MeasuredExample, measure_example, profile_of
from thrumble.core.signal import Samples, filtered, high_pass, low_pass, rms_db
from thrumble.trained import EAR

RATE = 48000
NEW = Damping(4.0, 1.2)
STOPS = parse_riff(
    "title: Stops\ntempo: 100\n[A]\n| 6:5,5:7 o - o - o - o - | 6:9,5:11 o - o - o - o - |\n"
)


def string(damping: Damping, hz: float = 82.4, *, stiffness: float = 0.0) -> Samples:
    how = Pluck(
        frequency_hz=hz,
        strength=1.0,
        pick_place=0.12,
        pick_width_s=0.0008,
        scrape=0.1,
        stiffness=stiffness,
    )
    rng = np.random.default_rng(1)
    return pluck(how, [(0.0, damping)], length_s=1.5, rate_hz=RATE, rng=rng)


def fall_db(sound: Samples, *, high: bool) -> float:
    """Of the first tenth of a second, above 1 kHz or below 400 Hz."""
    band = filtered(sound, RATE, high_pass(1000) if high else low_pass(400))
    return rms_db(band[480:1440]) - rms_db(band[5280:6240])


def peak_hz(sound: Samples, near: float) -> float:
    size = 1 << 19
    spectrum = np.abs(np.fft.rfft(sound[4000:] * np.hanning(sound.size - 4000), size))
    hz = np.arange(spectrum.size) * RATE / size
    inside = np.flatnonzero((hz > 0.96 * near) & (hz < 1.04 * near))
    return float(hz[inside[np.argmax(spectrum[inside])]])


@pytest.mark.parametrize("hz", [82.4, 110.3, 146.9, 247.1, 330.7, 660.9])
def test_a_string_is_in_tune_to_a_cent_or_two(hz: float) -> None:
    cents = 1200 * np.log2(peak_hz(string(NEW, hz), hz) / hz)
    assert abs(cents) < 2


def test_a_stiff_strings_partials_lie_wider_than_its_fundamental_says() -> None:
    limp, stiff = (string(NEW, stiffness=b) for b in (0.0, 6e-5))
    assert peak_hz(limp, 20 * 82.4) == pytest.approx(20 * 82.4, rel=0.002)
    assert peak_hz(stiff, 20 * 82.4) / 20 / 82.4 == pytest.approx(
        (1 + 6e-5 * 400) ** 0.5, rel=0.003
    )


def test_an_old_winding_loses_its_highs_at_once_and_rings_on_below() -> None:
    fresh, old = string(NEW), string(worn(NEW, 0.8, wound=True))
    assert fall_db(old, high=True) > fall_db(fresh, high=True) + 6
    assert fall_db(old, high=False) < fall_db(fresh, high=False) + 3
    plain = string(worn(NEW, 0.8, wound=False))
    assert fall_db(plain, high=True) < fall_db(old, high=True) - 3
    assert worn(NEW, 0.0, wound=True) == NEW
    tight = Damping(0.15, 0.04)
    muted = string(worn(tight, 0.8, wound=True))
    assert fall_db(muted, high=False) > 20, "a palm takes the lows too, on any string"


def played(*, tone: Tone = Tone.CRUNCH, **flaws: float) -> Performance:
    return perform(STOPS, seed=5, tone=tone, flaws=Flaws(timing=4, **flaws), rounds=2)


def test_the_hand_is_heard_at_stops_and_moves_and_nowhere_else() -> None:
    still, touched = played(), played(touch=1.0)
    assert still.hits == touched.hits, "it is no hit"
    apart = np.abs(touched.samples - still.samples)
    ends = [(one.onset_s or 0) + (one.ring_s or 0) for one in still.hits if one.ring_end == "stop"]
    near = np.zeros(apart.size, dtype=bool)
    for at in ends:
        near[int((at - 0.05) * RATE) : int((at + 0.4) * RATE)] = True
    assert len(ends) >= 12 and apart[near].max() > 20 * max(1e-9, float(np.median(apart[~near])))
    moved = np.abs(played(squeak=1.0).samples - still.samples)
    assert moved.max() > 0.002


def test_an_echo_repeats_what_was_played_weaker_and_later() -> None:
    setup = replace(
        draw_setup(Tone.CLEAN, np.random.default_rng(2)),
        room_level=0.0,
        gate_db=None,
        hum_db=-120,
        noise_db=-120,
    )
    click = np.zeros(RATE, np.float32)
    click[4800] = 1.0
    dry = amplify(click, setup, rate_hz=RATE, rng=np.random.default_rng(0))
    echoing = replace(setup, echo_s=0.1, echo_db=-6.0)
    wet = amplify(click, echoing, rate_hz=RATE, rng=np.random.default_rng(0))
    at = int(np.argmax(np.abs(dry)))
    assert np.abs(wet[at + 4800 - 40 : at + 4800 + 40]).max() == pytest.approx(
        np.abs(dry).max() / 2, rel=0.45
    )
    assert np.abs(dry[at + 4000 :]).max() < 0.02 * np.abs(dry).max()


def test_what_follows_to_the_millisecond_is_an_echo_and_a_doubling_hand_is_none() -> None:
    rng = np.random.default_rng(4)
    own = np.cumsum(rng.uniform(0.25, 0.6, 24)) + rng.normal(0, 0.008, 24)
    echo = own + 0.107 + rng.normal(0, 0.0008, 24)
    assert echo_lag(own, np.sort(echo)) == pytest.approx(0.107, abs=0.001)
    assert repeats(own, echo, 0.107).all()
    steady = np.arange(24) * 0.4 + rng.normal(0, 0.008, 24)
    doubled = np.arange(24) * 0.4 + 0.2 + rng.normal(0, 0.008, 24)
    assert echo_lag(steady, doubled) is None
    assert echo_lag(own, echo[:4]) is None, "four may be chance"
    assert echo_lag(own, np.sort(rng.uniform(0, 10, 30))) is None
    assert echo_lag(np.zeros(0), echo) is None


def test_a_slap_echo_gives_no_extra_hits_and_is_named() -> None:
    def slapped(setup: Setup) -> Setup:
        return replace(
            setup, echo_s=0.105, echo_db=-6.0, room_level=0.0, noise_db=-70, gate_db=None
        )

    take = perform(STOPS, seed=7, tone=Tone.CLEAN, flaws=Flaws(timing=8), rounds=3, altered=slapped)
    info = TakeInfo(start_s=take.start_s, rounds=3)
    reading = read_take(take.samples, take.rate_hz, expand(STOPS), info, ear=EAR)
    assert len(reading.extra_onsets) <= 1
    said = [one.text for one in reading.cautions if one.code == "echo"]
    assert len(said) == 1
    assert int(said[0].split(" ms")[0].split()[-1]) == pytest.approx(105, abs=3)


def test_surroundings_are_drawn_within_what_guitars_do() -> None:
    rng = np.random.default_rng(0)
    setup = draw_setup(Tone.CRUNCH, rng)
    old = aged(setup, 0.7, rng)
    assert old.wear == 0.7 and 1e-5 < old.stiffness < 1e-4
    lags = [with_echo(setup, rng).echo_s or 0 for _ in range(60)]
    assert min(lags) >= 0.07 and max(lags) <= 0.46
    first = perform(STOPS, seed=1, altered=partial(aged, wear=0.9, rng=np.random.default_rng(1)))
    again = perform(STOPS, seed=1, altered=partial(aged, wear=0.9, rng=np.random.default_rng(1)))
    assert np.array_equal(first.samples, again.samples)


def test_a_sound_unlike_the_trainings_is_named_and_its_odds_are_taken_back() -> None:
    take = perform(STOPS, seed=3, tone=Tone.CRUNCH, flaws=Flaws(timing=5), rounds=2)
    t = np.arange(take.samples.size) / take.rate_hz
    swelling = (take.samples * (0.5 + 0.5 * np.sin(2 * np.pi * 7 * t))).astype(np.float32)

    def read(samples: Samples, profile: Profile = NO_PROFILE) -> Reading:
        info = TakeInfo(start_s=take.start_s, rounds=2, profile=profile)
        return read_take(samples, take.rate_hz, expand(STOPS), info, ear=EAR)

    def surest(reading: Reading) -> float:
        return max(max(hit.probabilities.values()) for hit in reading.hits if hit.probabilities)

    plain, strange = read(take.samples), read(swelling)
    codes = [[one.code for one in reading.cautions] for reading in (plain, strange)]
    assert "unfamiliar_sound" not in codes[0] and "unfamiliar_sound" in codes[1]
    assert surest(strange) < surest(plain)
    said = next(one.text for one in strange.cautions if one.code == "unfamiliar_sound")
    assert "Keep six hits of your own" in said
    rng = np.random.default_rng(3)
    setup = draw_setup(Tone.CRUNCH, rng)
    guitar = ModelGuitar(setup, rng)
    kept = [
        MeasuredExample(
            measure_example(
                strike(guitar, setup, kind, depth=0.6, midi=[45.0, 52.0], rng=rng),
                RATE,
                ear=EAR,
            ),
            kind,
            0.6 if kind is Articulation.PALM else None,
        )
        for kind in (Articulation.OPEN, Articulation.PALM, Articulation.DEAD)
        for _ in range(2)
    ]
    own = read(swelling, profile_of(kept))
    said = next(one.text for one in own.cautions if one.code == "unfamiliar_sound")
    assert "we go by the hits you kept" in said and surest(own) > surest(strange)

"""The simulated guitarist: same seed same sound, and a truth that the sound bears out."""

import numpy as np
import pytest

from thrumble.core.errors import BadFlaw
from thrumble.core.player.flaws import TABLE, Flaws, read_flaws
from thrumble.core.player.perform import Performance, perform
from thrumble.core.player.sound import Tone
from thrumble.core.player.strings import Damping, Pluck, pluck
from thrumble.core.pulse.click import click_sound, click_times
from thrumble.core.riff.expand import expand
from thrumble.core.riff.model import Articulation
from thrumble.core.riff.notation.text import parse_riff
from thrumble.core.signal import filtered, high_pass, low_pass, rms_db

RIFF = parse_riff(
    "title: T\ntempo: 120\npedal: 6:0\n[A]\n| E5@6/0 >o m m o m m x x | G5@6/3 o ~ - - m m o - |\n"
)


def play(**flaws: float) -> Performance:
    return perform(RIFF, seed=4, tone=Tone.CLEAN, flaws=Flaws(**flaws), rounds=4)


def test_the_same_seed_gives_the_same_sound_to_the_bit() -> None:
    one, other, third = (perform(RIFF, seed=seed) for seed in (1, 1, 2))
    assert np.array_equal(one.samples, other.samples) and one.hits == other.hits
    assert not np.array_equal(one.samples[: third.samples.size], third.samples)


def test_sound_rises_at_every_true_onset() -> None:
    take = play(timing=10)
    sharp = filtered(take.samples, take.rate_hz, high_pass(900))
    rises = []
    for hit in take.hits:
        at = round((hit.onset_s or 0) * take.rate_hz)
        rises.append(rms_db(sharp[at : at + 200]) - rms_db(sharp[at - 300 : at - 60]))
    struck_free = np.array(
        [hit.articulation is not Articulation.PALM for hit in take.hits]
    )  # a palm's first touch may be weak
    assert (
        np.median(rises) > 10
        and np.mean(np.array(rises)[struck_free] > 1) > 0.9
        and np.mean(np.array(rises) > 1) > 0.85
    )


def test_timing_flaws_show_in_the_truth_as_asked() -> None:
    late = [(h.onset_s or 0) * 1000 - h.expected_s * 1000 for h in play(timing=0, bias=25).hits]
    assert np.median(late) == pytest.approx(25, abs=1.0) and np.ptp(late) < 3
    spread = [
        (h.onset_s or 0) * 1000 - h.expected_s * 1000
        for h in perform(RIFF, seed=1, flaws=Flaws(timing=12), rounds=30).hits
    ]
    assert np.std(spread) == pytest.approx(12, rel=0.15)


def test_extra_hits_struck_in_silence_leave_the_rest_of_the_take_as_it_was() -> None:
    heard, silent = play(extra=0.2), play(extra=0.2, extra_level=-120)
    apart = np.abs(heard.samples - silent.samples)
    times = np.arange(apart.size) / heard.rate_hz
    near = np.zeros(apart.size, dtype=bool)
    extras = [hit.onset_s or 0 for hit in heard.hits if hit.index is None]
    assert len(extras) > 2
    for onset_s in extras:
        here = (times > onset_s - 0.01) & (times < onset_s + 1.0)
        assert apart[here].max() > 0.01
        near |= here
    assert apart[~near].max() < 1e-3


def test_missed_extra_wrong_and_unreached_hits_are_in_the_truth() -> None:
    take = perform(RIFF, seed=3, flaws=Flaws(missed=0.2, extra=0.2, wrong=0.3), rounds=10)
    written = [h for h in take.hits if h.index is not None]
    assert 0.1 < np.mean([not h.played for h in written]) < 0.3
    assert sum(h.index is None for h in take.hits) > 5
    assert 0.2 < np.mean([h.articulation != h.planned for h in written if h.played]) < 0.4
    assert [h.not_reached for h in play(begin=3).hits[:5]] == [True, True, True, False, False]


def test_open_hits_outlast_palm_mutes_and_those_outlast_dead_ones() -> None:
    riff = parse_riff("title: T\ntempo: 60\n[A]\n| E5@6/0 o M x K |\n")
    ring = {
        h.index: h.ring_s or 0
        for h in perform(riff, seed=2, tone=Tone.CLEAN, flaws=Flaws(timing=0)).hits
    }
    assert ring[0] > 0.9 and ring[0] > ring[1] > ring[3] and ring[1] > ring[2]


def test_stops_end_when_the_truth_says() -> None:
    riff = parse_riff("title: T\ntempo: 240\n[A]\n| E5@6/0 o - - - |\n")
    hit = perform(riff, seed=1, flaws=Flaws(stop=90, stop_spread=0, timing=0)).hits[0]
    assert hit.ring_end == "stop" and hit.stop_late_ms == pytest.approx(90)
    assert (hit.onset_s or 0) + (hit.ring_s or 0) == pytest.approx(
        hit.expected_s + 0.25 + 0.09, abs=0.003
    )


def test_a_swing_of_its_own_replaces_the_written_one() -> None:
    riff = parse_riff(
        "title: T\ntempo: 120\nfeel: shuffle 2.0 on 1/8\n[A]\n| 6:2 o o o o o o o o |\n"
    )
    hits = perform(riff, seed=1, flaws=Flaws(timing=0, swing=3)).hits
    assert ((hits[1].onset_s or 0) - (hits[0].onset_s or 0)) * 1000 == pytest.approx(375, abs=2)
    assert hits[1].expected_s - hits[0].expected_s == pytest.approx(1 / 3)


def test_a_string_sounds_at_its_pitch_and_dies_at_its_rate() -> None:
    rng = np.random.default_rng(0)
    how = Pluck(frequency_hz=110.0, strength=1.0, pick_place=0.13, pick_width_s=0.0007, scrape=0.2)
    wave = pluck(how, [(0.0, Damping(1.0, 0.3))], length_s=1.0, rate_hz=44100, rng=rng)
    spectrum = np.abs(np.fft.rfft(wave[4410:26460] * np.hanning(22050)))
    assert np.argmax(spectrum[40:80]) * 2 + 80 == pytest.approx(110, abs=2)
    fall = rms_db(filtered(wave, 44100, low_pass(160))[8820:13230]) - rms_db(
        filtered(wave, 44100, low_pass(160))[26460:30870]
    )
    assert fall == pytest.approx(60 * 0.4, rel=0.15)


def test_every_flaw_of_the_table_reads_in_range_and_refuses_outside() -> None:
    for name, flaw in TABLE.items():
        assert getattr(read_flaws([f"{name}={flaw.high}"]), name) == flaw.high
        with pytest.raises(BadFlaw, match=name):
            read_flaws([f"{name}={flaw.high + 1}"])
    for bad in ("nerves=1", "timing", "timing=x", "timing=nan"):
        with pytest.raises(BadFlaw):
            read_flaws([bad])


def test_the_click_counts_the_meter_in_and_accents_the_first_beat() -> None:
    clicks = click_times(expand(RIFF), rounds=2, count_in_bars=1)
    assert clicks[0] == (-2.0, True) and [accent for _, accent in clicks[:5]] == [
        True,
        False,
        False,
        False,
        True,
    ]
    assert len(clicks) == 4 + 2 * 8 and clicks[-1][0] == pytest.approx(7.5)
    assert abs(click_sound(48000, accent=True)[0]) > 0.5

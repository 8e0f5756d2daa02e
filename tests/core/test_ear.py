"""The ear against the simulated player's truth, and what it says where it cannot know."""

from dataclasses import replace
from typing import Any

import numpy as np
import pytest

from thrumble.core.ear.front.conditioning import condition
from thrumble.core.ear.model.network import Network, pack, unpack
from thrumble.core.ear.reading import HitState, Reading, StartSource
from thrumble.core.ear.take import TakeInfo, read_take
from thrumble.core.errors import BadAudio
from thrumble.core.player.flaws import Flaws
from thrumble.core.player.perform import Performance, perform
from thrumble.core.player.sound import Tone
from thrumble.core.riff.expand import ExpandedRiff, expand
from thrumble.core.riff.model import Articulation
from thrumble.core.riff.notation.text import parse_riff
from thrumble.demo import riff_texts
from thrumble.trained import EAR

SLUICE = parse_riff(riff_texts()["1-sluice-gate"])
CLAY = parse_riff(riff_texts()["5-puddle-clay"])
SHUFFLE = parse_riff(riff_texts()["3-towpath-shuffle"])


def read(take: Performance, expanded: ExpandedRiff, **info: object) -> Reading:
    return read_take(
        take.samples,
        take.rate_hz,
        expanded,
        TakeInfo(**({"start_s": take.start_s} | info)),
        ear=EAR,
    )  # type: ignore[arg-type]


def codes(reading: Reading) -> set[str]:
    return {caution.code for caution in reading.cautions}


@pytest.mark.parametrize("tone", list(Tone))
def test_onsets_and_articulations_agree_with_the_truth_in_every_tone(tone: Tone) -> None:
    """The figures asked are measured in benchmarks/; this guards against their collapse."""
    take = perform(CLAY, seed=21, tone=tone, flaws=Flaws(timing=10, wrong=0.07, missed=0.02))
    reading = read(take, expand(CLAY))
    truth = {h.index: h for h in take.hits}
    errors, same = [], []
    for hit in reading.hits:
        real = truth[hit.index]
        if real.played and hit.onset_s is not None:
            errors.append(abs(hit.onset_s - (real.onset_s or 0)) * 1000)
            same.append(hit.heard_articulation == real.articulation)
    assert len(errors) >= 0.97 * sum(h.played for h in take.hits)
    assert np.median(errors) < 1.0 and np.mean(np.array(errors) < 25) > 0.97
    assert np.mean(same) > 0.85


def test_the_plan_does_not_decide_what_a_hit_was() -> None:
    """The same sound read against a riff with a tenth of its articulations rewritten."""
    take = perform(SLUICE, seed=3, tone=Tone.CRUNCH, flaws=Flaws(timing=6))
    before = read(take, expand(SLUICE))
    changed = 0
    sections = []
    for section in SLUICE.sections:
        bars: list[Any] = []
        for bar in section.bars:
            hits = tuple(
                replace(h, articulation=Articulation.OPEN, depth=None)
                if h.articulation is Articulation.PALM and (k + len(bars)) % 7 == 0
                else h
                for k, h in enumerate(bar.hits)
            )
            bars.append(replace(bar, hits=hits))
        sections.append(replace(section, bars=tuple(bars)))
    other = read(take, expand(replace(SLUICE, sections=tuple(sections))))
    changed = sum(
        a.heard_articulation != b.heard_articulation
        for a, b in zip(before.hits, other.hits, strict=True)
    )
    assert (
        sum(
            a.expected_articulation != b.expected_articulation
            for a, b in zip(before.hits, other.hits, strict=True)
        )
        >= 6
    )
    assert changed <= 0.03 * len(before.hits)


def test_the_start_and_tempo_are_found_where_nobody_gave_them() -> None:
    take = perform(
        SLUICE, seed=8, tone=Tone.CLEAN, flaws=Flaws(timing=7), tempo_bpm=120.4, lead_s=2.3
    )
    reading = read_take(take.samples, take.rate_hz, expand(SLUICE), TakeInfo(rounds=None), ear=EAR)
    assert reading.start_source is StartSource.FITTED and reading.rounds == 1
    assert reading.start_s == pytest.approx(take.start_s, abs=0.015)
    assert reading.tempo_bpm == pytest.approx(120.4, rel=0.003)
    assert reading.summary.bias_ms is None and "start_fitted" in codes(reading)


def test_two_rounds_are_counted_and_their_hits_numbered() -> None:
    take = perform(CLAY, seed=2, tone=Tone.CRUNCH, flaws=Flaws(timing=6), rounds=2)
    reading = read_take(take.samples, take.rate_hz, expand(CLAY), TakeInfo(rounds=None), ear=EAR)
    assert reading.rounds == 2 and {h.round for h in reading.hits} == {1, 2}
    assert reading.summary.matched > 0.97 * len(reading.hits)


def test_a_late_beginning_and_an_early_end_are_not_counted_as_missed() -> None:
    take = perform(SLUICE, seed=5, tone=Tone.CRUNCH, flaws=Flaws(begin=12, end=16))
    reading = read(take, expand(SLUICE))
    states = [h.state for h in reading.hits]
    assert (
        states[:12] == [HitState.NOT_REACHED] * 12 and states[-15:] == [HitState.NOT_REACHED] * 15
    )
    assert reading.summary.missed <= 1 and {"begins_late", "ends_early"} <= codes(reading)


def test_a_take_cut_in_the_middle_is_read_as_far_as_it_goes() -> None:
    take = perform(SLUICE, seed=5, tone=Tone.CLEAN)
    half = take.samples[: take.samples.size // 2]
    reading = read_take(half, take.rate_hz, expand(SLUICE), TakeInfo(start_s=take.start_s), ear=EAR)
    assert reading.summary.missed == 0 and "ends_early" in codes(reading)
    assert 0.4 < reading.summary.matched / len(reading.hits) < 0.6


@pytest.mark.parametrize(
    "samples",
    [np.zeros(48000 * 3), np.full(48000 * 3, 0.4), np.zeros((48000, 2)), np.full(10, 1e-6)],
)
def test_silence_and_dc_are_a_reading_with_a_remedy(samples: np.ndarray) -> None:
    reading = read_take(
        samples.astype(np.float32), 48000, expand(SLUICE), TakeInfo(start_s=0.0), ear=EAR
    )
    assert (
        "nothing_heard" in codes(reading)
        and reading.summary.matched == 0
        and reading.summary.missed == 0
    )
    assert all(h.onset_s is None and h.heard_articulation is None for h in reading.hits)


@pytest.mark.parametrize(
    ("samples", "rate", "words"),
    [
        (np.zeros(0), 48000, "not a single sample"),
        (np.zeros((4, 4, 4)), 48000, "not a single sample"),
        (np.full(100, np.nan), 48000, "not numbers"),
        (np.zeros(100), 4000, "sample rate"),
        (np.zeros(8000 * 700), 8000, "longer than 10 minutes"),
    ],
)
def test_sound_that_cannot_be_used_is_refused_with_a_remedy(
    samples: np.ndarray, rate: int, words: str
) -> None:
    with pytest.raises(BadAudio, match=words):
        read_take(samples, rate, expand(SLUICE), ear=EAR)


def test_clipping_is_noticed_and_takes_the_levels_away_when_it_is_gross() -> None:
    take = perform(CLAY, seed=1, tone=Tone.CLEAN)
    mild, gross = (np.clip(take.samples * gain, -1, 1) for gain in (4, 400))
    assert "clipping" not in codes(read(take, expand(CLAY)))
    assert "clipping" in codes(read(replace(take, samples=mild), expand(CLAY)))
    reading = read(replace(take, samples=gross), expand(CLAY))
    assert (
        "clipping" in codes(reading)
        and all(h.level_db is None for h in reading.hits)
        and reading.summary.level_spread_db is None
    )


def test_same_input_gives_the_same_reading_and_quiet_or_stereo_changes_nothing_heard() -> None:
    take = perform(CLAY, seed=6, tone=Tone.CRUNCH)
    base = read(take, expand(CLAY))
    assert read(take, expand(CLAY)) == base
    stereo = np.stack([take.samples, np.zeros_like(take.samples)], axis=1)
    quiet = replace(take, samples=take.samples * np.float32(0.02))
    for other in (read(quiet, expand(CLAY)), read(replace(take, samples=stereo), expand(CLAY))):
        moved = [
            abs((a.onset_s or 0) - (b.onset_s or 0))
            for a, b in zip(base.hits, other.hits, strict=True)
        ]
        assert np.mean(np.array(moved) < 0.0005) > 0.98
        assert (
            np.mean(
                [
                    a.heard_articulation == b.heard_articulation
                    for a, b in zip(base.hits, other.hits, strict=True)
                ]
            )
            > 0.98
        )


def test_silence_before_moves_every_onset_by_just_that() -> None:
    take = perform(CLAY, seed=6, tone=Tone.CRUNCH)
    later = replace(
        take,
        samples=np.concatenate([np.zeros(48000, np.float32), take.samples]),
        start_s=take.start_s + 1.0,
    )
    base, other = read(take, expand(CLAY)), read(later, expand(CLAY))
    moved = np.array(
        [
            (b.onset_s or 0) - (a.onset_s or 0)
            for a, b in zip(base.hits, other.hits, strict=True)
            if a.onset_s and b.onset_s
        ]
    )
    assert np.mean(np.abs(moved - 1.0) < 0.001) > 0.95


def test_swing_is_heard_with_an_interval_around_the_ratio_played() -> None:
    take = perform(SHUFFLE, seed=4, tone=Tone.CLEAN, flaws=Flaws(timing=4, swing=1.5), rounds=2)
    summary = read(take, expand(SHUFFLE), rounds=2).summary
    assert (
        summary.swing_ratio == pytest.approx(1.5, abs=0.08) and summary.swing_interval is not None
    )
    assert summary.swing_interval[0] < 1.52 and summary.swing_interval[1] > 1.48
    assert read(perform(CLAY, seed=1), expand(CLAY)).summary.swing_ratio is None


def test_stops_that_ring_on_are_told_from_those_that_are_kept() -> None:
    riff = parse_riff(riff_texts()["6-stop-planks"])
    for late_ms in (0, 120):
        take = perform(
            riff, seed=9, tone=Tone.CLEAN, flaws=Flaws(timing=5, stop=late_ms, stop_spread=5)
        )
        found = [
            h.stop_late_ms for h in read(take, expand(riff)).hits if h.stop_late_ms is not None
        ]
        assert len(found) > 8 and np.median(found) == pytest.approx(late_ms, abs=25)


def test_bias_is_judged_only_with_a_calibrated_delay() -> None:
    take = perform(CLAY, seed=6, tone=Tone.CLEAN, flaws=Flaws(bias=20, timing=4))
    plain, calibrated = read(take, expand(CLAY)), read(take, expand(CLAY), delay_ms=0.0)
    assert not plain.bias_judged and "delay_not_calibrated" in codes(plain)
    assert calibrated.bias_judged and calibrated.summary.bias_ms == pytest.approx(20, abs=2.5)


def test_what_the_recorder_noticed_is_said() -> None:
    take = perform(CLAY, seed=6)
    assert "dropouts" in codes(
        read(take, expand(CLAY), dropouts=("3 gaps of silence inside the sound",))
    )


def test_conditioning_mixes_live_channels_and_turns_a_reversed_one() -> None:
    tone = np.sin(np.arange(44100) / 20).astype(np.float32) * 0.5
    heard = condition(np.stack([tone, -tone], axis=1), 44100)
    assert not heard.silent and heard.gain_db == pytest.approx(-6, abs=1.5)


def test_a_packed_network_unpacks_to_the_same_outputs() -> None:
    rng = np.random.default_rng(1)
    layers = (
        (rng.standard_normal((3, 4)), rng.standard_normal(4)),
        (rng.standard_normal((4, 2)), rng.standard_normal(2)),
    )
    network = Network(rng.standard_normal(3), np.ones(3), layers)
    inputs = rng.standard_normal((5, 3))
    kept = unpack(pack(network))
    assert np.allclose(kept.outputs(inputs), network.outputs(inputs), atol=0.01), (
        "weights are kept at half precision"
    )
    assert np.array_equal(unpack(pack(kept)).outputs(inputs), kept.outputs(inputs))

"""An echo is found in the sound itself and taken out; what only looks like one is left alone."""

from dataclasses import replace

import numpy as np
import pytest

from thrumble.core.ear.front.conditioning import (
    WORK_RATE_HZ,
    Conditioned,
    condition_recording,
    in_memory,
)
from thrumble.core.ear.front.echo import without_echo_effect
from thrumble.core.player.flaws import Flaws
from thrumble.core.player.perform import perform
from thrumble.core.player.sound import Tone
from thrumble.core.pulse.cues import sound_of
from thrumble.core.riff.notation.text import parse_riff
from thrumble.core.signal import Samples, filtered, low_pass
from thrumble.trained import VOICE

RIFF = parse_riff(
    "title: T\ntempo: 132\npedal: 6:0\n\n[A]\n"
    "| E5@6/0 >o m m o m m x x | G5@6/3 o ~ - - m m o - | m m m m A5@5/0 o m m o |\n"
)


@pytest.fixture(scope="module", params=[Tone.CLEAN, Tone.CRUNCH, Tone.HIGH_GAIN])
def dry(request: pytest.FixtureRequest) -> Conditioned:
    take = perform(RIFF, seed=8, tone=request.param, flaws=Flaws(timing=7), rounds=3)
    return condition_recording(in_memory(take.samples, take.rate_hz))


def repeated(samples: Samples, lag_s: float, level_db: float, again: float) -> Samples:
    """With a delay of its own making: each repeat duller and softer, until none is left."""
    out, repeat, lag = samples.copy(), samples * 10 ** (level_db / 20), round(lag_s * WORK_RATE_HZ)
    for number in range(1, 6):
        repeat = filtered(repeat.astype(np.float32), WORK_RATE_HZ, low_pass(4500))
        out[number * lag :] += repeat[: -number * lag]
        repeat = repeat * again
    return np.asarray(out, dtype=np.float32)


def test_a_take_without_an_echo_stays_as_it_is(dry: Conditioned) -> None:
    kept, lag_s = without_echo_effect(dry)
    assert lag_s is None
    assert kept is dry


@pytest.mark.parametrize(
    ("lag_s", "level_db", "again"), [(0.093, -8, 0.0), (0.1304, -12, 0.2), (0.3801, -10, 0.45)]
)
def test_an_echo_is_found_and_its_repeats_are_taken_out(
    dry: Conditioned, lag_s: float, level_db: float, again: float
) -> None:
    wet = replace(dry, samples=repeated(dry.samples, lag_s, level_db, again))
    cleaned, found_s = without_echo_effect(wet)
    assert found_s == pytest.approx(lag_s, abs=0.0005)
    came = np.sum((wet.samples - dry.samples) ** 2)
    left = np.sum((cleaned.samples - dry.samples) ** 2)
    assert 10 * np.log10(came / left) > 5


def test_a_click_that_got_into_the_take_is_no_echo(dry: Conditioned) -> None:
    click = sound_of("plain", WORK_RATE_HZ, VOICE)
    samples = dry.samples.copy()
    for at_s in np.arange(0.1, dry.duration_s - 0.5, 60 / 132 / 2):
        begin = round(float(at_s) * WORK_RATE_HZ)
        samples[begin : begin + click.size] += 0.3 * click
    assert without_echo_effect(replace(dry, samples=samples))[1] is None


def test_what_is_too_short_or_silent_has_no_echo(dry: Conditioned) -> None:
    short = replace(dry, samples=dry.samples[: WORK_RATE_HZ // 2])
    assert without_echo_effect(short) == (short, None)
    silent = replace(dry, silent=True)
    assert without_echo_effect(silent) == (silent, None)
    nothing = replace(dry, samples=np.zeros(WORK_RATE_HZ * 5, dtype=np.float32))
    assert without_echo_effect(nothing)[1] is None

"""What the player hears comes back through the microphone: found, taken out, never a hit. And a
round cut out of a riff that goes round and round.
"""

from dataclasses import replace

import numpy as np
import pytest
import soxr
from benchmarks.bleed import LEAD_S, RATE_HZ, way_back

from thrumble.actions.accompaniment import accompaniment_for_analysis, accompaniment_sound
from thrumble.core.ear.front.bleed import without_bleed
from thrumble.core.ear.front.conditioning import WORK_RATE_HZ, condition
from thrumble.core.ear.reading import HitState
from thrumble.core.ear.take import TakeInfo, read_take
from thrumble.core.player.flaws import Flaws
from thrumble.core.player.perform import Performance, perform
from thrumble.core.player.sound import Tone
from thrumble.core.pulse.cues import Backing, Click, Silence
from thrumble.core.riff.expand import expand
from thrumble.core.riff.notation.text import parse_riff
from thrumble.core.signal import Samples, filtered, high_pass
from thrumble.demo import riff_texts
from thrumble.formats.accompaniment_settings import AccompanimentSettings
from thrumble.trained import EAR

PLANKS = parse_riff(riff_texts()["6-stop-planks"])  # stops and rests: a drum in one is an extra hit
GIVEN = {"rounds": 1, "rate_hz": RATE_HZ}
DRUMS = AccompanimentSettings(click=Click.NONE, groove="backbeat")


def taken(
    seed: int, along: AccompanimentSettings, level_db: float
) -> tuple[Performance, Samples, Samples]:
    """A take, the same with what came back, and what came back alone."""
    made = perform(PLANKS, seed=seed, tone=Tone.CRUNCH, flaws=Flaws(timing=7), lead_s=LEAD_S)
    sound = accompaniment_sound(expand(PLANKS), along, start_s=made.start_s, **GIVEN)
    whole = np.zeros(made.samples.size, dtype=np.float32)
    whole[: sound.size] = sound[: whole.size]
    bleed = way_back(np.random.default_rng(seed), whole, level_db)
    return made, np.asarray(made.samples + bleed, dtype=np.float32), bleed


def known(made: Performance, along: AccompanimentSettings) -> Samples:
    return accompaniment_for_analysis(expand(PLANKS), along, start_s=made.start_s, **GIVEN)


def test_a_take_without_bleed_stays_as_it_is_to_the_bit() -> None:
    made, _, _ = taken(3, DRUMS, -400)
    heard = condition(made.samples, RATE_HZ)
    same, found = without_bleed(heard, known(made, DRUMS))
    assert found is None and same is heard


@pytest.mark.parametrize("along", [AccompanimentSettings(), DRUMS], ids=["click", "drums"])
def test_what_came_back_is_found_and_taken_out(along: AccompanimentSettings) -> None:
    """Above the kilohertz where hits are told, to less than a tenth of its power in a take of
    twenty seconds.
    """
    made, both, bleed = taken(3, along, -10)
    heard = condition(both, RATE_HZ)
    clean, found = without_bleed(heard, known(made, along))
    assert found is not None
    gain = np.float32(10 ** (-heard.gain_db / 20))
    true = np.asarray(soxr.resample(bleed * gain, RATE_HZ, WORK_RATE_HZ), dtype=np.float32)
    true = true[: found.samples.size]
    left = filtered(true - found.samples[: true.size], WORK_RATE_HZ, high_pass(1000.0))
    was = filtered(true, WORK_RATE_HZ, high_pass(1000.0))
    assert np.square(left).sum() < 0.1 * np.square(was).sum()
    assert np.allclose(clean.samples + found.samples, heard.samples, atol=1e-5)


@pytest.mark.parametrize(
    "along",
    [
        AccompanimentSettings(click=Click.SIXTEENTHS),
        DRUMS,
        AccompanimentSettings(click=Click.NONE, backing=Backing.RIFF),
        AccompanimentSettings(groove="gallop", silence=Silence.TWO_TWO),
    ],
    ids=["click", "drums", "second guitar", "with silent bars"],
)
def test_nothing_that_is_heard_is_ever_a_hit(along: AccompanimentSettings) -> None:
    made, both, _ = taken(4, along, -10)
    info = TakeInfo(start_s=made.start_s, delay_ms=0.0, accompaniment=known(made, along))
    reading = read_take(both, RATE_HZ, expand(PLANKS), info, ear=EAR)
    bare = read_take(
        made.samples, RATE_HZ, expand(PLANKS), replace(info, accompaniment=None), ear=EAR
    )
    assert len(reading.extra_onsets) <= len(bare.extra_onsets)
    assert reading.summary.missed == bare.summary.missed == 0
    assert [hit.heard_articulation for hit in reading.hits] == [
        hit.heard_articulation for hit in bare.hits
    ]


def test_a_round_cut_out_of_many_has_its_own_hits_and_no_others() -> None:
    """The second of three rounds, from a quarter of a second before it to a third after."""
    chain = parse_riff(
        "title: T\ntempo: 140\npedal: 6:0\n[A]\n" + "| E5@6/0 >o m m o m m o m |\n" * 2
    )
    expanded = expand(chain)
    made = perform(chain, seed=6, rounds=3, tone=Tone.CRUNCH, flaws=Flaws(timing=6))
    one = made.start_s + expanded.round_s
    first, end = round((one - 0.25) * RATE_HZ), round((one + expanded.round_s + 0.35) * RATE_HZ)
    info = TakeInfo(
        start_s=one - first / RATE_HZ, delay_ms=0.0, continues_previous=True, continues_next=True
    )
    reading = read_take(made.samples[first:end], RATE_HZ, expanded, info, ear=EAR)
    truth = [hit for hit in made.hits if hit.round == 2]
    assert [hit.round for hit in reading.hits] == [1] * 16 and not reading.extra_onsets
    assert all(hit.state is HitState.PLAYED for hit in reading.hits)
    for hit, true in zip(reading.hits, truth, strict=True):
        assert hit.onset_s is not None and true.onset_s is not None
        assert hit.onset_s + first / RATE_HZ == pytest.approx(true.onset_s, abs=0.008)
    alone = read_take(
        made.samples[first:end],
        RATE_HZ,
        expanded,
        replace(info, continues_previous=False, continues_next=False),
        ear=EAR,
    )
    assert alone.extra_onsets, "without knowing it, the neighbours' hits would be extra ones"

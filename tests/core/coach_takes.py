"""Judged takes to test the coach with: of the simulated guitarist, and made by hand."""

from dataclasses import replace

import numpy as np

from thrumble.core.coach.verdict.judgement import Judgement, judge
from thrumble.core.ear.reading import HeardKind, HitReading, HitState, Reading, StartSource, Summary
from thrumble.core.ear.take import TakeInfo, read_take
from thrumble.core.player.flaws import Flaws
from thrumble.core.player.perform import perform
from thrumble.core.player.sound import Tone
from thrumble.core.riff.expand import expand
from thrumble.core.riff.model import Riff
from thrumble.core.riff.notation.text import parse_riff
from thrumble.trained import EAR


def heard(
    riff: Riff,
    flaws: Flaws,
    *,
    tone: Tone = Tone.CRUNCH,
    seed: int = 31,
    delay_ms: float | None = None,
) -> Judgement:
    take = perform(riff, seed=seed, tone=tone, flaws=flaws)
    reading = read_take(
        take.samples,
        take.rate_hz,
        expand(riff),
        TakeInfo(start_s=take.start_s, delay_ms=delay_ms),
        ear=EAR,
    )
    return judge(reading, expand(riff))


def invented(
    late_ms: list[float], *, slot_s: float = 0.25, known: bool = True, **changes: object
) -> Judgement:
    """A reading made by hand: eighths of one bar's pattern over and over, so late, every other one
    a palm mute heard as written.
    """
    bars = -(-len(late_ms) // 8)
    riff = parse_riff(
        "title: T\ntempo: 120\npedal: 6:0\n[A]\n" + "| E5@6/0 o m o m o m o m |\n" * bars
    )
    expanded = expand(riff)
    hits = [
        HitReading(
            index=k,
            round=1,
            section="A",
            bar=k // 8 + 1,
            at=str(expanded.hits[k].hit.at),
            expected_s=k * slot_s,
            state=HitState.PLAYED,
            expected_articulation=expanded.hits[k].hit.articulation,
            onset_s=k * slot_s + ms / 1000,
            deviation_ms=ms,
            heard_articulation=HeardKind(expanded.hits[k].hit.articulation.value),
        )
        for k, ms in enumerate(late_ms)
    ]
    for k, changed in changes.get("hits", {}).items():  # type: ignore[attr-defined]
        hits[k] = replace(hits[k], **changed)
    reading = Reading(
        engine="2.4",
        tempo_bpm=120,
        start_s=0.0,
        start_source=StartSource.GIVEN,
        sample_rate=48000,
        duration_s=60,
        rounds=1,
        hits=hits,
        extra_onsets=[],
        summary=Summary(matched=len(hits), missed=0, extra=0, unsure=0),
        cautions=[],
        bias_judged=known,
    )
    return judge(reading, expanded)


NOISE = np.random.default_rng(5).normal(0, 5, 96)

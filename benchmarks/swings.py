"""Whether the interval given with a swing ratio holds what it promises: many short shuffles whose
true ratio is known.
"""

from dataclasses import replace
from fractions import Fraction

import numpy as np

from thrumble.core.ear.measure.swing import measure_swing
from thrumble.core.ear.take import TakeInfo, read_take
from thrumble.core.player.flaws import Flaws
from thrumble.core.player.perform import perform
from thrumble.core.player.sound import Tone
from thrumble.core.riff.expand import expand
from thrumble.core.riff.notation.text import parse_riff
from thrumble.trained import EAR


def swing_run(seed: int) -> tuple[float, float | None, float | None, float, float]:
    """The ratio played for, that of the true onsets by the same formula, and the ear's with its
    interval.
    """
    rng = np.random.default_rng([seed, 77])
    played, tempo = float(rng.uniform(1.4, 2.8)), int(rng.integers(85, 135))
    bars = "| A5@5/0 o o m m o m o o | o m o o m m o o " * int(rng.integers(2, 4)) + "|"
    riff = parse_riff(
        f"title: Shuffle {seed}\ntempo: {tempo}\nfeel: shuffle 2.0 on 1/8\n[A]\n{bars}\n"
    )
    asked = float(Fraction(played).limit_denominator(1000))
    take = perform(
        riff,
        seed=seed,
        tone=list(Tone)[seed % 3],
        flaws=Flaws(timing=float(rng.uniform(4, 12)), swing=asked),
        rate_hz=22050,
    )
    expanded = expand(riff)
    reading = read_take(
        take.samples, take.rate_hz, expanded, TakeInfo(start_s=take.start_s), ear=EAR
    )

    due = [(hit, 1) for hit in expanded.hits]
    true_hits = [
        replace(heard, onset_s=real.onset_s)
        for heard, real in zip(reading.hits, take.hits, strict=True)
    ]
    true, _ = measure_swing(true_hits, due, expanded)
    low, high = reading.summary.swing_interval or (float("nan"), float("nan"))
    return asked, None if true is None else true.ratio, reading.summary.swing_ratio, low, high

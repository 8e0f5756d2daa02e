"""Whether a player keeps the tempo while the click is silent: how far they move per silent bar."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from thrumble.core.chance import t_ppf
from thrumble.core.coach.verdict.judgement import Judgement
from thrumble.core.counting import counted

MIN_MEASURED = 0.1  # a bar softer than this is as good as silent
BEFORE_BARS = 2  # what came before a silence is measured over so many bars
MIN_HITS = 6
CONFIDENCE = 0.95


@dataclass(frozen=True, slots=True)
class InnerPulse:
    """How much later per silent bar, ms, negative for earlier, with its 95 % interval over the
    `stretches` of silent bars.
    """

    ms_a_bar: float
    interval: tuple[float, float]
    stretches: int

    @property
    def clear(self) -> bool:
        return self.interval[0] > 0 or self.interval[1] < 0


def inner_pulse(
    judgement: Judgement, levels: Sequence[float], bars_before: int = 0
) -> InnerPulse | None:
    """What the silent bars of a take show; None without two stretches of them, or too few hits.

    levels : how loud each bar was, over and over; `bars_before`: played before the take.
    The hits of a stretch are held against the bars that sounded just before it. Each stretch gives
    a slope through that middle; their mean, and Student's t over them, give the interval.
    """
    bars = [bar for bar in judgement.expanded.bars if bar.number >= 1]
    late: dict[int, list[tuple[float, float]]] = {}
    for hit in judgement.hits:
        if not hit.due.bar or hit.late_ms is None:  # the pick-up, or nothing heard
            continue
        bar = bars[hit.due.bar - 1]
        inside = (hit.due.due_s - bar.start_s) / (bar.end_s - bar.start_s)
        number = (hit.hit.round - 1) * len(bars) + hit.due.bar - 1
        late.setdefault(number, []).append((inside, hit.late_ms))
    count = judgement.reading.rounds * len(bars)
    silent = [levels[(bars_before + n) % len(levels)] < MIN_MEASURED for n in range(count)]
    slopes = []
    for first, end in _stretches(silent):
        before = [ms for n in range(first - BEFORE_BARS, first) for _, ms in late.get(n, [])]
        in_silence = [(n - first + at, ms) for n in range(first, end) for at, ms in late.get(n, [])]
        if first >= BEFORE_BARS and len(before) >= MIN_HITS and len(in_silence) >= MIN_HITS:
            x, y = np.array(in_silence).T
            slopes.append(float(x @ (y - np.median(before)) / (x @ x)))
    if len(slopes) < 2:
        return None
    mean = float(np.mean(slopes))
    error = float(np.std(slopes, ddof=1)) / np.sqrt(len(slopes))
    half = t_ppf(len(slopes) - 1, 1 - (1 - CONFIDENCE) / 2) * error
    return InnerPulse(mean, (mean - half, mean + half), len(slopes))


def _stretches(silent: Sequence[bool]) -> list[tuple[int, int]]:
    """First and behind-last bar of every run of silent ones."""
    out: list[tuple[int, int]] = []
    for n, quiet in enumerate(silent):
        if quiet and out and out[-1][1] == n:
            out[-1] = (out[-1][0], n + 1)
        elif quiet:
            out.append((n, n + 1))
    return out


def pulse_words(pulse: InnerPulse) -> str:
    """In one sentence."""
    where = counted(pulse.stretches, "silent stretch", "silent stretches")
    low, high = sorted(abs(end) for end in pulse.interval)
    if not pulse.clear:
        return (
            f"With the click off you hold the tempo: no drift that we can tell in {where}, within "
            f"{max(low, high):.0f} ms a bar."
        )
    way = "drag" if pulse.ms_a_bar > 0 else "rush"
    return (
        f"With the click off you {way} by {abs(pulse.ms_a_bar):.0f} ms a bar ({low:.0f} to "
        f"{high:.0f}, {where}): count on through the silence."
    )

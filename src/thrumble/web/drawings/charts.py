"""Small drawings beside the strip: the deviations as a pile of dots, and the bar clock."""

from dataclasses import dataclass
from math import cos, floor, log10, pi, sin

import numpy as np

from thrumble.core.coach.progress.habits import PlayedPlace
from thrumble.core.coach.progress.moves import LandingFit
from thrumble.core.coach.verdict.judgement import Judgement
from thrumble.core.counting import counted
from thrumble.core.riff.expand import DueHit, ExpandedRiff

PILE_W, PILE_H = 300.0, 150.0
REACH_MS = 60.0
BIN_MS = 4.0


@dataclass(frozen=True, slots=True)
class Dot:
    """One hit as a dot."""

    x: float
    y: float
    css: str


@dataclass(frozen=True, slots=True)
class Tick:
    """A mark on an axis with its text."""

    x: float
    y: float
    text: str


@dataclass(frozen=True, slots=True)
class Pile:
    """Deviations as dots piled up by time; the band is the tolerance."""

    dots: list[Dot]
    ticks: list[Tick]
    band_x: float
    band_width: float
    radius: float
    label: str


def deviation_pile(judgement: Judgement) -> Pile:
    """Every played hit as a dot at its lateness; beyond 60 ms at the edge. A dot is in or out by
    its own hit's limit; the band shows the widest.
    """
    bins: dict[int, int] = {}
    places = []
    for hit in judgement.played:
        number = round(max(-REACH_MS, min(REACH_MS, hit.late_ms or 0.0)) / BIN_MS)
        places.append((number, bins.get(number, 0), hit.in_time))
        bins[number] = bins.get(number, 0) + 1
    highest = max(bins.values(), default=1)
    step = min(7.0, (PILE_H - 30) / highest)
    dots = [
        Dot(
            round(_pile_x(n * BIN_MS), 1),
            round(PILE_H - 24 - step * (k + 0.5), 1),
            "in" if inside else "out",
        )
        for n, k, inside in places
    ]
    ticks = [
        Tick(_pile_x(ms), PILE_H - 6, f"{ms:+.0f}" if ms else "0") for ms in (-60, -30, 0, 30, 60)
    ]
    widest_ms = max(
        (hit.limit_ms for hit in judgement.played), default=judgement.limits.tolerance_ms
    )
    left, right = _pile_x(-widest_ms), _pile_x(widest_ms)
    label = f"{judgement.in_time} of {len(judgement.played)} in time"
    return Pile(dots, ticks, left, right - left, round(min(3.2, step / 2), 2), label)


def _pile_x(ms: float) -> float:
    return PILE_W / 2 + ms / (REACH_MS + 10) * PILE_W / 2


@dataclass(frozen=True, slots=True)
class Clock:
    """One bar as a dial: marks where hits are due, dots where they fell in all repetitions."""

    marks: list[tuple[float, float, float, float]]
    dots: list[Dot]
    middle: str
    under: str
    label: str


RADIUS, SIZE = 62.0, 160.0


def bar_clock(judgement: Judgement) -> Clock:
    """The dial over all bars of the riff's commonest meter, the bar's start at the top,
    clockwise.
    """
    expanded, swing = judgement.expanded, judgement.reading.summary.swing_ratio
    meters = [bar.meter for bar in expanded.bars if bar.number > 0]
    common = max(set(meters), key=meters.count)
    bars = {bar.number: bar for bar in expanded.bars if bar.meter == common}
    marks = [_ray(k / common.beats, RADIUS - 9, RADIUS + 9) for k in range(common.beats)]
    dots = []
    for hit in judgement.played:
        bar = bars.get(hit.hit.bar)
        if bar is None or hit.late_ms is None:
            continue
        phase = (hit.due.due_s + hit.late_ms / 1000 - bar.start_s) / (bar.end_s - bar.start_s)
        # spread across the ring so that clusters show
        away = RADIUS + ((hit.hit.index * 7 + hit.hit.round * 3) % 9 - 4) * 1.3
        x, y = _point(phase, away)
        dots.append(
            Dot(
                round(x, 1),
                round(y, 1),
                "rings" if hit.due.hit.articulation == "open" else "damped",
            )
        )
    middle = f"{swing:.2f}" if swing is not None else f"{common.beats}/{common.unit}"
    under = "swing heard" if swing is not None else "one bar"
    return Clock(
        marks,
        dots,
        middle,
        under,
        f"Bar clock with {counted(len(dots), 'hit')} at their place in the bar",
    )


MAX_DOTS = 500


def habit_clock(expanded: ExpandedRiff, played: list[PlayedPlace]) -> Clock:
    """The same over many takes, from what became of each place; of many hits every so manieth is
    drawn.
    """
    meters = [bar.meter for bar in expanded.bars if bar.number > 0]
    common = max(set(meters), key=meters.count)
    bars = {bar.number: bar for bar in expanded.bars if bar.meter == common}
    at: dict[tuple[str, int, str], DueHit] = {}
    for due in expanded.hits:
        if due.bar in bars:
            identity = due.identity
            at.setdefault((identity.section, identity.bar, str(identity.at)), due)
    shown = [
        (at[key], result.late_ms)
        for result in played
        if (key := (result.section, result.bar, result.at)) in at and result.late_ms is not None
    ]
    dots = []
    for k, (due, late_ms) in enumerate(shown[:: max(1, -(-len(shown) // MAX_DOTS))]):
        bar = bars[due.bar]
        phase = (due.due_s + late_ms / 1000 - bar.start_s) / (bar.end_s - bar.start_s)
        x, y = _point(phase, RADIUS + (k * 7 % 9 - 4) * 1.3)
        css = "rings" if due.hit.articulation == "open" else "damped"
        dots.append(Dot(round(x, 1), round(y, 1), css))
    return Clock(
        [_ray(k / common.beats, RADIUS - 9, RADIUS + 9) for k in range(common.beats)],
        dots,
        f"{common.beats}/{common.unit}",
        "one bar",
        f"Bar clock over all takes, {counted(len(shown), 'hit')}",
    )


def _point(phase: float, radius: float) -> tuple[float, float]:
    return SIZE / 2 + radius * sin(2 * pi * phase), SIZE / 2 - radius * cos(2 * pi * phase)


def _ray(phase: float, inner: float, outer: float) -> tuple[float, float, float, float]:
    (x1, y1), (x2, y2) = _point(phase, inner), _point(phase, outer)
    return round(x1, 1), round(y1, 1), round(x2, 1), round(y2, 1)


LANDING_W, LANDING_H = 460.0, 190.0
LANDING_LEFT, LANDING_FOOT = 44.0, 34.0
MIN_LATE_MS = 40.0
TICKS_WANTED = 4


@dataclass(frozen=True, slots=True)
class Scatter:
    """Moves as dots: how far across, how late up. `line`: the fit as path data, empty without one;
    `band_y`, `band_height`: in time.
    """

    dots: list[Dot]
    across: list[Tick]
    up: list[Tick]
    line: str
    zero_y: float
    band_y: float
    band_height: float
    label: str


def landing_scatter(fit: LandingFit, limit_ms: float) -> Scatter:
    """Every move that was played, its lateness against its millimetres, with the fitted line."""
    most_mm = max((landing.mm for landing in fit.landings), default=100.0) * 1.06
    high = max([MIN_LATE_MS, *(abs(landing.late_ms) for landing in fit.landings)]) * 1.08

    def x(mm: float) -> float:
        return round(LANDING_LEFT + mm / most_mm * (LANDING_W - LANDING_LEFT - 8), 1)

    def y(late_ms: float) -> float:
        return round((LANDING_H - LANDING_FOOT) * (0.5 - late_ms / high / 2) + 2, 1)

    dots = [
        Dot(x(landing.mm), y(landing.late_ms), "in" if landing.in_time else "out")
        for landing in fit.landings
    ]
    line = ""
    if fit.per_100_mm is not None and fit.level_ms is not None:
        middle = float(np.median([landing.mm for landing in fit.landings]))
        low = min(landing.mm for landing in fit.landings)
        high_mm = max(landing.mm for landing in fit.landings)
        ends = [fit.level_ms + fit.per_100_mm.value * (mm - middle) / 100 for mm in (low, high_mm)]
        line = f"M{x(low)} {y(ends[0])}L{x(high_mm)} {y(ends[1])}"
    step = _round_step(most_mm / TICKS_WANTED)
    across = [
        Tick(x(mm), LANDING_H - 19, f"{mm:.0f}")
        for mm in (k * step for k in range(int(most_mm / step) + 1))
    ]
    late = _round_step(high / 1.5)
    up = [Tick(LANDING_LEFT - 6, y(ms), f"{ms:+.0f}" if ms else "0") for ms in (-late, 0.0, late)]
    label = f"Lateness of {counted(len(fit.landings), 'landing')} against how far the hand went"
    band = y(limit_ms)
    return Scatter(dots, across, up, line, y(0.0), band, y(-limit_ms) - band, label)


def _round_step(about: float) -> float:
    """A step of 1, 2 or 5 times a power of ten, near a wanted one."""
    power = 10 ** floor(log10(max(1e-6, about)))
    return float(min((1, 2, 5, 10), key=lambda k: abs(k * power - about)) * power)

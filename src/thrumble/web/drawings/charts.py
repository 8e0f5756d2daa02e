"""Small drawings beside the strip: the deviations as a pile of dots, and the bar clock."""

from dataclasses import dataclass
from math import cos, pi, sin

from thrumble.core.ear.reading import HitReading, HitState, Reading
from thrumble.core.riff.expand import ExpandedRiff

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


def deviation_pile(hits: list[HitReading], *, around_ms: float, tolerance_ms: float) -> Pile:
    """Every played hit as a dot at its deviation; beyond 60 ms at the edge."""
    late = [hit.deviation_ms - around_ms for hit in hits if hit.state is HitState.PLAYED and hit.deviation_ms is not None]
    bins: dict[int, int] = {}
    places = []
    for ms in late:
        number = round(max(-REACH_MS, min(REACH_MS, ms)) / BIN_MS)
        places.append((number, bins.get(number, 0), abs(ms) <= tolerance_ms))
        bins[number] = bins.get(number, 0) + 1
    highest = max(bins.values(), default=1)
    step = min(7.0, (PILE_H - 30) / highest)
    dots = [
        Dot(round(_pile_x(n * BIN_MS), 1), round(PILE_H - 24 - step * (k + 0.5), 1), "in" if inside else "out") for n, k, inside in places
    ]
    ticks = [Tick(_pile_x(ms), PILE_H - 6, f"{ms:+.0f}" if ms else "0") for ms in (-60, -30, 0, 30, 60)]
    left, right = _pile_x(-tolerance_ms), _pile_x(tolerance_ms)
    inside = sum(abs(ms) <= tolerance_ms for ms in late)
    return Pile(dots, ticks, left, right - left, round(min(3.2, step / 2), 2), f"{inside} of {len(late)} in {tolerance_ms:.0f} ms")


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


def bar_clock(expanded: ExpandedRiff, reading: Reading, *, around_ms: float) -> Clock:
    """The dial over all bars of the riff's commonest meter, the bar's start at the top, clockwise."""
    meters = [bar.meter for bar in expanded.bars if bar.number > 0]
    common = max(set(meters), key=meters.count)
    bars = {bar.number: bar for bar in expanded.bars if bar.meter == common}
    marks = [_ray(k / common.beats, RADIUS - 9, RADIUS + 9) for k in range(common.beats)]
    dots = []
    for hit in reading.hits:
        if hit.state is HitState.PLAYED and hit.deviation_ms is not None and hit.bar in bars:
            bar = bars[hit.bar]
            due = expanded.hits[hit.index]
            phase = (due.due_s + (hit.deviation_ms - around_ms) / 1000 - bar.start_s) / (bar.end_s - bar.start_s)
            away = RADIUS + ((hit.index * 7 + hit.round * 3) % 9 - 4) * 1.3  # spread across the ring so that clusters show
            x, y = _point(phase, away)
            dots.append(Dot(round(x, 1), round(y, 1), "rings" if due.hit.articulation == "open" else "damped"))
    swing = reading.summary.swing_ratio
    middle = f"{swing:.2f}" if swing is not None else f"{common.beats}/{common.unit}"
    under = "swing heard" if swing is not None else "one bar"
    return Clock(marks, dots, middle, under, f"Bar clock with {len(dots)} hits at their place in the bar")


def _point(phase: float, radius: float) -> tuple[float, float]:
    return SIZE / 2 + radius * sin(2 * pi * phase), SIZE / 2 - radius * cos(2 * pi * phase)


def _ray(phase: float, inner: float, outer: float) -> tuple[float, float, float, float]:
    (x1, y1), (x2, y2) = _point(phase, inner), _point(phase, outer)
    return round(x1, 1), round(y1, 1), round(x2, 1), round(y2, 1)

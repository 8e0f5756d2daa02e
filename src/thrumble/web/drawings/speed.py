"""Clean speed by day as a band, each round a dot: filled if it was clean, hollow if not."""

from collections import Counter
from dataclasses import dataclass
from datetime import date

from thrumble.core.coach.progress.clean_speed import CleanSpeed, Round
from thrumble.core.counting import counted

WIDE, HIGH = 700.0, 210.0
LEFT, RIGHT, TOP, FOOT = 36.0, 24.0, 20.0, 26.0
MAX_DOTS = 240
DOT_APART = 5.0
AROUND = 0.06  # of the tempi shown, above and below
STEPS = (2, 5, 10, 20, 50)
LINES_WANTED = 5


@dataclass(frozen=True, slots=True)
class SpeedDot:
    """A round at its day and tempo."""

    x: float
    y: float
    css: str


@dataclass(frozen=True, slots=True)
class SpeedLine:
    """A tempo across the drawing."""

    y: float
    text: str


@dataclass(frozen=True, slots=True)
class SpeedChart:
    """`band` and `line` as path data; `goal_y`: the riff's own tempo, None if it is not
    shown.
    """

    band: str
    line: str
    dots: list[SpeedDot]
    lines: list[SpeedLine]
    days: list[SpeedLine]
    goal_y: float | None
    goal: str
    label: str


def speed_chart(clean_speed: CleanSpeed, rounds: list[Round], riff_tempo_bpm: float) -> SpeedChart:
    """The band over the days that were played; one day is drawn as a short piece."""
    days = [day for day, _ in clean_speed.by_day]
    first, last = days[0], days[-1]
    span = max(1, (last - first).days)
    shown = rounds[-MAX_DOTS:]
    tempos = [result.tempo_bpm for result in shown]
    low = min([*tempos, *(estimate.low for _, estimate in clean_speed.by_day[-len(days) :])])
    high = max(
        [*tempos, *(estimate.bpm for _, estimate in clean_speed.by_day), clean_speed.now.high]
    )
    low, high = max(low, 0.6 * min(tempos)), min(high, 1.5 * max(*tempos, clean_speed.now.bpm))
    goal = riff_tempo_bpm <= high * 1.25
    if goal:
        high = max(high, riff_tempo_bpm)
    low, high = low * (1 - AROUND), high * (1 + AROUND)

    def x(day: date) -> float:
        return round(LEFT + (day - first).days / span * (WIDE - LEFT - RIGHT), 1)

    def y(bpm: float) -> float:
        share = (min(max(bpm, low), high) - low) / (high - low)
        return round(HIGH - FOOT - share * (HIGH - FOOT - TOP), 1)

    spots = [(x(day), estimate) for day, estimate in clean_speed.by_day]
    if len(spots) == 1:
        spots = [(LEFT, clean_speed.by_day[0][1]), (LEFT + 30, clean_speed.by_day[0][1])]
    up = "L".join(f"{at} {y(spot.high)}" for at, spot in spots)
    down = "L".join(f"{at} {y(spot.low)}" for at, spot in reversed(spots))
    return SpeedChart(
        band=f"M{up}L{down}Z",
        line="M" + "L".join(f"{at} {y(spot.bpm)}" for at, spot in spots),
        dots=_dots(shown, x, y),
        lines=_lines(low, high, y),
        days=[SpeedLine(x(first), f"{first.day} {first:%b}")]
        + ([SpeedLine(x(last), f"{last.day} {last:%b}")] if last > first else []),
        goal_y=y(riff_tempo_bpm) if goal else None,
        goal=f"written tempo {riff_tempo_bpm:g}",
        label=f"Clean speed over {counted(len(days), 'day')}: {clean_speed.now.bpm:.0f} bpm now, "
        f"{clean_speed.now.low:.0f} to {clean_speed.now.high:.0f}",
    )


def _dots(shown: list[Round], x, y) -> list[SpeedDot]:  # type: ignore[no-untyped-def]
    """Rounds of one day at one tempo lie side by side, closer if there is little room."""
    many = Counter((result.day, result.tempo_bpm) for result in shown)
    seen: Counter[tuple[date, float]] = Counter()
    out = []
    for result in shown:
        key = (result.day, result.tempo_bpm)
        apart = min(DOT_APART, (WIDE - DOT_APART - x(result.day)) / max(1, many[key] - 1))
        seen[key] += 1
        out.append(
            SpeedDot(
                round(x(result.day) + apart * (seen[key] - 1), 1),
                y(result.tempo_bpm),
                "clean" if result.clean else "not",
            )
        )
    return out


def _lines(low: float, high: float, y) -> list[SpeedLine]:  # type: ignore[no-untyped-def]
    step = next((s for s in STEPS if (high - low) / s <= LINES_WANTED), STEPS[-1])
    at = int(low // step + 1) * step
    out = []
    while at < high:
        out.append(SpeedLine(y(at), str(at)))
        at += step
    return out

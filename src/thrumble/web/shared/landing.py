"""How the hand landed, in words: lateness after moves and letting go before them."""

from dataclasses import dataclass

from thrumble.core.coach.progress.moves import MIN_MOVES, Landing, LandingFit, Slope, fit_landings
from thrumble.core.coach.verdict.judgement import Judgement
from thrumble.core.counting import counted
from thrumble.web.drawings.charts import Scatter, landing_scatter

EARLY_MS = 40.0  # let go so much earlier than elsewhere: worth a word
MAX_ROWS = 12
UNTOLD_MS = 25.0  # an interval of the slope so wide says nothing


@dataclass(frozen=True, slots=True)
class LandingRow:
    """One move of the riff over all its rounds."""

    where: str
    mm: str
    time: str
    speed: str
    late: str
    let_go: str


@dataclass(frozen=True, slots=True, kw_only=True)
class LandingView:
    """The panel. `sentence` first, `more` beside the drawing."""

    sentence: str
    more: list[str]
    chart: Scatter
    rows: list[LandingRow]
    left_out: int


def landing_view(judgement: Judgement) -> LandingView | None:
    """The landings of a take; None for a riff whose hand never moves."""
    fit = fit_landings(judgement)
    if not fit.landings:
        return None
    rows = _rows(fit)
    return LandingView(
        sentence=landing_words(fit, "in this take"),
        more=[words for words in (_by_speed(fit.per_100_mm_s), _let_go(fit)) if words],
        chart=landing_scatter(fit, judgement.limits.tolerance_ms),
        rows=rows[:MAX_ROWS],
        left_out=max(0, len(rows) - MAX_ROWS),
    )


def landing_words(fit: LandingFit, of: str) -> str:
    """How lateness goes with distance, in a sentence; `of`: which moves."""
    slope = fit.per_100_mm
    if slope is None:
        count = len({landing.index for landing in fit.landings})
        played = counted(len(fit.landings), "time")
        if count < MIN_MOVES:
            return (
                f"Too early to say how you land: {counted(count, 'different move')} {of}, played "
                f"{played}. It takes {MIN_MOVES} of different sizes."
            )
        return (
            f"We can't tell how distance matters: your {counted(count, 'different move')}, played "
            f"{played}, are nearly all the same size. A riff with short and long moves will tell."
        )
    if slope.clear and slope.value > 0:
        return f"The farther your hand goes, the later it lands: {_per(slope)} for every 100 mm."
    if slope.clear:
        return f"You rush your long moves: {_per(slope)} for every 100 mm."
    span = f"{slope.low:+.0f} to {slope.high:+.0f} ms for every 100 mm"
    if slope.high - slope.low > UNTOLD_MS:
        return f"Too early to say whether distance makes you late ({span}): play a few more passes."
    return f"Distance doesn't make you late: {span}."


def _per(slope: Slope) -> str:
    way = "later" if slope.value > 0 else "earlier"
    low, high = sorted((abs(slope.low), abs(slope.high)))
    return f"{abs(slope.value):.0f} ms {way} ({low:.0f} to {high:.0f})"


def _by_speed(slope: Slope | None) -> str:
    if slope is None or not slope.clear:
        return ""
    return f"By speed: {_per(slope)} for every 100 mm a second more."


def _let_go(fit: LandingFit) -> str:
    """Whether hits before moves are let go early."""
    if fit.let_go_ms is None or fit.others_ms is None:
        return ""
    early = fit.let_go_ms - fit.others_ms
    if early < EARLY_MS:
        return "You don't cut chords short before shifts."
    return f"You let go {early:.0f} ms too soon before shifts. Hold the chord, then move."


def _rows(fit: LandingFit) -> list[LandingRow]:
    """The riff's moves, the latest landing first."""
    by_index: dict[int, list[float]] = {}
    early: dict[int, list[float]] = {}
    first: dict[int, Landing] = {}
    for landing in fit.landings:
        by_index.setdefault(landing.index, []).append(landing.late_ms)
        first.setdefault(landing.index, landing)
        if landing.early_ms is not None:
            early.setdefault(landing.index, []).append(landing.early_ms)
    order = sorted(by_index, key=lambda index: -sum(by_index[index]) / len(by_index[index]))
    return [
        LandingRow(
            where=f"bar {first[index].bar}",
            mm=f"{first[index].mm:.0f}",
            time=f"{first[index].time_ms:.0f}",
            speed=f"{first[index].speed_mm_s:.0f}",
            late=f"{sum(by_index[index]) / len(by_index[index]):+.0f}",
            let_go=f"{sum(early[index]) / len(early[index]):.0f}" if index in early else "",
        )
        for index in order
    ]

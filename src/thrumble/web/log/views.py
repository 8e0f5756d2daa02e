"""A riff's log in words and drawings: what holds it back, how it moved, where and how."""

from dataclasses import dataclass
from datetime import date
from urllib.parse import urlencode

from thrumble.core.coach.progress.clean_speed import CleanSpeed, Round
from thrumble.core.coach.progress.habits import Habit, PlayedPlace, habits_of
from thrumble.core.coach.progress.moves import fit_places
from thrumble.core.coach.progress.stamina import Run, by_tempo, work_and_rest
from thrumble.core.coach.verdict.finding import early_or_late
from thrumble.core.counting import counted, days_ago
from thrumble.core.instrument import Instrument
from thrumble.core.riff.expand import ExpandedRiff
from thrumble.store.practice.logbook import LoggedRiff
from thrumble.web.drawings.charts import Clock, Scatter, habit_clock, landing_scatter
from thrumble.web.drawings.slots import OFTEN, SlotBar, full_height_ms, slot_bars
from thrumble.web.drawings.speed import SpeedChart, speed_chart
from thrumble.web.shared.landing import landing_words

MAX_TEMPI = 6
MAX_TABS = 6
WHAT = {"timing": "timing alone", "muting": "muting alone", "stops": "stops alone"}
MIN_PASSES = 5  # before a clean speed is more than a guess
LIMITS = {
    "timing": "Your timing sets the limit.",
    "muting": "Your muting sets the limit.",
    "stops": "Your stops set the limit.",
}
MIN_SLOWER_BPM = 2.0  # that a section is behind the fastest one, to be named


@dataclass(frozen=True, slots=True)
class RiffTab:
    """A riff to choose."""

    title: str
    href: str
    when: str
    here: bool


@dataclass(frozen=True, slots=True)
class RiffTabs:
    """Riffs at hand, those played longer ago, and how many those are."""

    at_hand: list[RiffTab]
    others: list[RiffTab]
    others_say: str


@dataclass(frozen=True, slots=True)
class SpeedRow:
    """A clean speed of a part: a section, or timing, muting, stops alone."""

    name: str
    speed: str
    interval: str
    weakest: bool
    href: str = ""


@dataclass(frozen=True, slots=True)
class StaminaRow:
    """A tempo, and how long it holds."""

    tempo: str
    run: str
    slips: str
    href: str


@dataclass(frozen=True, slots=True)
class StaminaView:
    """How long each tempo holds, and what to do next: work and rest."""

    rows: list[StaminaRow]
    work: str
    why: str


@dataclass(frozen=True, slots=True, kw_only=True)
class RiffLog:
    """One riff's log."""

    riff_id: int
    title: str
    figure: str
    under: str
    sentence: str
    chart: SpeedChart | None
    parts: list[SpeedRow]
    tones: list[SpeedRow]
    slots: list[SlotBar]
    slots_of: str
    full_height: str
    clock: Clock | None
    moves: Scatter | None
    moves_say: str
    stamina: StaminaView | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Played:
    """What the store knows of a riff. `parts`: clean speed by section; `whats`: of timing, muting,
    stops alone; `tones`: by tone, number and name.
    """

    riff: LoggedRiff
    expanded: ExpandedRiff
    instrument: Instrument
    rounds: list[Round]
    told: CleanSpeed | None
    parts: dict[str, CleanSpeed]
    whats: dict[str, CleanSpeed]
    tones: dict[tuple[int, str], CleanSpeed]
    places: list[PlayedPlace]
    tolerance_ms: float
    runs: list[Run]
    strokes_left: float | None
    next_bpm: float
    today: date


def riff_log(played: Played) -> RiffLog:
    """A riff's log."""
    riff, speed = played.riff, played.told
    habits = habits_of(played.places)
    figure, under = "–", "no pass played to its end yet"
    early = speed is not None and speed.rounds < MIN_PASSES
    if early:
        under = "too early for a clean speed"
    elif speed is not None:
        figure = f"{speed.now.bpm:.0f}"
        under = f"clean speed, {speed.now.low:.0f} to {speed.now.high:.0f} bpm"
    fit = fit_places(
        played.expanded, played.instrument, played.places, tolerance_ms=played.tolerance_ms
    )
    of_takes = f"last {counted(len({place.take_id for place in played.places}), 'take')}"
    return RiffLog(
        riff_id=riff.riff_id,
        title=riff.title,
        figure=figure,
        under=under,
        sentence=_sentence(played, habits),
        chart=None if speed is None or early else speed_chart(speed, played.rounds, riff.tempo_bpm),
        parts=_rows(riff.riff_id, played.parts, played.whats),
        tones=_tone_rows(riff.riff_id, played.tones),
        slots=slot_bars(played.expanded, habits, _behind(riff.riff_id)),
        slots_of=of_takes,
        full_height=f"full height {full_height_ms(habits):.0f} ms",
        clock=habit_clock(played.expanded, played.places) if played.places else None,
        moves=landing_scatter(fit, played.tolerance_ms) if fit.landings else None,
        moves_say=landing_words(fit, f"over your {of_takes}") if fit.landings else "",
        stamina=_stamina(played),
    )


def _behind(riff_id: int, **more: str) -> str:
    """The address of the takes behind a figure of a riff."""
    return "/log/takes?" + urlencode({"riff": riff_id, **more})


def _stamina(played: Played) -> StaminaView | None:
    """None before anything was played."""
    if not played.runs:
        return None
    rows = [
        StaminaRow(
            f"{tempo_runs.tempo_bpm:g}",
            f"{counted(tempo_runs.best.strokes, 'stroke')}, {tempo_runs.best.seconds:.0f} s",
            "" if tempo_runs.tired_s is None else f"after {tempo_runs.tired_s:.0f} s",
            _behind(played.riff.riff_id, tempo=f"{tempo_runs.tempo_bpm:g}"),
        )
        for tempo_runs in by_tempo(played.runs)[:MAX_TEMPI]
    ]
    work = work_and_rest(
        played.runs, played.next_bpm, played.today, strokes_left=played.strokes_left
    )
    words = "Rest today."
    if work.times:
        words = (
            f"{counted(work.times, 'time')} {work.work_s:.0f} s at {work.tempo_bpm:g} bpm, with "
            f"{work.rest_s:.0f} s of rest."
        )
    return StaminaView(rows, words, work.why[0].upper() + work.why[1:] + ".")


def _tone_rows(riff_id: int, tones: dict[tuple[int, str], CleanSpeed]) -> list[SpeedRow]:
    """The rows of each tone, if there is more than one to compare."""
    if len(tones) < 2:
        return []
    return [
        _row(name, tone, weakest=False, href=_behind(riff_id, tone=str(number)))
        for (number, name), tone in tones.items()
    ]


def _sentence(played: Played, habits: list[Habit]) -> str:
    """How far the clean speed is from the riff's tempo, and what limits it."""
    if played.told is None:
        return "Play it through once to see your clean speed."
    if played.told.rounds < MIN_PASSES:
        more = MIN_PASSES - played.told.rounds
        fastest = max(result.tempo_bpm for result in played.rounds)
        return (
            f"{counted(played.told.rounds, 'pass', 'passes')} so far, {played.told.clean} clean, "
            f"up to {fastest:g} bpm. Play {counted(more, 'more', 'more')} to see your clean speed."
        )
    clean_bpm, written_bpm = played.told.now.bpm, played.riff.tempo_bpm
    if clean_bpm >= written_bpm:
        start = f"You have it: clean at {clean_bpm:.0f} bpm, written at {written_bpm:g}."
    else:
        start = f"You're {written_bpm - clean_bpm:.0f} bpm short."
    limit = _limit_words(played, habits)
    return f"{start} {limit}" if limit else start


def _limit_words(played: Played, habits: list[Habit]) -> str:
    """What limits the clean speed: a place, a section or one aspect of the playing."""
    parts, whats = played.parts, played.whats
    settled = [habit for habit in habits if habit.is_settled]
    off = [habit for habit in settled if abs(habit.late_ms or 0.0) > played.tolerance_ms]
    wrong = [habit for habit in settled if (habit.wrong or 0.0) >= OFTEN]
    if off:
        worst = max(off, key=lambda habit: abs(habit.late_ms or 0.0))
        more = f", and so in {counted(len(off) - 1, 'more place')}" if len(off) > 1 else ""
        where = f"bar {worst.bar} of {worst.section}"
        return f"In {where} you're usually {early_or_late(worst.late_ms or 0.0)}{more}."
    if wrong:
        worst = max(wrong, key=lambda habit: habit.wrong or 0.0)
        return (
            f"In bar {worst.bar} of {worst.section} a hit sounds wrong {worst.wrong or 0.0:.0%} of "
            "the time."
        )
    if slowest := _slowest(parts):
        return f"Section {slowest} is the slowest, at {parts[slowest].now.bpm:.0f} bpm."
    if len(whats) > 1:
        return LIMITS[min(whats, key=lambda name: whats[name].now.bpm)]
    return ""


def _slowest(parts: dict[str, CleanSpeed]) -> str:
    """The section that is clearly behind the fastest one; empty if none is."""
    slowest = min(parts, key=lambda name: parts[name].now.bpm, default="")
    fastest_bpm = max((part.now.bpm for part in parts.values()), default=0.0)
    if slowest and fastest_bpm - parts[slowest].now.bpm > MIN_SLOWER_BPM:
        return slowest
    return ""


def _rows(
    riff_id: int, parts: dict[str, CleanSpeed], whats: dict[str, CleanSpeed]
) -> list[SpeedRow]:
    parts = {name: speed for name, speed in parts.items() if speed.rounds >= MIN_PASSES}
    whats = {name: speed for name, speed in whats.items() if speed.rounds >= MIN_PASSES}
    weakest = _slowest(parts)
    rows = [
        _row(
            f"section {name}",
            speed,
            weakest=name == weakest,
            href=_behind(riff_id, section=name),
        )
        for name, speed in parts.items()
    ]
    return rows + [_row(WHAT[name], what, weakest=False) for name, what in whats.items()]


def _row(name: str, clean_speed: CleanSpeed, *, weakest: bool, href: str = "") -> SpeedRow:
    now = clean_speed.now
    return SpeedRow(name, f"{now.bpm:.0f}", f"{now.low:.0f} to {now.high:.0f}", weakest, href)


def riff_tabs(riffs: list[LoggedRiff], here: int | None, today: date) -> RiffTabs:
    """The riffs played last and the one that is looked at at hand, all others behind them."""
    tabs = [
        RiffTab(
            riff.title,
            f"/log?riff={riff.riff_id}",
            days_ago((today - riff.last).days),
            riff.riff_id == here,
        )
        for riff in riffs
    ]
    at_hand = [tab for number, tab in enumerate(tabs) if number < MAX_TABS or tab.here]
    others = [tab for number, tab in enumerate(tabs) if number >= MAX_TABS and not tab.here]
    return RiffTabs(at_hand, others, counted(len(others), "more riff"))

"""From a reading to words: what costs most, first, as plain sentences with their figures. Never a score.

A cause's cost is the share of hits it spoils; causes that spoil fewer than two hits, or less than a fiftieth, are left unsaid.
"""

from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from thrumble.core.ear.network import Array
from thrumble.core.ear.reading import HitReading, HitState, Reading, Verdict
from thrumble.core.neck.geometry import shifts_mm
from thrumble.core.riff.expand import ExpandedRiff
from thrumble.core.riff.model import Articulation

TOLERANCE_MS = {"tight": 12.0, "firm": 20.0, "loose": 35.0}
QUARTER_OF_SLOT = 0.25
LONG_SHIFT_MM = 100.0
LATE_STOP_MS = 60.0
DRIFT_BPM_PER_MIN = 4.0
UNEVEN_DB = 3.0
LEAST_STRAYS = 2
MOST = 4


class CauseKind(StrEnum):
    """What a finding is about; the strip labels the hits of all but the last three."""

    MISSED = "missed"
    EXTRA = "extra"
    SHIFTS = "shifts"
    SWING = "swing"
    SPREAD = "spread"
    RANG = "rang"
    CHOKED = "choked"
    STOPS = "stops"
    FRETS = "frets"
    STRAYS = "strays"
    BIAS = "bias"
    DRIFT = "drift"
    LEVEL = "level"
    CLEAN = "clean"
    NOTHING = "nothing"


@dataclass(frozen=True, slots=True, kw_only=True)
class Cause:
    """One finding: its sentence, what it costs (share of hits), and the hits it names as (round, index)."""

    kind: CauseKind
    text: str
    cost: float
    hits: tuple[tuple[int, int], ...] = ()


@dataclass(frozen=True, slots=True)
class _Case:
    """A reading laid out for the judges."""

    reading: Reading
    expanded: ExpandedRiff
    played: list[HitReading]
    around_ms: float  # what early and late count from
    tolerance_ms: float

    def late_ms(self, hit: HitReading) -> float:
        assert hit.deviation_ms is not None
        return hit.deviation_ms - self.around_ms

    def limit_ms(self, hit: HitReading) -> float:
        return min(self.tolerance_ms, QUARTER_OF_SLOT * self.expanded.hits[hit.index].slot_s * 1000)

    def share(self, hits: list[HitReading]) -> float:
        return len(hits) / max(1, len(self.played))


def judge(reading: Reading, expanded: ExpandedRiff, *, tolerance: str = "firm") -> list[Cause]:
    """The findings of a reading, dearest first, four at most; one saying that all is clean, or that nothing was heard, where none is left."""
    played = [hit for hit in reading.hits if hit.state is HitState.PLAYED]
    if not played:
        return [
            Cause(
                kind=CauseKind.NOTHING, text="Nothing was heard in this take. Check cable, input and level, then play it again.", cost=1.0
            )
        ]
    deviations = [hit.deviation_ms for hit in played if hit.deviation_ms is not None]
    around = 0.0 if reading.bias_judged else float(np.median(deviations))
    case = _Case(reading, expanded, played, around, TOLERANCE_MS[tolerance])
    judges: tuple[Callable[[_Case], Cause | None], ...] = (
        _missed,
        _extra,
        _shifts,
        _swing,
        _spread,
        _rang,
        _choked,
        _stops,
        _frets,
        _strays,
        _bias,
        _drift,
        _level,
    )
    found = [cause for one in judges if (cause := one(case)) is not None]
    if any(cause.kind is CauseKind.SWING for cause in found):  # the spread is then the swing's doing
        found = [cause for cause in found if cause.kind is not CauseKind.SPREAD]
    found.sort(key=lambda cause: -cause.cost)
    return found[:MOST] or [_clean(case)]


def clean_hits(reading: Reading, expanded: ExpandedRiff, *, tolerance: str = "firm") -> tuple[int, int]:
    """How many hits were clean, and of how many: inside tolerance, heard as written (unsure counts neither way), stop kept."""
    played = [hit for hit in reading.hits if hit.state is HitState.PLAYED]
    missed = sum(hit.state is HitState.MISSED for hit in reading.hits)
    deviations = [hit.deviation_ms for hit in played if hit.deviation_ms is not None]
    around = 0.0 if reading.bias_judged or not deviations else float(np.median(deviations))
    case = _Case(reading, expanded, played, around, TOLERANCE_MS[tolerance])
    sure = [hit for hit in played if hit.heard_articulation is not Verdict.UNSURE]
    clean = [hit for hit in sure if _in_time(case, hit) and _as_written(hit) and not _rings_on(hit)]
    return len(clean), len(sure) + missed


def _in_time(case: _Case, hit: HitReading) -> bool:
    return abs(case.late_ms(hit)) <= case.limit_ms(hit)


def _as_written(hit: HitReading) -> bool:
    return hit.heard_articulation is not None and hit.heard_articulation.value == hit.expected_articulation.value


def _rings_on(hit: HitReading) -> bool:
    return hit.stop_late_ms is not None and hit.stop_late_ms >= LATE_STOP_MS


def _names(hits: list[HitReading]) -> tuple[tuple[int, int], ...]:
    return tuple((hit.round, hit.index) for hit in hits)


def _worth_saying(case: _Case, hits: list[HitReading]) -> bool:
    return len(hits) >= 2 and case.share(hits) >= 0.02


def _where(hits: list[HitReading]) -> str:
    """The bars that hold most of these hits."""
    bars: dict[int, int] = {}
    for hit in hits:
        bars[hit.bar] = bars.get(hit.bar, 0) + 1
    worst = sorted(bars, key=lambda bar: (-bars[bar], bar))[:3]
    if len(bars) > 4:
        return f"most often in bar {worst[0]}" if bars[worst[0]] > 1 else "all over the riff"
    return ("bar " if len(bars) == 1 else "bars ") + ", ".join(str(bar) for bar in sorted(bars))


def _many(count: int, one: str, more: str) -> str:
    return f"{count} {one if count == 1 else more}"


def _missed(case: _Case) -> Cause | None:
    missed = [hit for hit in case.reading.hits if hit.state is HitState.MISSED]
    if not missed:
        return None
    text = f"{_many(len(missed), 'hit is', 'hits are')} missing: {_where(missed)}."
    return Cause(kind=CauseKind.MISSED, text=text, cost=2 * case.share(missed), hits=_names(missed))


def _extra(case: _Case) -> Cause | None:
    extras = case.reading.extra_onsets
    if len(extras) < 2:
        return None
    text = f"{len(extras)} hits are played that the riff does not have; the first is {extras[0].onset_s - (case.reading.start_s or 0):.1f} s into the riff."
    return Cause(kind=CauseKind.EXTRA, text=text, cost=len(extras) / len(case.played))


def _after_shifts(case: _Case) -> tuple[list[HitReading], list[HitReading]]:
    """Hits that follow a wide shift, and all others."""
    shifts = shifts_mm(case.expanded.hits, capo=case.expanded.riff.capo)
    wide = [hit for hit in case.played if shifts[hit.index] >= LONG_SHIFT_MM]
    named = {id(hit) for hit in wide}
    return wide, [hit for hit in case.played if id(hit) not in named]


def _shifts(case: _Case) -> Cause | None:
    wide, others = _after_shifts(case)
    if len(wide) < 3 or len(others) < 6:
        return None
    late, rest = np.array([case.late_ms(h) for h in wide]), np.array([case.late_ms(h) for h in others])
    step = float(np.median(late) - np.median(rest))
    error = float(1.25 * np.hypot(_spread_of(late) / np.sqrt(late.size), _spread_of(rest) / np.sqrt(rest.size)))
    if step < 10 or step < 2.5 * error:
        return None
    spoilt = [hit for hit in wide if case.late_ms(hit) > case.limit_ms(hit)]
    usual = _early_late(float(np.median(rest)))
    text = f"The long moves arrive late: {np.median(late):.0f} ms after shifts of {LONG_SHIFT_MM:.0f} mm or more, all else {usual}."
    return Cause(kind=CauseKind.SHIFTS, text=text, cost=1.2 * max(case.share(spoilt), 0.02), hits=_names(spoilt))


def _spread_of(values: Array) -> float:
    return float(1.4826 * np.median(np.abs(values - np.median(values))))


def _early_late(ms: float) -> str:
    return "on time" if abs(ms) < 1.5 else f"{abs(ms):.0f} ms {'late' if ms > 0 else 'early'}"


def _swing(case: _Case) -> Cause | None:
    """The ratio heard against the one written: named where its interval leaves no doubt. Every hit off its place is laid to it."""
    asked = case.expanded.riff.feel.ratio
    heard, interval = case.reading.summary.swing_ratio, case.reading.summary.swing_interval
    if asked is None or heard is None or interval is None or interval[0] - 0.05 <= asked <= interval[1] + 0.05:
        return None
    spoilt = [hit for hit in case.played if not _in_time(case, hit)]
    way = "straighter" if heard < asked else "harder"
    text = f"The shuffle is {way} than written: long to short is {heard:.2f} ({interval[0]:.2f} to {interval[1]:.2f}) instead of {float(asked):g}."
    return Cause(kind=CauseKind.SWING, text=text, cost=max(0.03, case.share(spoilt)), hits=_names(spoilt))


def _spread(case: _Case) -> Cause | None:
    _, others = _after_shifts(case)
    off = [hit for hit in others if not _in_time(case, hit)]
    if not _worth_saying(case, off):
        return None
    early = sum(case.late_ms(hit) < 0 for hit in off)
    lean = "early" if early > 0.7 * len(off) else "late" if early < 0.3 * len(off) else "early or late"
    spread = case.reading.summary.spread_ms
    wide = f"; the spread is {spread:.0f} ms" if spread is not None else ""
    text = f"{len(off)} of {len(case.played)} hits are more than {case.tolerance_ms:.0f} ms {lean}{wide}: {_where(off)}."
    return Cause(kind=CauseKind.SPREAD, text=text, cost=case.share(off), hits=_names(off))


def _rang(case: _Case) -> Cause | None:
    written = [hit for hit in case.played if hit.expected_articulation is not Articulation.OPEN]
    rang = [hit for hit in written if hit.heard_articulation is Verdict.OPEN]
    if not _worth_saying(case, rang):
        return None
    before = {(hit.round, hit.index): hit for hit in case.played}
    after_open = [h for h in rang if (b := before.get((h.round, h.index - 1))) and b.heard_articulation is Verdict.OPEN]
    why = (
        " right after an open hit: the palm comes back late"
        if len(after_open) > 0.7 * len(rang) and len(after_open) >= 3
        else f": {_where(rang)}"
    )
    text = f"{len(rang)} of {len(written)} mutes rang{why}."
    return Cause(kind=CauseKind.RANG, text=text, cost=case.share(rang), hits=_names(rang))


def _choked(case: _Case) -> Cause | None:
    written = [hit for hit in case.played if hit.expected_articulation is Articulation.OPEN]
    choked = [hit for hit in written if hit.heard_articulation in (Verdict.PALM, Verdict.DEAD)]
    if not _worth_saying(case, choked):
        return None
    text = f"{len(choked)} of {len(written)} open hits were choked: {_where(choked)}. Lift the palm before them."
    return Cause(kind=CauseKind.CHOKED, text=text, cost=case.share(choked), hits=_names(choked))


def _stops(case: _Case) -> Cause | None:
    judged = [hit for hit in case.played if hit.stop_late_ms is not None]
    late = [hit for hit in judged if _rings_on(hit)]
    if len(late) < 2:
        return None
    middle = float(np.median([hit.stop_late_ms for hit in late if hit.stop_late_ms is not None]))
    text = f"{len(late)} of {len(judged)} stops ring on, by {middle:.0f} ms: {_where(late)}."
    return Cause(kind=CauseKind.STOPS, text=text, cost=1.2 * case.share(late), hits=_names(late))


def _frets(case: _Case) -> Cause | None:
    off = [hit for hit in case.played if hit.chord_ok is False]
    if not off:
        return None
    text = f"{len(off)} {'chord was' if len(off) == 1 else 'chords were'} not fretted as written: {_where(off)}."
    return Cause(kind=CauseKind.FRETS, text=text, cost=1.5 * case.share(off), hits=_names(off))


def _strays(case: _Case) -> Cause | None:
    ringing = [hit for hit in case.played if hit.stray_strings]
    if len(ringing) < LEAST_STRAYS:
        return None
    strings = Counter(string for hit in ringing for string in hit.stray_strings or ())
    worst = strings.most_common(1)[0][0]
    text = f"An open string rings along in {len(ringing)} chords, most often string {worst}: {_where(ringing)}. Lay a finger over it."
    return Cause(kind=CauseKind.STRAYS, text=text, cost=0.8 * case.share(ringing), hits=_names(ringing))


def _bias(case: _Case) -> Cause | None:
    bias = case.reading.summary.bias_ms
    if not case.reading.bias_judged or bias is None or abs(bias) < max(8, case.reading.delay_spread_ms or 0):
        return None
    text = f"The whole take sits {abs(bias):.0f} ms {'behind' if bias > 0 else 'ahead of'} the click."
    return Cause(kind=CauseKind.BIAS, text=text, cost=min(1.0, abs(bias) / 80))


def _drift(case: _Case) -> Cause | None:
    drift = case.reading.summary.drift_bpm_per_min
    if drift is None or abs(drift) < DRIFT_BPM_PER_MIN:
        return None
    text = f"The take {'rushes' if drift > 0 else 'drags'}: its tempo {'rises' if drift > 0 else 'falls'} by {abs(drift):.1f} bpm a minute."
    return Cause(kind=CauseKind.DRIFT, text=text, cost=min(0.2, abs(drift) / 60))


def _level(case: _Case) -> Cause | None:
    """Evenness over hits of one kind, accents left out, so that written contrast does not count."""
    groups: dict[tuple[str, int], list[HitReading]] = {}
    for hit in case.played:
        due = case.expanded.hits[hit.index].hit
        if hit.relative_level_db is not None and not due.accent and _as_written(hit):
            groups.setdefault((hit.expected_articulation.value, min(2, len(due.notes))), []).append(hit)
    hits = max(groups.values(), key=len, default=[])
    if len(hits) < 12:
        return None
    spread = _spread_of(np.array([hit.relative_level_db for hit in hits], dtype=float))
    if spread < UNEVEN_DB:
        return None
    text = f"The level is uneven: {hits[0].expected_articulation.value} hits differ by {spread:.1f} dB."
    return Cause(kind=CauseKind.LEVEL, text=text, cost=min(0.15, spread / 60))


def _clean(case: _Case) -> Cause:
    clean, judged = clean_hits(case.reading, case.expanded)
    inside = sum(_in_time(case, hit) for hit in case.played)
    text = f"Clean: {inside} of {len(case.played)} hits lie inside {case.tolerance_ms:.0f} ms, and {clean} of {judged} sound as written."
    return Cause(kind=CauseKind.CLEAN, text=text, cost=0.0)

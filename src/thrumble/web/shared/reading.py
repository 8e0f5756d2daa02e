"""One take's reading as words, drawings and a table."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from thrumble.actions.accompaniment import load_accompaniment
from thrumble.actions.judging import JudgedTake
from thrumble.core.coach.progress.inner_pulse import inner_pulse, pulse_words
from thrumble.core.coach.progress.ratings import MIN_TAKES, TakeFigures, rate
from thrumble.core.coach.progress.stamina import longest_run
from thrumble.core.coach.verdict.finding import Finding
from thrumble.core.coach.verdict.judgement import HitKey, JudgedHit, Judgement
from thrumble.core.coach.verdict.whole_take import Clean
from thrumble.core.counting import counted
from thrumble.core.ear.reading import Change, ChangeKind, HeardKind, HitReading, HitState, Reading
from thrumble.core.pulse.cues import bar_levels
from thrumble.store.riffs.riffs import Revision
from thrumble.store.takes.corrections import Correction
from thrumble.store.takes.takes import Take
from thrumble.web.drawings.bars import BarDrawing
from thrumble.web.drawings.charts import Clock, Pile, bar_clock, deviation_pile
from thrumble.web.drawings.mirror import reading_strip
from thrumble.web.shared.landing import LandingView, landing_view

SOURCE_WORDS = {
    "recorded": "recorded here",
    "uploaded": "uploaded",
    "simulated": "played by the simulated guitarist",
}


GRAVE = frozenset({"nothing_heard", "no_hits", "dropouts", "clipping", "start_uncertain"})


@dataclass(frozen=True, slots=True)
class HitLine:
    """One hit in the table, ready to print."""

    mark: str
    round: int
    bar: int
    at: str
    planned: str
    heard: str
    deviation: str
    level: str
    ring: str
    ends: str
    chances: str
    onset_s: float
    odd: bool
    played: bool
    said: str
    joined: bool
    more: str


@dataclass(frozen=True, slots=True)
class CautionView:
    """A caution and whether it is a grave one."""

    text: str
    grave: bool


@dataclass(frozen=True, slots=True)
class FigureLine:
    """A figure of the take. `rating`: good, watch or problem, empty if it has none; `words`: how it
    compares with the player's own takes, or why it isn't known.
    """

    name: str
    value: str
    rating: str
    words: str


@dataclass(frozen=True, slots=True)
class ReadingView:
    """One reading, whole."""

    take_id: int
    riff_id: int
    title: str
    meta: str
    figure: str
    figure_under: str
    first: str
    more: list[str]
    pulse: list[str]
    clean: bool
    strip: list[BarDrawing]
    pile: Pile
    clock: Clock
    figures: list[FigureLine]
    compared: str
    hits: list[HitLine]
    cautions: list[CautionView]
    tempo: str
    heard: bool
    can_join: bool
    corrected: str
    landing: LandingView | None
    audio_gone: str
    restorable: bool
    judgement: Judgement
    findings: list[Finding]


def reading_view(
    judged: JudgedTake, tone: str = "", before: Sequence[TakeFigures] = ()
) -> ReadingView:
    """Numbers become words and places here; the player's corrections count, and stand beside what
    was detected. `tone`: its name; `before`: the player's last takes of the riff.
    """
    take, revision, reading = judged.take, judged.revision, judged.reading
    judgement, findings, sentences = judged.judgement, judged.findings, judged.sentences
    pulse = _pulse(take, judgement)
    return ReadingView(
        take_id=take.id,
        riff_id=take.riff_id,
        title=revision.riff.title,
        meta=_meta(take, revision, reading, tone),
        figure=f"{judgement.clean}",
        figure_under=(
            f"of {counted(judgement.counted, 'hit')} clean, "
            f"within {judgement.limits.tolerance_ms:.0f} ms"
        ),
        first=sentences[0],
        more=sentences[1:] + pulse,
        pulse=pulse,
        clean=isinstance(findings[0], Clean),
        strip=reading_strip(judgement, _marks(findings, judgement)),
        pile=deviation_pile(judgement),
        clock=bar_clock(judgement),
        figures=_rated_figures(judgement, before),
        compared=_compared_with(len(before)),
        hits=_hit_lines(judged),
        cautions=[CautionView(c.text, c.code in GRAVE) for c in reading.cautions],
        tempo=f"{float(take.tempo_bpm or revision.riff.tempo_bpm):g}",
        heard=bool(judgement.played),
        can_join=take.tone_id is not None,
        corrected=corrected_words(len(judged.corrections)),
        landing=landing_view(judgement) if judgement.played else None,
        audio_gone=_audio_gone(take),
        restorable=take.restorable_until is not None,
        judgement=judgement,
        findings=findings,
    )


def corrected_line(judged: JudgedTake, key: HitKey) -> HitLine | None:
    """The table's row of one hit alone, after the player corrected it; None if there is no such
    hit.
    """
    return next(
        (line for line in _hit_lines(judged) if line.mark == f"{key.round}-{key.index}"), None
    )


def _hit_lines(judged: JudgedTake) -> list[HitLine]:
    """The table: each hit as detected, its correction, and whether it is off as judged."""
    corrections = judged.corrections
    return [
        _hit_line(hit, detected, corrections.get(hit.key))
        for hit, detected in zip(judged.judgement.hits, judged.reading.hits, strict=True)
    ]


def corrected_words(count: int) -> str:
    """How many hits the player has judged themselves."""
    if not count:
        return ""
    return f"{counted(count, 'hit')} corrected by you. What we heard is kept, too."


def _pulse(take: Take, judgement: Judgement) -> list[str]:
    """How well the tempo was kept in bars without a click, in words."""
    accompaniment = load_accompaniment(take.along)
    pulse = inner_pulse(judgement, bar_levels(accompaniment.pulse()), accompaniment.bars_before)
    return [pulse_words(pulse)] if pulse else []


def _audio_gone(take: Take) -> str:
    """What is said if the storage rule deleted the take's audio."""
    if take.let_go_at is None:
        return ""
    words = f"Your storage rule deleted this take's audio on {take.let_go_at:%-d %B %Y}."
    if take.restorable_until is None:
        return f"{words} The analysis is kept."
    return f"{words} You can restore it until {take.restorable_until:%-d %B}."


def _meta(take: Take, revision: Revision, reading: Reading, tone: str) -> str:
    parts = [
        f"take {take.number}",
        SOURCE_WORDS[take.source],
        f"{reading.tempo_bpm:g} bpm",
        str(revision.riff.feel),
    ]
    if take.time_unknown:
        parts.append("time unknown: that computer's clock was wrong")
    if reading.rounds > 1:
        parts.append(counted(reading.rounds, "pass", "passes"))
    if tone:
        examples = (
            f" ({counted(reading.profile_hits, 'example')} of your own)"
            if reading.profile_hits
            else ""
        )
        parts.append(tone + examples)
    parts.append("latency measured" if reading.delay_ms is not None else "latency not measured")
    return " · ".join(parts)


def _marks(findings: list[Finding], judgement: Judgement) -> dict[HitKey, str]:
    """What is written beside every hit that a finding names; the most costly finding's mark."""
    hits = judgement.by_key()
    marks: dict[HitKey, str] = {}
    for finding in findings:
        for key in finding.hits:
            if hits[key].played:
                marks.setdefault(key, finding.mark(hits[key]))
    return marks


def _compared_with(takes: int) -> str:
    """What better or worse than usual means, or how many takes it needs."""
    if takes >= MIN_TAKES:
        return f"Better or worse than usual: against your last {takes} takes of this riff."
    return f"After {MIN_TAKES} takes of this riff we compare each with your usual ones."


def _rated_figures(judgement: Judgement, before: Sequence[TakeFigures]) -> list[FigureLine]:
    """The figures with what they mean for this player."""
    rated = rate(judgement, before)
    lines = []
    for name, value in _figures(judgement):
        rating = rated.get(name)
        words = rating.against if rating else ""
        if name == "lead or lag" and not judgement.reading.bias_judged:
            words = "measure your latency to know it"
        rated_as = "" if rating is None else rating.rating.value
        lines.append(FigureLine(name, value, rated_as, words))
    return lines


def _figures(judgement: Judgement) -> list[tuple[str, str]]:
    """The summary; what was not measured says so."""
    reading, expanded = judgement.reading, judgement.expanded
    s = reading.summary
    ratio = expanded.riff.feel.ratio
    rows = [
        ("hits heard", f"{s.matched} of {s.matched + s.missed}"),
        ("extra hits", str(s.extra)),
        ("lead or lag", _number(s.bias_ms, "+.0f", "ms") if reading.bias_judged else "not known"),
        ("spread", _number(s.spread_ms, ".1f", "ms")),
        ("sound as written", _as_written(judgement)),
        ("unsure", str(sum(hit.as_written is None for hit in judgement.played))),
        ("longest clean run", counted(len(longest_run(judgement)), "stroke")),
        ("tempo drift", _number(s.drift_bpm_per_min, "+.1f", "bpm/min")),
        ("level spread", _number(s.level_spread_db, ".1f", "dB")),
        ("accents stand out", _number(s.accent_db, "+.1f", "dB")),
    ]
    if s.up_stroke_db is not None:
        rows.append(("up-strokes", _number(s.up_stroke_db, "+.1f", "dB")))
    rests = [hit.rest_db for hit in reading.hits if hit.rest_db is not None]
    if rests:
        rows.append(("silence in rests", _number(float(np.median(rests)), "+.0f", "dB")))
    rows += [_change(change) for change in s.changes]
    if s.swing_ratio is not None and s.swing_interval is not None:
        wanted = f", asked {float(ratio):g}" if ratio is not None else ""
        rows.append(
            (
                "swing",
                f"{s.swing_ratio:.2f} ({s.swing_interval[0]:.2f} to "
                f"{s.swing_interval[1]:.2f}){wanted}",
            )
        )
    if len(s.swing_bars) > 1:
        low, high = (
            min(s.swing_bars, key=lambda b: b.ratio),
            max(s.swing_bars, key=lambda b: b.ratio),
        )
        apart = low.interval[1] < high.interval[0]
        rows.append(
            (
                "swing by bar",
                f"{low.ratio:.2f} in bar {low.bar} to {high.ratio:.2f} in bar {high.bar}"
                if apart
                else "steady",
            )
        )
    return rows


def _as_written(judgement: Judgement) -> str:
    """How many of the hits whose articulation is sure sound as written."""
    sure = [hit.as_written for hit in judgement.played if hit.as_written is not None]
    return f"{sum(sure)} of {len(sure)}" if sure else "not measured"


def _change(change: Change) -> tuple[str, str]:
    """A quantity that changed along the take, and from which bar on, in words."""
    name = {ChangeKind.TEMPO: "tempo", ChangeKind.SPREAD: "spread", ChangeKind.LEVEL: "level"}[
        change.kind
    ]
    unit = {ChangeKind.TEMPO: "bpm", ChangeKind.SPREAD: "ms", ChangeKind.LEVEL: "dB"}[change.kind]
    where = f"bar {change.bar}" + (f", pass {change.round}" if change.round > 1 else "")
    return f"{name} from {where} on", f"{change.amount:+.1f} {unit}"


def _number(value: float | None, form: str, unit: str) -> str:
    if value is None:
        return "not measured"
    text = f"{value:{form}}"
    return f"{text.replace('-', '+') if float(text) == 0 else text} {unit}"


def _hit_line(judged: JudgedHit, hit: HitReading, correction: Correction | None) -> HitLine:
    late = judged.late_ms
    heard_words = {HitState.MISSED: "missed", HitState.NOT_REACHED: "not reached"}.get(
        hit.state
    ) or (hit.heard_articulation.value if hit.heard_articulation else "")
    chances = hit.probabilities or {}
    ring = "" if hit.ring_s is None else f"{hit.ring_s * 1000:.0f}"
    ends = {
        "next": "cut by the next hit",
        "stop": "stopped",
        "decay": "died away",
        "end": "end of the take",
    }.get(hit.ring_end.value if hit.ring_end else "", "")
    if judged.stop_late_ms is not None:
        ends += f", {judged.stop_late_ms:+.0f} ms"
    return HitLine(
        mark=f"{hit.round}-{hit.index}",
        round=hit.round,
        bar=hit.bar,
        at=hit.at,
        planned=hit.expected_articulation.value,
        heard=heard_words,
        deviation="" if late is None else f"{late:+.1f}",
        level="" if hit.relative_level_db is None else f"{hit.relative_level_db:+.1f}",
        ring=ring,
        ends=ends,
        chances=" ".join(
            f"{kind} {chances[kind]:.0%}" for kind in ("open", "palm", "dead") if kind in chances
        ),
        onset_s=hit.onset_s or hit.expected_s,
        odd=judged.off,
        played=hit.onset_s is not None,
        said=correction.articulation if correction else "",
        joined=bool(correction and correction.example_id),
        more=_more(hit),
    )


def _more(hit: HitReading) -> str:
    """What else was measured of a hit, in words; what was not measured is not named."""
    parts = []
    if hit.mute_depth is not None and hit.heard_articulation is HeardKind.PALM:
        parts.append(f"depth {hit.mute_depth:.2f}")
    if hit.rest_db is not None:
        parts.append(f"rest {hit.rest_db:+.0f} dB")
    if hit.strum_ms is not None:
        parts.append(f"strings over {hit.strum_ms:.0f} ms")
    if hit.chord_ok is not None and not hit.chord_ok:
        parts.append("wrong fret")
    if hit.stray_strings:
        parts.append(
            "string "
            + " and ".join(map(str, hit.stray_strings))
            + (" rings" if len(hit.stray_strings) == 1 else " ring")
        )
    return ", ".join(parts)

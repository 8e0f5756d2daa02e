"""Readings: lists of takes, and one take's reading as words, drawings and a table."""

from dataclasses import dataclass
from datetime import UTC, datetime

import numpy as np

from thrumble.core.coach.causes import Cause, CauseKind, find_causes
from thrumble.core.coach.judgement import JudgedHit, Judgement, judge_hits
from thrumble.core.coach.words import early_or_late, say
from thrumble.core.ear.comparing import Difference
from thrumble.core.ear.reading import Change, ChangeKind, HitReading, HitState, Reading, Verdict
from thrumble.core.riff.expand import ExpandedRiff, expand
from thrumble.core.takes import FINAL, TakeState
from thrumble.store.riffs import Revision
from thrumble.store.rigs import Correction
from thrumble.store.space import Room, Space
from thrumble.store.takes import Changed, Take, TakeLine
from thrumble.web.drawings.charts import Clock, Pile, bar_clock, deviation_pile
from thrumble.web.drawings.strip import BarDrawing, reading_strip
from thrumble.web.shared.paging import Paging

STATE_WORDS = {
    TakeState.RECORDING: "cut off while you recorded it",
    TakeState.QUEUED: "waiting to be analysed …",
    TakeState.READING: "being read …",
    TakeState.READ: "read",
    TakeState.FAILED: "not read",
}
SOURCE_WORDS = {"recorded": "recorded here", "uploaded": "uploaded", "simulated": "played by the simulated guitarist"}
GRAVE = frozenset({"nothing_heard", "dropouts", "clipping", "start_uncertain"})
NOTE_WORDS = {
    CauseKind.RANG: "rang",
    CauseKind.CHOKED: "choked",
    CauseKind.DEAD_RINGS: "rings",
    CauseKind.STOPS: "rings on",
    CauseKind.FRETS: "wrong fret",
    CauseKind.STRAYS: "string rings",
}
FIRST_WAIT_MS, MOST_WAIT_MS = 200, 5000
SLOW_AFTER = 16  # askings, some twenty seconds: then the page offers to put the take in line again


@dataclass(frozen=True, slots=True)
class TakeLineView:
    """A take in a list."""

    take_id: int
    riff_id: int
    title: str
    number: int
    state: TakeState
    words: str
    when: str
    clean: str
    size: str


@dataclass(frozen=True, slots=True)
class StatusView:
    """A take while it is on its way to a reading."""

    take_id: int
    state: TakeState
    words: str
    problem: str
    keep_asking: bool
    failed: bool
    read: bool
    ask_again_ms: int
    slow: bool


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
    clean: bool
    strip: list[BarDrawing]
    pile: Pile
    clock: Clock
    figures: list[tuple[str, str]]
    hits: list[HitLine]
    cautions: list[CautionView]
    tempo: str
    heard: bool
    can_join: bool
    corrected: str


def take_line(line: TakeLine, now: datetime) -> TakeLineView:
    """A take's line: its verdict once it is read, its state before."""
    take = line.take
    words = line.verdict if line.verdict and take.state is TakeState.READ else take.problem or STATE_WORDS[take.state]
    clean = f"{line.clean} of {line.judged} clean" if line.clean is not None else ""
    return TakeLineView(
        take.id, take.riff_id, line.title, take.number, take.state, words, _ago(take.created_at, now), clean, megabytes(take.audio_bytes)
    )


def _ago(then: datetime, now: datetime) -> str:
    seconds = max(0.0, (now - then).total_seconds())
    if seconds < 90:
        return "just now"
    if seconds < 5400:
        return f"{seconds / 60:.0f} minutes ago"
    if seconds < 86400:
        return f"{seconds / 3600:.0f} hours ago"
    days = int(seconds // 86400)
    return "yesterday" if days == 1 else f"{days} days ago"


def megabytes(count: int) -> str:
    """A size in words."""
    return f"{count / 1e6:.1f} MB"


def status_view(take: Take, asked: int = 0) -> StatusView:
    """Asks again until the state is final, `asked` times so far: at once at first, then ever more rarely."""
    waiting = take.state not in FINAL and take.state is not TakeState.RECORDING
    return StatusView(
        take_id=take.id,
        state=take.state,
        words=STATE_WORDS[take.state],
        problem=take.problem,
        keep_asking=waiting,
        failed=take.state is TakeState.FAILED,
        read=take.state is TakeState.READ,
        ask_again_ms=round(min(MOST_WAIT_MS, FIRST_WAIT_MS * 1.2**asked)),
        slow=waiting and asked >= SLOW_AFTER,
    )


def reading_view(
    take: Take, revision: Revision, reading: Reading, corrections: dict[tuple[int, int], Correction] | None = None, tone: str = ""
) -> ReadingView:
    """Numbers become words and places here; the player's corrections by hit index and round stand beside what was heard. `tone`: its name."""
    said = corrections or {}
    expanded = expand(revision.riff, take.tempo_bpm)
    judgement = judge_hits(reading, expanded)
    causes = find_causes(judgement)
    sentences = [say(cause, judgement) for cause in causes]
    return ReadingView(
        take_id=take.id,
        riff_id=take.riff_id,
        title=revision.riff.title,
        meta=_meta(take, revision, reading, tone),
        figure=f"{judgement.clean}",
        figure_under=f"of {judgement.counted} hits clean, within {judgement.limits.tolerance_ms:.0f} ms",
        first=sentences[0],
        more=sentences[1:],
        clean=causes[0].kind is CauseKind.CLEAN,
        strip=reading_strip(judgement, _named(causes, judgement)),
        pile=deviation_pile(judgement),
        clock=bar_clock(judgement),
        figures=_figures(reading, expanded),
        hits=[_hit_line(hit, said.get((hit.hit.index, hit.hit.round))) for hit in judgement.hits],
        cautions=[CautionView(c.text, c.code in GRAVE) for c in reading.cautions],
        tempo=f"{float(take.tempo_bpm or revision.riff.tempo_bpm):g}",
        heard=bool(judgement.played),
        can_join=take.tone_id is not None,
        corrected=corrected_words(len(said)),
    )


def corrected_words(count: int) -> str:
    """How many hits the player has judged themselves."""
    if not count:
        return ""
    return f"{count} {'hit' if count == 1 else 'hits'} corrected by you. What we heard stays as it was."


def _meta(take: Take, revision: Revision, reading: Reading, tone: str) -> str:
    parts = [f"take {take.number}", SOURCE_WORDS[take.source], f"{reading.tempo_bpm:g} bpm", str(revision.riff.feel)]
    if reading.rounds > 1:
        parts.append(f"{reading.rounds} rounds")
    if tone:
        examples = f" ({reading.profile_hits} examples of your own)" if reading.profile_hits else ""
        parts.append(tone + examples)
    parts.append("latency measured" if reading.delay_ms is not None else "latency not measured")
    return " · ".join(parts)


def _named(causes: list[Cause], judgement: Judgement) -> dict[tuple[int, int], str]:
    """A word under every hit that a finding names: how late it was, or what it did."""
    hits = judgement.by_key()
    named: dict[tuple[int, int], str] = {}
    for cause in causes:
        for key in cause.hits:
            judged = hits[key]
            if judged.late_ms is None:
                continue
            if cause.kind is CauseKind.STOPS and judged.hit.stop_late_ms is not None:
                word = f"rings on {judged.hit.stop_late_ms:.0f}"
            elif cause.kind is CauseKind.UNLIKE and judged.hit.heard_articulation is not None:
                word = judged.hit.heard_articulation.value
            else:
                word = NOTE_WORDS.get(cause.kind) or early_or_late(judged.late_ms).replace(" ms", "")
            named.setdefault(key, word)
    return named


def _figures(reading: Reading, expanded: ExpandedRiff) -> list[tuple[str, str]]:
    """The summary; what was not measured says so."""
    s = reading.summary
    asked = expanded.riff.feel.ratio
    rows = [
        ("hits heard", f"{s.matched} of {s.matched + s.missed}"),
        ("extra hits", str(s.extra)),
        ("bias", _number(s.bias_ms, "+.0f", "ms") if reading.bias_judged else "not known"),
        ("spread", _number(s.spread_ms, ".1f", "ms")),
        ("heard as written", "not measured" if s.articulation_correct is None else f"{s.articulation_correct:.0%}"),
        ("unsure", str(s.unsure)),
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
        wanted = f", asked {float(asked):g}" if asked is not None else ""
        rows.append(("swing", f"{s.swing_ratio:.2f} ({s.swing_interval[0]:.2f} to {s.swing_interval[1]:.2f}){wanted}"))
    if len(s.swing_bars) > 1:
        low, high = min(s.swing_bars, key=lambda b: b.ratio), max(s.swing_bars, key=lambda b: b.ratio)
        apart = low.interval[1] < high.interval[0]
        rows.append(
            (
                "swing by bar",
                f"{low.ratio:.2f} in bar {low.bar} to {high.ratio:.2f} in bar {high.bar}" if apart else "steady",
            )
        )
    return rows


def _change(change: Change) -> tuple[str, str]:
    """Something that moved along the take, and from where."""
    name = {ChangeKind.TEMPO: "tempo", ChangeKind.SPREAD: "spread", ChangeKind.LEVEL: "level"}[change.kind]
    unit = {ChangeKind.TEMPO: "bpm", ChangeKind.SPREAD: "ms", ChangeKind.LEVEL: "dB"}[change.kind]
    where = f"bar {change.bar}" + (f", round {change.round}" if change.round > 1 else "")
    return f"{name} from {where} on", f"{change.amount:+.1f} {unit}"


def _number(value: float | None, form: str, unit: str) -> str:
    return "not measured" if value is None else f"{value:{form}} {unit}"


def _hit_line(judged: JudgedHit, said: Correction | None) -> HitLine:
    hit, late = judged.hit, judged.late_ms
    heard = {HitState.MISSED: "missed", HitState.NOT_REACHED: "not reached"}.get(hit.state) or (
        hit.heard_articulation.value if hit.heard_articulation else ""
    )
    chances = hit.probabilities or {}
    ring = "" if hit.ring_s is None else f"{hit.ring_s * 1000:.0f}"
    ends = {"next": "cut by the next hit", "stop": "stopped", "decay": "died away", "end": "end of the take"}.get(
        hit.ring_end.value if hit.ring_end else "", ""
    )
    if hit.stop_late_ms is not None:
        ends += f", {hit.stop_late_ms:+.0f} ms"
    return HitLine(
        mark=f"{hit.round}-{hit.index}",
        round=hit.round,
        bar=hit.bar,
        at=hit.at,
        planned=hit.expected_articulation.value,
        heard=heard,
        deviation="" if late is None else f"{late:+.1f}",
        level="" if hit.relative_level_db is None else f"{hit.relative_level_db:+.1f}",
        ring=ring,
        ends=ends,
        chances=" ".join(f"{kind} {chances[kind]:.0%}" for kind in ("open", "palm", "dead") if kind in chances),
        onset_s=hit.onset_s or hit.expected_s,
        odd=judged.off,
        played=hit.onset_s is not None,
        said=said.articulation if said else "",
        joined=bool(said and said.example_id),
        more=_more(hit),
    )


def _more(hit: HitReading) -> str:
    """What else was measured of a hit, in words; what was not measured is not named."""
    parts = []
    if hit.mute_depth is not None and hit.heard_articulation is Verdict.PALM:
        parts.append(f"depth {hit.mute_depth:.2f}")
    if hit.rest_db is not None:
        parts.append(f"rest {hit.rest_db:+.0f} dB")
    if hit.strum_ms is not None:
        parts.append(f"strings over {hit.strum_ms:.0f} ms")
    if hit.chord_ok is False:
        parts.append("wrong fret")
    if hit.stray_strings:
        parts.append("string " + " and ".join(map(str, hit.stray_strings)) + (" rings" if len(hit.stray_strings) == 1 else " ring"))
    return ", ".join(parts)


@dataclass(frozen=True, slots=True)
class AgainView:
    """Reading old takes with a newer ear: how many are left to ask for, how far it has come, what changed."""

    stale: int
    waiting: int
    total: int
    done: int
    words: str
    changes: list[tuple[str, int, str]]


def again_view(stale: int, waiting: int, total: int = 0, changed: tuple[int, list[Changed]] = (0, [])) -> AgainView:
    """The offer, the progress, or what changed. `changed`: how many takes are heard otherwise now, and the last of them."""
    moved, shown = changed
    if waiting and total:
        words = f"{total - min(waiting, total)} of {total} takes read again …"
    elif total > 1:
        words = f"All {total} takes are read again: {moved} of them sound different to the new ear."
    elif total:
        words = "The take is read again."
    elif stale:
        words = f"{stale} {'take was' if stale == 1 else 'takes were'} read by an older version of the ear."
    else:
        words = ""
    changes = [(f"{one.title}, take {one.number}", one.take_id, _difference(one.difference)) for one in shown]
    return AgainView(stale, waiting if total else 0, total, total - min(waiting, total), words, changes)


def _difference(found: Difference) -> str:
    parts = [
        f"{count} {what}" for count, what in (
            (found.renamed, "called something else"), (found.found, "more found"), (found.lost, "not found any more"), (found.moved, "moved by more than 3 ms"),
        ) if count
    ]  # fmt: skip
    return f"of {found.hits} hits " + ", ".join(parts)


@dataclass(frozen=True, slots=True)
class ListView:
    """A page of takes. `states`: value and words of every choice; `searched`: whether anything narrows the list."""

    lines: list[TakeLineView]
    space: str
    room: str
    q: str
    state: str
    states: list[tuple[str, str]]
    searched: bool
    total: int
    paging: Paging


LISTED = {
    "": ("all", ()),
    "read": ("read", (TakeState.READ,)),
    "waiting": ("waiting", (TakeState.QUEUED, TakeState.READING)),
    "unfinished": ("cut off", (TakeState.RECORDING,)),
    "failed": ("not read", (TakeState.FAILED,)),
}


def list_view(lines: list[TakeLine], space: Space, paging: Paging, *, q: str, state: str) -> ListView:
    """The takes of a page, what they were searched by, and the space that all of them use."""
    now = datetime.now(UTC)
    words = f"{space.takes} {'take' if space.takes == 1 else 'takes'}, {megabytes(space.used_bytes)} of sound in the database"
    return ListView(
        lines=[take_line(line, now) for line in lines],
        space=words,
        room=room_words(space),
        q=q,
        state=state,
        states=[(value, words) for value, (words, _) in LISTED.items()],
        searched=bool(q or state),
        total=space.takes,
        paging=paging,
    )


def room_words(space: Space) -> str:
    """A warning before the space of takes runs out; empty while there is plenty."""
    used, limit = space.used_bytes / 1e9, space.limit_bytes / 1e9
    if space.room is Room.NONE:
        return f"Takes fill all {limit:g} GB they may use. Delete takes you no longer need before you record a new one."
    if space.room is Room.SHORT:
        return f"Takes use {used:.1f} of the {limit:g} GB they may use. Delete some you no longer need."
    return ""

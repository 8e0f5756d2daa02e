"""Stamina: how long the hands keep going clean at a tempo, and what work and rest follow from
it.
"""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, timedelta

import numpy as np

from thrumble.core.coach.verdict.finding import Finding
from thrumble.core.coach.verdict.judgement import JudgedHit, Judgement
from thrumble.core.ear.reading import ChangeKind

BREATH_BEATS = 2.0  # without a stroke for so long, the hands have rested
NEAR_TEMPO = 0.04  # of a tempo: what was played there tells of it
REMEMBERED_DAYS = 28
WORK_SHARE = 0.8  # of what was clean: it ends before it falls apart
MIN_WORK_S, MAX_WORK_S = 15.0, 180.0
FIRST_WORK_S = 20.0
MIN_REST_S = 20.0
MAX_TIMES = 6
MIN_RUNS = 3  # of a tempo, to tell from


@dataclass(frozen=True, slots=True, kw_only=True)
class TakeLoad:
    """What a take asked of the hands, and how long they kept it up. `down`: strokes; `run_*`: the
    longest clean run, unbroken by a rest; `tired_s`: from the first hit on, where the spread grew
    or the level fell for good, None if neither did; `spread_ms`, `level_db`: by how much at the
    end; `clean` of `judged` hits; `causes`: the kinds of finding that held it back.
    """

    strokes: int
    down: int
    seconds: float
    run_strokes: int
    run_s: float
    tired_s: float | None
    spread_ms: float | None
    level_db: float | None
    clean: int
    judged: int
    causes: tuple[str, ...]


def load_of(judgement: Judgement, findings: Iterable[Finding]) -> TakeLoad:
    """The load of a judged take; all zero if nothing was played."""
    played = sorted(judgement.played, key=lambda judged: judged.hit.expected_s)
    picked = [judged for judged in played if judged.due.hit.stroke is not None]
    run = longest_run(judgement)
    changes = {change.kind: change for change in judgement.reading.summary.changes}
    spread, level = changes.get(ChangeKind.SPREAD), changes.get(ChangeKind.LEVEL)
    grew = spread is not None and spread.amount > 0
    fell = level is not None and level.amount < 0
    begun = played[0].hit.expected_s if played else 0.0
    since = [
        _when(judgement, change.round, change.bar) - begun
        for change, grew_or_fell in ((spread, grew), (level, fell))
        if change is not None and grew_or_fell
    ]
    return TakeLoad(
        strokes=len(picked),
        down=sum(judged.due.hit.stroke == "down" for judged in picked),
        seconds=_span(played),
        run_strokes=len(run),
        run_s=_span(run),
        tired_s=max(0.0, min(since)) if since else None,
        spread_ms=spread.amount if spread is not None else None,
        level_db=level.amount if level is not None else None,
        clean=judgement.clean,
        judged=judgement.counted,
        causes=tuple(finding.kind for finding in findings if finding.is_cause),
    )


def longest_run(judgement: Judgement) -> list[JudgedHit]:
    """The most strokes in a row with nothing wrong about them. A rest of two beats ends a run, for
    the hands recover in it; a hit that the ear is unsure of does not, if it was in time.
    """
    breath_s = BREATH_BEATS * 60 / judgement.expanded.tempo_bpm
    best: list[JudgedHit] = []
    run: list[JudgedHit] = []
    for judged in sorted(judgement.hits, key=lambda hit: hit.hit.expected_s):
        if not judged.played or judged.off:
            run = []
            continue
        if judged.due.hit.stroke is None:
            continue
        if run and judged.hit.expected_s - run[-1].hit.expected_s > breath_s + 1e-6:
            run = []
        run.append(judged)
        if len(run) > len(best):
            best = list(run)
    return best


def _span(hits: list[JudgedHit]) -> float:
    if not hits:
        return 0.0
    return float(hits[-1].hit.expected_s + hits[-1].due.slot_s - hits[0].hit.expected_s)


def _when(judgement: Judgement, round_: int, bar: int) -> float:
    """When a bar of a round begins: its first hit."""
    return min(
        (
            judged.hit.expected_s
            for judged in judgement.hits
            if (judged.hit.round, judged.hit.bar) == (round_, bar)
        ),
        default=0.0,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Run:
    """The longest clean run of a take at a tempo."""

    take_id: int
    day: date
    tempo_bpm: float
    strokes: int
    seconds: float
    tired_s: float | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Endurance:
    """How long a tempo holds: the longest clean run there, from how many takes, and where in a take
    it usually begins to slip, None if it never did.
    """

    tempo_bpm: float
    takes: int
    best: Run
    tired_s: float | None


def by_tempo(runs: list[Run]) -> list[Endurance]:
    """Every tempo that was played, the fastest first; tempos that round to the same are one."""
    of: dict[int, list[Run]] = {}
    for run in runs:
        of.setdefault(round(run.tempo_bpm), []).append(run)
    out = []
    for tempo, tempo_runs in sorted(of.items(), reverse=True):
        tired = [run.tired_s for run in tempo_runs if run.tired_s is not None]
        out.append(
            Endurance(
                tempo_bpm=float(tempo),
                takes=len(tempo_runs),
                best=max(tempo_runs, key=lambda run: (run.strokes, run.seconds)),
                tired_s=float(np.median(tired)) if tired else None,
            )
        )
    return out


@dataclass(frozen=True, slots=True, kw_only=True)
class Work:
    """Work and rest: so many times so long at a tempo."""

    tempo_bpm: float
    work_s: float
    rest_s: float
    times: int
    why: str


def work_and_rest(
    runs: list[Run], tempo_bpm: float, today: date, *, strokes_left: float | None = None
) -> Work:
    """What to do at a tempo. As long as four fifths of what is clean there, so never as long as the
    longest that was; as long a rest; as often as the week's strokes allow (`strokes_left`), not at
    all if none are left.
    """
    since = today - timedelta(days=REMEMBERED_DAYS)
    near = [
        run
        for run in runs
        if run.day >= since and abs(run.tempo_bpm - tempo_bpm) <= NEAR_TEMPO * tempo_bpm
    ]
    if len(near) < MIN_RUNS:
        work_s, why = FIRST_WORK_S, f"little played at {tempo_bpm:g} so far: begin short"
    else:
        usual = float(np.median([run.seconds for run in near]))
        tired = [run.tired_s for run in near if run.tired_s is not None]
        if len(tired) * 2 > len(near):
            usual = min(usual, float(np.median(tired)))
            why = f"you begin to slip after {np.median(tired):.0f} s at {tempo_bpm:g}"
        else:
            why = f"you stay clean for {usual:.0f} s at {tempo_bpm:g}"
        longest = max(run.seconds for run in near)
        work_s = WORK_SHARE * max(usual, longest * 0.5)
    work_s = round(min(MAX_WORK_S, max(MIN_WORK_S, work_s)) / 5) * 5.0
    pace = _strokes_a_second(near) if near else None
    times = MAX_TIMES
    if strokes_left is not None and pace:
        times = min(times, int(max(0.0, strokes_left) / (pace * work_s)))
    return Work(
        tempo_bpm=tempo_bpm,
        work_s=work_s,
        rest_s=max(MIN_REST_S, work_s),
        times=times,
        why=why if times else "your strokes for this week are used up: rest that hand",
    )


def _strokes_a_second(runs: list[Run]) -> float | None:
    seconds = sum(run.seconds for run in runs)
    return sum(run.strokes for run in runs) / seconds if seconds else None

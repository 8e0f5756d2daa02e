"""The tempo ladder: how fast next, by one of several schools, with the evidence in a sentence."""

from dataclasses import dataclass
from datetime import date
from enum import StrEnum

import numpy as np

from thrumble.core.coach.progress.clean_speed import CleanSpeed, Round, chance_clean, clean_speed
from thrumble.core.counting import counted
from thrumble.core.riff.drills.catalogue import DrillKind
from thrumble.core.riff.model import TEMPO_RANGE_BPM

STEP = 0.03  # a small step, of the tempo
LARGEST_STEP = 0.04
IN_A_ROW = 2  # passes at a tempo before it changes: one is chance
SHOWN_ROUNDS = 10
BURST_REST_S = 20.0
FLOOR_SHARE = 0.6  # of the clean speed: below it a clean round teaches nothing
RUN = 3  # up, before one down


class LadderSchool(StrEnum):
    """How players go about getting faster."""

    EVIDENCE = "evidence"
    SMALL_STEPS = "small-steps"
    THREE_UP = "three-up-one-down"
    BURSTS = "bursts"
    HALF_CHANGES = "half-changes"


@dataclass(frozen=True, slots=True)
class LadderFacts:
    """What a school is called, and what it does."""

    called: str
    what: str


LADDERS = {
    LadderSchool.EVIDENCE: LadderFacts(
        "by the evidence", "The tempo at which the next passes should teach you most."
    ),
    LadderSchool.SMALL_STEPS: LadderFacts(
        "small steps", "Up a little after two clean passes, back after two that weren't."
    ),
    LadderSchool.THREE_UP: LadderFacts(
        "three up, one down", "Up with every clean pass, three times, then one down to settle."
    ),
    LadderSchool.BURSTS: LadderFacts(
        "bursts", "A bar or two at the tempo you want, with rests between."
    ),
    LadderSchool.HALF_CHANGES: LadderFacts(
        "half the changes", "At the tempo you want, but staying twice as long on each chord."
    ),
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Step:
    """What to play next. `rest_s`: between rounds; `drill`: instead of the riff itself."""

    tempo_bpm: float
    why: str
    rest_s: float = 0.0
    drill: DrillKind | None = None


def next_step(
    rounds: list[Round],
    riff_tempo_bpm: float,
    school: LadderSchool = LadderSchool.EVIDENCE,
    *,
    today: date | None = None,
) -> Step:
    """The next tempo for a riff after these rounds, in the order they were played; `today`: for
    the rust since. Without any round a tempo to begin with.
    """
    if school is LadderSchool.BURSTS:
        why = "short bursts at the tempo you want, a rest after each"
        return Step(tempo_bpm=riff_tempo_bpm, why=why, rest_s=BURST_REST_S, drill=DrillKind.LOOP)
    if not rounds:
        tempo = _rounded(riff_tempo_bpm * 0.8)
        return Step(tempo_bpm=tempo, why=f"not played yet: start at {tempo:g}, below its tempo")
    if school is LadderSchool.HALF_CHANGES:
        return _half_changes(rounds, riff_tempo_bpm)
    if school is LadderSchool.SMALL_STEPS:
        return _small_steps(rounds)
    if school is LadderSchool.THREE_UP:
        return _three_up(rounds)
    speed = clean_speed(rounds, riff_tempo_bpm, today=today)
    assert speed is not None
    return _by_evidence(rounds, speed, riff_tempo_bpm)


def _rounded(tempo_bpm: float) -> float:
    low, high = (float(end) for end in TEMPO_RANGE_BPM)
    return float(min(high, max(low, round(tempo_bpm))))


def _up(tempo_bpm: float) -> float:
    return _rounded(max(tempo_bpm + 2, tempo_bpm * (1 + STEP)))


def _down(tempo_bpm: float) -> float:
    return _rounded(min(tempo_bpm - 2, tempo_bpm / (1 + STEP)))


def _at(rounds: list[Round], tempo_bpm: float) -> list[Round]:
    return [result for result in rounds if abs(result.tempo_bpm - tempo_bpm) < 0.5][-SHOWN_ROUNDS:]


def evidence_words(rounds: list[Round], tempo_bpm: float) -> str:
    """`9 of the last 10 passes at 112 clean`."""
    results = _at(rounds, tempo_bpm)
    clean = sum(result.clean for result in results)
    if len(results) == 1:
        verb = "was" if clean else "wasn't"
        return f"your pass at {tempo_bpm:g} {verb} clean"
    return f"{clean} of the last {counted(len(results), 'pass', 'passes')} at {tempo_bpm:g} clean"


def _small_steps(rounds: list[Round]) -> Step:
    tempo = rounds[-1].tempo_bpm
    last = _at(rounds, tempo)[-2:]
    evidence = evidence_words(rounds, tempo)
    if len(last) == 2 and all(result.clean for result in last):
        return Step(tempo_bpm=_up(tempo), why=f"{evidence}: {_up(tempo):g} next")
    if len(last) == 2 and not any(result.clean for result in last):
        return Step(tempo_bpm=_down(tempo), why=f"{evidence}: back to {_down(tempo):g}")
    return Step(tempo_bpm=tempo, why=f"{evidence}: {tempo:g} again")


def _three_up(rounds: list[Round]) -> Step:
    """Counts how often the tempo went up since it last came down."""
    tempo = rounds[-1].tempo_bpm
    evidence = evidence_words(rounds, tempo)
    if not rounds[-1].clean:
        return Step(tempo_bpm=_down(tempo), why=f"{evidence}: back to {_down(tempo):g}")
    ups, before = 0, tempo
    for result in reversed(rounds):
        if result.tempo_bpm > before + 0.5:
            break
        ups += result.tempo_bpm < before - 0.5
        before = result.tempo_bpm
    if ups >= RUN:
        return Step(tempo_bpm=_down(tempo), why=f"three up, now one down: {_down(tempo):g}")
    return Step(tempo_bpm=_up(tempo), why=f"{evidence}: {_up(tempo):g} next")


def _half_changes(rounds: list[Round], target_bpm: float) -> Step:
    tempo = _rounded(target_bpm)
    last = _at(rounds, tempo)[-2:]
    if len(last) == 2 and all(result.clean for result in last):
        why = f"{evidence_words(rounds, tempo)}: all its changes now"
        return Step(tempo_bpm=tempo, why=why)
    why = f"at {tempo:g} with half the changes, until two passes are clean"
    return Step(tempo_bpm=tempo, why=why, drill=DrillKind.HALF_CHANGES)


def _by_evidence(rounds: list[Round], clean_speed: CleanSpeed, target_bpm: float) -> Step:
    """The tempo whose rounds should teach most: what a clean round there is worth, how far it lies
    above what is too easy, times the chance of one; at most LARGEST_STEP from what was played last.
    One pass that wasn't clean never takes the tempo down, and the tempo wanted comes before any
    beyond it. Once that is clean twice in a row there is a next goal.
    """
    last = rounds[-1].tempo_bpm
    newest = [result.clean for result in _at(rounds, last)[-IN_A_ROW:]]
    settled = len(newest) == IN_A_ROW and all(newest)
    if last >= target_bpm and settled:
        faster = _up(last)
        why = f"clean twice at {last:g}, its own tempo: {faster:g} next, or with drums only"
        return Step(tempo_bpm=faster, why=why)
    floor = FLOOR_SHARE * clean_speed.now.bpm
    lowest, highest = _rounded(last * (1 - LARGEST_STEP)), _rounded(last * (1 + LARGEST_STEP))
    tempos = np.arange(lowest, highest + 1)
    if last <= target_bpm < highest:
        tempos = tempos[tempos <= max(target_bpm, last)]
    worth = [
        chance_clean(clean_speed.now.bpm, float(tempo)) * max(0.0, np.log(tempo / floor))
        for tempo in tempos
    ]
    best = float(tempos[int(np.argmax(worth))])
    if best < last and (any(newest) or len(newest) < IN_A_ROW):
        best = last
    evidence = evidence_words(rounds, last)
    if best == last:
        return Step(tempo_bpm=best, why=f"{evidence}: {best:g} again")
    return Step(tempo_bpm=best, why=f"{evidence}: {best:g} {'next' if best > last else 'first'}")

"""Fair trials: begun, played turn by turn, and what they say by now."""

import secrets
from dataclasses import dataclass

from sqlmodel import Session

from thrumble.actions.judging import find_judged_take
from thrumble.core.coach.comparing.metrics import TakeHits, hits_of
from thrumble.core.coach.comparing.trial import Outcome, draw_order, judge_trial
from thrumble.core.errors import BadInput
from thrumble.core.riff.checking import check_tempo
from thrumble.store.practice import trials
from thrumble.store.practice.trials import Trial
from thrumble.store.riffs import riffs

LONGEST_WAY = 60


def begin_trial(
    session: Session,
    player_id: int,
    riff_id: int,
    *,
    ways: tuple[str, str],
    pairs: int,
    tempo_bpm: float | None,
) -> int:
    """Draws the order and keeps the trial; its number. Raises NotFound, BadInput."""
    riff = riffs.newest_revision(session, player_id, riff_id).riff
    tempo = float(riff.tempo_bpm) if tempo_bpm is None else tempo_bpm
    check_tempo(tempo)
    if not all(ways) or ways[0] == ways[1]:
        raise BadInput("name two ways that differ, such as 'fingers 1 and 3' and 'fingers 1 and 4'")
    return trials.add_trial(
        session,
        player_id,
        riff_id,
        way_a=ways[0],
        way_b=ways[1],
        pairs=pairs,
        turns=draw_order(pairs, secrets.randbits(32)),
        tempo_bpm=tempo,
    )


def go_on(session: Session, player_id: int, trial_id: int) -> None:
    """Another sitting of as many pairs, in an order of its own."""
    trial = trials.get_trial(session, player_id, trial_id)
    trials.lengthen(session, player_id, trial_id, draw_order(trial.pairs, secrets.randbits(32)))


@dataclass(frozen=True, slots=True)
class Tried:
    """A trial and what it says; `why` nothing is said yet; `left_out`: takes that hold another
    riff, or hardly anything.
    """

    trial: Trial
    outcomes: list[Outcome]
    why: str
    left_out: int


def trial_now(session: Session, player_id: int, trial_id: int) -> Tried:
    """Raises NotFound."""
    trial = trials.get_trial(session, player_id, trial_id)
    turns: list[tuple[str, TakeHits, int]] = []
    left_out = 0
    for turn, take_id in sorted(trial.takes.items()):
        judged = find_judged_take(session, player_id, take_id)
        if judged is None:
            continue  # not analysed yet
        if judged.findings[0].stands_alone:
            left_out += 1
            continue
        hits = hits_of(judged.judgement)
        turns.append((trial.turns[turn], hits, turn // (2 * trial.pairs)))
    try:
        return Tried(trial, judge_trial(turns), "", left_out)
    except BadInput as error:
        return Tried(trial, [], str(error), left_out)

"""What the coach does with readings: keeps their rounds, makes drills, says how fast next."""

from dataclasses import dataclass, replace
from datetime import UTC, datetime
from decimal import Decimal

import structlog
from sqlmodel import Session

from thrumble.actions.hands import best_speed
from thrumble.actions.judging import JudgedTake, find_judged_take, judged_take
from thrumble.core.coach.progress.drill_effect import did_it_help
from thrumble.core.coach.progress.drill_tempo import DrillTempo, drill_tempo
from thrumble.core.coach.progress.ladder import Step, next_step
from thrumble.core.coach.progress.passes import rounds_for, rounds_of
from thrumble.core.coach.progress.stamina import load_of
from thrumble.core.coach.verdict.finding import Finding
from thrumble.core.coach.verdict.judgement import Judgement
from thrumble.core.coach.verdict.proposals import Proposal, propose
from thrumble.core.errors import NotFound
from thrumble.core.riff.drills.catalogue import TABLE, DrillKind, make_drill
from thrumble.core.riff.expand import expand
from thrumble.core.riff.model import HitIdentity, Riff
from thrumble.core.riff.notation.printing import print_riff
from thrumble.store import database
from thrumble.store.practice import loads, practice, rounds
from thrumble.store.practice.rounds import AnalysedTake
from thrumble.store.riffs import drills, riffs
from thrumble.store.riffs.drills import DrillOf
from thrumble.store.riffs.riffs import Revision
from thrumble.store.rig import rigs
from thrumble.store.takes import readings, takes

log = structlog.get_logger()


def store_judgement(session: Session, player_id: int, judged: JudgedTake) -> None:
    """Stores what follows from a judged take: verdict, counts and hits for lists and habits; what
    the take asked of the hands; its passes, for the riff that was played and, of a drill, for the
    riff that it was made from.
    """
    take, judgement = judged.take, judged.judgement
    reading, expanded = judgement.reading, judgement.expanded
    readings.put_judgement(session, player_id, take.id, judgement, judged.sentences[0])
    # a damaged recording, or one of another riff, says nothing about how fast this one is clean
    counts = judged.counts
    snapshot = AnalysedTake(
        engine=reading.engine,
        tempo_bpm=reading.tempo_bpm,
        round_s=expanded.round_s * expanded.tempo_bpm / reading.tempo_bpm,
        results=rounds_of(judgement) if counts else [],
    )
    rounds.put_rounds(session, player_id, take.riff_id, take.id, snapshot)
    load = load_of(judgement, judged.findings)
    loads.put_load(session, player_id, take.id, reading.engine, reading.tempo_bpm, load)
    of = drills.drill_of(session, player_id, take.riff_id)
    if of is not None:
        root = riffs.newest_revision(session, player_id, of.riff_id).riff
        held_rounds = rounds_for(judgement, expand(root)) if counts else []
        held = replace(snapshot, results=held_rounds)
        rounds.put_rounds(session, player_id, of.riff_id, take.id, held)


def note_help(session: Session, player_id: int, judged: JudgedTake) -> None:
    """Stores what the drills that were played since the riff's take before have changed on their
    hits.
    """
    riff_id, take_id = judged.take.riff_id, judged.take.id
    before_id = drills.take_before(session, player_id, riff_id, take_id)
    if before_id is None or drills.drill_of(session, player_id, riff_id) is not None:
        return
    held: dict[DrillKind, set[HitIdentity]] = {}
    for number in drills.drilled_between(session, player_id, riff_id, before_id, take_id):
        drilled = takes.get_take(session, player_id, number)
        of = drills.drill_of(session, player_id, drilled.riff_id)
        made = riffs.get_revision(session, player_id, drilled.revision_id).riff
        origins = {due.hit.origin for due in expand(made).hits if due.hit.origin is not None}
        if of is not None:
            held.setdefault(of.kind, set()).update(origins)
    before = find_judged_take(session, player_id, before_id) if held else None
    if before is None:
        return
    for kind, hits in held.items():
        effect = did_it_help(kind, before.judgement, judged.judgement, frozenset(hits))
        drills.put_helped(session, player_id, riff_id, before_id, take_id, effect)


def rejudge_after_correction(session: Session, player_id: int, take_id: int) -> JudgedTake:
    """Recomputes what is stored of a take after the player corrected one of its hits. Raises
    NotFound.
    """
    judged = judged_take(session, player_id, take_id)
    store_judgement(session, player_id, judged)
    return judged


def catch_up(after: int, most: int = 50) -> int | None:
    """Judges takes that older rules judged anew, some beyond a number at a time; the last one
    looked at, None if there was none left.
    """
    with database.session() as session:
        waiting = readings.takes_to_judge(session, after=after, limit=most)
    for take_id in waiting:
        try:
            with database.session() as session:
                player_id = takes.owner_of(session, take_id)
                judged = find_judged_take(session, player_id, take_id)
                if judged is not None:
                    store_judgement(session, player_id, judged)
        except NotFound:
            log.info("take gone before it was judged", take=take_id)
    return waiting[-1] if waiting else None


def drill_for(session: Session, player_id: int, of: DrillOf, tempo_bpm: float | None) -> Revision:
    """A drill of a riff as it stands now, kept as a riff of its own. Raises NotFound, BadInput
    if the riff has nothing for it, BadTempo.
    """
    root = riffs.newest_revision(session, player_id, of.riff_id).riff
    made = make_drill(
        root,
        of.kind,
        bars=of.bars,
        tempo_bpm=None if tempo_bpm is None else Decimal(f"{tempo_bpm:g}"),
    )
    return drills.keep_drill(session, player_id, of, made, print_riff(made))


def drill_start(
    session: Session, player_id: int, riff_id: int, kind: DrillKind, made: Riff
) -> DrillTempo:
    """How fast to start a drill that was made of a riff, by where this player stands."""
    goal_bpm = float(riffs.newest_revision(session, player_id, riff_id).riff.tempo_bpm)
    return drill_tempo(
        made,
        TABLE[kind].share,
        goal_bpm,
        step_of(session, player_id, riff_id, goal_bpm).tempo_bpm,
        rigs.own_instrument(session, player_id),
        best_speed(session, player_id),
    )


@dataclass(frozen=True, slots=True)
class Next:
    """What to play after a take: drills that answer its causes, and how fast the riff itself."""

    drills: list[Proposal]
    step: Step


def step_of(session: Session, player_id: int, riff_id: int, riff_tempo_bpm: float) -> Step:
    """How fast a riff next, the player's own way."""
    results = rounds.rounds_of(session, player_id, riff_id, recent=True)
    school = practice.practice_of(session, player_id).ladder
    today = datetime.now(UTC).date()
    return next_step(
        results, riff_tempo_bpm, school, today=max([today, *(result.day for result in results)])
    )


def what_next(
    session: Session, player_id: int, riff_id: int, judgement: Judgement, findings: list[Finding]
) -> Next:
    """The next thing after a take that was just judged, by what was found to hold it back."""
    tempo = float(judgement.expanded.riff.tempo_bpm)
    step = step_of(session, player_id, riff_id, tempo)
    if drills.drill_of(session, player_id, riff_id) is not None:
        return Next([], step)
    return Next(propose(judgement, findings), step)

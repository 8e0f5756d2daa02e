"""What the coach does with readings: keeps their rounds, makes drills, says how fast next."""

from dataclasses import dataclass, replace
from datetime import UTC, datetime
from decimal import Decimal

import structlog
from sqlmodel import Session

from thrumble.core.coach.cause import Cause
from thrumble.core.coach.causes import find_causes
from thrumble.core.coach.helped import did_it_help
from thrumble.core.coach.judgement import Judgement, as_said, judge_hits
from thrumble.core.coach.ladder import Step, next_step
from thrumble.core.coach.remedies import Proposal, propose
from thrumble.core.coach.rounds import rounds_for, rounds_of
from thrumble.core.coach.stamina import load_of
from thrumble.core.errors import NotFound
from thrumble.core.riff.drills import DrillKind, make_drill
from thrumble.core.riff.expand import expand
from thrumble.core.riff.model import HitIdentity
from thrumble.core.riff.printing import print_riff
from thrumble.store import (
    corrections,
    database,
    drills,
    loads,
    practice,
    readings,
    riffs,
    rigs,
    rounds,
    takes,
)
from thrumble.store.drills import DrillOf
from thrumble.store.riffs import Revision
from thrumble.store.rounds import Heard

log = structlog.get_logger()


def keep_judged(session: Session, player_id: int, take_id: int, judgement: Judgement) -> None:
    """What the coach keeps of a reading: what the take asked of the hands; its rounds, for the riff
    that was played and, of a drill, for the riff that it was made from. What the player has said
    of hits counts.
    """
    take = takes.get_take(session, player_id, take_id)
    judgement = as_said(judgement, _said(session, player_id, take_id))
    reading, expanded = judgement.reading, judgement.expanded
    heard = Heard(
        engine=reading.engine,
        tempo_bpm=reading.tempo_bpm,
        round_s=expanded.round_s * expanded.tempo_bpm / reading.tempo_bpm,
        results=rounds_of(judgement),
    )
    rounds.put_rounds(session, player_id, take.riff_id, take_id, heard)
    load = load_of(judgement, find_causes(judgement))
    loads.put_load(session, player_id, take_id, reading.engine, reading.tempo_bpm, load)
    of = drills.drill_of(session, player_id, take.riff_id)
    if of is not None:
        root = riffs.newest_revision(session, player_id, of.riff_id).riff
        held = replace(heard, results=rounds_for(judgement, expand(root)))
        rounds.put_rounds(session, player_id, of.riff_id, take_id, held)


def _said(session: Session, player_id: int, take_id: int) -> dict[tuple[int, int], str]:
    """What the player has said of a take's hits, by round and index."""
    found = corrections.corrections_of(session, player_id, take_id)
    return {(one.round, one.index): one.articulation for one in found.values()}


def note_help(session: Session, player_id: int, take_id: int, after: Judgement) -> None:
    """What the drills that were played since the riff's take before have changed on their hits."""
    take = takes.get_take(session, player_id, take_id)
    before_id = drills.take_before(session, player_id, take.riff_id, take_id)
    if before_id is None or drills.drill_of(session, player_id, take.riff_id) is not None:
        return
    held: dict[DrillKind, set[HitIdentity]] = {}
    for number in drills.drilled_between(session, player_id, take.riff_id, before_id, take_id):
        drilled = takes.get_take(session, player_id, number)
        of = drills.drill_of(session, player_id, drilled.riff_id)
        made = riffs.get_revision(session, player_id, drilled.revision_id).riff
        origins = {due.hit.origin for due in expand(made).hits if due.hit.origin is not None}
        if of is not None:
            held.setdefault(of.kind, set()).update(origins)
    before = _judged(session, player_id, before_id) if held else None
    if before is None:
        return
    for kind, hits in held.items():
        found = did_it_help(kind, before, after, frozenset(hits))
        drills.put_helped(session, player_id, take.riff_id, before_id, take_id, found)


def _judged(session: Session, player_id: int, take_id: int) -> Judgement | None:
    """A take's newest reading, judged; None without one."""
    take = takes.get_take(session, player_id, take_id)
    reading = readings.get_reading(session, player_id, take_id)
    if reading is None:
        return None
    riff = riffs.get_revision(session, player_id, take.revision_id).riff
    neck = rigs.instrument_for(session, player_id, take.rig_id, riff)
    return judge_hits(reading, expand(riff, take.tempo_bpm), neck)


def judge_take(session: Session, player_id: int, take_id: int) -> Judgement:
    """A take's newest reading, judged, with what the player has said of its hits. Raises NotFound
    where it has none.
    """
    judgement = _judged(session, player_id, take_id)
    if judgement is None:
        raise NotFound(
            "this take has no reading yet: wait until it has been read, or read it again"
        )
    return as_said(judgement, _said(session, player_id, take_id))


def heed(session: Session, player_id: int, take_id: int) -> None:
    """The player has said something else of a take's hits: what the coach keeps of it follows."""
    judgement = _judged(session, player_id, take_id)
    if judgement is not None:
        keep_judged(session, player_id, take_id, judgement)


def catch_up(after: int, most: int = 50) -> int | None:
    """Gives readings of older versions what the coach keeps of them, some takes beyond a number at
    a time; the last one looked at, None where there was none left.
    """
    with database.session() as session:
        waiting = loads.unloaded_takes(session, after=after, limit=most)
    for take_id in waiting:
        try:
            with database.session() as session:
                player_id = takes.owner_of(session, take_id)
                judgement = _judged(session, player_id, take_id)
                if judgement is not None:
                    keep_judged(session, player_id, take_id, judgement)
        except NotFound:
            log.info("take gone before it was caught up", take=take_id)
    return waiting[-1] if waiting else None


def drill_for(session: Session, player_id: int, of: DrillOf, tempo_bpm: float | None) -> Revision:
    """A drill of a riff as it stands now, kept as a riff of its own. Raises NotFound, BadInput
    where the riff has nothing for it, BadTempo.
    """
    root = riffs.newest_revision(session, player_id, of.riff_id).riff
    made = make_drill(
        root,
        of.kind,
        bars=of.bars,
        tempo_bpm=None if tempo_bpm is None else Decimal(f"{tempo_bpm:g}"),
    )
    return drills.keep_drill(session, player_id, of, made, print_riff(made))


@dataclass(frozen=True, slots=True)
class Next:
    """What to play after a take: drills that answer its causes, and how fast the riff itself."""

    drills: list[Proposal]
    step: Step


def step_of(session: Session, player_id: int, riff_id: int, riff_tempo_bpm: float) -> Step:
    """How fast a riff next, the player's own way."""
    own = rounds.rounds_of(session, player_id, riff_id, recent=True)
    school = practice.practice_of(session, player_id).ladder
    today = datetime.now(UTC).date()
    return next_step(own, riff_tempo_bpm, school, today=max([today, *(one.day for one in own)]))


def what_next(
    session: Session, player_id: int, riff_id: int, judgement: Judgement, causes: list[Cause]
) -> Next:
    """The next thing after a take that was just judged, by what was found to hold it back."""
    tempo = float(judgement.expanded.riff.tempo_bpm)
    step = step_of(session, player_id, riff_id, tempo)
    if drills.drill_of(session, player_id, riff_id) is not None:
        return Next([], step)
    return Next(propose(judgement, causes), step)

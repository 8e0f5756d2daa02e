"""Today's session: planned from what was played and how the hands are, changed, played through."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import UTC, date, datetime

from sqlmodel import Session as DbSession

from thrumble.actions.coaching import drill_for
from thrumble.actions.hand_health import practice_history
from thrumble.core.coach.planning.assignments import Assignment, State
from thrumble.core.coach.planning.day_plan import (
    BlockState,
    Session,
    SessionBlock,
    planned,
    planned_again,
    with_lock,
    with_state,
)
from thrumble.core.coach.planning.hand_health import advice_for, share_left, strokes_left
from thrumble.core.coach.planning.plan import (
    Assigned,
    Block,
    BlockKind,
    Standing,
    interval_of,
    make_plan,
    week_ahead,
)
from thrumble.core.coach.progress.clean_speed import Round, clean_speed
from thrumble.core.coach.progress.ladder import LadderSchool, next_step
from thrumble.core.coach.progress.passes import WHOLE
from thrumble.core.coach.progress.stamina import Work, work_and_rest
from thrumble.core.errors import NotFound
from thrumble.core.riff.drills.catalogue import DrillKind
from thrumble.core.riff.expand import ExpandedRiff, expand
from thrumble.core.riff.model import Riff
from thrumble.store.practice import loads, practice, rounds, sessions
from thrumble.store.riffs import drills, riff_lists, riffs
from thrumble.store.riffs.drills import DrillOf
from thrumble.store.teaching import assignments

CONSIDERED = 12  # riffs: those that want it most
PLAYED_SHARE = 0.5  # of a block's minutes spent on its riff: it is done
MIN_GAP_BPM = 2.0
SHORT_SHARE = 0.7  # of the minutes asked for: less than that is worth a word
# as fast as their riff stands by now
FOLLOWS = (BlockKind.ASSIGNED, BlockKind.NEW, BlockKind.DUE, BlockKind.WEAK)


@dataclass(frozen=True, slots=True)
class Planned:
    """Today's session, what the hands say to it (`stop`: not today; `short`: the week's strokes
    leave less than was asked for), and what the days after will most likely hold.
    """

    session: Session
    stop: bool
    short: bool
    ahead: list[tuple[date, list[str]]]


def plan_now(
    db: DbSession, player_id: int, today: date, *, again: bool = False, store: bool = True
) -> Planned:
    """Today's session as it was planned and changed. It is planned anew if there is none yet,
    if the player asks for it (`again`), and if minutes or hands allow another length by now:
    what was played, skipped or locked stays, what was dropped stays away. `store` False: only
    looked at.
    """
    history = practice_history(db, player_id, today)
    share, left = share_left(advice_for(history)), strokes_left(history)
    settings = practice.practice_of(db, player_id)
    standings = _standings(db, player_id, settings.ladder, today)
    assigned = _assigned(db, player_id, today)
    standings = _with_assigned(standings, assigned, today)
    was = sessions.session_of(db, player_id, today, lock=store)
    if share == 0:
        rest = was or planned([], settings.minutes, share)
        return Planned(
            rest, True, False, week_ahead(standings, [], settings.minutes, today, settings.weekdays)
        )
    if was is None or not was.blocks:
        blocks = make_plan(standings, settings.minutes, today, share=share, most_strokes=left)
        now = planned(blocks, settings.minutes, share)
    else:
        now = _with_played(db, player_id, _with_riffs(db, player_id, was), today)
        planned_for = {
            entry.block.riff_id for entry in was.blocks if entry.block.kind is BlockKind.ASSIGNED
        }
        since = any(
            assignment.day == today and riff_id not in planned_for
            for riff_id, assignment in assigned.items()
        )
        if again or since or (was.minutes, was.share) != (settings.minutes, share):
            now = _replan(now, standings, settings.minutes, share, today, left)
    if store and now != was:
        sessions.keep_session(db, player_id, today, now)
    ids = [entry.block.riff_id for entry in now.shown]
    ahead = week_ahead(standings, ids, settings.minutes, today, settings.weekdays)
    whole = sum(entry.block.minutes for entry in now.shown)
    short = left is not None and whole < SHORT_SHARE * settings.minutes * share
    return Planned(_with_tempos(now, standings), False, short, ahead)


def _assigned(db: DbSession, player_id: int, today: date) -> dict[int, Assignment]:
    """For each riff the assignment that is still to be done, the one due first."""
    open_states = (State.OPEN, State.BEGUN, State.OVERDUE)
    by_riff: dict[int, Assignment] = {}
    for assignment in assignments.assignments_of(db, [player_id])[player_id]:
        if assignment.state(today) in open_states:
            by_riff.setdefault(assignment.riff_id, assignment)
    return by_riff


def _with_assigned(
    standings: list[Standing], assigned: dict[int, Assignment], today: date
) -> list[Standing]:
    return [
        standing
        if (assignment := assigned.get(standing.riff_id)) is None
        else replace(
            standing,
            assigned=Assigned(
                assignment.why(today),
                assignment.drill,
                None if assignment.due is None else (assignment.due - today).days,
            ),
        )
        for standing in standings
    ]


def _replan(
    was: Session,
    standings: list[Standing],
    minutes: int,
    share: float,
    today: date,
    most_strokes: float | None,
) -> Session:
    """Planned anew around what stays. Locked blocks that no longer fit are let go, the last
    first.
    """
    over = [entry for entry in was.shown if entry.state is not BlockState.OPEN]
    locked = [entry for entry in was.shown if entry.locked and entry.state is BlockState.OPEN]
    room = minutes * share - sum(entry.block.minutes for entry in over)
    while locked and sum(entry.block.minutes for entry in locked) > room:
        was = with_lock(was, locked.pop().key, locked=False)
    fresh = make_plan(
        standings,
        minutes,
        today,
        share=share,
        most_strokes=most_strokes,
        around=[replace(entry.block, strokes=0.0) for entry in over]
        + [entry.block for entry in locked],
        without=[entry.block for entry in was.dropped],
    )
    return planned_again(was, fresh, minutes, share)


def _with_riffs(db: DbSession, player_id: int, day_plan: Session) -> Session:
    """The blocks without those whose riff was deleted since."""
    riff_ids = {fact.riff_id for fact in riff_lists.riff_facts(db, player_id)}
    return replace(
        day_plan,
        blocks=tuple(block for block in day_plan.blocks if block.block.riff_id in riff_ids),
    )


def _with_tempos(day_plan: Session, standings: list[Standing]) -> Session:
    """Blocks still to be played go as fast as their riff stands by now."""
    tempos = {standing.riff_id: standing.tempo_bpm for standing in standings}
    return replace(
        day_plan,
        blocks=tuple(
            replace(
                block,
                block=replace(
                    block.block,
                    tempo_bpm=tempos.get(block.block.riff_id or 0, block.block.tempo_bpm),
                ),
            )
            if block.state is BlockState.OPEN and block.block.kind in FOLLOWS
            else block
            for block in day_plan.blocks
        ),
    )


def _with_played(db: DbSession, player_id: int, day_plan: Session, today: date) -> Session:
    """Blocks that have been played by now, however that came about: half of their minutes on their
    riff or its drills, the earlier blocks first. Whatever was played first has warmed up.
    """
    left = loads.seconds_of(db, player_id, today)
    any_s = sum(left.values())
    for entry in day_plan.shown:
        need = PLAYED_SHARE * entry.block.minutes * 60
        riff_id = entry.block.riff_id or 0
        warm = entry.block.kind is BlockKind.WARM_UP
        if (any_s if warm else left.get(riff_id, 0.0)) < need:
            continue
        if entry.state in (BlockState.OPEN, BlockState.DONE):
            if not warm:
                left[riff_id] -= need
            day_plan = with_state(day_plan, entry.key, BlockState.DONE)
    return day_plan


def change_session(
    db: DbSession, player_id: int, today: date, change: Callable[[Session], Session]
) -> None:
    """Changes today's session. Raises NotFound if there is none."""
    day_plan = sessions.session_of(db, player_id, today, lock=True)
    if day_plan is None:
        raise NotFound("there is no plan for today yet: open Today to make one")
    sessions.keep_session(db, player_id, today, change(day_plan))


@dataclass(frozen=True, slots=True)
class NextBlock:
    """What the hands-free session plays next: a block, the riff or drill to open for it, the rest
    before; for a block of stamina, how long to work and rest; `stop`: why not. All empty when the
    session is over.
    """

    session: Session
    block: SessionBlock | None = None
    play_id: int | None = None
    rest_s: int = 0
    work: Work | None = None
    stop: str = ""


def next_block(db: DbSession, player_id: int, today: date, *, store: bool = True) -> NextBlock:
    """What comes next in today's session, its drill made. Hands that have to rest stop it. `store`
    False: only looked at; a drill that isn't made yet has no riff to play.
    """
    grave = next(
        (
            advice
            for advice in advice_for(practice_history(db, player_id, today))
            if advice.share == 0
        ),
        None,
    )
    if grave is not None:
        return NextBlock(planned([], 0, 0.0), stop=grave.words)
    plan_found = plan_now(db, player_id, today, store=store)
    coming = plan_found.session.coming
    if coming is None or coming.block.riff_id is None:
        return NextBlock(plan_found.session)
    block = coming.block
    play_id: int | None = coming.block.riff_id
    if block.drill is not None:
        of = DrillOf(coming.block.riff_id, block.drill, block.bars)
        if store:
            play_id = drill_for(db, player_id, of, block.tempo_bpm).riff_id
        else:
            play_id = drills.find_drill(db, player_id, of)
    rest_s = 60 * plan_found.session.rest_before(coming.key)
    return NextBlock(
        plan_found.session, coming, play_id, rest_s, _work(db, player_id, block, today)
    )


def _work(db: DbSession, player_id: int, block: Block, today: date) -> Work | None:
    if block.kind is not BlockKind.STAMINA or block.riff_id is None or block.tempo_bpm is None:
        return None
    runs = loads.runs_of(db, player_id, block.riff_id)
    left = strokes_left(practice_history(db, player_id, today))
    return work_and_rest(runs, block.tempo_bpm, today, strokes_left=left)


def _wanted(db: DbSession, player_id: int) -> list[int]:
    """The riffs that want to be played most: those that a teacher assigned, unclean ones and those
    not played for long, a few never played.
    """
    now = datetime.now(UTC)
    begun, fresh = [], []
    facts = riff_lists.riff_facts(db, player_id)
    here = {fact.riff_id for fact in facts}
    there = assignments.assignments_of(db, [player_id])[player_id]
    wanted = [assignment.riff_id for assignment in there if assignment.riff_id in here]
    for fact in facts:
        if fact.last_played is None:
            fresh.append(fact.riff_id)
            continue
        unclean = 1 - fact.clean / fact.judged if fact.clean is not None and fact.judged else 0.5
        begun.append((unclean + 0.03 * (now - fact.last_played).days, fact.riff_id))
    first = [riff_id for _, riff_id in sorted(begun, reverse=True)]
    return list(dict.fromkeys([*wanted, *first[: CONSIDERED - 2], *fresh[:2]]))


# A riff's standing follows from its text, its passes and the day. It is a cache: what is cleared is
# worked out again.
_STANDINGS: dict[tuple[object, ...], Standing] = {}
MAX_STANDINGS = 2000


def _standings(db: DbSession, player_id: int, school: LadderSchool, today: date) -> list[Standing]:
    """The riffs that want to be played most, as they stand."""
    marks = rounds.marks_of(db, player_id)
    newest = {
        riff_id: riffs.newest_revision(db, player_id, riff_id) for riff_id in _wanted(db, player_id)
    }
    keys = {
        riff_id: (
            player_id,
            riff_id,
            revision.id,
            revision.source,
            marks.get(riff_id),
            school,
            today,
        )
        for riff_id, revision in newest.items()
    }
    # looked up once: another request may clear the cache at any moment
    cached = {riff_id: _STANDINGS.get(key) for riff_id, key in keys.items()}
    missing = [riff_id for riff_id, standing in cached.items() if standing is None]
    played = rounds.rounds_by_section(db, player_id, missing)
    if len(_STANDINGS) > MAX_STANDINGS:
        _STANDINGS.clear()
    out = []
    for riff_id, standing in cached.items():
        if standing is None:
            riff = newest[riff_id].riff
            standing = _standing(riff_id, riff, played[riff_id], school, today)
            _STANDINGS[keys[riff_id]] = standing
        out.append(standing)
    return out


def _standing(
    riff_id: int,
    riff: Riff,
    played: dict[str, list[Round]],
    school: LadderSchool,
    today: date,
) -> Standing:
    expanded = expand(riff)
    goal = float(riff.tempo_bpm)
    results = played.get(WHOLE, [])
    estimate = clean_speed(results, goal)
    step = next_step(results, goal, school, today=max([today, *(result.day for result in results)]))
    weak = _weakest(played, expanded)
    return Standing(
        riff_id=riff_id,
        title=riff.title,
        goal_bpm=goal,
        tempo_bpm=step.tempo_bpm,
        speed=None if estimate is None else estimate.now,
        last=results[-1].day if results else None,
        interval_days=interval_of(results),
        drill=None if weak is None else DrillKind.LOOP,
        bars=None if weak is None else weak[1],
        weak_why="" if weak is None else f"section {weak[0]} is the slowest",
        strokes_a_minute=len(expanded.hits) / expanded.round_s * 60 * step.tempo_bpm / goal,
    )


def _weakest(
    played: dict[str, list[Round]], expanded: ExpandedRiff
) -> tuple[str, tuple[int, int]] | None:
    """The section that is clearly slower than another, and its bars the first time it is played."""
    goal = float(expanded.riff.tempo_bpm)
    speeds = {}
    for name, results in played.items():
        estimate = None if name == WHOLE else clean_speed(results, goal)
        if estimate is not None:
            speeds[name] = estimate.now.bpm
    if len(speeds) < 2 or max(speeds.values()) - min(speeds.values()) < MIN_GAP_BPM:
        return None
    name = min(speeds, key=lambda section: speeds[section])
    bars = [
        bar.number
        for bar in expanded.bars
        if bar.section == name and bar.appearance == 1 and bar.number > 0
    ]
    return (name, (bars[0], bars[-1])) if bars else None

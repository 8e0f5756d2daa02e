"""Today's plan, from what was played and how the hands are."""

from dataclasses import dataclass
from datetime import UTC, date, datetime

from sqlmodel import Session

from thrumble.actions.caring import advice_now
from thrumble.core.coach.care import share_left
from thrumble.core.coach.clean_speed import Round, clean_speed
from thrumble.core.coach.ladder import LadderSchool, next_step
from thrumble.core.coach.plan import (
    Block,
    BlockKind,
    Standing,
    interval_of,
    make_plan,
    week_ahead,
)
from thrumble.core.riff.drills import DrillKind
from thrumble.core.riff.expand import ExpandedRiff, expand
from thrumble.store import hands, logbook, riffs, rounds

CONSIDERED = 12  # riffs: those that want it most
PLAYED_SHARE = 0.5  # of a block's minutes spent on its riff: it is done
LEAST_GAP_BPM = 2.0


@dataclass(frozen=True, slots=True)
class Planned:
    """The session: its blocks, those that are done, the minutes asked for; what comes due on the
    days after.
    """

    blocks: list[Block]
    done: list[bool]
    minutes: int
    ahead: list[tuple[date, list[str]]]


def plan_now(session: Session, player_id: int, today: date) -> Planned:
    """What to practise today, in the minutes that the player has said."""
    own = hands.hands_of(session, player_id)
    share = share_left(advice_now(session, player_id, today))
    standings = [
        _standing(session, player_id, riff_id, own.ladder, today)
        for riff_id in _wanted(session, player_id)
    ]
    blocks = make_plan(standings, own.minutes, today, share=share)
    done = _done(session, player_id, blocks, today)
    return Planned(blocks, done, own.minutes, week_ahead(standings, today))


def _wanted(session: Session, player_id: int) -> list[int]:
    """The riffs that want to be played most: unclean ones and those not played for long, a few
    never played.
    """
    now = datetime.now(UTC)
    begun, fresh = [], []
    for one in riffs.riff_facts(session, player_id):
        if one.last_played is None:
            fresh.append(one.riff_id)
            continue
        unclean = 1 - one.clean / one.judged if one.clean is not None and one.judged else 0.5
        begun.append((unclean + 0.03 * (now - one.last_played).days, one.riff_id))
    first = [riff_id for _, riff_id in sorted(begun, reverse=True)]
    return [*first[: CONSIDERED - 2], *fresh[:2]]


def _standing(
    session: Session, player_id: int, riff_id: int, school: LadderSchool, today: date
) -> Standing:
    riff = riffs.newest_revision(session, player_id, riff_id).riff
    expanded = expand(riff)
    goal = float(riff.tempo_bpm)
    own = rounds.rounds_of(session, player_id, riff_id)
    told = clean_speed(own, goal)
    step = next_step(own, goal, school, today=max([today, *(one.day for one in own)]))
    weak = _weakest(session, player_id, riff_id, expanded)
    return Standing(
        riff_id=riff_id,
        title=riff.title,
        goal_bpm=goal,
        tempo_bpm=step.tempo_bpm,
        speed=None if told is None else told.now,
        last=own[-1].day if own else None,
        interval_days=interval_of(own),
        drill=None if weak is None else DrillKind.LOOP,
        bars=None if weak is None else weak[1],
        weak_why="" if weak is None else f"section {weak[0]} is the slowest",
        strokes_a_minute=len(expanded.hits) / expanded.round_s * 60 * step.tempo_bpm / goal,
    )


def _weakest(
    session: Session, player_id: int, riff_id: int, expanded: ExpandedRiff
) -> tuple[str, tuple[int, int]] | None:
    """The section that is clearly slower than another, and its bars the first time it is played."""
    goal = float(expanded.riff.tempo_bpm)
    speeds = {}
    for name in rounds.sections_of(session, player_id, riff_id):
        told = clean_speed(_rounds(session, player_id, riff_id, name), goal)
        if told is not None:
            speeds[name] = told.now.bpm
    if len(speeds) < 2 or max(speeds.values()) - min(speeds.values()) < LEAST_GAP_BPM:
        return None
    name = min(speeds, key=lambda one: speeds[one])
    bars = [
        bar.number
        for bar in expanded.bars
        if bar.section == name and bar.appearance == 1 and bar.number > 0
    ]
    return (name, (bars[0], bars[-1])) if bars else None


def _rounds(session: Session, player_id: int, riff_id: int, section: str) -> list[Round]:
    return rounds.rounds_of(session, player_id, riff_id, section)


def _done(session: Session, player_id: int, blocks: list[Block], today: date) -> list[bool]:
    """Which blocks have been played by now: half of their minutes on their riff or its drills,
    the earlier blocks first.
    """
    left = logbook.seconds_of(session, player_id, today)
    out = []
    for block in blocks:
        if block.riff_id is None or block.kind is BlockKind.WARM_UP:
            out.append(False)
            continue
        need = PLAYED_SHARE * block.minutes * 60
        enough = left.get(block.riff_id, 0.0) >= need
        if enough:
            left[block.riff_id] -= need
        out.append(enough)
    return out

"""A player's hands: the fretting hand, how they pick, what they recall, and how they landed."""

from collections import defaultdict
from dataclasses import dataclass, field
from datetime import UTC, datetime

import sqlalchemy as sa
from sqlalchemy.dialects.postgresql import insert
from sqlmodel import Session, col, select

from thrumble.core.neck.hand import Damping, Hand, School, check_hand, check_speed
from thrumble.core.neck.picking import Picking
from thrumble.core.riff.model import Riff
from thrumble.core.rig.recall import Call, Recalled
from thrumble.store.practice.rounds import is_current
from thrumble.store.practice.tables import HandRow, RecallRow
from thrumble.store.riffs.riffs import revision_from
from thrumble.store.riffs.tables import RevisionRow
from thrumble.store.takes.tables import HitRow, ReadingRow, TakeRow

LATEST_TAKES = 12
READINGS_PER_TAKE = 20  # looked through: a take that was analysed again has several
ANSWERS_COUNTED = 10  # the last ones of each chord


@dataclass(frozen=True, slots=True, kw_only=True)
class Hands:
    """Both hands as the player has them. `known`: the player has said so; `measured`: the reach
    comes from the three questions; `speed_mm_s`: how fast the fretting hand moves, None to go by
    what takes show.
    """

    hand: Hand = field(default_factory=Hand)
    picking: Picking = Picking.WRITTEN
    known: bool = False
    measured: bool = False
    speed_mm_s: float | None = None


def hands_of(session: Session, player_id: int) -> Hands:
    """The player's hands, or usual ones."""
    row = session.get(HandRow, player_id)
    if row is None:
        return Hands()
    hand = Hand(
        reach_mm=row.reach_mm,
        school=School(row.school) if row.school else None,
        damping=Damping(row.damping),
    )
    return Hands(
        hand=hand,
        picking=Picking(row.picking),
        known=True,
        measured=row.measured,
        speed_mm_s=row.speed_mm_s,
    )


def keep_hands(session: Session, player_id: int, hands: Hands) -> None:
    """Stores the player's hands in place of the ones before. Raises BadInput for a reach or a speed
    out of range.
    """
    check_hand(hands.hand)
    check_speed(hands.speed_mm_s)
    values = {
        "reach_mm": hands.hand.reach_mm,
        "school": hands.hand.school.value if hands.hand.school else "",
        "damping": hands.hand.damping.value,
        "picking": hands.picking.value,
        "measured": hands.measured,
        "speed_mm_s": hands.speed_mm_s,
        "changed_at": datetime.now(UTC),
    }
    new = insert(HandRow).values(player_id=player_id, **values)
    session.execute(new.on_conflict_do_update(index_elements=["player_id"], set_=values))


def add_recalls(session: Session, player_id: int, answers: list[Recalled]) -> None:
    """Keeps the answers of one drill."""
    now = datetime.now(UTC)
    session.add_all(
        RecallRow(
            player_id=player_id,
            root=answer.call.root,
            string=answer.call.string,
            right=answer.right,
            recall_ms=answer.recall_ms,
            created_at=now,
        )
        for answer in answers
    )
    session.flush()


@dataclass(frozen=True, slots=True)
class Recall:
    """How a chord is recalled: of the last answers, how many were right, and the middle time of
    those, None without one.
    """

    asked: int
    right: int
    recall_ms: float | None


def recalls_of(session: Session, player_id: int) -> dict[Call, Recall]:
    """Every chord that was called, by its last ten answers."""
    number = sa.func.row_number().over(
        partition_by=(col(RecallRow.root), col(RecallRow.string)),
        order_by=col(RecallRow.id).desc(),
    )
    latest = (
        sa.select(
            col(RecallRow.root),
            col(RecallRow.string),
            col(RecallRow.right),
            col(RecallRow.recall_ms),
            number.label("number"),
        )
        .where(col(RecallRow.player_id) == player_id)
        .subquery()
    )
    right = latest.c.right.is_(True)
    query = (
        sa.select(
            latest.c.root,
            latest.c.string,
            sa.func.count(),
            sa.func.count().filter(right),
            sa.func.percentile_cont(0.5).within_group(latest.c.recall_ms).filter(right),
        )
        .where(latest.c.number <= ANSWERS_COUNTED)
        .group_by(latest.c.root, latest.c.string)
    )
    return {
        Call(root, string): Recall(times_asked, good, ms)
        for root, string, times_asked, good, ms in session.execute(query)
    }


@dataclass(frozen=True, slots=True)
class PlayedTake:
    """What was played in a take: its riff, tempo, rig, and by hit index whether it was in time."""

    riff: Riff
    tempo_bpm: float
    rig_id: int | None
    in_time: list[tuple[int, bool]]


def latest_takes(session: Session, player_id: int) -> list[PlayedTake]:
    """The latest takes with their newest analysis, the newest first."""
    recent = (
        sa.select(col(ReadingRow.id), col(ReadingRow.take_id))
        .where(col(ReadingRow.player_id) == player_id, is_current())
        .order_by(col(ReadingRow.id).desc())
        .limit(LATEST_TAKES * READINGS_PER_TAKE)
        .subquery()
    )
    newest = (
        sa.select(sa.func.max(recent.c.id).label("id"), recent.c.take_id)
        .group_by(recent.c.take_id)
        .order_by(sa.func.max(recent.c.id).desc())
        .limit(LATEST_TAKES)
        .subquery()
    )
    query = (
        sa.select(newest.c.id, col(TakeRow.tempo_bpm), col(TakeRow.rig_id), RevisionRow)
        .join(TakeRow, col(TakeRow.id) == newest.c.take_id)
        .join(RevisionRow, col(RevisionRow.id) == col(TakeRow.revision_id))
        .where(col(TakeRow.player_id) == player_id)
        .order_by(newest.c.id.desc())
    )
    played = session.execute(query).all()
    in_time: dict[int, list[tuple[int, bool]]] = defaultdict(list)
    hits = select(HitRow.reading_id, HitRow.index, HitRow.in_time).where(
        HitRow.player_id == player_id,
        col(HitRow.reading_id).in_([reading_id for reading_id, *_ in played]),
        col(HitRow.in_time).is_not(None),
    )
    for reading_id, index, landed in session.exec(hits):
        in_time[reading_id].append((index, bool(landed)))
    out = []
    for reading_id, tempo_bpm, rig_id, row in played:
        riff = revision_from(row).riff
        tempo = float(tempo_bpm or riff.tempo_bpm)
        out.append(PlayedTake(riff, tempo, rig_id, in_time[reading_id]))
    return out

"""Who lets whom in, and what was looked at."""

from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from enum import StrEnum

import sqlalchemy as sa
from sqlalchemy.dialects.postgresql import insert
from sqlmodel import Session, col, select

from thrumble.core.errors import BadInput, NotFound
from thrumble.store.players import players
from thrumble.store.players.players import Player
from thrumble.store.players.tables import PlayerRow
from thrumble.store.teaching.tables import LessonEventRow, LessonRow

GONE = "this pupil isn't here: they may have ended the lessons"
EVENTS = 100
MAX_TEACHERS = 20
DELETED = "A teacher who was deleted"
SAME_LOOK = timedelta(minutes=10)


class EventKind(StrEnum):
    """The kinds of event in the pupil's list of accesses."""

    LET_IN = "let in"
    WITHDRAWN = "withdrawn"
    LOOKED = "looked"
    WROTE = "wrote"


@dataclass(frozen=True, slots=True)
class Event:
    """A line of the list of accesses."""

    teacher: str
    kind: EventKind
    words: str
    at: datetime


def let_in(session: Session, pupil_id: int, teacher: Player) -> None:
    """A pupil lets a teacher in. Raises BadInput for too many, for the pupil, or for the sample."""
    if teacher.id == pupil_id or teacher.is_sample:
        raise BadInput("choose another player as your teacher")
    if len(teachers_of(session, pupil_id)) >= MAX_TEACHERS:
        raise BadInput(
            f"{MAX_TEACHERS} teachers can look at one player's takes: withdraw one first"
        )
    new = insert(LessonRow).values(
        pupil_id=pupil_id, teacher_id=teacher.id, created_at=datetime.now(UTC)
    )
    added = session.execute(new.on_conflict_do_nothing().returning(col(LessonRow.id))).first()
    if added is not None:
        note(session, pupil_id, teacher, EventKind.LET_IN, "may look at takes and their results")


def withdraw(session: Session, pupil_id: int, teacher_id: int) -> None:
    """From now on the teacher sees nothing of the pupil's any more."""
    for player_id in sorted({teacher_id, pupil_id}):
        players.lock(session, player_id)
    gone = session.execute(
        sa.delete(LessonRow)
        .where(col(LessonRow.pupil_id) == pupil_id, col(LessonRow.teacher_id) == teacher_id)
        .returning(col(LessonRow.id))
    )
    if gone.first() is not None:
        teacher = players.get_player(session, teacher_id)
        note(session, pupil_id, teacher, EventKind.WITHDRAWN, "sees nothing any more")


def teachers_of(session: Session, pupil_id: int) -> list[Player]:
    """Whom a pupil lets in, by name."""
    ids = select(LessonRow.teacher_id).where(LessonRow.pupil_id == pupil_id)
    return [players.get_player(session, teacher_id) for teacher_id in session.exec(ids)]


def pupils_of(session: Session, teacher_id: int) -> list[Player]:
    """Who lets this teacher in."""
    ids = set(session.exec(select(LessonRow.pupil_id).where(LessonRow.teacher_id == teacher_id)))
    return [player for player in players.all_players(session) if player.id in ids]


def has_pupils(session: Session, player_id: int) -> bool:
    """Whether anyone lets this player in."""
    query = select(LessonRow.id).where(LessonRow.teacher_id == player_id).limit(1)
    return session.exec(query).first() is not None


def get_pupil(session: Session, teacher_id: int, pupil_id: int, *, lock: bool = False) -> Player:
    """A pupil of this teacher, or the player themselves, who sees what a teacher sees. `lock`: the
    consent can't be withdrawn before the transaction ends. Raises NotFound, the same for a player
    who doesn't let them in as for one who isn't there.
    """
    if lock:  # players before what hangs on them, as deleting a player does
        for player_id in sorted({teacher_id, pupil_id}):
            players.lock(session, player_id)
    if teacher_id != pupil_id:
        query = select(LessonRow.id).where(
            LessonRow.teacher_id == teacher_id, LessonRow.pupil_id == pupil_id
        )
        if session.exec(query.with_for_update() if lock else query).first() is None:
            raise NotFound(GONE)
    return players.get_player(session, pupil_id)


def note(session: Session, pupil_id: int, teacher: Player, kind: EventKind, words: str) -> None:
    """Adds a line to the pupil's list of accesses."""
    session.add(
        LessonEventRow(
            pupil_id=pupil_id,
            teacher_id=teacher.id,
            teacher_name=teacher.name,
            kind=kind,
            words=words[:200],
            created_at=datetime.now(UTC),
        )
    )
    session.flush()


def note_looks(session: Session, pupil_ids: list[int], teacher: Player, words: str) -> None:
    """Adds a line for each pupil, unless there is the same from the last ten minutes."""
    row = LessonEventRow
    query = select(row.pupil_id).where(
        col(row.pupil_id).in_(pupil_ids),
        row.teacher_id == teacher.id,
        row.kind == EventKind.LOOKED,
        row.words == words[:200],
        col(row.created_at) > datetime.now(UTC) - SAME_LOOK,
    )
    noted = set(session.exec(query))
    for pupil_id in pupil_ids:
        if pupil_id not in noted and pupil_id != teacher.id:
            note(session, pupil_id, teacher, EventKind.LOOKED, words)


def forget_teacher(session: Session, teacher_id: int) -> None:
    """Takes a teacher's name out of their pupils' lists, before the teacher is deleted; that
    somebody looked stays.
    """
    session.execute(
        sa.update(LessonEventRow)
        .where(col(LessonEventRow.teacher_id) == teacher_id)
        .values(teacher_name=DELETED)
    )


def events_of(session: Session, pupil_id: int, *, page: int = 1) -> list[Event]:
    """The list of accesses, the newest first."""
    query = (
        sa.select(LessonEventRow, col(PlayerRow.name))
        .outerjoin(PlayerRow, col(PlayerRow.id) == col(LessonEventRow.teacher_id))
        .where(col(LessonEventRow.pupil_id) == pupil_id)
        .order_by(col(LessonEventRow.id).desc())
        .offset((page - 1) * EVENTS)
        .limit(EVENTS)
    )
    return [
        Event(name or row.teacher_name, EventKind(row.kind), row.words, row.created_at)
        for row, name in session.execute(query)
    ]


def count_events(session: Session, pupil_id: int) -> int:
    """How many lines the list has."""
    query = select(sa.func.count()).where(col(LessonEventRow.pupil_id) == pupil_id)
    return session.exec(query).one()

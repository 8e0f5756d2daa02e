"""What teachers want practised, and how far it has come."""

from dataclasses import dataclass
from datetime import UTC, date, datetime
from typing import Any

import sqlalchemy as sa
from sqlmodel import Session, col, select

from thrumble.core.coach.planning.assignments import Assignment
from thrumble.core.errors import BadInput, NotFound
from thrumble.core.riff.drills.catalogue import DrillKind
from thrumble.store.players.players import Player
from thrumble.store.players.tables import PlayerRow
from thrumble.store.practice.rounds import is_newest
from thrumble.store.practice.tables import LoadRow, RoundRow
from thrumble.store.riffs.tables import RevisionRow, RiffRow
from thrumble.store.takes.tables import ReadingRow, TakeRow
from thrumble.store.teaching.tables import AssignmentRow

MAX_OPEN = 50


@dataclass(frozen=True, slots=True, kw_only=True)
class Assigning:
    """A new assignment. `riff_id`: the pupil's; `source`: the teacher's riff and its revision, if
    it was copied from there.
    """

    riff_id: int
    source: tuple[int, int] | None = None
    drill: DrillKind | None = None
    goal_bpm: float | None = None
    due: date | None = None
    words: str = ""
    day: date


def add_assignment(session: Session, pupil_id: int, teacher: Player, new: Assigning) -> int:
    """Returns its number. Raises BadInput for too many of them."""
    count = session.exec(
        select(sa.func.count()).where(col(AssignmentRow.pupil_id) == pupil_id)
    ).one()
    if count >= MAX_OPEN:
        raise BadInput(f"a pupil has {MAX_OPEN} assignments at most: take one back first")
    row = AssignmentRow(
        pupil_id=pupil_id,
        teacher_id=teacher.id,
        riff_id=new.riff_id,
        source_riff_id=None if new.source is None else new.source[0],
        source_revision_id=None if new.source is None else new.source[1],
        drill_kind="" if new.drill is None else new.drill.value,
        goal_bpm=new.goal_bpm,
        due=new.due,
        words=new.words,
        day=new.day,
        created_at=datetime.now(UTC),
    )
    session.add(row)
    session.flush()
    assert row.id is not None
    return row.id


def delete_assignment(session: Session, pupil_id: int, teacher_id: int, number: int) -> None:
    """Takes an assignment back; the riff stays. Raises NotFound."""
    gone = session.execute(
        sa.delete(AssignmentRow)
        .where(
            col(AssignmentRow.id) == number,
            col(AssignmentRow.pupil_id) == pupil_id,
            col(AssignmentRow.teacher_id) == teacher_id,
        )
        .returning(col(AssignmentRow.id))
    )
    if gone.first() is None:
        raise NotFound("this assignment isn't there any more: reload the page")


def assignments_of(session: Session, pupil_ids: list[int]) -> dict[int, list[Assignment]]:
    """Every pupil's assignments with how far they have come, those due first."""
    row = AssignmentRow
    title = (
        sa.select(col(RevisionRow.title))
        .where(col(RevisionRow.riff_id) == col(row.riff_id))
        .order_by(col(RevisionRow.number).desc())
        .limit(1)
        .scalar_subquery()
    )
    newer = (
        sa.select(sa.func.max(col(RevisionRow.id)))
        .where(col(RevisionRow.riff_id) == col(row.source_riff_id))
        .scalar_subquery()
    )
    played = (
        sa.select(sa.func.sum(col(LoadRow.seconds)))
        .join(ReadingRow, col(ReadingRow.id) == col(LoadRow.reading_id))
        .join(TakeRow, col(TakeRow.id) == col(ReadingRow.take_id))
        .where(
            col(LoadRow.player_id) == col(row.pupil_id),
            col(LoadRow.day) >= col(row.day),
            is_newest(),
            col(TakeRow.created_at) > col(row.created_at),
            col(LoadRow.riff_id).in_(
                sa.select(col(RiffRow.id)).where(
                    (col(RiffRow.id) == col(row.riff_id))
                    | (col(RiffRow.drill_of) == col(row.riff_id))
                )
            ),
        )
        .scalar_subquery()
    )
    best = (
        sa.select(sa.func.max(col(RoundRow.tempo_bpm)))
        .join(ReadingRow, col(ReadingRow.id) == col(RoundRow.reading_id))
        .join(TakeRow, col(TakeRow.id) == col(ReadingRow.take_id))
        .where(
            col(RoundRow.player_id) == col(row.pupil_id),
            col(RoundRow.riff_id) == col(row.riff_id),
            col(RoundRow.section) == "",
            col(RoundRow.day) >= col(row.day),
            col(RoundRow.clean),
            is_newest(),
            col(TakeRow.created_at) > col(row.created_at),
        )
        .scalar_subquery()
    )
    query: Any = (
        sa.select(row, title, newer, played, best, col(PlayerRow.name))
        .join(PlayerRow, col(PlayerRow.id) == col(row.teacher_id))
        .where(col(row.pupil_id).in_(pupil_ids))
        .order_by(col(row.due).asc().nulls_last(), col(row.id))
    )
    by_pupil: dict[int, list[Assignment]] = {pupil_id: [] for pupil_id in pupil_ids}
    for stored, name, newest, seconds, best_bpm, teacher in session.execute(query):
        by_pupil[stored.pupil_id].append(
            Assignment(
                id=stored.id,
                riff_id=stored.riff_id,
                title=name or "",
                teacher_id=stored.teacher_id,
                teacher=teacher,
                drill=DrillKind(stored.drill_kind) if stored.drill_kind else None,
                goal_bpm=stored.goal_bpm,
                due=stored.due,
                words=stored.words,
                day=stored.day,
                played_s=seconds or 0.0,
                best_bpm=best_bpm,
                newer_revision=newest
                if newest is not None
                and stored.source_revision_id is not None
                and newest > stored.source_revision_id
                else None,
                source_riff_id=stored.source_riff_id,
            )
        )
    return by_pupil


def copied_riff(session: Session, pupil_id: int, source_riff_id: int) -> int | None:
    """The pupil's riff that was copied from a teacher's before; None if there is none."""
    query = (
        select(AssignmentRow.riff_id)
        .where(AssignmentRow.pupil_id == pupil_id, AssignmentRow.source_riff_id == source_riff_id)
        .limit(1)
    )
    return session.exec(query).first()


def note_version(session: Session, pupil_id: int, source_riff_id: int, revision_id: int) -> None:
    """The pupil has taken this revision of the teacher's riff over."""
    session.execute(
        sa.update(AssignmentRow)
        .where(
            col(AssignmentRow.pupil_id) == pupil_id,
            col(AssignmentRow.source_riff_id) == source_riff_id,
        )
        .values(source_revision_id=revision_id)
    )

"""Tables of lessons."""

from datetime import date, datetime
from typing import Any

import sqlalchemy as sa
from sqlmodel import Column, Field, SQLModel

from thrumble.store.columns import maybe_column, moment_column, parent_column, player_column


def _maybe_riff() -> Any:
    return maybe_column("riff")


class LessonRow(SQLModel, table=True):
    """A pupil lets a teacher in; withdrawn, the row goes."""

    __tablename__ = "lesson"
    __table_args__ = (
        sa.UniqueConstraint("pupil_id", "teacher_id"),
        sa.CheckConstraint("pupil_id <> teacher_id", name="lesson_of_two"),
    )
    id: int | None = Field(default=None, primary_key=True)
    pupil_id: int = parent_column("player")
    teacher_id: int = parent_column("player")
    created_at: datetime = moment_column()


class LessonEventRow(SQLModel, table=True):
    """What the pupil's list of accesses shows: let in, looked at, withdrawn."""

    __tablename__ = "lesson_event"
    id: int | None = Field(default=None, sa_column=Column(sa.BigInteger, primary_key=True))
    pupil_id: int = parent_column("player")
    teacher_id: int | None = maybe_column("player")
    teacher_name: str
    kind: str
    words: str
    created_at: datetime = moment_column()


class AssignmentRow(SQLModel, table=True):
    """What a teacher wants practised. `riff_id`: the pupil's own; `source_riff_id` and
    `source_revision_id`: the teacher's riff that it was copied from; `day`: when it was assigned.
    """

    __tablename__ = "assignment"
    id: int | None = Field(default=None, primary_key=True)
    pupil_id: int = parent_column("player")
    teacher_id: int = parent_column("player")
    riff_id: int = parent_column("riff")
    source_riff_id: int | None = _maybe_riff()
    source_revision_id: int | None = None
    drill_kind: str = ""
    goal_bpm: float | None = None
    due: date | None = Field(default=None, sa_column=Column(sa.Date, nullable=True))
    words: str = ""
    day: date = Field(sa_column=Column(sa.Date, nullable=False))
    created_at: datetime = moment_column()


class CommentRow(SQLModel, table=True):
    """Something said of a take, written or spoken. `player_id`: whose take it is; `author_id`: None
    if it came with an import; `hit`: round and index, as the strip marks it; `data`: FLAC.
    """

    __tablename__ = "comment"
    id: int | None = Field(default=None, primary_key=True)
    player_id: int = player_column()
    take_id: int = parent_column("take")
    author_id: int | None = Field(
        default=None,
        sa_column=Column(
            sa.Integer, sa.ForeignKey("player.id", ondelete="CASCADE"), nullable=True, index=True
        ),
    )
    author_name: str
    reply_to: int | None = Field(
        default=None,
        sa_column=Column(
            sa.Integer, sa.ForeignKey("comment.id", ondelete="CASCADE"), nullable=True, index=True
        ),
    )
    words: str
    bar: int | None = None
    hit: str = ""
    seconds: float | None = None
    data: bytes | None = None
    created_at: datetime = moment_column()

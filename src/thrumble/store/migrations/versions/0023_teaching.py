"""Teachers: who lets whom in and what they looked at, what they assign, what they say of takes."""

import sqlalchemy as sa
from alembic import op

revision = "0023"
down_revision = "0022"
branch_labels = None
depends_on = None


def _player(name: str, *, ondelete: str = "CASCADE", nullable: bool = False) -> sa.Column:
    return sa.Column(
        name,
        sa.Integer(),
        sa.ForeignKey("player.id", ondelete=ondelete),
        nullable=nullable,
        index=True,
    )


def _moment(name: str) -> sa.Column:
    return sa.Column(name, sa.DateTime(timezone=True), nullable=False)


def upgrade() -> None:
    op.create_table(
        "lesson",
        sa.Column("id", sa.Integer(), primary_key=True),
        _player("pupil_id"),
        _player("teacher_id"),
        _moment("created_at"),
        sa.UniqueConstraint("pupil_id", "teacher_id"),
        sa.CheckConstraint("pupil_id <> teacher_id", name="lesson_of_two"),
    )
    op.create_table(
        "lesson_event",
        sa.Column("id", sa.BigInteger(), primary_key=True),
        _player("pupil_id"),
        _player("teacher_id", ondelete="SET NULL", nullable=True),
        sa.Column("teacher_name", sa.String(), nullable=False),
        sa.Column("kind", sa.String(), nullable=False),
        sa.Column("words", sa.String(), nullable=False),
        _moment("created_at"),
    )
    op.create_table(
        "assignment",
        sa.Column("id", sa.Integer(), primary_key=True),
        _player("pupil_id"),
        _player("teacher_id"),
        sa.Column(
            "riff_id",
            sa.Integer(),
            sa.ForeignKey("riff.id", ondelete="CASCADE"),
            nullable=False,
            index=True,
        ),
        sa.Column(
            "source_riff_id",
            sa.Integer(),
            sa.ForeignKey("riff.id", ondelete="SET NULL"),
            nullable=True,
            index=True,
        ),
        sa.Column("source_revision_id", sa.Integer(), nullable=True),
        sa.Column("drill_kind", sa.String(), nullable=False, server_default=""),
        sa.Column("goal_bpm", sa.Float(), nullable=True),
        sa.Column("due", sa.Date(), nullable=True),
        sa.Column("words", sa.String(), nullable=False, server_default=""),
        sa.Column("day", sa.Date(), nullable=False),
        _moment("created_at"),
    )
    op.create_table(
        "comment",
        sa.Column("id", sa.Integer(), primary_key=True),
        _player("player_id"),
        sa.Column(
            "take_id",
            sa.Integer(),
            sa.ForeignKey("take.id", ondelete="CASCADE"),
            nullable=False,
            index=True,
        ),
        _player("author_id", nullable=True),
        sa.Column("author_name", sa.String(), nullable=False),
        sa.Column(
            "reply_to",
            sa.Integer(),
            sa.ForeignKey("comment.id", ondelete="CASCADE"),
            nullable=True,
            index=True,
        ),
        sa.Column("words", sa.String(), nullable=False),
        sa.Column("bar", sa.Integer(), nullable=True),
        sa.Column("hit", sa.String(), nullable=False, server_default=""),
        sa.Column("seconds", sa.Float(), nullable=True),
        sa.Column("data", sa.LargeBinary(), nullable=True),
        _moment("created_at"),
    )


def downgrade() -> None:
    for table in ("comment", "assignment", "lesson_event", "lesson"):
        op.drop_table(table)

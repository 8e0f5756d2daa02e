"""Drills as riffs that name the riff they were made from; rounds, for the coach's figures."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None

OWNERS = {"riff_id": "riff", "before_take": "take", "after_take": "take"}
FIGURES = ("before", "after", "change", "low", "high")


def upgrade() -> None:
    ladder = sa.Column("ladder", sa.String(), nullable=False, server_default="evidence")
    op.add_column("hand", ladder)
    minutes = sa.Column("minutes", sa.Integer(), nullable=False, server_default="20")
    op.add_column("hand", minutes)
    op.add_column("riff", sa.Column("drill_of", sa.Integer(), nullable=True))
    op.create_foreign_key(
        "riff_drill_of_fkey",
        "riff",
        "riff",
        ["player_id", "drill_of"],
        ["player_id", "id"],
        ondelete="CASCADE",
    )
    op.create_index("ix_riff_drill_of", "riff", ["drill_of"])
    for name in ("drill_kind", "drill_bars"):
        op.add_column("riff", sa.Column(name, sa.String(), nullable=False, server_default=""))
    op.create_table(
        "round",
        sa.Column("id", sa.BigInteger(), primary_key=True),
        sa.Column(
            "player_id",
            sa.Integer(),
            sa.ForeignKey("player.id", ondelete="CASCADE"),
            nullable=False,
            index=True,
        ),
        sa.Column("reading_id", sa.Integer(), nullable=False, index=True),
        sa.Column("riff_id", sa.Integer(), nullable=False, index=True),
        sa.Column("section", sa.String(), nullable=False),
        sa.Column("round", sa.Integer(), nullable=False),
        sa.Column("day", sa.Date(), nullable=False),
        sa.Column("tempo_bpm", sa.Float(), nullable=False),
        sa.Column("seconds", sa.Float(), nullable=False),
        sa.Column("hits", sa.Integer(), nullable=False),
        sa.Column("clean", sa.Boolean(), nullable=False),
        sa.Column("timing", sa.Boolean(), nullable=True),
        sa.Column("muting", sa.Boolean(), nullable=True),
        sa.Column("stops", sa.Boolean(), nullable=True),
        sa.ForeignKeyConstraint(
            ["player_id", "reading_id"], ["reading.player_id", "reading.id"], ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(
            ["player_id", "riff_id"], ["riff.player_id", "riff.id"], ondelete="CASCADE"
        ),
    )
    op.create_index("round_of_riff", "round", ["player_id", "riff_id", "section", "day"])
    op.create_table(
        "helped",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column(
            "player_id",
            sa.Integer(),
            sa.ForeignKey("player.id", ondelete="CASCADE"),
            nullable=False,
            index=True,
        ),
        *(sa.Column(name, sa.Integer(), nullable=False, index=True) for name in OWNERS),
        sa.Column("drill_kind", sa.String(), nullable=False),
        sa.Column("measure", sa.String(), nullable=False),
        sa.Column("hits", sa.Integer(), nullable=False),
        *(sa.Column(name, sa.Float(), nullable=True) for name in FIGURES),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        *(
            sa.ForeignKeyConstraint(
                ["player_id", column], [f"{of}.player_id", f"{of}.id"], ondelete="CASCADE"
            )
            for column, of in OWNERS.items()
        ),
        sa.UniqueConstraint("after_take", "drill_kind"),
    )
    op.create_table(
        "comfort",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column(
            "player_id",
            sa.Integer(),
            sa.ForeignKey("player.id", ondelete="CASCADE"),
            nullable=False,
            index=True,
        ),
        sa.Column("day", sa.Date(), nullable=False),
        sa.Column("at_when", sa.String(), nullable=False),
        sa.Column("score", sa.Integer(), nullable=False),
        sa.Column("areas", postgresql.ARRAY(sa.Text()), nullable=False, server_default="{}"),
        sa.Column("numb", sa.Boolean(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("zone", sa.String(), nullable=False),
        sa.CheckConstraint("score between 0 and 10", name="comfort_score"),
    )


def downgrade() -> None:
    op.drop_table("comfort")
    op.drop_column("hand", "minutes")
    op.drop_column("hand", "ladder")
    op.drop_table("helped")
    op.drop_table("round")
    op.drop_index("ix_riff_drill_of", "riff")
    op.drop_constraint("riff_drill_of_fkey", "riff")
    for name in ("drill_bars", "drill_kind", "drill_of"):
        op.drop_column("riff", name)

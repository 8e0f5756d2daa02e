"""A player's fretting hand, and what became of every chord called in the recall drill."""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    owner = sa.ForeignKey("player.id", ondelete="CASCADE")
    op.create_table(
        "hand",
        sa.Column("player_id", sa.Integer(), owner, primary_key=True),
        sa.Column("reach_mm", sa.Float(), nullable=False),
        sa.Column("school", sa.String(), nullable=False),
        sa.Column("damping", sa.String(), nullable=False),
        sa.Column("picking", sa.String(), nullable=False),
        sa.Column("measured", sa.Boolean(), nullable=False),
        sa.Column("changed_at", sa.DateTime(timezone=True), nullable=False),
        sa.CheckConstraint("reach_mm between 60 and 220", name="hand_reach"),
    )
    op.create_table(
        "recall",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column(
            "player_id",
            sa.Integer(),
            sa.ForeignKey("player.id", ondelete="CASCADE"),
            nullable=False,
            index=True,
        ),
        sa.Column("root", sa.Integer(), nullable=False),
        sa.Column("string", sa.Integer(), nullable=False),
        sa.Column("right", sa.Boolean(), nullable=True),
        sa.Column("recall_ms", sa.Float(), nullable=True),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.CheckConstraint("root between 0 and 11", name="recall_root"),
    )


def downgrade() -> None:
    op.drop_table("recall")
    op.drop_table("hand")

"""Which takes' sound stays: the player's rule, and since when a take has none."""

import sqlalchemy as sa
from alembic import op

revision = "0014"
down_revision = "0013"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("take", sa.Column("let_go_at", sa.DateTime(timezone=True), nullable=True))
    op.create_table(
        "keeping",
        sa.Column(
            "player_id",
            sa.Integer(),
            sa.ForeignKey("player.id", ondelete="CASCADE"),
            primary_key=True,
        ),
        sa.Column("tidy", sa.Boolean(), nullable=False),
        sa.Column("last", sa.Integer(), nullable=False),
        sa.Column("days", sa.Integer(), nullable=False),
        sa.Column("limit_gb", sa.Float(), nullable=True),
    )


def downgrade() -> None:
    op.drop_table("keeping")
    op.drop_column("take", "let_go_at")

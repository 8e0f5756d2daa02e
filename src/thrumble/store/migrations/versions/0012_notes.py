"""What the player notes of a take."""

import sqlalchemy as sa
from alembic import op

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None

FIELDS = ("pick", "palm", "fingers", "tried", "words")


def upgrade() -> None:
    op.create_table(
        "note",
        sa.Column("take_id", sa.Integer(), primary_key=True),
        sa.Column(
            "player_id",
            sa.Integer(),
            sa.ForeignKey("player.id", ondelete="CASCADE"),
            nullable=False,
            index=True,
        ),
        *(sa.Column(name, sa.String(), nullable=False, server_default="") for name in FIELDS),
        sa.Column("starred", sa.Boolean(), nullable=False, server_default="false"),
        sa.ForeignKeyConstraint(
            ["player_id", "take_id"], ["take.player_id", "take.id"], ondelete="CASCADE"
        ),
    )


def downgrade() -> None:
    op.drop_table("note")

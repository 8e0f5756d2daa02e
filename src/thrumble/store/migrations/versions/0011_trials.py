"""Fair trials: two ways, their order, and the take of every turn."""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None


def _player() -> sa.Column[int]:
    return sa.Column(
        "player_id",
        sa.Integer(),
        sa.ForeignKey("player.id", ondelete="CASCADE"),
        nullable=False,
        index=True,
    )


def upgrade() -> None:
    op.create_table(
        "trial",
        sa.Column("id", sa.Integer(), primary_key=True),
        _player(),
        sa.Column("riff_id", sa.Integer(), nullable=False, index=True),
        sa.Column("way_a", sa.String(), nullable=False),
        sa.Column("way_b", sa.String(), nullable=False),
        sa.Column("pairs", sa.Integer(), nullable=False),
        sa.Column("turns", sa.String(), nullable=False),
        sa.Column("tempo_bpm", sa.Float(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(
            ["player_id", "riff_id"], ["riff.player_id", "riff.id"], ondelete="CASCADE"
        ),
        sa.UniqueConstraint("player_id", "id"),
    )
    op.create_table(
        "trial_turn",
        sa.Column("trial_id", sa.Integer(), primary_key=True),
        sa.Column("number", sa.Integer(), primary_key=True),
        _player(),
        sa.Column("take_id", sa.Integer(), nullable=False, unique=True),
        sa.ForeignKeyConstraint(
            ["player_id", "trial_id"], ["trial.player_id", "trial.id"], ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(
            ["player_id", "take_id"], ["take.player_id", "take.id"], ondelete="CASCADE"
        ),
    )


def downgrade() -> None:
    op.drop_table("trial_turn")
    op.drop_table("trial")

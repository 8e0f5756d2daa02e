"""Several players on one machine: whose data is a sample, who played last, and a key that goes with
a player from one installation to another.
"""

import sqlalchemy as sa
from alembic import op

revision = "0021"
down_revision = "0020"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column(
        "player",
        sa.Column("is_sample", sa.Boolean(), nullable=False, server_default=sa.false()),
    )
    op.add_column("player", sa.Column("used_at", sa.DateTime(timezone=True), nullable=True))
    op.add_column(
        "player",
        sa.Column("key", sa.Uuid(), nullable=False, server_default=sa.text("gen_random_uuid()")),
    )
    op.create_unique_constraint("player_key_key", "player", ["key"])


def downgrade() -> None:
    op.drop_column("player", "key")
    op.drop_column("player", "used_at")
    op.drop_column("player", "is_sample")

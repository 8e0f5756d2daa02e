"""What an import left out stays with its revision; when a take was played may be unknown.

Audio deleted by the storage rule now stays until it is purged. What was deleted before is gone: its
size is 0 already.
"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0016"
down_revision = "0015"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("revision", sa.Column("left_out", JSONB(), nullable=True))
    op.add_column(
        "take",
        sa.Column("time_unknown", sa.Boolean(), nullable=False, server_default=sa.false()),
    )


def downgrade() -> None:
    op.drop_column("take", "time_unknown")
    op.drop_column("revision", "left_out")

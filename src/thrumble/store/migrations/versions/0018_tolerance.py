"""The player's own tolerance, and the one that each analysis was judged with."""

import sqlalchemy as sa
from alembic import op

revision = "0018"
down_revision = "0017"
branch_labels = None
depends_on = None


def upgrade() -> None:
    for table in ("practice", "reading"):
        op.add_column(
            table, sa.Column("tolerance_ms", sa.Float(), nullable=False, server_default="20")
        )


def downgrade() -> None:
    for table in ("reading", "practice"):
        op.drop_column(table, "tolerance_ms")

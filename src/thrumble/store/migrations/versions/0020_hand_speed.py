"""How fast the player's hand moves, if they say so themselves."""

import sqlalchemy as sa
from alembic import op

revision = "0020"
down_revision = "0019"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("hand", sa.Column("speed_mm_s", sa.Float(), nullable=True))


def downgrade() -> None:
    op.drop_column("hand", "speed_mm_s")

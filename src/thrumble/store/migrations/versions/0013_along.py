"""What was to be heard while a take was played."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0013"
down_revision = "0012"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("take", sa.Column("along", postgresql.JSONB(), nullable=True))


def downgrade() -> None:
    op.drop_column("take", "along")

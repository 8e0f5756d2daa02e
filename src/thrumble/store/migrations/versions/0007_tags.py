"""Riffs carry tags."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None


def upgrade() -> None:
    tags = sa.Column("tags", postgresql.ARRAY(sa.Text()), nullable=False, server_default="{}")
    op.add_column("riff", tags)
    op.create_index("riff_tags", "riff", ["tags"], postgresql_using="gin")


def downgrade() -> None:
    op.drop_index("riff_tags", "riff")
    op.drop_column("riff", "tags")

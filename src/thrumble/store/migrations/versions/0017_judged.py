"""What SQL needs of a take's judgement, with each hit; and by which rules a reading was judged. Old
rows are filled in the background.
"""

import sqlalchemy as sa
from alembic import op

revision = "0017"
down_revision = "0016"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("hit", sa.Column("late_ms", sa.Float(), nullable=True))
    op.add_column("hit", sa.Column("in_time", sa.Boolean(), nullable=True))
    op.add_column("hit", sa.Column("as_judged", sa.String(), nullable=True))
    op.add_column(
        "reading", sa.Column("judged_by", sa.Integer(), nullable=False, server_default="0")
    )


def downgrade() -> None:
    op.drop_column("reading", "judged_by")
    for name in ("as_judged", "in_time", "late_ms"):
        op.drop_column("hit", name)

"""Sound checks: what was asked of a take and what was heard, hit by hit; examples that come from
them.
"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0015"
down_revision = "0014"
branch_labels = None
depends_on = None


def _of(table: str, ondelete: str, *, nullable: bool = False) -> sa.Column[int]:
    return sa.Column(
        f"{table}_id",
        sa.Integer(),
        sa.ForeignKey(f"{table}.id", ondelete=ondelete),
        nullable=nullable,
        index=True,
    )


def upgrade() -> None:
    op.create_table(
        "proof",
        sa.Column("id", sa.Integer(), primary_key=True),
        _of("player", "CASCADE"),
        _of("take", "CASCADE"),
        _of("tone", "SET NULL", nullable=True),
        sa.Column("engine", sa.String(), nullable=False),
        sa.Column("hits", JSONB(), nullable=False),
        sa.Column("struck", JSONB(), nullable=False),
        sa.Column("examples", JSONB(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.UniqueConstraint("take_id"),
    )
    _origins("'finder', 'correction', 'check'")


def _origins(origins: str) -> None:
    op.drop_constraint("example_origin_known", "example")
    op.create_check_constraint("example_origin_known", "example", f"origin in ({origins})")


def downgrade() -> None:
    op.drop_table("proof")
    op.execute("delete from example where origin = 'check'")
    _origins("'finder', 'correction'")

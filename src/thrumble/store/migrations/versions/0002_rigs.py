"""Rigs with their tones, calibrations and examples; corrections of hits; takes remember what they
were played on.
"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def _id() -> sa.Column:
    return sa.Column("id", sa.Integer, primary_key=True)


def _parent(table: str, *, nullable: bool = False, ondelete: str = "CASCADE") -> sa.Column:
    return sa.Column(
        f"{table}_id",
        sa.Integer,
        sa.ForeignKey(f"{table}.id", ondelete=ondelete),
        nullable=nullable,
        index=True,
    )


def _moment() -> sa.Column:
    return sa.Column("created_at", sa.DateTime(timezone=True), nullable=False)


def _text(name: str, *, nullable: bool = False) -> sa.Column:
    return sa.Column(name, sa.Text, nullable=nullable)


def upgrade() -> None:
    op.create_table(
        "rig",
        _id(),
        _parent("player"),
        _text("name"),
        sa.Column("tuning", JSONB, nullable=False),
        sa.Column("capo", sa.Integer, nullable=False),
        sa.Column("scale_mm", sa.Float, nullable=False),
        sa.Column("left_handed", sa.Boolean, nullable=False),
        _text("chain"),
        _moment(),
    )
    op.create_table(
        "tone",
        _id(),
        _parent("player"),
        _parent("rig"),
        _text("name"),
        _text("sound"),
        sa.Column("level", JSONB),
        _moment(),
        sa.UniqueConstraint("rig_id", "name"),
    )
    op.create_table(
        "calibration",
        _id(),
        _parent("player"),
        _text("browser"),
        _text("device"),
        sa.Column("rate_hz", sa.Integer, nullable=False),
        _text("kind"),
        sa.Column("delay_ms", sa.Float, nullable=False),
        sa.Column("repeat_ms", sa.Float, nullable=False),
        sa.Column("spread_ms", sa.Float),
        sa.Column("openings_ms", JSONB, nullable=False),
        _moment(),
    )
    op.create_table(
        "example",
        _id(),
        _parent("player"),
        _parent("tone"),
        _text("kind"),
        sa.Column("rate_hz", sa.Integer, nullable=False),
        sa.Column("depth", sa.Float, nullable=False),
        _text("origin"),
        sa.Column("data", sa.LargeBinary, nullable=False),
        _moment(),
    )
    op.create_table(
        "correction",
        _id(),
        _parent("player"),
        _parent("take"),
        sa.Column("index", sa.Integer, nullable=False),
        sa.Column("round", sa.Integer, nullable=False),
        _text("articulation"),
        _text("heard"),
        _parent("example", nullable=True, ondelete="SET NULL"),
        _moment(),
        sa.UniqueConstraint("take_id", "index", "round"),
    )
    op.add_column("take", _parent("rig", nullable=True, ondelete="SET NULL"))
    op.add_column("take", _parent("tone", nullable=True, ondelete="SET NULL"))
    op.add_column("take", _parent("calibration", nullable=True, ondelete="SET NULL"))
    op.add_column("take", sa.Column("delay_spread_ms", sa.Float))


def downgrade() -> None:
    for name in ("delay_spread_ms", "calibration_id", "tone_id", "rig_id"):
        op.drop_column("take", name)
    for table in ("correction", "example", "calibration", "tone", "rig"):
        op.drop_table(table)

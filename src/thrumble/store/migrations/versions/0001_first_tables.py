"""First tables, and the schema of the job queue."""

from pathlib import Path

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None

# as the queue's library had it when this was written: a migration gives the same tables whatever is
# installed
QUEUE = Path(__file__).parents[1] / "queue-3.10.0.sql"
STATES = ("recording", "queued", "reading", "read", "failed")


def _id() -> sa.Column:
    return sa.Column("id", sa.Integer, primary_key=True)


def _player() -> sa.Column:
    return sa.Column(
        "player_id",
        sa.Integer,
        sa.ForeignKey("player.id", ondelete="CASCADE"),
        nullable=False,
        index=True,
    )


def _parent(table: str) -> sa.Column:
    return sa.Column(
        f"{table}_id",
        sa.Integer,
        sa.ForeignKey(f"{table}.id", ondelete="CASCADE"),
        nullable=False,
        index=True,
    )


def _moment() -> sa.Column:
    return sa.Column("created_at", sa.DateTime(timezone=True), nullable=False)


def _text(name: str, *, nullable: bool = False) -> sa.Column:
    return sa.Column(name, sa.Text, nullable=nullable)


def _number(name: str) -> sa.Column:
    return sa.Column(name, sa.Float)


def upgrade() -> None:
    op.create_table("installation", sa.Column("key", sa.Text, primary_key=True), _text("value"))
    op.create_table("player", _id(), _text("name"), _moment())
    op.create_table("riff", _id(), _player(), _moment())
    op.create_table(
        "revision",
        _id(),
        _player(),
        _parent("riff"),
        sa.Column("number", sa.Integer, nullable=False),
        _text("title"),
        sa.Column("tempo_bpm", sa.Numeric, nullable=False),
        sa.Column("document", JSONB, nullable=False),
        _text("source"),
        sa.Column("identities", JSONB, nullable=False),
        _moment(),
        sa.UniqueConstraint("riff_id", "number"),
    )
    op.create_table(
        "take",
        _id(),
        _player(),
        _parent("riff"),
        _parent("revision"),
        sa.Column("number", sa.Integer, nullable=False),
        sa.Column(
            "state",
            sa.Enum(*STATES, native_enum=False, create_constraint=True, name="take_state"),
            nullable=False,
        ),
        _text("source"),
        sa.Column("tempo_bpm", sa.Numeric),
        sa.Column("rounds", sa.Integer),
        sa.Column("start_frame", sa.BigInteger),
        sa.Column("rate_hz", sa.Integer),
        _number("delay_ms"),
        _text("file_name"),
        sa.Column("audio_bytes", sa.Integer, nullable=False),
        _text("audio_sha256"),
        sa.Column("beyond_full_scale", sa.Integer, nullable=False),
        sa.Column("recorder", JSONB),
        _text("problem"),
        _moment(),
        _text("zone"),
    )
    take = sa.Column(
        "take_id", sa.Integer, sa.ForeignKey("take.id", ondelete="CASCADE"), primary_key=True
    )
    op.create_table("audio", take, _player(), sa.Column("data", sa.LargeBinary, nullable=False))
    # sound does not compress further; kept out of line and as it is, it is read in half the time
    op.execute("alter table audio alter column data set storage external")
    take = sa.Column(
        "take_id", sa.Integer, sa.ForeignKey("take.id", ondelete="CASCADE"), primary_key=True
    )
    op.create_table(
        "chunk",
        take,
        sa.Column("first_frame", sa.BigInteger, primary_key=True),
        _player(),
        sa.Column("data", sa.LargeBinary, nullable=False),
    )
    op.create_table(
        "reading",
        _id(),
        _player(),
        _parent("take"),
        _text("engine"),
        sa.Column("document", JSONB, nullable=False),
        _text("verdict"),
        sa.Column("clean", sa.Integer, nullable=False),
        sa.Column("judged", sa.Integer, nullable=False),
        _moment(),
        sa.UniqueConstraint("take_id", "engine"),
    )
    op.create_table(
        "hit",
        sa.Column("id", sa.BigInteger, primary_key=True),
        _player(),
        _parent("reading"),
        sa.Column("round", sa.Integer, nullable=False),
        sa.Column("index", sa.Integer, nullable=False),
        _text("section"),
        sa.Column("bar_in_section", sa.Integer, nullable=False),
        _text("at"),
        sa.Column("appearance", sa.Integer, nullable=False),
        _text("state"),
        _text("expected_articulation"),
        _text("heard_articulation", nullable=True),
        _number("deviation_ms"),
        _number("relative_level_db"),
        _number("ring_s"),
        _number("stop_late_ms"),
    )
    with op.get_bind().connection.driver_connection.cursor() as cursor:
        cursor.execute(QUEUE.read_bytes())


def downgrade() -> None:
    raise NotImplementedError("there is nothing before the first tables; drop the database")

"""How a player practises, apart from the hands; the day's session; what each take asked of the
hands.
"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None

EVERY_DAY = "{0,1,2,3,4,5,6}"


def _player() -> sa.Column[int]:
    return sa.Column(
        "player_id",
        sa.Integer(),
        sa.ForeignKey("player.id", ondelete="CASCADE"),
        nullable=False,
        index=True,
    )


def upgrade() -> None:
    op.create_table(
        "practice",
        sa.Column(
            "player_id",
            sa.Integer(),
            sa.ForeignKey("player.id", ondelete="CASCADE"),
            primary_key=True,
        ),
        sa.Column("minutes", sa.Integer(), nullable=False),
        sa.Column(
            "weekdays", postgresql.ARRAY(sa.Integer()), nullable=False, server_default=EVERY_DAY
        ),
        sa.Column("begins_at", sa.Time(), nullable=False, server_default="18:00"),
        sa.Column("ladder", sa.String(), nullable=False),
        sa.Column("rise_percent", sa.Float(), nullable=False, server_default="10"),
        sa.Column("feed_key", sa.String(), nullable=True, unique=True),
        sa.Column("changed_at", sa.DateTime(timezone=True), nullable=False),
    )
    op.execute(
        "insert into practice (player_id, minutes, ladder, changed_at) "
        "select player_id, minutes, ladder, changed_at from hand"
    )
    op.drop_column("hand", "minutes")
    op.drop_column("hand", "ladder")
    op.create_table(
        "session",
        sa.Column(
            "player_id",
            sa.Integer(),
            sa.ForeignKey("player.id", ondelete="CASCADE"),
            primary_key=True,
        ),
        sa.Column("day", sa.Date(), primary_key=True),
        sa.Column("plan", postgresql.JSONB(), nullable=False),
        sa.Column("changed_at", sa.DateTime(timezone=True), nullable=False),
    )
    op.create_table(
        "load",
        sa.Column("reading_id", sa.Integer(), primary_key=True),
        _player(),
        sa.Column("riff_id", sa.Integer(), nullable=False),
        sa.Column("day", sa.Date(), nullable=False),
        sa.Column("tempo_bpm", sa.Float(), nullable=False),
        sa.Column("strokes", sa.Integer(), nullable=False),
        sa.Column("down", sa.Integer(), nullable=False),
        sa.Column("seconds", sa.Float(), nullable=False),
        sa.Column("run_strokes", sa.Integer(), nullable=False),
        sa.Column("run_s", sa.Float(), nullable=False),
        sa.Column("tired_s", sa.Float(), nullable=True),
        sa.Column("spread_ms", sa.Float(), nullable=True),
        sa.Column("level_db", sa.Float(), nullable=True),
        sa.Column("clean", sa.Integer(), nullable=False),
        sa.Column("judged", sa.Integer(), nullable=False),
        sa.Column("causes", postgresql.ARRAY(sa.Text()), nullable=False, server_default="{}"),
        sa.ForeignKeyConstraint(
            ["player_id", "reading_id"], ["reading.player_id", "reading.id"], ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(
            ["player_id", "riff_id"], ["riff.player_id", "riff.id"], ondelete="CASCADE"
        ),
    )
    op.create_index("load_of_day", "load", ["player_id", "day"])
    op.create_index("load_of_riff", "load", ["player_id", "riff_id", "day"])


def downgrade() -> None:
    op.drop_table("load")
    op.drop_table("session")
    minutes = sa.Column("minutes", sa.Integer(), nullable=False, server_default="20")
    op.add_column("hand", minutes)
    ladder = sa.Column("ladder", sa.String(), nullable=False, server_default="evidence")
    op.add_column("hand", ladder)
    op.execute(
        "update hand set minutes = practice.minutes, ladder = practice.ladder from practice "
        "where practice.player_id = hand.player_id"
    )
    op.drop_table("practice")

"""Nothing lost, nothing stuck: a browser's own key for each take, take numbers by the database,
sound in parts, tries, the signing secret apart.
"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None

RENUMBER = """
update take set number = counted.number
from (
  select id, row_number() over (partition by riff_id order by created_at, id) as number from take
) counted
where counted.id = take.id
  and take.riff_id in (select riff_id from take group by riff_id, number having count(*) > 1)
"""


def upgrade() -> None:
    # take numbers: two takes begun at the same moment could get the same one
    op.execute(RENUMBER)
    op.add_column(
        "riff", sa.Column("takes_numbered", sa.Integer, nullable=False, server_default="0")
    )
    op.execute(
        "update riff set takes_numbered = coalesce((select max(number) from take where "
        "take.riff_id = riff.id), 0)"
    )
    op.create_unique_constraint("take_riff_id_number_key", "take", ["riff_id", "number"])
    # what the browser calls a take before the server has heard of it: beginning it twice is
    # beginning it once
    op.add_column("take", sa.Column("client_key", sa.Text))
    op.create_unique_constraint(
        "take_player_id_client_key_key", "take", ["player_id", "client_key"]
    )
    op.add_column("take", sa.Column("tries", sa.Integer, nullable=False, server_default="0"))
    op.create_index(
        "take_newest", "take", ["player_id", sa.text("created_at desc"), sa.text("id desc")]
    )
    op.create_index("take_by_state", "take", ["player_id", "state"])
    # sound in parts, so that no process ever holds a whole file
    op.add_column("audio", sa.Column("part", sa.Integer, nullable=False, server_default="0"))
    op.drop_constraint("audio_pkey", "audio", type_="primary")
    op.create_primary_key("audio_pkey", "audio", ["take_id", "part"])
    op.execute("alter table chunk alter column data set storage external")
    op.create_index("reading_newest", "reading", ["take_id", sa.text("id desc")])
    op.add_column("reading", sa.Column("changed", JSONB))
    # the secret that signs cookies stays out of backups: a table of its own can be left out
    op.create_table(
        "signing",
        sa.Column("key", sa.Text, primary_key=True),
        sa.Column("value", sa.Text, nullable=False),
    )
    op.execute("insert into signing select key, value from installation where key = 'secret'")
    op.execute("delete from installation where key = 'secret'")


def downgrade() -> None:
    raise NotImplementedError(
        "parts of sound are not put together again; restore a backup of the version before"
    )

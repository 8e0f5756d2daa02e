"""Closed sets are checked by the database, too; a hit's history is found by its identity."""

from alembic import op

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None

KINDS = "'open', 'palm', 'dead'"
SETS = {
    ("take", "source"): "'recorded', 'uploaded', 'simulated'",
    ("tone", "sound"): "'clean', 'crunch', 'high gain'",
    ("calibration", "kind"): "'return', 'drum'",
    ("example", "kind"): "'open', 'light', 'full', 'tight', 'dead'",
    ("example", "origin"): "'finder', 'correction'",
    ("correction", "articulation"): KINDS,
    ("correction", "heard"): f"{KINDS}, 'unsure'",
    ("hit", "state"): "'played', 'missed', 'not_reached'",
    ("hit", "expected_articulation"): KINDS,
    ("hit", "heard_articulation"): f"{KINDS}, 'unsure'",
}


def upgrade() -> None:
    for (table, column), values in SETS.items():
        op.create_check_constraint(f"{table}_{column}_known", table, f"{column} in ({values})")
    op.create_index(
        "hit_history", "hit", ["player_id", "section", "bar_in_section", "at", "appearance"]
    )


def downgrade() -> None:
    op.drop_index("hit_history", "hit")
    for table, column in SETS:
        op.drop_constraint(f"{table}_{column}_known", table)

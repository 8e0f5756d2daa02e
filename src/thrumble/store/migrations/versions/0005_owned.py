"""What belongs to something of a player's belongs to the same player: the database refuses a take
of one player on another's riff, rig or tone, and so on down to hits and corrections.
"""

from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None

# child, its column, parent, what becomes of the child when the parent is deleted
CASCADE = "CASCADE"
OWNED = (
    ("revision", "riff_id", "riff", CASCADE),
    ("tone", "rig_id", "rig", CASCADE),
    ("example", "tone_id", "tone", CASCADE),
    ("take", "riff_id", "riff", CASCADE),
    ("take", "revision_id", "revision", CASCADE),
    ("take", "rig_id", "rig", "SET NULL (rig_id)"),
    ("take", "tone_id", "tone", "SET NULL (tone_id)"),
    ("take", "calibration_id", "calibration", "SET NULL (calibration_id)"),
    ("audio", "take_id", "take", CASCADE),
    ("chunk", "take_id", "take", CASCADE),
    ("reading", "take_id", "take", CASCADE),
    ("hit", "reading_id", "reading", CASCADE),
    ("correction", "take_id", "take", CASCADE),
    ("correction", "example_id", "example", "SET NULL (example_id)"),
)
PARENTS = sorted({parent for _, _, parent, _ in OWNED})


def upgrade() -> None:
    for parent in PARENTS:
        op.create_unique_constraint(f"{parent}_owned", parent, ["player_id", "id"])
    for child, column, parent, on_delete in OWNED:
        op.drop_constraint(f"{child}_{column}_fkey", child, type_="foreignkey")
        op.execute(
            f"alter table {child} add constraint {child}_{column}_fkey "
            f"foreign key (player_id, {column}) references {parent} (player_id, id) "
            f"on delete {on_delete}"
        )


def downgrade() -> None:
    for child, column, parent, on_delete in OWNED:
        op.drop_constraint(f"{child}_{column}_fkey", child, type_="foreignkey")
        op.execute(
            f"alter table {child} add constraint {child}_{column}_fkey "
            f"foreign key ({column}) references {parent} (id) on delete {on_delete.split(' (')[0]}"
        )
    for parent in PARENTS:
        op.drop_constraint(f"{parent}_owned", parent)

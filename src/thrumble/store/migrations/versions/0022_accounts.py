"""Accounts of those who play over the network: passwords, passkeys, recovery codes, sign-ins,
invitations. A PIN for players on one machine.
"""

import sqlalchemy as sa
from alembic import op

revision = "0022"
down_revision = "0021"
branch_labels = None
depends_on = None


def _moment(name: str, *, nullable: bool = False) -> sa.Column:
    return sa.Column(name, sa.DateTime(timezone=True), nullable=nullable)


def _account(name: str = "account_id") -> sa.Column:
    return sa.Column(
        name,
        sa.Integer(),
        sa.ForeignKey("account.id", ondelete="CASCADE"),
        nullable=False,
        index=True,
    )


def upgrade() -> None:
    op.add_column("player", sa.Column("pin", sa.String(), nullable=True))
    op.create_table(
        "account",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column(
            "player_id",
            sa.Integer(),
            sa.ForeignKey("player.id", ondelete="CASCADE"),
            nullable=False,
            unique=True,
        ),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("name_key", sa.String(), nullable=False, unique=True),
        sa.Column("password", sa.String(), nullable=False),
        sa.Column("role", sa.String(), nullable=False),
        sa.Column("handle", sa.LargeBinary(), nullable=False, unique=True),
        _moment("created_at"),
        sa.CheckConstraint("role in ('player', 'teacher', 'administrator')", name="account_role"),
    )
    op.create_table(
        "sign_in",
        sa.Column("token", sa.LargeBinary(), primary_key=True),
        _account(),
        sa.Column("how", sa.String(), nullable=False),
        sa.Column("browser", sa.String(), nullable=False),
        sa.Column("address", sa.String(), nullable=False),
        _moment("created_at"),
        _moment("seen_at"),
    )
    op.create_table(
        "passkey",
        sa.Column("id", sa.Integer(), primary_key=True),
        _account(),
        sa.Column("credential", sa.LargeBinary(), nullable=False, unique=True),
        sa.Column("public_key", sa.LargeBinary(), nullable=False),
        sa.Column("sign_count", sa.BigInteger(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        _moment("created_at"),
        _moment("used_at", nullable=True),
    )
    op.create_table(
        "recovery_code",
        sa.Column("code", sa.LargeBinary(), primary_key=True),
        _account(),
    )
    op.create_table(
        "challenge",
        sa.Column("value", sa.LargeBinary(), primary_key=True),
        sa.Column("browser", sa.String(), nullable=False),
        _moment("created_at"),
    )
    op.create_table(
        "invitation",
        sa.Column("code", sa.LargeBinary(), primary_key=True),
        sa.Column("role", sa.String(), nullable=False),
        sa.Column("words", sa.String(), nullable=False),
        sa.Column(
            "player_id",
            sa.Integer(),
            sa.ForeignKey("player.id", ondelete="CASCADE"),
            nullable=True,
            index=True,
        ),
        _moment("created_at"),
        _moment("expires_at"),
        sa.CheckConstraint(
            "role in ('player', 'teacher', 'administrator')", name="invitation_role"
        ),
    )


def downgrade() -> None:
    for table in ("invitation", "challenge", "recovery_code", "passkey", "sign_in", "account"):
        op.drop_table(table)
    op.drop_column("player", "pin")

"""Columns that many tables share. Tables of a player carry their player; the database itself checks
closed sets, and that what hangs together belongs to one player.
"""

from typing import Any

import sqlalchemy as sa
from sqlalchemy.dialects.postgresql import JSONB
from sqlmodel import Column, Field


def player_column() -> Any:
    return Field(
        sa_column=Column(
            sa.Integer, sa.ForeignKey("player.id", ondelete="CASCADE"), nullable=False, index=True
        )
    )


def parent_column(table: str, *, ondelete: str = "CASCADE") -> Any:
    return Field(
        sa_column=Column(
            sa.Integer, sa.ForeignKey(f"{table}.id", ondelete=ondelete), nullable=False, index=True
        )
    )


def maybe_column(table: str) -> Any:
    """A reference that goes when what it names is deleted."""
    return Field(
        default=None,
        sa_column=Column(
            sa.Integer, sa.ForeignKey(f"{table}.id", ondelete="SET NULL"), nullable=True, index=True
        ),
    )


def moment_column() -> Any:
    return Field(sa_column=Column(sa.DateTime(timezone=True), nullable=False))


def json_column(*, nullable: bool = False) -> Any:
    return Field(default=None, sa_column=Column(JSONB, nullable=nullable))

"""Tables of riffs and their revisions."""

from datetime import datetime
from decimal import Decimal
from typing import Any

import sqlalchemy as sa
from sqlalchemy.dialects.postgresql import ARRAY
from sqlmodel import Column, Field, SQLModel

from thrumble.store.columns import (
    json_column,
    moment_column,
    parent_column,
    player_column,
)


class RiffRow(SQLModel, table=True):
    """A riff through all its revisions. `takes_numbered`: the number its newest take got; counted
    on in the database. `archived_at`: since when it is archived. A drill names the riff it was made
    from, its kind and the bars, empty for all.
    """

    __tablename__ = "riff"
    __table_args__ = (sa.Index("riff_tags", "tags", postgresql_using="gin"),)
    id: int | None = Field(default=None, primary_key=True)
    player_id: int = player_column()
    takes_numbered: int = 0
    archived_at: datetime | None = Field(
        default=None, sa_column=Column(sa.DateTime(timezone=True), nullable=True)
    )
    tags: list[str] = Field(
        default_factory=list,
        sa_column=Column(ARRAY(sa.Text()), nullable=False, server_default="{}"),
    )
    drill_of: int | None = Field(
        default=None,
        sa_column=Column(
            sa.Integer, sa.ForeignKey("riff.id", ondelete="CASCADE"), nullable=True, index=True
        ),
    )
    drill_kind: str = ""
    drill_bars: str = ""
    created_at: datetime = moment_column()


class RevisionRow(SQLModel, table=True):
    """One immutable revision. `identities`: pairs of old and new hit identities from the revision
    before; `left_out`: what the file it was imported from holds beside it.
    """

    __tablename__ = "revision"
    __table_args__ = (sa.UniqueConstraint("riff_id", "number"),)
    id: int | None = Field(default=None, primary_key=True)
    player_id: int = player_column()
    riff_id: int = parent_column("riff")
    number: int
    title: str
    tempo_bpm: Decimal = Field(sa_column=Column(sa.Numeric, nullable=False))
    document: dict[str, Any] = json_column()
    source: str
    identities: list[Any] = json_column()
    left_out: list[str] | None = json_column(nullable=True)
    created_at: datetime = moment_column()

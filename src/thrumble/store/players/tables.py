"""Tables of players and of the installation."""

from datetime import datetime
from uuid import UUID, uuid4

import sqlalchemy as sa
from sqlmodel import Field, SQLModel

from thrumble.store.columns import (
    moment_column,
)


class Installation(SQLModel, table=True):
    """Marks and sizes that belong to the whole installation."""

    key: str = Field(primary_key=True)
    value: str


class Signing(SQLModel, table=True):
    """The secret that signs cookies and tokens. A table of its own, so that backups leave its
    content out.
    """

    key: str = Field(primary_key=True)
    value: str


class PlayerRow(SQLModel, table=True):
    """A player. `is_sample`: the sample data; `key`: the same in every installation that the
    player's data is taken to; `pin`: argon2id of what has to be typed to play as them here.
    """

    __tablename__ = "player"
    id: int | None = Field(default=None, primary_key=True)
    name: str
    created_at: datetime = moment_column()
    is_sample: bool = Field(default=False, sa_column_kwargs={"server_default": sa.false()})
    used_at: datetime | None = Field(
        default=None, sa_column=sa.Column(sa.DateTime(timezone=True), nullable=True)
    )
    pin: str | None = None
    key: UUID = Field(
        default_factory=uuid4,
        unique=True,
        sa_column_kwargs={"server_default": sa.text("gen_random_uuid()")},
    )

"""Tables of players and of the installation."""

from datetime import datetime

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
    """A player. One implicit local one for now."""

    __tablename__ = "player"
    id: int | None = Field(default=None, primary_key=True)
    name: str
    created_at: datetime = moment_column()

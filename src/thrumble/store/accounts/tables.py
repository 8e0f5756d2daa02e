"""Tables of accounts. Codes and tokens are stored as SHA-256, passwords as argon2id."""

from datetime import datetime

import sqlalchemy as sa
from sqlmodel import Field, SQLModel

from thrumble.store.columns import moment_column, parent_column


class AccountRow(SQLModel, table=True):
    """Someone who signs in; their data is their player's. `name_key`: the name without case;
    `handle`: how passkeys name the account.
    """

    __tablename__ = "account"
    id: int | None = Field(default=None, primary_key=True)
    player_id: int = Field(
        sa_column=sa.Column(
            sa.Integer, sa.ForeignKey("player.id", ondelete="CASCADE"), nullable=False, unique=True
        )
    )
    name: str
    name_key: str = Field(unique=True)
    password: str
    role: str
    handle: bytes = Field(unique=True)
    created_at: datetime = moment_column()


class SignInRow(SQLModel, table=True):
    """A browser that is signed in."""

    __tablename__ = "sign_in"
    token: bytes = Field(primary_key=True)
    account_id: int = parent_column("account")
    how: str
    browser: str
    address: str
    created_at: datetime = moment_column()
    seen_at: datetime = moment_column()


class PasskeyRow(SQLModel, table=True):
    """A passkey (Web Authentication, level 3): its public half."""

    __tablename__ = "passkey"
    id: int | None = Field(default=None, primary_key=True)
    account_id: int = parent_column("account")
    credential: bytes = Field(unique=True)
    public_key: bytes
    sign_count: int = Field(sa_column=sa.Column(sa.BigInteger, nullable=False))
    name: str
    created_at: datetime = moment_column()
    used_at: datetime | None = Field(
        default=None, sa_column=sa.Column(sa.DateTime(timezone=True), nullable=True)
    )


class RecoveryCodeRow(SQLModel, table=True):
    """A code that signs in once."""

    __tablename__ = "recovery_code"
    code: bytes = Field(primary_key=True)
    account_id: int = parent_column("account")


class ChallengeRow(SQLModel, table=True):
    """What a passkey has to sign; used once, by the browser that asked for it."""

    __tablename__ = "challenge"
    value: bytes = Field(primary_key=True)
    browser: str
    created_at: datetime = moment_column()


class InvitationRow(SQLModel, table=True):
    """A link that makes one account. `player_id`: of a player who is here already."""

    __tablename__ = "invitation"
    code: bytes = Field(primary_key=True)
    role: str
    words: str
    player_id: int | None = Field(
        default=None,
        sa_column=sa.Column(
            sa.Integer, sa.ForeignKey("player.id", ondelete="CASCADE"), nullable=True, index=True
        ),
    )
    created_at: datetime = moment_column()
    expires_at: datetime = moment_column()

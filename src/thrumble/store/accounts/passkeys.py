"""Passkeys, and the challenges that they sign."""

from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

import sqlalchemy as sa
from sqlmodel import Session, col, select

from thrumble.core.errors import BadInput
from thrumble.store.accounts.tables import ChallengeRow, PasskeyRow

CHALLENGE_LASTS = timedelta(minutes=5)
MAX_PASSKEYS = 20


@dataclass(frozen=True, slots=True, kw_only=True)
class Passkey:
    """The public half of a passkey."""

    id: int
    account_id: int
    credential: bytes
    public_key: bytes
    sign_count: int
    name: str
    created_at: datetime
    used_at: datetime | None


def _passkey(row: PasskeyRow) -> Passkey:
    assert row.id is not None
    return Passkey(
        id=row.id,
        account_id=row.account_id,
        credential=row.credential,
        public_key=row.public_key,
        sign_count=row.sign_count,
        name=row.name,
        created_at=row.created_at,
        used_at=row.used_at,
    )


def passkeys_of(session: Session, account_id: int) -> list[Passkey]:
    """An account's passkeys, the oldest first."""
    query = (
        select(PasskeyRow).where(PasskeyRow.account_id == account_id).order_by(col(PasskeyRow.id))
    )
    return [_passkey(row) for row in session.exec(query)]


def find_passkey(session: Session, credential: bytes) -> Passkey | None:
    """The passkey with this credential id; locked until the transaction ends."""
    query = select(PasskeyRow).where(PasskeyRow.credential == credential).with_for_update()
    row = session.exec(query).first()
    return None if row is None else _passkey(row)


def add_passkey(
    session: Session,
    account_id: int,
    *,
    credential: bytes,
    public_key: bytes,
    sign_count: int,
    name: str,
) -> None:
    """Stores a passkey of an account. Raises BadInput if it is here already, or if there are too
    many.
    """
    if len(passkeys_of(session, account_id)) >= MAX_PASSKEYS:
        raise BadInput(f"an account has {MAX_PASSKEYS} passkeys at most: delete one first")
    if find_passkey(session, credential) is not None:
        raise BadInput("this passkey is in use here already")
    session.add(
        PasskeyRow(
            account_id=account_id,
            credential=credential,
            public_key=public_key,
            sign_count=sign_count,
            name=name,
            created_at=datetime.now(UTC),
        )
    )
    session.flush()


def note_use(session: Session, passkey_id: int, sign_count: int) -> None:
    """A passkey has signed; its counter moves on."""
    session.execute(
        sa.update(PasskeyRow)
        .where(col(PasskeyRow.id) == passkey_id)
        .values(sign_count=sign_count, used_at=datetime.now(UTC))
    )


def delete_passkey(session: Session, account_id: int, passkey_id: int) -> None:
    """Deletes a passkey of an account."""
    session.execute(
        sa.delete(PasskeyRow).where(
            col(PasskeyRow.id) == passkey_id, col(PasskeyRow.account_id) == account_id
        )
    )


def add_challenge(session: Session, value: bytes, browser: str) -> None:
    """A challenge for one browser; those that nobody answered go."""
    now = datetime.now(UTC)
    session.execute(
        sa.delete(ChallengeRow).where(col(ChallengeRow.created_at) < now - CHALLENGE_LASTS)
    )
    session.add(ChallengeRow(value=value, browser=browser, created_at=now))
    session.flush()


def use_challenge(session: Session, value: bytes, browser: str) -> bool:
    """Whether the browser was given this challenge in the last five minutes; it is used up."""
    gone = session.execute(
        sa.delete(ChallengeRow)
        .where(
            col(ChallengeRow.value) == value,
            col(ChallengeRow.browser) == browser,
            col(ChallengeRow.created_at) > datetime.now(UTC) - CHALLENGE_LASTS,
        )
        .returning(col(ChallengeRow.value))
    )
    return gone.first() is not None

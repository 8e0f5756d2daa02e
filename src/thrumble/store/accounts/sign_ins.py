"""Browsers that are signed in."""

import secrets
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

import sqlalchemy as sa
from sqlmodel import Session, col, select

from thrumble.store.accounts.accounts import Account, account_from, digest
from thrumble.store.accounts.tables import AccountRow, SignInRow

TOKEN_BYTES = 32
IDLE = timedelta(days=14)  # without a visit
LONGEST = timedelta(days=90)
SEEN_EVERY = timedelta(minutes=10)
MAX_WORDS = 120


@dataclass(frozen=True, slots=True)
class SignIn:
    """A browser that is signed in. `how`: password, passkey, recovery code or invitation."""

    key: str
    how: str
    browser: str
    address: str
    created_at: datetime
    seen_at: datetime


def add_sign_in(session: Session, account_id: int, *, how: str, browser: str, address: str) -> str:
    """Signs a browser in. Returns the token that it shows from then on; only its digest is
    stored. Old sign-ins of everybody go.
    """
    now = datetime.now(UTC)
    session.execute(
        sa.delete(SignInRow).where(
            (col(SignInRow.seen_at) < now - IDLE) | (col(SignInRow.created_at) < now - LONGEST)
        )
    )
    token = secrets.token_urlsafe(TOKEN_BYTES)
    session.add(
        SignInRow(
            token=digest(token),
            account_id=account_id,
            how=how,
            browser=browser[:MAX_WORDS],
            address=address[:MAX_WORDS],
            created_at=now,
            seen_at=now,
        )
    )
    session.flush()
    return token


def find_sign_in(session: Session, token: str) -> tuple[Account, bool] | None:
    """Whose browser shows this token, and whether the visit is to be noted; None if nobody's, or
    for too long without a visit. A clock that was set back signs nobody out.
    """
    row = session.execute(
        sa.select(AccountRow, col(SignInRow.created_at), col(SignInRow.seen_at))
        .join(SignInRow, col(SignInRow.account_id) == col(AccountRow.id))
        .where(col(SignInRow.token) == digest(token))
    ).first()
    if row is None:
        return None
    account, created_at, seen_at = row
    now = datetime.now(UTC)
    if now - seen_at > IDLE or now - created_at > LONGEST:
        return None
    return account_from(account), abs(now - seen_at) > SEEN_EVERY


def note_visit(session: Session, token: str) -> None:
    """Someone is still here."""
    session.execute(
        sa.update(SignInRow)
        .where(col(SignInRow.token) == digest(token))
        .values(seen_at=datetime.now(UTC))
    )


def sign_ins_of(session: Session, account_id: int) -> list[SignIn]:
    """Where an account is signed in, the last visit first."""
    query = (
        select(SignInRow)
        .where(SignInRow.account_id == account_id)
        .order_by(col(SignInRow.seen_at).desc())
    )
    return [
        SignIn(row.token.hex(), row.how, row.browser, row.address, row.created_at, row.seen_at)
        for row in session.exec(query)
    ]


def sign_out(session: Session, account_id: int, key: str) -> None:
    """Signs a browser out, by the key of its `SignIn`."""
    try:
        token = bytes.fromhex(key)
    except ValueError:
        return
    session.execute(
        sa.delete(SignInRow).where(
            col(SignInRow.token) == token, col(SignInRow.account_id) == account_id
        )
    )


def sign_out_everywhere(session: Session, account_id: int, *, except_token: str = "") -> None:
    """Signs every browser of an account out, but the one that shows `except_token`."""
    session.execute(
        sa.delete(SignInRow).where(
            col(SignInRow.account_id) == account_id,
            col(SignInRow.token) != digest(except_token),
        )
    )

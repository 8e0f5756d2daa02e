"""Accounts and their recovery codes."""

import hashlib
import secrets
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import UTC, datetime
from enum import StrEnum
from typing import Any

import sqlalchemy as sa
from sqlmodel import Session, col, select

from thrumble.core.errors import BadInput, NotAllowed, NotFound
from thrumble.store.accounts.tables import AccountRow, RecoveryCodeRow, SignInRow

HANDLE_BYTES = 32
ADMIN_LOCK = 7419  # of pg_advisory_xact_lock: two administrators who change roles at once


class Role(StrEnum):
    """What an account may do besides playing: invite pupils, or run the server."""

    PLAYER = "player"
    TEACHER = "teacher"
    ADMINISTRATOR = "administrator"


@dataclass(frozen=True, slots=True, kw_only=True)
class Account:
    """Someone who signs in. `password`: its argon2id hash."""

    id: int
    player_id: int
    name: str
    password: str
    role: Role
    handle: bytes
    created_at: datetime


@dataclass(frozen=True, slots=True)
class AccountLine:
    """An account in the administrator's list. `seen_at`: None if they aren't signed in anywhere."""

    account: Account
    seen_at: datetime | None


def digest(secret: str | bytes) -> bytes:
    """SHA-256 of a code or token with enough randomness of its own."""
    return hashlib.sha256(secret.encode() if isinstance(secret, str) else secret).digest()


def name_key(name: str) -> str:
    """The name without case and without blanks at its ends."""
    return " ".join(name.casefold().split())


def account_from(row: Any) -> Account:
    """An account from its row."""
    return Account(
        id=row.id,
        player_id=row.player_id,
        name=row.name,
        password=row.password,
        role=Role(row.role),
        handle=row.handle,
        created_at=row.created_at,
    )


def find_account(session: Session, name: str) -> Account | None:
    """The account with a name, whatever its case."""
    row = session.exec(select(AccountRow).where(AccountRow.name_key == name_key(name))).first()
    return None if row is None else account_from(row)


def get_account(session: Session, account_id: int) -> Account:
    """Raises NotFound."""
    row = session.get(AccountRow, account_id)
    if row is None:
        raise NotFound("account not found: it may have been deleted")
    return account_from(row)


def account_of(session: Session, player_id: int) -> Account | None:
    """The account that a player signs in with, if there is one."""
    row = session.exec(select(AccountRow).where(AccountRow.player_id == player_id)).first()
    return None if row is None else account_from(row)


def with_accounts(session: Session) -> set[int]:
    """The players who sign in with an account."""
    return set(session.exec(select(AccountRow.player_id)))


def add_account(
    session: Session, *, player_id: int, name: str, password: str, role: Role
) -> Account:
    """A new account. `password`: its hash. Raises BadInput if the name is taken."""
    if find_account(session, name) is not None:
        raise BadInput("this name is taken here: choose another one")
    row = AccountRow(
        player_id=player_id,
        name=name,
        name_key=name_key(name),
        password=password,
        role=role,
        handle=secrets.token_bytes(HANDLE_BYTES),
        created_at=datetime.now(UTC),
    )
    session.add(row)
    try:
        session.flush()
    except sa.exc.IntegrityError:
        raise BadInput("this name was taken a moment ago: choose another one") from None
    return account_from(row)


def set_password(session: Session, account_id: int, password: str) -> None:
    """`password`: its hash."""
    session.execute(
        sa.update(AccountRow).where(col(AccountRow.id) == account_id).values(password=password)
    )


def set_role(session: Session, account_id: int, role: Role) -> None:
    """Raises NotFound, and NotAllowed if nobody would be left to run the server."""
    session.execute(sa.text("select pg_advisory_xact_lock(:key)"), {"key": ADMIN_LOCK})
    account = get_account(session, account_id)
    if account.role is Role.ADMINISTRATOR and role is not account.role:
        _check_not_last(session)
    session.execute(sa.update(AccountRow).where(col(AccountRow.id) == account_id).values(role=role))
    session.expire_all()


def check_can_go(session: Session, player_id: int) -> None:
    """Raises NotAllowed if this player's account is the last administrator's while others have
    accounts.
    """
    session.execute(sa.text("select pg_advisory_xact_lock(:key)"), {"key": ADMIN_LOCK})
    account = account_of(session, player_id)
    others = session.exec(select(sa.func.count()).select_from(AccountRow)).one() - 1
    if account is not None and account.role is Role.ADMINISTRATOR and others:
        _check_not_last(session)


def _check_not_last(session: Session) -> None:
    if len(administrators(session)) < 2:
        raise NotAllowed("the last administrator stays: make someone else administrator first")


def administrators(session: Session) -> list[int]:
    """The accounts that run the server."""
    query = select(AccountRow.id).where(AccountRow.role == Role.ADMINISTRATOR)
    return [account_id for account_id in session.exec(query) if account_id is not None]


def teachers(session: Session) -> set[int]:
    """The players of accounts that teach."""
    query = select(AccountRow.player_id).where(AccountRow.role == Role.TEACHER)
    return set(session.exec(query))


def account_lines(session: Session) -> list[AccountLine]:
    """Every account by name, with the last visit of those who are signed in."""
    query = (
        sa.select(AccountRow, sa.func.max(col(SignInRow.seen_at)))
        .outerjoin(SignInRow, col(SignInRow.account_id) == col(AccountRow.id))
        .group_by(col(AccountRow.id))
        .order_by(col(AccountRow.name_key))
    )
    return [AccountLine(account_from(row), seen_at) for row, seen_at in session.execute(query)]


def set_recovery_codes(session: Session, account_id: int, codes: Iterable[str]) -> None:
    """Replaces the codes that were there."""
    session.execute(sa.delete(RecoveryCodeRow).where(col(RecoveryCodeRow.account_id) == account_id))
    session.add_all(RecoveryCodeRow(code=digest(code), account_id=account_id) for code in codes)
    session.flush()


def recovery_code_count(session: Session, account_id: int) -> int:
    """How many are left."""
    query = select(sa.func.count()).where(col(RecoveryCodeRow.account_id) == account_id)
    return session.exec(query).one()


def use_recovery_code(session: Session, account_id: int, code: str) -> bool:
    """Whether the code is one of the account's; it is used up by that."""
    gone = session.execute(
        sa.delete(RecoveryCodeRow)
        .where(
            col(RecoveryCodeRow.code) == digest(code),
            col(RecoveryCodeRow.account_id) == account_id,
        )
        .returning(col(RecoveryCodeRow.account_id))
    )
    return gone.first() is not None

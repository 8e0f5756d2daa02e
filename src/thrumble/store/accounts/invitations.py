"""Invitations by link, and the code that claims a server without an administrator."""

import secrets
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

import sqlalchemy as sa
from sqlmodel import Session, col, select

from thrumble.core.errors import BadInput, NotFound
from thrumble.store.accounts.accounts import Role, digest
from thrumble.store.accounts.tables import InvitationRow
from thrumble.store.players.tables import Installation

LASTS = timedelta(days=7)
CODE_BYTES = 18
MAX_OPEN = 100
CLAIM = "claim code"


@dataclass(frozen=True, slots=True)
class Invitation:
    """An invitation that nobody used yet. `words`: whom it is for; `player_id`: their player, if
    they play here already.
    """

    key: str
    role: Role
    words: str
    player_id: int | None
    expires_at: datetime

    @property
    def is_over(self) -> bool:
        return self.expires_at < datetime.now(UTC)


def add_invitation(
    session: Session, *, role: Role, words: str, player_id: int | None = None
) -> str:
    """A new invitation; returns the code of its link, which is stored as a digest only. Raises
    BadInput if too many are open.
    """
    if len(invitations(session)) >= MAX_OPEN:
        raise BadInput(f"{MAX_OPEN} invitations are open: withdraw one first")
    code = secrets.token_urlsafe(CODE_BYTES)
    now = datetime.now(UTC)
    session.add(
        InvitationRow(
            code=digest(code),
            role=role,
            words=words,
            player_id=player_id,
            created_at=now,
            expires_at=now + LASTS,
        )
    )
    session.flush()
    return code


def invitations(session: Session) -> list[Invitation]:
    """The invitations that nobody has used yet, the newest first."""
    query = select(InvitationRow).order_by(col(InvitationRow.created_at).desc())
    return [_invitation(row) for row in session.exec(query)]


def _invitation(row: InvitationRow) -> Invitation:
    return Invitation(row.code.hex(), Role(row.role), row.words, row.player_id, row.expires_at)


def get_invitation(session: Session, code: str, *, lock: bool = False) -> Invitation:
    """The invitation behind a link. `lock`: until the transaction ends, for whoever uses it.
    Raises NotFound if it was used, withdrawn, is over, or never was.
    """
    query = select(InvitationRow).where(InvitationRow.code == digest(code))
    row = session.exec(query.with_for_update() if lock else query).first()
    invitation = None if row is None else _invitation(row)
    if invitation is None or invitation.is_over:
        raise NotFound(
            "this invitation was used or withdrawn, or its seven days are over: ask for a new one"
        )
    return invitation


def delete_invitation(session: Session, key: str) -> None:
    """Withdraws an invitation, or takes it back once it is used."""
    try:
        code = bytes.fromhex(key)
    except ValueError:
        return
    session.execute(sa.delete(InvitationRow).where(col(InvitationRow.code) == code))


def new_claim_code(session: Session) -> str:
    """The code that makes its owner the first administrator; older ones end."""
    code = secrets.token_urlsafe(CODE_BYTES)
    session.merge(Installation(key=CLAIM, value=digest(code).hex()))
    return code


def is_claim_code(session: Session, code: str, *, lock: bool = False) -> bool:
    """Whether the code is the one that was printed last. `lock`: until the transaction ends, for
    whoever uses it.
    """
    row = session.get(Installation, CLAIM, with_for_update=lock)
    return row is not None and secrets.compare_digest(row.value, digest(code).hex())


def end_claim(session: Session) -> None:
    """The server has its administrator."""
    session.execute(sa.delete(Installation).where(col(Installation.key) == CLAIM))

"""Accounts in words."""

import re
from dataclasses import dataclass
from datetime import datetime

from thrumble.store.accounts.accounts import Account, AccountLine, Role
from thrumble.store.accounts.invitations import Invitation
from thrumble.store.accounts.passkeys import Passkey
from thrumble.store.accounts.sign_ins import SignIn
from thrumble.store.players.players import Player

ROLES = {
    Role.PLAYER: "Player: has a place of their own",
    Role.TEACHER: "Teacher: pupils can let them in",
    Role.ADMINISTRATOR: "Administrator: invites people, runs the server",
}
# the most telling name first: browsers name each other
BROWSERS = (
    ("Edg/", "Edge"),
    ("OPR/", "Opera"),
    ("Firefox/", "Firefox"),
    ("Chrome/", "Chrome"),
    ("Safari/", "Safari"),
)
SYSTEMS = (
    ("Android", "Android"),
    ("iPhone", "iPhone"),
    ("iPad", "iPad"),
    ("Windows", "Windows"),
    ("Mac OS X", "macOS"),
    ("Linux", "Linux"),
)


@dataclass(frozen=True, slots=True)
class JoinView:
    """The page of an invitation. `claims`: it makes the first administrator; `free`: players whose
    data can become theirs.
    """

    code: str
    claims: bool
    words: str
    name: str
    free: list[tuple[int, str]]


@dataclass(frozen=True, slots=True)
class Line:
    """A passkey or a browser in a list."""

    key: str
    title: str
    words: str
    here: bool = False


@dataclass(frozen=True, slots=True)
class AccountView:
    """One's own account."""

    name: str
    player_id: int
    role: str
    passkeys: list[Line]
    sign_ins: list[Line]
    codes: str


@dataclass(frozen=True, slots=True)
class Person:
    """An account in the administrator's list."""

    id: int
    name: str
    role: Role
    words: str
    here: bool


@dataclass(frozen=True, slots=True)
class PeopleView:
    """The administrator's page."""

    people: list[Person]
    invitations: list[Line]
    free: list[tuple[int, str]]
    roles: list[tuple[str, str]]


def join_view(code: str, invitation: Invitation | None, free: list[Player]) -> JoinView:
    """`invitation`: None for the code that claims the server."""
    if invitation is None:
        return JoinView(
            code,
            True,
            "This server has no administrator yet. Set a name and a password, and you run it.",
            "",
            [(player.id, player.name) for player in free],
        )
    what = {
        Role.PLAYER: "You're invited to practise here.",
        Role.TEACHER: "You're invited to teach here.",
        Role.ADMINISTRATOR: "You're invited to run this server.",
    }[invitation.role]
    return JoinView(code, False, what, invitation.words, [])


def account_view(
    account: Account, keys: list[Passkey], signed_in: list[SignIn], *, here: str, codes: int
) -> AccountView:
    """The page of an account. `here`: the key of the sign-in that asks; `codes`: how many recovery
    codes are left.
    """
    return AccountView(
        name=account.name,
        player_id=account.player_id,
        role=account.role.value,
        passkeys=[
            Line(
                str(key.id),
                key.name,
                f"added on {_day(key.created_at)}, "
                + ("never used" if key.used_at is None else f"last used on {_day(key.used_at)}"),
            )
            for key in keys
        ],
        sign_ins=[
            Line(
                browser.key,
                device(browser.browser),
                f"since {_day(browser.created_at)} by {browser.how}, "
                f"last seen on {_day(browser.seen_at)} from {browser.address}",
                browser.key == here,
            )
            for browser in signed_in
        ],
        codes=_codes(codes),
    )


def _codes(count: int) -> str:
    if count == 0:
        return "No recovery code is left: make new ones."
    return f"{count} recovery code{'' if count == 1 else 's'} left."


def people_view(
    account: Account,
    lines: list[AccountLine],
    open_invitations: list[Invitation],
    free: list[Player],
) -> PeopleView:
    """`account`: who looks; `free`: players of this machine without an account."""
    return PeopleView(
        people=[
            Person(
                id=line.account.id,
                name=line.account.name,
                role=line.account.role,
                words="not signed in"
                if line.seen_at is None
                else f"last seen on {_day(line.seen_at)}",
                here=line.account.id == account.id,
            )
            for line in lines
        ],
        invitations=[
            Line(
                invitation.key,
                invitation.words or "Someone",
                f"{invitation.role.value}, "
                + ("over" if invitation.is_over else f"open until {_day(invitation.expires_at)}"),
            )
            for invitation in open_invitations
        ],
        free=[(player.id, player.name) for player in free],
        roles=[(role.value, words) for role, words in ROLES.items()],
    )


def device(agent: str) -> str:
    """A browser as people call it, such as Firefox on Windows."""
    browser = next((name for mark, name in BROWSERS if mark in agent), "")
    system = next((name for mark, name in SYSTEMS if mark in agent), "")
    if browser and system:
        return f"{browser} on {system}"
    return browser or system or re.sub(r"[^\w ./-]", "", agent)[:40] or "Unknown browser"


def _day(moment: datetime) -> str:
    return f"{moment:%-d %B %Y}"

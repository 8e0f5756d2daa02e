"""Signing in over the network: passwords, recovery codes, passkeys, invitations, and the claim of a
server that has no administrator yet.
"""

import json
import secrets
from dataclasses import dataclass

import structlog
from sqlmodel import Session

from thrumble.actions.passwords import check_password, hash_secret, is_secret
from thrumble.actions.starting import start_player
from thrumble.core.errors import BadInput, NotFound, NotSignedIn
from thrumble.store import database
from thrumble.store.accounts import accounts, invitations, passkeys, sign_ins
from thrumble.store.accounts.accounts import Account, Role
from thrumble.store.accounts.invitations import Invitation
from thrumble.store.players import players

log = structlog.get_logger()
RECOVERY_CODES = 10
LETTERS = "abcdefghjkmnpqrstuvwxyz23456789"  # none that look alike
GROUPS, GROUP = 6, 4  # 118 bits
WRONG = "name and password don't match: try again, or use a passkey or a recovery code"
PASSKEY_WRONG = "this passkey isn't known here: sign in with your password, then add it again"


@dataclass(frozen=True, slots=True)
class Visitor:
    """Where a request comes from. `browser`: what it calls itself; `site`: the host name and the
    origin under which it knows this server, for passkeys; `key`: of its cookie.
    """

    browser: str
    address: str
    host: str
    origin: str
    key: str


@dataclass(frozen=True, slots=True)
class Joined:
    """A new account: the token of its first sign-in, and its recovery codes, shown once."""

    account: Account
    token: str
    codes: list[str]


def sign_in(name: str, password: str, visitor: Visitor) -> str:
    """Returns the token of the sign-in. `password`: or a recovery code. No transaction is open
    while the password is checked. Raises NotSignedIn: the same for a wrong password and an unknown
    name, after as long.
    """
    with database.session() as session:
        account = accounts.find_account(session, name)
    right = is_secret(password, None if account is None else account.password)
    with database.session() as session:
        how = "password"
        if not right and account is not None:
            how = "recovery code"
            right = accounts.use_recovery_code(session, account.id, _plain(password))
        if not right or account is None:
            log.warning("sign-in refused", account=None if account is None else account.id)
            raise NotSignedIn(WRONG)
        return _signed_in(session, account.id, how, visitor)


def _signed_in(session: Session, account_id: int, how: str, visitor: Visitor) -> str:
    accounts.get_account(session, account_id)
    log.info("signed in", account=account_id, how=how)
    return sign_ins.add_sign_in(
        session, account_id, how=how, browser=visitor.browser, address=visitor.address
    )


def find_invitation(session: Session, code: str) -> Invitation | None:
    """What a link invites to; None for the code that claims the server. Raises NotFound."""
    if invitations.is_claim_code(session, code):
        return None
    return invitations.get_invitation(session, code)


def join(
    code: str, name: str, password: str, visitor: Visitor, *, takes_over: int | None = None
) -> Joined:
    """Makes the account that a link invites to, and signs its browser in. `takes_over`: with the
    claim code, the player on this machine whose data becomes the administrator's. Raises NotFound
    for a link that is over, BadInput for a name or password that can't be.
    """
    name = players.check_name(name)
    check_password(password, name)
    stored = hash_secret(password)
    with database.session() as session:
        if invitations.is_claim_code(session, code, lock=True):
            role, player_id = Role.ADMINISTRATOR, _to_take_over(session, takes_over)
            invitations.end_claim(session)
        else:
            invitation = invitations.get_invitation(session, code, lock=True)
            role, player_id = invitation.role, invitation.player_id
            invitations.delete_invitation(session, invitation.key)
        if player_id is None:
            player_id = start_player(session, name, uses=False).id
        elif accounts.account_of(session, player_id) is not None:
            raise BadInput("this player signs in with an account already")
        account = accounts.add_account(
            session, player_id=player_id, name=name, password=stored, role=role
        )
        codes = new_recovery_codes(session, account.id)
        return Joined(account, _signed_in(session, account.id, "invitation", visitor), codes)


def _to_take_over(session: Session, player_id: int | None) -> int | None:
    if player_id is None:
        return None
    if player_id not in [player.id for player in to_take_over(session)]:
        raise NotFound("this player isn't free: choose from the list")
    return player_id


def to_take_over(session: Session) -> list[players.Player]:
    """Players of this machine who have no account yet."""
    taken = accounts.with_accounts(session)
    return [
        player
        for player in players.all_players(session)
        if not player.is_sample and player.id not in taken
    ]


def new_recovery_codes(session: Session, account_id: int) -> list[str]:
    """Ten codes that sign in once each, instead of those that were; shown now and never again."""
    codes = [
        "-".join("".join(secrets.choice(LETTERS) for _ in range(GROUP)) for _ in range(GROUPS))
        for _ in range(RECOVERY_CODES)
    ]
    accounts.set_recovery_codes(session, account_id, map(_plain, codes))
    return codes


def _plain(code: str) -> str:
    return "".join(c for c in code.lower() if c in LETTERS)


def change_password(account: Account, now: str, new: str, *, token: str) -> None:
    """Another password; every other browser is signed out. Raises NotSignedIn if the present one
    is wrong, BadInput if the new one can't be.
    """
    if not is_secret(now, account.password):
        log.warning("password change refused", account=account.id)
        raise NotSignedIn("the present password is wrong: type it again")
    check_password(new, account.name)
    stored = hash_secret(new)
    with database.session() as session:
        accounts.set_password(session, account.id, stored)
        log.info("password changed", account=account.id)
        sign_ins.sign_out_everywhere(session, account.id, except_token=token)


def passkey_options(session: Session, account: Account, visitor: Visitor) -> str:
    """What the browser needs to make a passkey, as JSON."""
    from webauthn import generate_registration_options, options_to_json
    from webauthn.helpers.structs import (
        AuthenticatorSelectionCriteria,
        PublicKeyCredentialDescriptor,
        ResidentKeyRequirement,
        UserVerificationRequirement,
    )

    options = generate_registration_options(
        rp_id=visitor.host,
        rp_name="Thrumble",
        user_id=account.handle,
        user_name=account.name,
        user_display_name=account.name,
        authenticator_selection=AuthenticatorSelectionCriteria(
            resident_key=ResidentKeyRequirement.REQUIRED,
            user_verification=UserVerificationRequirement.REQUIRED,
        ),
        exclude_credentials=[
            PublicKeyCredentialDescriptor(id=passkey.credential)
            for passkey in passkeys.passkeys_of(session, account.id)
        ],
    )
    passkeys.add_challenge(session, options.challenge, visitor.key)
    return options_to_json(options)


def add_passkey(
    session: Session, account: Account, credential: str, name: str, visitor: Visitor
) -> None:
    """Stores the public half of a new passkey. `credential`: the browser's answer, as JSON. Raises
    BadInput.
    """
    from webauthn import verify_registration_response
    from webauthn.helpers.exceptions import WebAuthnException

    try:
        answer = json.loads(credential)
        verified = verify_registration_response(
            credential=answer,
            expected_challenge=_challenge(session, answer, visitor),
            expected_rp_id=visitor.host,
            expected_origin=visitor.origin,
            require_user_verification=True,
        )
    except (WebAuthnException, ValueError, TypeError, KeyError, AttributeError) as error:
        raise BadInput("this passkey can't be used: add it again") from error
    passkeys.add_passkey(
        session,
        account.id,
        credential=verified.credential_id,
        public_key=verified.credential_public_key,
        sign_count=verified.sign_count,
        name=name or "Passkey",
    )


def passkey_question(session: Session, visitor: Visitor) -> str:
    """What a passkey has to sign to sign in, as JSON: any account's, the browser asks whose."""
    from webauthn import generate_authentication_options, options_to_json
    from webauthn.helpers.structs import UserVerificationRequirement

    options = generate_authentication_options(
        rp_id=visitor.host, user_verification=UserVerificationRequirement.REQUIRED
    )
    passkeys.add_challenge(session, options.challenge, visitor.key)
    return options_to_json(options)


def sign_in_with_passkey(session: Session, credential: str, visitor: Visitor) -> str:
    """Returns the token of the sign-in. `credential`: the browser's answer, as JSON. Raises
    NotSignedIn.
    """
    from webauthn import verify_authentication_response
    from webauthn.helpers import base64url_to_bytes
    from webauthn.helpers.exceptions import WebAuthnException

    try:
        answer = json.loads(credential)
        challenge = _challenge(session, answer, visitor)
        passkey = passkeys.find_passkey(session, base64url_to_bytes(answer["id"]))
        if passkey is None:
            log.warning("passkey refused")
            raise NotSignedIn(PASSKEY_WRONG)
        verified = verify_authentication_response(
            credential=answer,
            expected_challenge=challenge,
            expected_rp_id=visitor.host,
            expected_origin=visitor.origin,
            credential_public_key=passkey.public_key,
            credential_current_sign_count=passkey.sign_count,
            require_user_verification=True,
        )
    except (WebAuthnException, ValueError, TypeError, KeyError, AttributeError) as error:
        raise NotSignedIn(PASSKEY_WRONG) from error
    passkeys.note_use(session, passkey.id, verified.new_sign_count)
    return _signed_in(session, passkey.account_id, "passkey", visitor)


def _challenge(session: Session, answer: dict, visitor: Visitor) -> bytes:
    """The challenge that an answer signs, if this browser was given it; it is used up. Raises
    ValueError.
    """
    from webauthn.helpers import base64url_to_bytes

    client = json.loads(base64url_to_bytes(answer["response"]["clientDataJSON"]))
    challenge = base64url_to_bytes(client["challenge"])
    if not passkeys.use_challenge(session, challenge, visitor.key):
        raise ValueError("no such challenge")
    return challenge

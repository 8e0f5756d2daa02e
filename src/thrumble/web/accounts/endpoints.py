"""Signing in and out, joining by invitation, one's own account, and the administrator's list."""

from typing import Annotated

from fastapi import APIRouter, Form, Path, Query, Request, Response
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse
from pydantic import Field
from sqlmodel import Session

from thrumble.actions import signing_in
from thrumble.actions.passwords import MAX_LENGTH
from thrumble.core.errors import NotFound, NotSignedIn, TooOften
from thrumble.store import database
from thrumble.store.accounts import accounts, invitations, passkeys, sign_ins
from thrumble.store.accounts.accounts import Account, Role
from thrumble.store.players import players
from thrumble.web.accounts.views import account_view, join_view, people_view
from thrumble.web.deps import DbSession, PlayerId, costly
from thrumble.web.inputs import Id, Line, Sent
from thrumble.web.limits import Limits
from thrumble.web.templating import render
from thrumble.web.visitors import (
    administrator,
    is_local,
    session_token,
    set_session_token,
    visiting_account,
    visitor_of,
)

router = APIRouter()
Name = Annotated[Line, Form(max_length=200)]
Secret = Annotated[str, Form(max_length=MAX_LENGTH)]
Code = Annotated[str, Path(pattern=r"^[\w-]{1,80}$")]
Key = Annotated[str, Path(pattern=r"^[0-9a-f]{64}$")]
MAX_CREDENTIAL = 20_000
JOINS_A_MINUTE = 10
QUESTIONS_A_MINUTE = 30
# wrong passwords: for one name 10 at once and one a minute, less than 100 an hour; from one address
# 30 a minute
_by_name = Limits(1, at_once=10)
_by_address = Limits(30)


class Credential(Sent):
    """A browser's answer about a passkey, as JSON text."""

    credential: Annotated[str, Field(max_length=MAX_CREDENTIAL)]
    name: Annotated[Line, Field(max_length=60)] = ""
    back: Annotated[str, Field(max_length=500)] = "/"


def _back(address: str) -> str:
    """The page to go on to: one of ours, else Today."""
    ours = address.startswith("/") and not address.startswith(("//", "/\\"))
    return address if ours and address.isprintable() else "/"


@router.get("/sign-in", name="sign_in_page")
def sign_in_page(
    request: Request, session: DbSession, back: Annotated[str, Query(max_length=500)] = "/"
) -> Response:
    """Where everybody signs in who comes over the network."""
    if is_local(request):
        return RedirectResponse(request.app.url_path_for("players_page"), 303)
    try:
        visiting_account(request, session)
    except NotSignedIn:
        return render(request, "accounts/sign_in.html", back=_back(back))
    return RedirectResponse(_back(back), 303)


@router.post("/sign-in", name="sign_in")
def sign_in(request: Request, name: Name, password: Secret, back: Secret = "/") -> Response:
    """Name and password, or a recovery code instead of the password."""
    visitor = visitor_of(request)
    buckets = ((_by_name, accounts.name_key(name)), (_by_address, visitor.address))
    wait_s = max(limits.wait_s(key) for limits, key in buckets)
    if wait_s > 0:
        raise TooOften(
            f"too many wrong passwords: wait {max(1, round(wait_s))} s, or sign in with a passkey"
        )
    token = signing_in.sign_in(name, password, visitor)
    for limits, key in buckets:
        limits.give_back(key)
    response = Response(status_code=204, headers={"HX-Redirect": _back(back)})
    set_session_token(request, response, token)
    return response


@router.post(
    "/sign-in/passkey/question", name="passkey_question", dependencies=[costly(QUESTIONS_A_MINUTE)]
)
def passkey_question(request: Request, session: DbSession) -> Response:
    """The challenge that a passkey has to sign."""
    question = signing_in.passkey_question(session, visitor_of(request))
    return Response(question, media_type="application/json")


@router.post(
    "/sign-in/passkey", name="sign_in_with_passkey", dependencies=[costly(QUESTIONS_A_MINUTE)]
)
def sign_in_with_passkey(request: Request, answer: Credential, session: DbSession) -> Response:
    """Signs in whoever's passkey signed."""
    token = signing_in.sign_in_with_passkey(session, answer.credential, visitor_of(request))
    response = JSONResponse({"href": _back(answer.back)})
    set_session_token(request, response, token)
    return response


@router.post("/sign-out", name="sign_out")
def sign_out(request: Request, session: DbSession) -> Response:
    """This browser goes on as nobody. Takes that it hasn't sent yet stay in it."""
    account = _own_account(request, session)
    sign_ins.sign_out(session, account.id, accounts.digest(session_token(request)).hex())
    page = str(request.app.url_path_for("sign_in_page"))
    response = Response(
        status_code=204, headers={"HX-Redirect": page, "Clear-Site-Data": '"cache"'}
    )
    set_session_token(request, response, "")
    return response


@router.get("/join/{code}", name="join_page")
def join_page(request: Request, code: Code, session: DbSession) -> HTMLResponse:
    """Where an invitation, or the code that `./run` printed, becomes an account."""
    invitation = signing_in.find_invitation(session, code)
    free = signing_in.to_take_over(session) if invitation is None else []
    return render(request, "accounts/join.html", view=join_view(code, invitation, free))


@router.post("/join/{code}", name="join", dependencies=[costly(JOINS_A_MINUTE)])
def join(
    request: Request, code: Code, name: Name, password: Secret, player: Name = ""
) -> HTMLResponse:
    """Makes the account; its recovery codes are shown once."""
    with database.session() as session:
        signing_in.find_invitation(session, code)  # before the password costs anything
    joined = signing_in.join(
        code,
        name,
        password,
        visitor_of(request),
        takes_over=int(player) if player.isascii() and player.isdigit() else None,
    )
    response = render(request, "accounts/_codes.html", codes=joined.codes, goes_on=True)
    set_session_token(request, response, joined.token)
    return response


def _own_account(request: Request, session: Session) -> Account:
    """The account of whoever asks. Raises NotFound at this machine, where nobody needs one."""
    account = visiting_account(request, session)
    if account is None:
        raise NotFound("on this machine nobody needs an account: choose who plays on Players")
    return account


@router.get("/account", name="account_page")
def account_page(request: Request, session: DbSession) -> Response:
    """One's own account: passkeys, sign-ins, password, recovery codes, data."""
    if is_local(request):
        return RedirectResponse(request.app.url_path_for("players_page"), 303)
    account = _own_account(request, session)
    request.state.player = players.get_player(session, account.player_id)
    view = account_view(
        account,
        passkeys.passkeys_of(session, account.id),
        sign_ins.sign_ins_of(session, account.id),
        here=accounts.digest(session_token(request)).hex(),
        codes=accounts.recovery_code_count(session, account.id),
    )
    return render(request, "accounts/account.html", view=view)


@router.post("/account/password", name="change_password")
def change_password(request: Request, now: Secret, new: Secret) -> Response:
    """Another password, once the present one is typed; other browsers are signed out."""
    with database.session() as session:
        account = _own_account(request, session)
    wait_s = _by_name.wait_s(accounts.name_key(account.name))
    if wait_s > 0:
        raise TooOften(f"too many wrong passwords: wait {max(1, round(wait_s))} s")
    signing_in.change_password(account, now, new, token=session_token(request))
    _by_name.give_back(accounts.name_key(account.name))
    return Response(status_code=204, headers={"HX-Refresh": "true"})


@router.post("/account/codes", name="new_codes")
def new_codes(request: Request, session: DbSession) -> HTMLResponse:
    """New recovery codes; the old ones end."""
    codes = signing_in.new_recovery_codes(session, _own_account(request, session).id)
    return render(request, "accounts/_codes.html", codes=codes, goes_on=False)


@router.post("/account/sign-out-everywhere", name="sign_out_everywhere")
def sign_out_everywhere(request: Request, session: DbSession) -> Response:
    """Signs out every other browser."""
    account = _own_account(request, session)
    sign_ins.sign_out_everywhere(session, account.id, except_token=session_token(request))
    return Response(status_code=204, headers={"HX-Refresh": "true"})


@router.post("/account/sign-ins/{key}/end", name="end_sign_in")
def end_sign_in(request: Request, key: Key, session: DbSession) -> Response:
    """Signs out one browser."""
    sign_ins.sign_out(session, _own_account(request, session).id, key)
    return Response(status_code=204, headers={"HX-Refresh": "true"})


@router.post(
    "/account/passkeys/question", name="passkey_options", dependencies=[costly(QUESTIONS_A_MINUTE)]
)
def passkey_options(request: Request, session: DbSession) -> Response:
    """What the browser needs to make a passkey."""
    account = _own_account(request, session)
    options = signing_in.passkey_options(session, account, visitor_of(request))
    return Response(options, media_type="application/json")


@router.post("/account/passkeys", name="add_passkey")
def add_passkey(request: Request, answer: Credential, session: DbSession) -> Response:
    """Stores a passkey that the browser made."""
    signing_in.add_passkey(
        session, _own_account(request, session), answer.credential, answer.name, visitor_of(request)
    )
    return JSONResponse({"href": str(request.app.url_path_for("account_page"))})


@router.post("/account/passkeys/{passkey_id}/delete", name="delete_passkey")
def delete_passkey(request: Request, passkey_id: Id, session: DbSession) -> Response:
    """Deletes a passkey: it doesn't sign in any more."""
    passkeys.delete_passkey(session, _own_account(request, session).id, passkey_id)
    return Response(status_code=204, headers={"HX-Refresh": "true"})


@router.get("/people", name="people_page")
def people_page(request: Request, session: DbSession, player_id: PlayerId) -> HTMLResponse:
    """Everyone with an account, and the invitations nobody used yet: for administrators."""
    account = administrator(request, session)
    view = people_view(
        account,
        accounts.account_lines(session),
        invitations.invitations(session),
        signing_in.to_take_over(session),
    )
    return render(request, "accounts/people.html", view=view, link="", player_id=player_id)


@router.post("/people/invitations", name="invite")
def invite(
    request: Request, session: DbSession, role: Role = Form(), words: Name = "", player: Name = ""
) -> HTMLResponse:
    """A link that makes one account; it is shown once."""
    administrator(request, session)
    chosen = None
    if player:
        free = {str(other.id): other.id for other in signing_in.to_take_over(session)}
        if player not in free:
            raise NotFound("this player isn't free: choose from the list")
        chosen = free[player]
    code = invitations.add_invitation(session, role=role, words=words[:60], player_id=chosen)
    link = f"{visitor_of(request).origin}{request.app.url_path_for('join_page', code=code)}"
    return render(request, "accounts/_link.html", link=link)


@router.post("/people/invitations/{key}/withdraw", name="withdraw_invitation")
def withdraw(request: Request, key: Key, session: DbSession) -> Response:
    """Ends an invitation that nobody used yet."""
    administrator(request, session)
    invitations.delete_invitation(session, key)
    return Response(status_code=204, headers={"HX-Refresh": "true"})


@router.post("/people/{account_id}/role", name="set_role")
def set_role(request: Request, account_id: Id, session: DbSession, role: Role = Form()) -> Response:
    """Makes someone player, teacher or administrator."""
    administrator(request, session)
    accounts.set_role(session, account_id, role)
    return Response(status_code=204, headers={"HX-Refresh": "true"})

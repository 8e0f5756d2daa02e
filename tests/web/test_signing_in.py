"""Accounts: who comes over the network signs in, sees their own, and nothing tells names from
passwords.
"""

import re
import threading
import time
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime, timedelta

import pytest
import sqlalchemy as sa
from fastapi import FastAPI
from fastapi.routing import iter_route_contexts
from fastapi.testclient import TestClient
from pwdlib import PasswordHash
from pwdlib.hashers.argon2 import Argon2Hasher

from tests.web.accounts import OTHER, PASSWORD, elsewhere, invited, joined
from tests.web.conftest import Browser
from tests.web.takes import TEXT
from thrumble.actions import passwords
from thrumble.actions.passwords import check_password, check_pin, is_secret
from thrumble.core.errors import BadInput, Busy, NotAllowed
from thrumble.settings import settings
from thrumble.store import database
from thrumble.store.accounts import accounts, invitations, sign_ins
from thrumble.store.accounts.accounts import Role
from thrumble.store.players import players
from thrumble.web.accounts import endpoints
from thrumble.web.limits import Limits
from thrumble.web.visitors import PUBLIC


@pytest.fixture(autouse=True)
def quick_hashes(monkeypatch: pytest.MonkeyPatch) -> None:
    """The same algorithm with less memory and fewer rounds; fresh throttles."""
    cheap = PasswordHash((Argon2Hasher(time_cost=1, memory_cost=64, parallelism=1),))
    monkeypatch.setattr(passwords, "_hasher", lambda: cheap)
    passwords._nobodys.cache_clear()
    monkeypatch.setattr(endpoints, "_by_name", Limits(1, at_once=10))
    monkeypatch.setattr(endpoints, "_by_address", Limits(30))


@pytest.fixture
def over_network(
    visitor: Browser, application: FastAPI, monkeypatch: pytest.MonkeyPatch
) -> Iterator[Callable[[], Browser]]:
    """Makes browsers on another machine."""
    monkeypatch.setattr(settings(), "sign_in", "always")
    opened: list[Browser] = []

    def make() -> Browser:
        opened.append(elsewhere(application))
        return opened[-1]

    yield make
    for browser in opened:
        browser.client.close()


def player_of(name: str) -> int:
    with database.session() as session:
        account = accounts.find_account(session, name)
        assert account
        return account.player_id


def test_nobody_gets_anything_but_the_sign_in_page(over_network: Callable[[], Browser]) -> None:
    nobody = over_network()
    walked, offenders = 0, []
    for route in iter_route_contexts(nobody.client.app.routes):  # type: ignore[attr-defined]
        if route.name in PUBLIC or not route.methods:
            continue
        address = re.sub(r"\{key\}", "0" * 64, route.path_format or "")
        address = re.sub(r"\{\w+\}", "1", address)
        for method in route.methods - {"HEAD"}:
            for wanted in (address, address.replace("/1", "/99999")):
                answer = nobody.client.request(
                    method, wanted, headers={"x-thrumble-token": nobody.token}
                )
                walked += 1
                if answer.status_code not in (401, 405):
                    offenders.append((method, wanted, answer.status_code))
    # what only redirects old addresses asks for nothing of anyone's
    assert walked > 200 and not [one for one in offenders if one[2] != 422]
    page = nobody.get("/log?x=1", headers={"accept": "text/html"})
    assert page.status_code == 303 and page.headers["location"] == "/sign-in?back=%2Flog%3Fx%3D1"
    assert 'href="/takes"' not in nobody.get("/sign-in").text


def test_the_first_administrator_claims_the_server_and_invites(
    over_network: Callable[[], Browser],
) -> None:
    with database.session() as session:
        code = invitations.new_claim_code(session)
        old = players.local_player(session)
    boss = over_network()
    assert "Claim this server" in boss.get(f"/join/{code}").text
    form = {"name": "Harbour Master", "password": PASSWORD, "player": str(old)}
    assert boss.post(f"/join/{code}", data=form).status_code == 200
    assert player_of("Harbour Master") == old, "their own data comes along"
    assert over_network().get(f"/join/{code}").status_code == 404, "it is claimed"
    assert boss.get("/").status_code == boss.get("/status").status_code == 200
    made = boss.post("/people/invitations", data={"role": "player", "words": "Winch"})
    link = re.search(r'value="http://localhost(/join/[^"]+)"', made.text)
    assert link
    winch = over_network()
    assert "Welcome, Winch" in winch.get(link[1]).text
    form = {"name": "Winch", "password": PASSWORD}
    assert winch.post(link[1], data=form).status_code == 200
    assert over_network().get(link[1]).status_code == 404, "a link works once"
    assert "First steps" in winch.get("/riffs").text
    for page in ("/people", "/status"):
        assert winch.get(page).status_code == 404
    assert ">People<" not in winch.get("/").text and ">People<" in boss.get("/").text


def test_each_account_sees_its_own_and_no_one_elses(over_network: Callable[[], Browser]) -> None:
    winch, sluice = over_network(), over_network()
    joined(winch, "Winch")
    joined(sluice, "Sluice")
    winch.post("/riffs", data={"source": TEXT})
    assert "Stop Planks" in winch.get("/riffs").text
    assert "Stop Planks" not in sluice.get("/riffs").text
    theirs = {"x-thrumble-player": str(player_of("Winch"))}
    missing = {"x-thrumble-player": "99999"}
    answers = [sluice.get("/riffs", headers=header) for header in (theirs, missing)]
    assert [answer.status_code for answer in answers] == [404, 404]
    for route in ("export", "rename", "delete"):
        for number in (player_of("Winch"), 99999):
            address = f"/players/{number}/{route}"
            answer = sluice.post(address, data={"name": "Winch"})
            assert answer.status_code == 404 and "any more" in answer.text, address
    for address in ("/players/1/choose", "/players/1/pin", "/players", "/players/sample"):
        assert sluice.post(address).status_code == 404, address
    assert winch.post(f"/players/{player_of('Winch')}/export").status_code == 200


def test_a_wrong_password_and_an_unknown_name_are_answered_alike(
    over_network: Callable[[], Browser],
) -> None:
    joined(over_network(), "Winch")
    stranger = over_network()
    said = {
        stranger.post("/sign-in", data={"name": name, "password": "not this one"}).text
        for name in ("Winch", "nobody at all")
    }
    assert len(said) == 1 and "Name and password don" in said.pop()
    verified = []
    real = passwords._hasher().verify

    class Counting:
        def verify(self, secret: str, stored: str) -> bool:
            verified.append(stored)
            return real(secret, stored)

        hash = staticmethod(passwords._hasher().hash)

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(passwords, "_hasher", lambda: Counting())
        for name in ("Winch", "nobody at all"):
            stranger.post("/sign-in", data={"name": name, "password": "not this one"})
    assert len(verified) == 2, "as much work for a name that isn't there"


def test_signing_in_goes_back_to_the_page_and_only_to_ours(
    over_network: Callable[[], Browser],
) -> None:
    joined(over_network(), "Winch")
    for back, goes in (
        ("/log", "/log"),
        ("//evil.example", "/"),
        ("https://evil.example", "/"),
        ("/\\evil.example", "/"),
    ):
        browser = over_network()
        form = {"name": " wInch ", "password": PASSWORD, "back": back}
        answer = browser.post("/sign-in", data=form)
        assert answer.status_code == 204 and answer.headers["hx-redirect"] == goes
        cookie = answer.headers["set-cookie"]
        assert "HttpOnly" in cookie and "SameSite=lax" in cookie
        assert browser.get("/").status_code == 200


def test_after_ten_wrong_passwords_one_waits_and_the_right_one_is_not_counted(
    over_network: Callable[[], Browser],
) -> None:
    joined(over_network(), "Winch")
    browser = over_network()
    for _ in range(12):
        right = {"name": "Winch", "password": PASSWORD}
        assert browser.post("/sign-in", data=right).status_code == 204
        browser.post("/sign-out")
    wrong = {"name": "Winch", "password": "guessing"}
    codes = [browser.post("/sign-in", data=wrong).status_code for _ in range(12)]
    assert codes == [401] * 10 + [429] * 2
    held = browser.post("/sign-in", data=right)
    assert held.status_code == 429 and "with a passkey" in held.text


def test_of_two_hundred_passwords_at_once_a_few_are_checked_and_the_others_wait_elsewhere(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    """Each check would hold one of the threads that answer everybody else."""
    inside, most = 0, 0
    counting = threading.Lock()

    class Slow:
        def verify(self, secret: str, stored: str) -> bool:
            nonlocal inside, most
            with counting:
                inside += 1
                most = max(most, inside)
            time.sleep(0.05)
            with counting:
                inside -= 1
            return False

        hash = staticmethod(lambda secret: secret)

    monkeypatch.setattr(passwords, "_hasher", Slow)

    def attempt(_: int) -> bool:
        try:
            return is_secret("whatever it is", None)
        except Busy:
            return True

    with ThreadPoolExecutor(200) as pool:
        busy = sum(pool.map(attempt, range(200)))
    assert most == passwords.AT_ONCE and busy > 100


def test_a_recovery_code_signs_in_once(over_network: Callable[[], Browser]) -> None:
    codes = joined(over_network(), "Winch")
    assert len(set(codes)) == 10
    form = {"name": "Winch", "password": codes[3].upper().replace("-", " ")}
    assert over_network().post("/sign-in", data=form).status_code == 204
    assert over_network().post("/sign-in", data=form).status_code == 401
    other = over_network()
    joined(other, "Sluice")
    assert (
        other.post("/sign-in", data={"name": "Sluice", "password": codes[4]}).status_code == 401
    ), "a code belongs to one account"


def test_sign_ins_are_listed_and_ended_everywhere(over_network: Callable[[], Browser]) -> None:
    here = over_network()
    joined(here, "Winch")
    there = over_network()
    agent = {"user-agent": "Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko Firefox/140.0"}
    form = {"name": "Winch", "password": PASSWORD}
    there.post("/sign-in", data=form, headers=agent)
    page = here.get("/account").text
    assert "Firefox on Linux" in page and "this browser" in page
    here.post("/account/sign-out-everywhere")
    assert there.get("/riffs").status_code == 401 and here.get("/riffs").status_code == 200
    there.post("/sign-in", data=form, headers=agent)
    key = re.search(r"/account/sign-ins/([0-9a-f]{64})/end", here.get("/account").text)
    assert key
    here.post(f"/account/sign-ins/{key[1]}/end")
    assert there.get("/riffs").status_code == 401
    there.post("/sign-in", data=form)
    changed = here.post("/account/password", data={"now": PASSWORD, "new": OTHER})
    assert changed.status_code == 204
    assert there.get("/riffs").status_code == 401, "another password signs the others out"
    refused = here.post("/account/password", data={"now": PASSWORD, "new": OTHER})
    assert refused.status_code == 401
    stolen = here.client.cookies["thrumble-session"]
    here.post("/sign-out")
    here.client.cookies.set("thrumble-session", stolen)
    assert here.get("/riffs").status_code == 401, "the token ended on the server"


def test_a_sign_in_ends_by_itself_and_a_clock_set_back_ends_none(
    over_network: Callable[[], Browser],
) -> None:
    browser = over_network()
    joined(browser, "Winch")

    def moved(column: str, by: timedelta) -> None:
        with database.session() as session:
            session.execute(
                sa.text(f"update sign_in set {column} = :moment"),
                {"moment": datetime.now(UTC) - by},
            )

    moved("seen_at", -timedelta(days=400))
    assert browser.get("/riffs").status_code == 200
    moved("seen_at", sign_ins.IDLE + timedelta(minutes=1))
    assert browser.get("/riffs").status_code == 401
    moved("seen_at", timedelta(0))
    moved("created_at", sign_ins.LONGEST + timedelta(minutes=1))
    assert browser.get("/riffs").status_code == 401


def test_an_invitation_ends(over_network: Callable[[], Browser]) -> None:
    code = invited()
    with database.session() as session:
        session.execute(sa.text("update invitation set expires_at = now() - interval '1 minute'"))
    form = {"name": "Winch", "password": PASSWORD}
    late = over_network().post(f"/join/{code}", data=form)
    assert late.status_code == 404 and "seven days are over" in late.text


def test_two_who_use_one_link_at_once_are_one_account(over_network: Callable[[], Browser]) -> None:
    code = invited()
    browsers = [over_network() for _ in range(2)]
    with ThreadPoolExecutor(2) as pool:
        answers = list(
            pool.map(
                lambda pair: pair[1].post(
                    f"/join/{code}", data={"name": f"Winch {pair[0]}", "password": PASSWORD}
                ),
                enumerate(browsers),
            )
        )
    assert sorted(answer.status_code for answer in answers) == [200, 404]


def test_names_and_passwords_that_cannot_be_are_refused_before_the_link_is_used(
    over_network: Callable[[], Browser],
) -> None:
    joined(over_network(), "Winch")
    browser, code = over_network(), invited()
    for name, password, said in (
        ("", PASSWORD, "name: this is missing"),
        ("x" * 61, PASSWORD, "a name has"),
        ("Sluice", "short", "at least 12"),
        ("Sluice", "passwordpassword", "easy to guess"),
        ("winch", PASSWORD, "taken"),
    ):
        answer = browser.post(f"/join/{code}", data={"name": name, "password": password})
        assert answer.status_code == 422 and said in answer.text.lower().replace("&#39;", "'"), said
    assert browser.post(f"/join/{code}", data={"name": "Sluice", "password": PASSWORD}).is_success


@pytest.mark.parametrize(
    "password", ["Harbour Master 1", "thrumblethrumble", "123456789012", "qwertyuiopas", "a" * 40]
)
def test_passwords_that_are_soon_guessed(password: str) -> None:
    with pytest.raises(BadInput):
        check_password(password, "Harbour Master")


@pytest.mark.parametrize(
    "password", [PASSWORD, "x7!Kq-92vR_wd", "ſchiffshebewerk am Kanal", "🪕" * 3 + OTHER]
)
def test_passwords_that_are_not(password: str) -> None:
    check_password(password, "Harbour Master")


def test_the_last_administrator_stays(over_network: Callable[[], Browser]) -> None:
    boss, other = over_network(), over_network()
    joined(boss, "Boss", Role.ADMINISTRATOR)
    joined(other, "Other")
    with database.session() as session:
        boss_account = accounts.find_account(session, "boss")
        other_account = accounts.find_account(session, "other")
    assert boss_account and other_account
    demote = {"role": "player"}
    assert boss.post(f"/people/{boss_account.id}/role", data=demote).status_code == 409
    gone = boss.post(f"/players/{boss_account.player_id}/delete", data={"name": "Boss"})
    assert gone.status_code == 409
    promote = {"role": "administrator"}
    assert boss.post(f"/people/{other_account.id}/role", data=promote).status_code == 204

    def step_down(account_id: int) -> bool:
        try:
            with database.session() as session:
                accounts.set_role(session, account_id, Role.PLAYER)
        except NotAllowed:
            return False
        return True

    with ThreadPoolExecutor(2) as pool:
        down = list(pool.map(step_down, (boss_account.id, other_account.id)))
    assert sorted(down) == [False, True], "two who step down at once leave one"


def test_deleting_an_account_leaves_no_row_of_it(over_network: Callable[[], Browser]) -> None:
    boss, winch = over_network(), over_network()
    joined(boss, "Boss", Role.ADMINISTRATOR)
    joined(winch, "Winch")
    number = player_of("Winch")
    assert winch.post(f"/players/{number}/delete", data={"name": "Winch"}).status_code == 204
    assert winch.get("/riffs").status_code == 401
    with database.session() as session:
        for table in ("account", "sign_in", "recovery_code"):
            left = session.execute(sa.text(f"select count(*) from {table}")).scalar_one()
            assert left == (10 if table == "recovery_code" else 1), table


def test_at_this_machine_nobody_signs_in_but_a_proxy_is_no_one_here(
    visitor: Browser, application: FastAPI
) -> None:
    assert visitor.get("/riffs").status_code == 200
    forwarded = visitor.get("/riffs", headers={"x-forwarded-for": "192.0.2.7"})
    assert forwarded.status_code == 401
    elsewhere = TestClient(
        application, base_url="http://127.0.0.1", client=("192.0.2.7", 5000), follow_redirects=False
    )
    assert elsewhere.get("/riffs").status_code == 401, "whatever host name they send"


def test_a_pin_keeps_a_player_to_themselves(visitor: Browser) -> None:
    visitor.post("/players", data={"name": "Winch"})
    with database.session() as session:
        winch = players.local_player(session)
    visitor.post("/riffs", data={"source": TEXT})
    for pin in ("12", "1111", "1234", "abcd", "1" * 13):
        assert visitor.post(f"/players/{winch}/pin", data={"pin": pin}).status_code == 422, pin
    assert visitor.post(f"/players/{winch}/pin", data={"pin": "4711"}).status_code == 204
    assert "Stop Planks" in visitor.get("/riffs").text, "whoever set it is in"
    app = visitor.client.app
    client = TestClient(
        app, base_url="http://127.0.0.1", client=("127.0.0.1", 50001), follow_redirects=False
    )
    fresh = Browser(client, "/players")
    page = fresh.get("/players").text
    assert "Winch" in page and 'name="secret"' in page
    as_winch = {"x-thrumble-player": str(winch)}
    for answer in (
        fresh.get("/riffs"),
        fresh.get("/riffs", headers=as_winch),
        fresh.post(f"/players/{winch}/export"),
        fresh.post(f"/players/{winch}/delete", data={"name": "Winch"}),
        fresh.post(f"/players/{winch}/pin", data={"pin": ""}),
        fresh.post(f"/players/{winch}/choose", data={"secret": "4712"}),
    ):
        assert answer.status_code == 401
    opened = fresh.get("/riffs", headers={"accept": "text/html"})
    assert opened.status_code == 303 and opened.headers["location"] == "/players"
    assert fresh.post(f"/players/{winch}/choose", data={"secret": "4711"}).status_code == 204
    assert "Stop Planks" in fresh.get("/riffs").text
    assert visitor.post(f"/players/{winch}/pin", data={"pin": "80325"}).status_code == 204
    assert fresh.get("/riffs").status_code == 401, "another PIN locks other browsers"
    codes = [
        fresh.post(f"/players/{winch}/choose", data={"secret": "0000"}).status_code
        for _ in range(6)
    ]
    assert codes[-1] == 429 and codes[0] == 401


@pytest.mark.parametrize("pin", ["4711", "080325", "915027364820"])
def test_pins_that_will_do(pin: str) -> None:
    check_pin(pin)

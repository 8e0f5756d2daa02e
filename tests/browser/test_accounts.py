"""Accounts in a real browser: claimed, a passkey added and used, signed out, and a take whose
recording outlives its sign-in.
"""

import io
import re
from collections.abc import Callable, Iterator

import pytest
import soundfile
import sqlalchemy as sa
from playwright.sync_api import Page, expect

from tests.browser.conftest import Served
from tests.conftest import Databases

PASSWORD = "winch pebble lantern ox"
ROUNDS = 8  # of two bars at 90


@pytest.fixture
def network(databases: Databases, monkeypatch: pytest.MonkeyPatch) -> Iterator[Served]:
    """A server on which everybody signs in, and nobody has yet."""
    monkeypatch.setenv("THRUMBLE_SIGN_IN", "always")
    url = databases.make(databases.template)
    served = Served(url, demo=False)
    served.base = f"http://localhost:{served.port}"  # a name: passkeys belong to one
    served.start()
    yield served
    assert served.stop() == 0
    databases.drop(url)


def test_the_server_is_claimed_and_a_passkey_signs_in(
    network: Served, open_page: Callable[..., Page]
) -> None:
    claim = network.claimed_at()
    page = open_page()
    devtools = page.context.new_cdp_session(page)
    devtools.send("WebAuthn.enable")
    options = {
        "protocol": "ctap2",
        "transport": "internal",
        "hasResidentKey": True,
        "hasUserVerification": True,
        "isUserVerified": True,
        "automaticPresenceSimulation": True,
    }
    devtools.send("WebAuthn.addVirtualAuthenticator", {"options": options})
    page.goto(network.base)
    page.wait_for_url(re.compile("/sign-in"))
    page.goto(network.base + claim)
    page.get_by_label("Your name here").fill("Harbour Master")
    page.get_by_label("Password").fill(PASSWORD)
    page.get_by_role("button", name="Run this server").click()
    expect(page.locator(".code-list li")).to_have_count(10)
    page.get_by_role("link", name="I have them").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Today")
    page.get_by_role("link", name="Account: Harbour Master").click()
    page.wait_for_load_state("load")  # the button's script comes after the button
    page.get_by_label("Name of the passkey").fill("Desk lamp")
    page.get_by_role("button", name="Add a passkey").click()
    expect(page.locator(".rows").first).to_contain_text("Desk lamp")
    page.get_by_role("button", name="Sign out", exact=True).click()
    page.wait_for_url(re.compile("/sign-in"))
    page.goto(f"{network.base}/log")
    page.wait_for_url(re.compile("/sign-in"))
    page.get_by_role("button", name="Sign in with a passkey").click()
    page.wait_for_url(re.compile("/log"))
    page.goto(f"{network.base}/account")
    expect(page.locator(".rows").first).to_contain_text("last used on")
    page.get_by_role("button", name="Sign out", exact=True).click()
    page.get_by_label("Name", exact=True).fill("harbour master")
    page.get_by_label("Password or recovery code").fill("wrong")
    page.keyboard.press("Enter")
    expect(page.locator("#problem")).to_contain_text("don't match")
    page.get_by_label("Password or recovery code").fill(PASSWORD)
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", level=1)).to_have_text("Today")


def test_a_take_outlives_its_sign_in(network: Served, open_page: Callable[..., Page]) -> None:
    """Signed out in the middle of a recording: its sound waits in the browser, then arrives."""
    page = open_page()
    page.goto(network.base + network.claimed_at())
    page.get_by_label("Your name here").fill("Winch")
    page.get_by_label("Password").fill(PASSWORD)
    page.get_by_role("button", name="Run this server").click()
    page.get_by_role("link", name="I have them").click()
    page.goto(f"{network.base}/riffs")
    page.get_by_role("link", name="First steps").first.click()
    page.get_by_role("link", name=re.compile("^Play")).first.click()
    stage = page.locator("#play")
    page.wait_for_load_state("load")
    page.get_by_label("Passes").fill(str(ROUNDS))
    page.keyboard.press("Tab")
    page.locator("#go").click()
    expect(stage).to_have_attribute("data-stage", "record", timeout=20000)
    engine = sa.create_engine(network.database_url)
    with engine.begin() as connection:
        connection.execute(sa.text("delete from sign_in"))
    expect(page.locator("body")).to_contain_text("not yet sent: You're signed out", timeout=20000)
    other = page.context.new_page()
    other.goto(network.base)
    other.get_by_label("Name", exact=True).fill("Winch")
    other.get_by_label("Password or recovery code").fill(PASSWORD)
    other.keyboard.press("Enter")
    expect(other.get_by_role("heading", level=1)).to_have_text("Today")
    expect(stage).to_have_attribute("data-stage", "done", timeout=60000)
    with engine.begin() as connection:
        (take_id,) = connection.execute(sa.text("select id from take")).scalars().all()
    engine.dispose()
    audio = other.request.get(f"{network.base}/takes/{take_id}/audio")
    sound = soundfile.info(io.BytesIO(audio.body()))
    # a take ends on the server once every frame that the browser recorded has arrived
    assert sound.duration > ROUNDS * 2 * 4 * 60 / 90

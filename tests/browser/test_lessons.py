"""A teacher and a pupil on one machine: let in, a take commented on by voice, a riff assigned."""

import re
from collections.abc import Callable

import sqlalchemy as sa
from playwright.sync_api import Page, expect

from tests.browser.conftest import Served


def use(page: Page, served: Served, name: str) -> None:
    """Lets the browser go on as another player, by a key."""
    page.goto(f"{served.base}/players")
    page.wait_for_load_state("load")
    button = page.get_by_role("button", name=re.compile(f"^Play as {name}"))
    page.keyboard.press(button.get_attribute("data-key") or "")
    page.wait_for_url(re.compile(r"/$"))
    expect(page.locator(".rail-foot")).to_contain_text(f"Player: {name}")


def test_a_teacher_comments_by_voice_and_assigns_and_the_pupil_withdraws(
    served: Served, open_page: Callable[..., Page]
) -> None:
    engine = sa.create_engine(served.database_url)
    with engine.begin() as connection:
        sample = connection.execute(sa.text("select id, name from player where is_sample")).one()
        connection.execute(sa.text("update player set is_sample = false where is_sample"))
    page = open_page()
    try:
        page.goto(f"{served.base}/players")
        page.wait_for_load_state("load")
        page.get_by_label("Name").last.fill("Lock keeper")
        page.get_by_role("button", name="Add a player").click()
        expect(page.locator(".rail-foot")).to_contain_text("Player: Lock keeper")
        use(page, served, sample.name)
        page.get_by_role("link", name="Lessons").click()
        page.wait_for_load_state("load")
        page.get_by_label("Teacher").select_option("Lock keeper")
        page.get_by_role("button", name="Let them in").click()
        expect(page.locator("main")).to_contain_text("Lock keeper may look at takes")
        use(page, served, "Lock keeper")
        page.get_by_role("link", name="Lessons").click()
        page.wait_for_load_state("load")
        page.get_by_role("link", name=f"Open {sample.name}").click()
        page.wait_for_load_state("load")
        # no other journey plays this riff: its newest take has hits and sound
        page.get_by_role("link", name=re.compile("of Towpath Shuffle$")).first.click()
        page.wait_for_load_state("load")
        expect(page.locator("#comment-form")).to_be_visible()
        struck = page.locator("#strip [data-bar='2'] path.take").first
        struck.click()
        expect(page.locator("#comment-bar")).to_have_value("2")
        page.wait_for_function("() => document.getElementById('sound').currentTime > 0.5")
        page.get_by_label("Comment", exact=True).fill("Lift the fretting hand sooner.")
        page.get_by_role("button", name="Record it").click()
        expect(page.locator("#speak")).to_contain_text("Stop (2 of 60 s)", timeout=10000)
        page.locator("#speak").click()
        expect(page.locator("#spoken audio")).to_be_visible()
        page.get_by_role("button", name="Comment", exact=True).click()
        line = page.locator(".comment-list > li").first
        expect(line).to_contain_text("You")
        expect(line).to_contain_text("bar 2")
        expect(line.locator("audio")).to_have_count(1)
        expect(page.locator("#strip .commented[data-bar='2']").first).to_be_visible()
        page.get_by_role("link", name=sample.name, exact=True).click()
        page.wait_for_load_state("load")
        page.locator("select[name=riff]").select_option(label="Towpath Shuffle")
        page.get_by_label("Why").fill("For Saturday")
        page.get_by_role("button", name="Assign").click()
        expect(page.locator(".assignments")).to_contain_text("For Saturday")
        use(page, served, sample.name)
        page.get_by_role("link", name=re.compile(r"^take \d+ of Towpath Shuffle$")).first.click()
        page.wait_for_load_state("load")
        line = page.locator(".comment-list > li").first
        expect(line).to_contain_text("Lift the fretting hand sooner.")
        seconds = line.locator("audio").evaluate(
            "async (a) => { a.preload = 'auto'; a.load(); await new Promise((r) => "
            "a.addEventListener('loadedmetadata', r, {once: true})); return a.duration; }"
        )
        assert 1 < seconds < 20
        page.goto(f"{served.base}/lessons")
        page.wait_for_load_state("load")
        expect(page.locator("main")).to_contain_text("For Saturday")
        expect(page.locator(".events")).to_contain_text("looked at take")
        page.get_by_role("button", name="Withdraw").click()
        expect(page.locator(".events")).to_contain_text("sees nothing any more")
    finally:
        with engine.begin() as connection:
            connection.execute(
                sa.text("update player set is_sample = true where id = :id"), {"id": sample.id}
            )
            connection.execute(sa.text("delete from player where name = 'Lock keeper'"))
            connection.execute(sa.text("delete from assignment"))
            connection.execute(sa.text("delete from comment"))
        engine.dispose()

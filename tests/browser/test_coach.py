"""The coach in a real browser, by keys: a reading arms its drill, which opens to be played; drills
and the log; how the hands feel.
"""

import json
import re
from collections.abc import Callable

import sqlalchemy as sa
from playwright.sync_api import Page, expect

from tests.browser.conftest import Served


def test_a_reading_arms_its_drill_and_one_key_opens_it(
    served: Served, open_page: Callable[..., Page]
) -> None:
    page = open_page()
    page.goto(f"{served.base}/takes?q=Nine Locks Down")
    page.get_by_role("link", name="Nine Locks Down").first.click()
    page.wait_for_selector("#strip")
    expect(page.locator(".up-next.next")).to_contain_text("Shifts alone")
    page.wait_for_load_state("load")
    page.keyboard.press("a")
    expect(page.locator("#others")).to_have_attribute("open", "")
    expect(page.locator("#others")).to_contain_text("Half the changes")
    page.keyboard.press("Space")
    page.wait_for_url(re.compile(r"/play/\d+"))
    expect(page.get_by_role("heading", level=1)).to_have_text("Nine Locks Down: shifts alone")
    expect(page.locator("#tempo-shown")).to_have_text("90")


def test_drills_are_gone_through_by_keys_and_one_is_made_a_riff(
    served: Served, open_page: Callable[..., Page]
) -> None:
    page = open_page()
    page.goto(f"{served.base}/drills")
    first = page.locator(".drill-link.here b").inner_text()
    page.wait_for_load_state("load")
    page.keyboard.press("ArrowDown")
    expect(page.locator(".drill-link.here b")).not_to_have_text(first)
    page.get_by_label("From bar").fill("1")
    page.get_by_label("to bar").fill("2")
    page.get_by_role("button", name="Only these bars").click()
    page.wait_for_url(re.compile("first=1&last=2"))
    page.get_by_role("button", name="Save as a new riff").click()
    page.wait_for_url(re.compile(r"/riffs/\d+$"))
    expect(page.get_by_role("heading", level=1)).to_contain_text("bars 1-2")
    page.once("dialog", lambda dialog: dialog.accept())
    page.locator(".menu summary").click()
    page.get_by_role("button", name="Delete this riff").click()
    page.wait_for_url(re.compile(r"/riffs$"))


def test_the_log_and_how_the_hands_feel(served: Served, open_page: Callable[..., Page]) -> None:
    page = open_page()
    page.goto(served.base)
    page.wait_for_load_state("load")
    page.keyboard.press("l")
    page.wait_for_url(re.compile("/log"))
    # at hand, or behind the riffs that other journeys have played since
    gear = page.locator("nav.tabs a", has_text=re.compile("^Winding Gear$")).get_attribute("href")
    page.goto(f"{served.base}{gear}")
    expect(page.locator(".speed")).to_be_visible()
    assert float(page.locator(".figure .big").inner_text()) > 60
    assert page.locator(".slot-block").count() > 20
    page.goto(served.base)
    page.get_by_role("button", name="8", exact=True).click()
    expect(page.locator("#care")).to_contain_text("8 of 10 is pain. Stop for today")
    page.get_by_label("before playing").check()
    with page.expect_response(
        "**/plan/today"
    ):  # the day is planned anew: not in the next journey's time
        page.get_by_role("button", name="0", exact=True).click()
    expect(page.locator("#care")).not_to_contain_text("is pain")


def forget_today(served: Served) -> None:
    """Today's session, and what the other journeys played today: it would count for its blocks."""
    engine = sa.create_engine(served.database_url)
    with engine.begin() as connection:
        connection.execute(sa.text("delete from session"))
        connection.execute(sa.text("delete from load where day = current_date"))
    engine.dispose()


MINUTES = 9  # of a block: no rest is due before the second


def cut_short(served: Served) -> None:
    """Every block of today's session as fast as can be, of more minutes than the journey plays."""
    engine = sa.create_engine(served.database_url)
    with engine.begin() as connection:
        plan = connection.execute(sa.text("select plan from session")).scalar_one()
        for one in plan["blocks"]:
            one["block"] |= {"minutes": MINUTES, "kind": "warm-up", "tempo_bpm": 400.0}
        connection.execute(
            sa.text("update session set plan = cast(:plan as jsonb)"), {"plan": json.dumps(plan)}
        )
    engine.dispose()


# of every block's minutes nearly all have gone: one take fills them
NEARLY_OVER = f"""
const day = new Date().toLocaleDateString("sv");
for (let key = 1; key < 10; key++) {{
  sessionStorage.setItem(`session-${{day}}-${{key}}`, "{60 * MINUTES - 3}");
}}
"""


def test_the_session_runs_from_block_to_block_without_touching_anything(
    served: Served, open_page: Callable[..., Page]
) -> None:
    """With the browser as strict about sound as it is to people: only the first key was pressed."""
    forget_today(served)
    page = open_page()
    page.add_init_script(NEARLY_OVER)
    page.goto(served.base)
    # the button can be there before the plan is: a journey before may have asked for one
    expect(page.locator(".session li").first).to_be_visible()
    blocks = page.locator(".session li:not(.rest)").count()
    assert blocks >= 2
    drop = page.locator("[aria-label^='Drop: ']")
    for _ in range(blocks - 2):
        left = drop.count()
        page.locator(".block-more summary").last.click()
        drop.last.click()
        expect(drop).to_have_count(left - 1)
    cut_short(served)
    page.locator("h1").first.click()  # no button has the keys now
    page.keyboard.press("Space")
    for place in (1, 2):
        page.wait_for_function(
            f"() => document.querySelector('#session b')?.textContent === 'Block {place} of 2'",
            timeout=30_000,
        )
        expect(page.locator("#session")).to_have_attribute("data-counting", "yes")
        expect(page.locator("#play")).to_have_attribute("data-stage", "record", timeout=20000)
        expect(page.locator("#play")).to_have_attribute("data-stage", "done", timeout=60000)
    page.wait_for_url(re.compile(r"played=yes"), timeout=20000)
    expect(page.get_by_role("status").first).to_contain_text("How do your hands feel now?")
    expect(page.locator("#plan")).to_contain_text("Done for today")
    page.get_by_role("button", name="1", exact=True).click()
    expect(page.locator("#care")).to_contain_text("After playing: 1 of 10")


def test_in_a_session_page_up_plays_again_or_goes_on_and_escape_waits(
    served: Served, open_page: Callable[..., Page]
) -> None:
    forget_today(served)
    page = open_page()
    page.goto(served.base)
    expect(page.locator("#play-session")).to_be_visible()
    page.keyboard.press("PageDown")
    say = page.locator("#session-say")
    expect(say).to_contain_text("by itself")
    page.keyboard.press("Space")
    stage = page.locator("#play")
    expect(stage).to_have_attribute("data-stage", re.compile("count|record"), timeout=10000)
    page.keyboard.press("PageUp")
    expect(say).to_contain_text("Once more")
    page.keyboard.press("Escape")
    expect(say).to_contain_text("Paused. Press space to continue")
    here = page.url
    page.keyboard.press("Space")
    expect(stage).to_have_attribute("data-stage", re.compile("count|record"), timeout=10000)
    page.keyboard.press("PageUp")
    expect(say).to_contain_text("Once more")
    page.keyboard.press("PageUp")
    page.wait_for_url(lambda url: url != here)

"""The coach in a real browser, by keys: a reading arms its drill, which opens to be played; drills
and the log; how the hands feel.
"""

import re
from collections.abc import Callable

from playwright.sync_api import Page, expect

from tests.browser.conftest import Served


def test_a_reading_arms_its_drill_and_one_key_opens_it(
    served: Served, open_page: Callable[..., Page]
) -> None:
    page = open_page()
    page.goto(f"{served.base}/readings")
    page.get_by_role("link", name="Nine Locks Down").first.click()
    page.wait_for_selector("#strip")
    expect(page.locator(".armed.next")).to_contain_text("Shifts alone")
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
    page.get_by_role("button", name="Make it a riff of its own").click()
    page.wait_for_url(re.compile(r"/riffs/\d+$"))
    expect(page.get_by_role("heading", level=1)).to_contain_text("bars 1-2")
    page.once("dialog", lambda dialog: dialog.accept())
    page.get_by_role("button", name="Delete this riff").click()
    page.wait_for_url(re.compile(r"/riffs$"))


def test_the_log_and_how_the_hands_feel(served: Served, open_page: Callable[..., Page]) -> None:
    page = open_page()
    page.goto(served.base)
    page.wait_for_load_state("load")
    page.keyboard.press("l")
    page.wait_for_url(re.compile("/log"))
    page.get_by_role("link", name="Winding Gear").click()
    expect(page.locator(".speed")).to_be_visible()
    assert float(page.locator(".figure .big").inner_text()) > 60
    assert page.locator(".slot-block").count() > 20
    page.goto(served.base)
    page.get_by_role("button", name="8", exact=True).click()
    expect(page.locator("#care")).to_contain_text("8 of 10 is pain: stop for today")
    page.get_by_label("before playing").check()
    page.get_by_role("button", name="0", exact=True).click()
    expect(page.locator("#care")).not_to_contain_text("is pain")

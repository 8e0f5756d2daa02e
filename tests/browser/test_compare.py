"""Comparing in a real browser: A, B and the ideal heard at the same place of the riff, slower, in a
loop.
"""

import re
from collections.abc import Callable

from playwright.sync_api import Page, expect

from tests.browser.conftest import Served

PLACE = """() => { const marks = JSON.parse(document.getElementById('marks').textContent);
const on = [...document.querySelectorAll('#hear audio')].find((one) => !one.paused);
return on ? [on.id, (on.currentTime - on.dataset.start) * on.dataset.tempo / marks.tempo,
  on.playbackRate] : null; }"""


def test_switching_keeps_the_place_and_a_bar_goes_round(
    served: Served, open_page: Callable[..., Page]
) -> None:
    page = open_page()
    page.goto(f"{served.base}/log/takes?riff=4")
    page.get_by_role("link", name=re.compile("^Open take")).first.click()
    page.get_by_role("link", name="Compare it").click()
    page.get_by_role("checkbox", name=re.compile("on side B")).nth(1).check()
    page.get_by_role("button", name="Compare").click()
    expect(page.locator(".pair").first).to_be_visible()
    expect(page.locator(".wave canvas")).to_have_count(2)
    page.wait_for_load_state("load")
    page.locator("h1").click()
    page.keyboard.press("Space")
    page.wait_for_function(f"() => ({PLACE})()?.[0] === 'sound-a'")
    for _ in range(2):
        page.keyboard.press("ArrowRight")
    page.wait_for_function(f"() => ({PLACE})()?.[1] > 3")
    for key, sound in (("2", "sound-b"), ("3", "sound-ideal"), ("1", "sound-a")):
        before = page.evaluate(PLACE)[1]
        page.keyboard.press(key)
        page.wait_for_function(f"() => ({PLACE})()?.[0] === '{sound}'")
        after = page.evaluate(PLACE)[1]
        assert -0.1 < after - before < 1.5, (sound, before, after)
    page.keyboard.press("s")
    page.wait_for_function(f"() => ({PLACE})()?.[2] === 0.75")
    page.keyboard.press("o")
    expect(page.locator("#loop")).to_have_attribute("aria-pressed", "true")
    bar = page.locator("#heard").inner_text()
    high = page.evaluate(PLACE)[1]
    page.wait_for_function(f"() => ({PLACE})()[1] < {high}", timeout=10000)
    expect(page.locator("#heard")).to_have_text(bar)
    page.keyboard.press("Space")
    page.wait_for_function(f"() => ({PLACE})() === null")

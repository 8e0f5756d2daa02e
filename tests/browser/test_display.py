"""Theme and text size are chosen once and kept; from two metres no screen runs over its width."""

from collections.abc import Callable

from playwright.sync_api import Page, expect

from tests.browser.conftest import Served

SCREENS = (
    "/",
    "/riffs",
    "/riffs/1",
    "/riffs/1/neck",
    "/play/1",
    "/log",
    "/shapes",
    "/rig",
    "/drills",
)


def test_from_two_metres_everything_is_in_reach_on_a_phone(
    served: Served, open_page: Callable[..., Page]
) -> None:
    page = open_page(microphone=False, viewport={"width": 390, "height": 844})
    page.goto(served.base)
    page.get_by_role("button", name="Display").click()
    page.get_by_label("to read from two metres").check()
    page.keyboard.press("Escape")
    take = page.locator(".take-line a").first.get_attribute("href")
    for address in (*SCREENS, take, "/takes", "/compare?a=1&b=2", "/certainty"):
        page.goto(f"{served.base}{address}")
        wide, window = page.evaluate("[document.documentElement.scrollWidth, innerWidth]")
        assert wide <= window, address
        ends = page.evaluate(
            "[...document.querySelectorAll('.rail a, .rail button')]"
            ".map((e) => e.getBoundingClientRect().right)"
        )
        assert max(ends) <= window, address


def test_theme_and_size_are_kept_and_fit(served: Served, open_page: Callable[..., Page]) -> None:
    page = open_page(microphone=False)
    page.goto(served.base)
    usual = page.evaluate("parseFloat(getComputedStyle(document.querySelector('h1')).fontSize)")
    page.get_by_role("button", name="Display").click()
    page.get_by_label("dark", exact=True).check()
    page.get_by_label("to read from two metres").check()
    page.keyboard.press("Escape")
    expect(page.locator("html")).to_have_attribute("data-bs-theme", "dark")
    for address in SCREENS:
        page.goto(f"{served.base}{address}")
        expect(page.locator("html")).to_have_attribute("data-bs-theme", "dark")
        wide, window = page.evaluate("[document.documentElement.scrollWidth, innerWidth]")
        assert wide <= window, address
    page.goto(served.base)
    large = page.evaluate("parseFloat(getComputedStyle(document.querySelector('h1')).fontSize)")
    assert large > 1.3 * usual
    page.get_by_role("button", name="Display").click()
    expect(page.get_by_label("to read from two metres")).to_be_checked()
    page.get_by_label("as the system").check()
    page.get_by_label("usual size").check()
    page.keyboard.press("Escape")
    expect(page.locator("html")).to_have_attribute("data-bs-theme", "light")

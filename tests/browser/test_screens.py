"""Every screen in both themes and on a phone: no accessibility faults, nothing wider than the window,
and keys that lead everywhere.
"""

from collections.abc import Callable
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import Served

AXE = (Path(__file__).parent / "vendor/axe.min.js").read_text()


@pytest.mark.parametrize(("theme", "width"), [("light", 1280), ("dark", 1280), ("dark", 390)])
def test_no_screen_has_accessibility_faults_or_runs_over_its_width(
    served: Served, open_page: Callable[..., Page], theme: str, width: int
) -> None:
    page = open_page(color_scheme=theme, viewport={"width": width, "height": 800})
    page.goto(f"{served.base}/takes")
    take = page.locator(".take-line a").last.get_attribute("href")
    for address in (
        "/",
        "/rig",
        "/rig/tones/2",
        "/rig/calibrate",
        "/rig/fret-hand",
        "/certainty",
        "/riffs",
        "/riffs/1",
        "/play/1",
        "/takes",
        "/log",
        "/log/practice",
        "/log/takes?riff=4",
        "/compare?a=1&b=2",
        "/compare?a=1",
        "/trials",
        "/offline",
        take,
    ):
        page.goto(f"{served.base}{address}")
        page.evaluate(AXE)
        faults = page.evaluate(
            "axe.run(document, { resultTypes: ['violations'] }).then((r) => r.violations.map((v) => v.id + ': ' + v.nodes.slice(0, 3).map((n) => n.target).join(' | ')))"
        )
        assert faults == [], f"{address} {theme} {width}"
        assert page.evaluate("document.documentElement.scrollWidth") <= width, (
            f"{address} is wider than {width}"
        )


def test_keys_lead_everywhere_and_can_be_switched_off(
    served: Served, open_page: Callable[..., Page]
) -> None:
    page = open_page()
    page.goto(served.base)
    for key, heading in (
        ("r", "Riffs"),
        ("g", "Lock-keeper's six-string"),
        ("k", "Takes"),
        ("t", "Today"),
    ):
        page.keyboard.press(key)
        expect(page.get_by_role("heading", name=heading, exact=True)).to_be_visible()
        page.wait_for_load_state("load")  # by then the page's scripts listen for keys
    page.keyboard.press("?")
    expect(page.get_by_role("dialog")).to_be_visible()
    page.get_by_label("Single-key shortcuts are on").uncheck()
    page.get_by_role("button", name="Close").click()
    page.keyboard.press("r")
    expect(page.get_by_role("heading", name="Today", exact=True)).to_be_visible()
    page.keyboard.press("PageDown")
    expect(page.locator("#now svg")).to_be_visible(timeout=15000)

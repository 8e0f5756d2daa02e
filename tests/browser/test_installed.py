"""Without a connection the browser shows a page that says so, and goes on once it is back."""

from collections.abc import Callable

from playwright.sync_api import Page, expect

from tests.browser.conftest import Served

KEPT = "caches.match('/offline').then((page) => page !== undefined)"


def test_without_a_connection_a_page_says_so_and_goes_on_by_itself(
    served: Served, open_page: Callable[..., Page]
) -> None:
    page = open_page(microphone=False, service_workers="allow")
    page.goto(f"{served.base}/riffs")
    page.wait_for_function(KEPT)
    page.wait_for_function("() => navigator.serviceWorker.controller !== null")
    page.context.set_offline(True)
    page.goto(f"{served.base}/takes")
    expect(page.get_by_role("heading", name="No connection")).to_be_visible()
    expect(page.locator(".verdict")).to_contain_text("reloads as soon as it's back")
    assert page.evaluate("getComputedStyle(document.body).fontFamily") != ""
    page.get_by_role("button", name="Try again").click()
    expect(page.get_by_role("heading", name="No connection")).to_be_visible()
    page.context.set_offline(False)
    expect(page.get_by_role("heading", name="Takes")).to_be_visible(timeout=10_000)
    assert page.url.endswith("/takes")

"""Takes the pictures of docs/screenshots from a running application with demo data.

python scripts/screenshots.py [http://127.0.0.1:8642] [--out docs/screenshots] [--only NAME] [--dark] [--phone]
"""

import argparse
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

ARGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]


def open_today(page: Page, base: str) -> None:
    page.goto(base)


def open_riffs(page: Page, base: str) -> None:
    page.goto(f"{base}/riffs")


def open_riff(page: Page, base: str) -> None:
    page.goto(f"{base}/riffs")
    page.get_by_role("link", name="Sluice Gate", exact=True).first.click()
    page.wait_for_selector("#source")


def open_play(page: Page, base: str) -> None:
    page.goto(f"{base}/riffs")
    page.get_by_role("link", name="Play Nine Locks Down").click()
    page.wait_for_selector("#now svg")


def open_reading(page: Page, base: str) -> None:
    page.goto(f"{base}/readings")
    page.get_by_role("link", name="Nine Locks Down").first.click()
    page.wait_for_selector("#strip")


VIEWS = {"today": open_today, "riffs": open_riffs, "riff-text": open_riff, "play": open_play, "reading": open_reading}


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("base", nargs="?", default="http://127.0.0.1:8642")
    parser.add_argument("--out", type=Path, default=Path(__file__).parent.parent / "docs/screenshots")
    parser.add_argument("--only")
    parser.add_argument("--dark", action="store_true", help="all views in the dark theme, beside the light ones")
    parser.add_argument("--phone", action="store_true", help="390 px wide")
    parser.add_argument("--full", action="store_true", help="the whole page, not the first screen")
    arguments = parser.parse_args()
    wanted = [(name, "dark" if arguments.dark else "light") for name in VIEWS if arguments.only in (None, name)]
    if arguments.only is None and not arguments.dark and not arguments.phone:
        wanted.append(("reading", "dark"))
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=[*ARGS, "--use-fake-device-for-media-stream"])
        for name, theme in wanted:
            size = {"width": 390, "height": 844} if arguments.phone else {"width": 1280, "height": 800}
            context = browser.new_context(viewport=size, color_scheme=theme)
            page = context.new_page()
            page.on("console", lambda message: print(message.type, message.text) if message.type == "error" else None)
            page.on("pageerror", lambda error: print("page error", error))
            VIEWS[name](page, arguments.base)
            page.wait_for_timeout(250)
            ending = ("-dark" if theme == "dark" else "") + ("-phone" if arguments.phone else "")
            page.screenshot(path=arguments.out / f"{name}{ending}.png", full_page=arguments.full)
            context.close()
        browser.close()


if __name__ == "__main__":
    main()

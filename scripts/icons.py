"""Draws the installed application's icons from the one that stands in the page's tab.

python -m scripts.icons
"""

from pathlib import Path

from playwright.sync_api import sync_playwright
from scripts.browsers import ARGS, PROGRAM

from thrumble.web.installed.endpoints import ICON_SIZES

WEB = Path(__file__).parents[1] / "src/thrumble/web"
MARGIN = 0.1  # of the size: what a system may cut off stays free
PAGE = """<body style="margin:0;background:#211d19"><img src="data:image/svg+xml;utf8,{svg}"
style="display:block;width:{inner}px;height:{inner}px;margin:{margin}px"></body>"""


def main() -> None:
    svg = (WEB / "shared/icon.svg").read_text().replace("#", "%23").replace('"', "'").strip()
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=PROGRAM, args=ARGS)
        for size in ICON_SIZES:
            margin = round(MARGIN * size)
            page = browser.new_page(viewport={"width": size, "height": size})
            page.set_content(PAGE.format(svg=svg, inner=size - 2 * margin, margin=margin))
            page.screenshot(path=WEB / f"installed/icon-{size}.png")
        browser.close()


if __name__ == "__main__":
    main()

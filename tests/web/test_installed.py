"""The installed app: its manifest and icons are there, and its offline page tells nobody's data."""

import io
import re

from PIL import Image

from tests.web.conftest import Browser


def test_a_browser_finds_all_it_needs_to_install_the_app(visitor: Browser) -> None:
    page = visitor.get("/").text
    address = re.search(r'<link rel="manifest" href="([^"]+)">', page)
    assert address
    answer = visitor.get(address[1])
    manifest = answer.json()
    assert answer.headers["content-type"].startswith("application/manifest+json")
    assert manifest["display"] == "standalone" and manifest["start_url"] == manifest["scope"] == "/"
    assert {icon["purpose"] for icon in manifest["icons"]} == {"any", "maskable"}
    for icon in manifest["icons"]:
        image = Image.open(io.BytesIO(visitor.get(icon["src"]).content))
        assert f"{image.width}x{image.height}" == icon["sizes"]
    for shortcut in manifest["shortcuts"]:
        assert visitor.get(shortcut["url"]).status_code == 200


def test_the_worker_may_see_every_page_and_is_never_kept(visitor: Browser) -> None:
    answer = visitor.get("/worker.js")
    assert answer.headers["content-type"].startswith("text/javascript")
    assert answer.headers["cache-control"] == "no-cache"


def test_the_offline_page_is_nobodys_and_whole(visitor: Browser) -> None:
    page = visitor.get("/offline").text
    assert "Nothing is lost" in page and 'name="player"' not in page
    files = re.findall(r'(?:src|href)="(/(?:files|vendor)/[^"]+)"', page)
    assert len(files) > 5
    assert all(visitor.get(file).status_code == 200 for file in files)

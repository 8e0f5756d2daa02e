"""The guide's pages: Markdown beside the application, rendered once."""

import re
from dataclasses import dataclass
from functools import lru_cache
from importlib.resources import files

from markdown_it import MarkdownIt

FOLDER = files("thrumble.guide")
PICTURE = re.compile(r'<img src="([a-z-]+\.png)"')


@dataclass(frozen=True, slots=True)
class GuidePage:
    """A page. `name`: in its address; `html`: its content below the title; `text`: its words."""

    name: str
    title: str
    html: str
    text: str


@lru_cache
def guide_pages() -> tuple[GuidePage, ...]:
    """All pages in their order."""
    paths = sorted(
        (path for path in FOLDER.iterdir() if path.name.endswith(".md")), key=lambda path: path.name
    )
    return tuple(_page(path.name, path.read_text(encoding="utf-8")) for path in paths)


def _page(file: str, source: str) -> GuidePage:
    heading, _, body = source.partition("\n")
    name = re.sub(r"^\d+-|\.md$", "", file)
    html = MarkdownIt("commonmark", {"html": False}).enable("table").render(body)
    html = re.sub(
        r'<img src="([a-z-]+\.png)"', r'<img loading="lazy" src="/guide/pictures/\1"', html
    )
    return GuidePage(name, heading.removeprefix("# "), html, _words(body))


def _words(body: str) -> str:
    """The words of a guide page, without markup and pictures, for the search."""
    return re.sub(r"!\[([^\]]*)\]\([^)]*\)|[*#`|]", r" \1 ", body)

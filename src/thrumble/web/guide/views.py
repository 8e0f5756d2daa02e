"""The guide as a list of pages and the one that is open."""

from collections.abc import Sequence
from dataclasses import dataclass

from markupsafe import Markup

from thrumble.store.guide import Match
from thrumble.web.guide.pages import GuidePage


@dataclass(frozen=True, slots=True)
class PageLink:
    """A page in the list."""

    name: str
    title: str
    here: bool


@dataclass(frozen=True, slots=True)
class Answer:
    """A page that a search found, with the words around what was looked for, `[` and `]` about
    each.
    """

    name: str
    title: str
    excerpt: str


@dataclass(frozen=True, slots=True)
class GuideView:
    """The screen. `answers`: of a search, None without one; `after`: the page that comes next."""

    links: list[PageLink]
    title: str
    html: Markup
    query: str
    answers: list[Answer] | None
    after: PageLink | None


def guide_view(
    pages: Sequence[GuidePage], name: str | None, query: str, matches: list[Match]
) -> GuideView:
    """The page of that name, or the first one; for a search its answers."""
    number = next((k for k, page in enumerate(pages) if page.name == name), 0)
    page = pages[number]
    links = [PageLink(p.name, p.title, p is page and not query) for p in pages]
    answers = [
        Answer(pages[match.number].name, pages[match.number].title, match.excerpt)
        for match in matches
    ]
    return GuideView(
        links=links,
        title="Guide" if query else page.title,
        html=Markup("" if query else page.html),
        query=query,
        answers=answers if query else None,
        after=links[number + 1] if not query and number + 1 < len(links) else None,
    )

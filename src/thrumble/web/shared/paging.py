"""Long lists in pages, with a way on and a way back."""

from dataclasses import dataclass
from urllib.parse import urlencode


@dataclass(frozen=True, slots=True)
class Paging:
    """Where in a list a page stands. `before`, `after`: the query of the neighbouring page, None
    if there is none.
    """

    page: int
    count: int
    words: str
    before: str | None
    after: str | None


def pages(*, count: int, page: int, size: int, query: dict[str, str]) -> Paging:
    """The page asked for, or the last one there is. `query`: what was searched for, which the
    neighbouring pages keep.
    """
    last = max(1, -(-count // size))
    page = min(page, last)
    first, end = (page - 1) * size + 1, min(count, page * size)
    words = f"{first} to {end} of {count}" if last > 1 else ""
    query_kept = {name: value for name, value in query.items() if value}

    def to(number: int) -> str:
        return "?" + urlencode({**query_kept, "page": str(number)})

    return Paging(
        page,
        count,
        words,
        to(page - 1) if page > 1 else None,
        to(page + 1) if page < last else None,
    )

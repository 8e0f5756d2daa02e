"""Full-text search by PostgreSQL over texts that ship with the application."""

from collections.abc import Sequence
from dataclasses import dataclass

import sqlalchemy as sa
from sqlmodel import Session

MAX_MATCHES = 10
_SEARCH = """
with question as (select websearch_to_tsquery('english', :words) as words),
texts as (
  select number, title, body,
    setweight(to_tsvector('english', title), 'A') || to_tsvector('english', body) as vector
  from unnest(cast(:numbers as int[]), cast(:titles as text[]), cast(:bodies as text[]))
    as given(number, title, body)
)
select number, ts_headline('english', body, words,
  'StartSel=[, StopSel=], MaxWords=24, MinWords=10, MaxFragments=1')
from texts, question where vector @@ words order by ts_rank(vector, words) desc, number limit :most
"""


@dataclass(frozen=True, slots=True)
class Match:
    """A text that answers: its place among those given, and the words around the answer."""

    number: int
    excerpt: str


def search_texts(session: Session, words: str, texts: Sequence[tuple[str, str]]) -> list[Match]:
    """The texts, as (title, body), that hold the words in any of their forms, the best first; a
    word in a title counts more.
    """
    rows = session.execute(
        sa.text(_SEARCH),
        {
            "words": words,
            "numbers": list(range(len(texts))),
            "titles": [title for title, _ in texts],
            "bodies": [body for _, body in texts],
            "most": MAX_MATCHES,
        },
    )
    return [Match(number, " ".join(excerpt.split())) for number, excerpt in rows]

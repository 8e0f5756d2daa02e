"""The guide: every page is there, found by its words, and every figure explains itself."""

import re
from html import unescape

import pytest

from tests.web.coach_takes import added, played
from tests.web.conftest import Browser
from thrumble.core.player.flaws import Flaws
from thrumble.demo import riff_texts
from thrumble.web.guide.pages import guide_pages
from thrumble.web.shared.terms import TERMS

MOVING = re.compile(r"(tempo|spread|level) from bar .* on|strum.*")


def test_every_page_is_there_and_no_link_is_dead(visitor: Browser) -> None:
    names = [page.name for page in guide_pages()]
    assert len(names) >= 12 and names[0] == "first-take"
    for page in guide_pages():
        shown = visitor.get(f"/guide/{page.name}")
        assert shown.status_code == 200 and page.title in unescape(shown.text)
        for link in set(re.findall(r'href="(/[^"#?]*)', shown.text)):
            assert visitor.get(link).status_code in (200, 303), link
    assert {term.page for term in TERMS.values()} <= set(names)
    assert visitor.get("/guide/nope").status_code == 404


@pytest.mark.parametrize(
    ("words", "title"),
    [
        ("palm muting", "Muting, and how it sounds to us"),
        ("microphone blocked", "When something doesn't work"),
        ("late shifts", "What to practise for what went wrong"),
        ("export", "Your data"),
        ("latencies", "Latency"),
    ],
)
def test_a_question_finds_its_page(visitor: Browser, words: str, title: str) -> None:
    answers = re.findall(
        r'<h2><a href="[^"]+">([^<]+)</a></h2>', visitor.get(f"/guide?q={words}").text
    )
    assert title in [unescape(answer) for answer in answers[:3]]


@pytest.mark.parametrize("words", ["zyzzyva", "'\"&|!:*(", "<b>", "%00" * 3])
def test_odd_questions_find_nothing_and_break_nothing(visitor: Browser, words: str) -> None:
    page = visitor.get("/guide", params={"q": words})
    assert page.status_code == 200 and "<b>" not in page.text.replace("<b></b>", "")


def test_every_figure_of_a_result_explains_itself(visitor: Browser) -> None:
    """A shuffle with accents and rests shows them all; each opens two sentences and the guide."""
    for name in ("3-towpath-shuffle", "6-stop-planks"):
        take_id = played(added(riff_texts()[name]), Flaws(timing=9, level=2), seed=2)
        page = unescape(visitor.get(f"/takes/{take_id}").text)
        figures = page[page.index('<dl class="figures">') : page.index("</dl>")]
        labels = re.findall(r"<dt>(.*?)</dt>", figures, re.DOTALL)
        assert len(labels) >= 9
        for label in labels:
            words = re.sub(r"<[^>]+>", "", label.split("</button>")[0]).strip()
            assert words in TERMS or MOVING.match(words), words
            if words in TERMS:
                assert "popovertarget" in label and "/guide/" in label
    for term in TERMS.values():
        assert 2 <= len(re.findall(r"[.](?:\s|$)", term.words)) <= 3

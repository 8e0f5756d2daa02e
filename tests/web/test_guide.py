"""The guide: every page is there, found by its words, and every figure explains itself."""

import re
from html import unescape

import pytest

from tests.web.coach_takes import added, played
from tests.web.conftest import Browser
from thrumble.actions.starting import FIRST_RIFF
from thrumble.core.player.flaws import Flaws
from thrumble.demo import riff_texts
from thrumble.store import database
from thrumble.store.players import players
from thrumble.store.rig import rigs
from thrumble.web.guide.pages import FOLDER, guide_pages
from thrumble.web.shared.terms import TERMS, entry_of


def test_every_page_is_there_and_no_link_is_dead(visitor: Browser) -> None:
    names = [page.name for page in guide_pages()]
    assert len(names) >= 12 and names[0] == "first-take"
    everything = "".join(page.html for page in guide_pages())
    for page in guide_pages():
        shown = visitor.get(f"/guide/{page.name}")
        assert shown.status_code == 200 and page.title in unescape(shown.text)
        for link in set(re.findall(r'href="(/[^"#?]*)', shown.text)):
            assert visitor.get(link).status_code in (200, 303), link
    pictures = {path.stem for path in (FOLDER / "pictures").iterdir()}  # type: ignore[attr-defined]
    assert pictures == set(re.findall(r"/guide/pictures/([a-z-]+)\.png", everything))
    for name in pictures:
        picture = visitor.get(f"/guide/pictures/{name}.png")
        assert picture.status_code == 200 and picture.content.startswith(b"\x89PNG"), name
        assert len(picture.content) < 100_000
    assert visitor.get("/guide/pictures/nope.png").status_code == 404
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


LABEL = re.compile(
    r'<(?P<tag>div|span) class="under"[^>]*>(?P<under>.*?)</(?P=tag)>'
    r'|<dl class="figures">(?P<figures>.*?)</dl>'
    r'|<table class="rated">(?P<rated>.*?)</table>'
    r'|<th scope="row">(?P<row>.*?)</th><td class="num">',
    re.DOTALL,
)
UNEXPLAINED = {"not measured yet"}  # what is said instead of a figure


def labels(page: str, *, rows: bool) -> list[str]:
    """What stands under or beside every figure of a page, as HTML. `rows`: of its tables, too."""
    found = []
    for match in LABEL.finditer(page):
        if match["figures"] is not None:
            found += re.findall(r"<dt>(.*?)</dt>", match["figures"], re.DOTALL)
        elif match["rated"] is not None:
            found += re.findall(r'<th scope="row">(.*?)</th>', match["rated"], re.DOTALL)
        else:
            if rows or match["row"] is None:
                found.append(match["under"] if match["row"] is None else match["row"])
    return found


@pytest.fixture
def screens(visitor: Browser) -> dict[str, str]:
    """Every screen that shows figures, with something to show."""
    takes = []
    for name in ("3-towpath-shuffle", "6-stop-planks"):
        revision = added(riff_texts()[name])
        flaws = [Flaws(timing=9, level=2), Flaws(timing=14)]
        takes.append([played(revision, flaw, seed=k) for k, flaw in enumerate(flaws)])
    with database.session() as session:
        player = players.local_player(session)
        rig = rigs.rigs_of(session, player)[0]
        tone = rigs.add_tone(session, player, rig.id, "tight", "crunch")
        level = {
            "floor_db": -70.0,
            "hum_hz": 50.0,
            "hum_db": -60.0,
            "peak_db": -8.0,
            "headroom_db": 8.0,
            "above_floor_db": 62.0,
            "gain_change_db": None,
        }
        rigs.set_level(session, player, tone.id, level)
    pages = ["/", "/log?riff=1", "/log/practice", "/rig/calibrate", "/rig/fret-hand", "/certainty"]
    pages += [
        f"/rig/tones/{tone.id}",
        "/riffs/1/neck",
        "/neck/hand",
        "/riffs/1/drills",
        "/shapes?name=E5",
    ]
    pages += [f"/takes/{take}" for pair in takes for take in pair]
    pages += [f"/compare?a={pair[0]}&b={pair[1]}" for pair in takes]
    shown = {}
    for page in pages:
        answer = visitor.get(page)
        assert answer.status_code == 200, page
        shown[page] = unescape(answer.text)
    shown["the plan"] = unescape(visitor.post("/plan/today").text)
    shown["an outcome"] = unescape(visitor.get(f"/takes/{takes[0][0]}/outcome").text)
    return shown


def test_every_figure_on_every_screen_explains_itself(screens: dict[str, str]) -> None:
    explained, offenders, count = set(), [], 0
    for name, page in screens.items():
        ids = re.findall(r'id="(term-[^"]+)"', page)
        if len(ids) != len(set(ids)):
            offenders.append((name, "the same popover twice"))
        explained |= set(ids)
        for label in labels(page, rows=name.startswith("/compare")):
            count += 1
            target = re.search(r'popovertarget="([^"]+)"', label)
            words = re.sub(r"<span popover.*|<[^>]+>", "", label, flags=re.DOTALL).strip()
            if words and words not in UNEXPLAINED and (not target or target[1] not in ids):
                offenders.append((name, words))
    assert count > 100 and not offenders
    slugs = {f"term-{entry.slug}" for name in TERMS if (entry := entry_of(name))}
    rare = {
        "term-change-on-the-way",
        "term-up-strokes",
        "term-swing-by-bar",
        "term-strum",
        "term-moves",
    }
    assert slugs - explained <= rare, "an entry that no screen shows"


def test_a_popover_says_two_sentences_and_the_players_own_number(screens: dict[str, str]) -> None:
    for term in TERMS.values():
        assert 2 <= len(re.findall(r"[.:](?:\s|$)", term.words)) <= 3, term.words
    page = next(page for name, page in screens.items() if name.startswith("/takes/"))
    row = r'<th scope="row">[^\n]*?id="term-spread".*?</th><td class="value">(.*?)</td>'
    spread = re.search(row, page, re.DOTALL)
    assert spread and f"Here: {spread[1]}." in spread[0]


@pytest.mark.parametrize(
    ("label", "key"),
    [
        ("tempo from bar 3 on", "change-on-the-way"),
        ("spread from bar 3, pass 2 on", "change-on-the-way"),
        ("timing spread", "spread"),
        ("strum of chords", "strum"),
    ],
)
def test_labels_that_name_the_same_thing_are_explained_alike(label: str, key: str) -> None:
    entry = entry_of(label)
    assert entry and entry.slug == key


def test_a_label_that_is_no_term_is_only_itself() -> None:
    assert entry_of("Winch") is None


def test_a_first_result_is_explained_mark_by_mark(visitor: Browser) -> None:
    revision = added(FIRST_RIFF)
    flaws = Flaws(timing=25, missed=0.1)
    takes = [played(revision, flaws if k == 0 else Flaws(), seed=5 + k) for k in range(4)]
    page = unescape(visitor.get(f"/takes/{takes[0]}").text)
    words = re.findall(r'data-mark="([0-9-]+)">(bar \d)</button>: ([^<]+)\.</li>', page)
    kinds = [kind for _, _, kind in words]
    assert any("rings open" in kind for kind in kinds) and any(
        "palm mute" in kind for kind in kinds
    )
    assert any("the wedge leans" in kind for kind in kinds)
    assert len(kinds) == len(set(kinds)) >= 4
    for hit, _, _ in words:
        assert f'data-hit="{hit}"' in page, "the mark is in the strip"
    assert "mark by mark" not in visitor.get(f"/takes/{takes[3]}").text, "by now they are known"

"""A practice session by keyboard and by what a screen reader is told: every step has its name, its
place in the reading order and its announcement.
"""

from collections.abc import Callable

from playwright.sync_api import Page, expect

from tests.browser.conftest import Served
from tests.browser.playing import EXACT, hand_over, one_bar_lead
from thrumble.core.player.flaws import Flaws
from thrumble.core.player.perform import perform
from thrumble.core.player.sound import Tone
from thrumble.core.riff.notation.text import parse_riff
from thrumble.demo import riff_texts

PLANKS = parse_riff(riff_texts()["6-stop-planks"])
# what live regions say, in order, each change once
LISTEN = """
window.__spoken = [];
new MutationObserver(() => {
  for (const region of document.querySelectorAll("[role=status], [role=alert], [aria-live=polite]")) {
    const words = region.textContent.replace(/\\s+/g, " ").trim();
    if (region.dataset.spoken === words || !words) continue;
    region.dataset.spoken = words;
    window.__spoken.push(words);
  }
}).observe(document, { subtree: true, childList: true, characterData: true });
"""
FOCUSED = """() => {
  const e = document.activeElement;
  const words = e.getAttribute("aria-label") || e.labels?.[0]?.textContent || e.textContent || "";
  return words.replace(/\\s+/g, " ").trim();
}"""


def focused(page: Page) -> str:
    words: str = page.evaluate(FOCUSED)
    return words


def tab_to(page: Page, name: str, most: int = 80) -> list[str]:
    """The stops on the way to what is called so."""
    stops = []
    for _ in range(most):
        page.keyboard.press("Tab")
        stops.append(focused(page))
        if stops[-1].startswith(name):
            return stops
    raise AssertionError(f"no stop called {name!r} among {stops}")


def spoken(page: Page) -> list[str]:
    words: list[str] = page.evaluate("window.__spoken")
    return words


def test_a_session_is_led_by_names_and_announcements_alone(
    served: Served, open_page: Callable[..., Page]
) -> None:
    page = open_page(script=EXACT)
    page.add_init_script(LISTEN)
    page.goto(served.base)
    expect(page.get_by_role("navigation", name="Screens")).to_be_visible()
    assert tab_to(page, "Skip to the page", 1)
    page.keyboard.press("Enter")
    page.keyboard.press("Tab")
    assert page.evaluate("document.querySelector('main').contains(document.activeElement)")
    expect(page.locator("main")).to_match_aria_snapshot(
        """
        - main:
          - heading "Today" [level=1]
          - region "Up next"
          - heading /plan/ [level=2]
          - heading "Your hands" [level=2]
          - group /How do your hands feel/
        """
    )

    page.keyboard.press("r")
    expect(page.get_by_role("heading", name="Riffs", level=1)).to_be_visible()
    tab_to(page, "Play Stop Planks")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Stop Planks", level=1)).to_be_visible()
    expect(page.locator("#now svg")).to_be_visible()
    expect(page.locator("main")).to_match_aria_snapshot(
        """
        - main:
          - heading "Stop Planks" [level=1]
          - status: /Space counts in and records/
          - meter "Input level"
          - img /Bar 1, section A. 1. .*open, accent, stop; 2 &/
          - img /Bar 2, section A/
          - button /Count in and record/
          - spinbutton "Tempo"
          - combobox "After that"
        """
    )

    take = perform(
        PLANKS,
        seed=5,
        tone=Tone.CRUNCH,
        flaws=Flaws(timing=9, wrong=0.1),
        lead_s=one_bar_lead(PLANKS),
    )
    hand_over(page, take)
    tab_to(page, "Count in and record")
    # a busy machine may drop audio: then the page says so, and that space counts in again
    for key in ("Enter", "Space", "Space"):
        page.keyboard.press(key)
        expect(page.locator("#play")).to_have_attribute("data-stage", "record", timeout=10_000)
        expect(page.locator("#play")).to_have_attribute("data-stage", "done", timeout=60_000)
        verdict = page.locator("#outcome [role=status]").inner_text()
        if "dropped some audio" not in verdict:
            break
    said = " | ".join(spoken(page))
    told = ("Opening the input", "Count-in", "Recording. It stops by itself after bar 8.", verdict)
    at = [said.find(words) for words in told]
    assert -1 not in at and at == sorted(at), said
    assert verdict.startswith("In time")

    tab_to(page, "Full result")
    page.keyboard.press("Enter")
    expect(page.locator("#strip")).to_be_visible()
    page.wait_for_load_state("load")  # by then the page's scripts listen
    assert page.locator("main [role=status]").first.inner_text() == verdict
    expect(page.locator("#strip")).to_match_aria_snapshot(
        "- img /Bar 1, section A. 1. .*open, accent, stop, heard open/"
    )
    tab_to(page, "Next error")
    page.keyboard.press("Enter")
    expect(page.locator("#error-words")).to_contain_text("bar 3")
    expect(page.locator("#error-words")).to_contain_text("dead")
    first = page.locator("#error-words").inner_text()
    page.keyboard.press("Enter")
    expect(page.locator("#error-words")).not_to_have_text(first)
    expect(page.locator("#error-words")).to_contain_text("bar 4")
    tab_to(page, "Practise this bar")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", level=1)).to_contain_text("Stop Planks")
    expect(page.get_by_role("button", name="Count in and record")).to_be_visible()

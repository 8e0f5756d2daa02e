"""The riff's text: its words told apart, chord names completed, the error under its line."""

from collections.abc import Callable

from playwright.sync_api import Page, expect

from tests.browser.conftest import Served
from tests.browser.playing import write_riff

CARET_AT = """(before) => {
  const text = document.getElementById("source");
  const at = text.value.indexOf(before) + before.length;
  text.focus();
  text.setSelectionRange(at, at);
}"""


def opened(page: Page, base: str, title: str) -> None:
    write_riff(page, base, title)
    page.goto(page.url.replace("/play/", "/riffs/").split("?")[0])
    page.wait_for_function("() => window.Alpine && window.htmx")
    expect(page.locator("#desk-bars svg").first).to_be_visible()
    page.get_by_role("button", name="Text Esc").click()


def test_words_of_the_text_are_told_apart_and_lie_under_what_is_typed(
    served: Served, open_page: Callable[..., Page]
) -> None:
    page = open_page(microphone=False)
    opened(page, served.base, "Told apart")
    ink = page.locator("#ink")
    assert ink.inner_text().rstrip() == page.locator("#source").input_value().rstrip()
    expect(ink.locator(".ink-section")).to_have_text("[A]")
    expect(ink.locator(".ink-chord").first).to_have_text("E5@6/0")
    assert set(ink.locator(".ink-open").all_inner_texts()) == {">o", "o"}
    assert set(ink.locator(".ink-mute").all_inner_texts()) == {"m"}
    sizes = """() => ["ink", "source"].map((id) => {
      const { clientWidth, scrollHeight } = document.getElementById(id);
      return [clientWidth, scrollHeight];
    })"""
    (ink_width, ink_height), (text_width, text_height) = page.evaluate(sizes)
    assert ink_width == text_width and abs(ink_height - text_height) <= 2, "line under line"
    page.evaluate(CARET_AT, "[A]")
    page.keyboard.type(" # loud")
    expect(ink.locator(".ink-comment")).to_have_text(" # loud")


def test_a_chords_name_is_completed_by_key_or_by_hand_and_undone(
    served: Served, open_page: Callable[..., Page]
) -> None:
    page = open_page(microphone=False)
    opened(page, served.base, "Completed")
    names, text = page.locator("#chord-names"), page.locator("#source")
    page.evaluate(CARET_AT, "|")
    page.keyboard.type(" G")
    expect(names.get_by_role("option").first).to_have_text("G5@6/3")
    expect(text).to_have_attribute("aria-activedescendant", "chord-name-0")
    page.keyboard.press("ArrowDown")
    expect(names.locator("[aria-selected=true]")).to_have_text("G5")
    page.keyboard.press("Enter")
    expect(names).to_be_hidden()
    assert "| G5 E5@6/0" in text.input_value()
    page.keyboard.press("Control+z")
    assert "| G E5@6/0" in text.input_value()
    page.keyboard.press("ArrowRight")  # undone, the letter is selected
    page.keyboard.type("#")
    names.get_by_role("option", name="G#5", exact=True).click()
    assert "| G#5 E5@6/0" in text.input_value()
    page.keyboard.type(" A")
    expect(names).to_be_visible()
    page.keyboard.press("Escape")
    expect(names).to_be_hidden()
    expect(page.locator("#text-drawer")).to_be_visible()
    page.evaluate(CARET_AT, "title: C")
    page.keyboard.type("A")
    expect(names).to_be_hidden()


def test_an_error_stands_under_its_line_until_it_is_mended(
    served: Served, open_page: Callable[..., Page]
) -> None:
    page = open_page(microphone=False)
    opened(page, served.base, "Mended")
    error = page.locator("#text-error")
    page.evaluate(CARET_AT, "[A]\n|")
    page.keyboard.type(" zz")
    expect(error).to_contain_text("'zz': a slot is", timeout=10_000)
    wrong = page.locator("#ink .ink-wrong")
    expect(wrong).to_contain_text("zz")
    below, line = error.bounding_box(), wrong.bounding_box()
    assert below and line and -2 <= below["y"] - line["y"] - line["height"] < 12
    expect(page.locator("#preview .problem-box")).to_be_hidden()
    for _ in range(3):
        page.keyboard.press("Backspace")
    expect(error).to_be_hidden()
    expect(wrong).to_have_count(0)

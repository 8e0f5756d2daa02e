"""Bars moved on the desk's strip: dragged by their grips, alone and chosen together, and by keys."""

from collections.abc import Callable

import pytest
from playwright.sync_api import Locator, Page, expect

from tests.browser.conftest import Served
from tests.browser.playing import write_text
from thrumble.core.riff.notation.text import parse_riff

TEXT = """title: Four roots
tempo: 100
pedal: 6:0
play: A B
[A]
| E5 o . . . | G5 o . . . | A5 o . . . |
[B]
| D5 o . . . |
"""


def roots(page: Page) -> dict[str, str]:
    """Each section's bars by the root of their chord."""
    page.evaluate("() => window.__deskIdle()")
    riff = parse_riff(page.locator("#source").input_value())
    return {
        section.name: "".join((bar.hits[0].label or "?")[0] for bar in section.bars)
        for section in riff.sections
    }


def drag(page: Page, grip: Locator, onto: Locator, share: float, *, escape: bool = False) -> None:
    """From a bar's grip to a share of another bar's width."""
    start, end = grip.bounding_box(), onto.bounding_box()
    tools = page.locator(".dock").bounding_box()
    assert start and end and tools
    page.mouse.move(start["x"] + 8, start["y"] + 12)
    page.mouse.down()
    if end["y"] + 50 > tools["y"]:  # the page scrolls while the pointer waits above the tools
        page.mouse.move(end["x"] + share * end["width"], tools["y"] - 4, steps=5)
        is_seen = "([y, tools]) => document.querySelectorAll('.desk-bar')[y]"
        is_seen += ".getBoundingClientRect().top + 60 < tools"
        index = int(onto.get_attribute("data-index") or 0)
        page.wait_for_function(is_seen, arg=[index, tools["y"]])
        page.mouse.move(end["x"] + share * end["width"], tools["y"] - 60)
        end = onto.bounding_box()
        assert end
    page.mouse.move(end["x"] + share * end["width"], end["y"] + 50, steps=5)
    side = "behind" if share > 0.5 else "before"
    expect(onto).to_have_class(f"desk-bar drop-{side}")
    if escape:
        page.keyboard.press("Escape")
    page.mouse.up()
    expect(page.locator(".drop-behind, .drop-before")).to_have_count(0)


@pytest.fixture
def desk(served: Served, open_page: Callable[..., Page]) -> Page:
    page = open_page(microphone=False)
    page.goto(f"{served.base}/riffs/new")
    expect(page.locator("#desk-bars svg").first).to_be_visible()
    write_text(page, TEXT)
    expect(page.locator("#desk-bars .desk-bar")).to_have_count(4)
    return page


def test_bars_are_dragged_by_their_grips(desk: Page) -> None:
    bars, grips = desk.locator("#desk-bars .desk-bar"), desk.locator("#desk-bars .bar-grip")
    drag(desk, grips.nth(0), bars.nth(2), 0.8)
    assert roots(desk) == {"A": "GAE", "B": "D"}
    drag(desk, grips.nth(2), bars.nth(0), 0.8, escape=True)
    assert roots(desk) == {"A": "GAE", "B": "D"}
    drag(desk, grips.nth(1), bars.nth(3), 0.2)
    assert roots(desk) == {"A": "GE", "B": "AD"}
    desk.keyboard.press("Control+z")
    desk.keyboard.press("Control+z")
    assert roots(desk) == {"A": "EGA", "B": "D"}

    bars.nth(0).click(position={"x": 30, "y": 60})
    bars.nth(1).click(position={"x": 30, "y": 60}, modifiers=["Shift"])
    expect(desk.locator(".desk-bar.chosen")).to_have_count(2)
    drag(desk, grips.nth(0), bars.nth(2), 0.8)
    assert roots(desk) == {"A": "AEG", "B": "D"}
    expect(desk.locator(".desk-bar.chosen")).to_have_count(2)  # they stay chosen where they are


def test_bars_are_moved_by_keys_into_the_next_section_and_back(desk: Page) -> None:
    desk.locator("#desk-bars .desk-bar").nth(1).click(position={"x": 30, "y": 60})
    desk.keyboard.press("<")
    assert roots(desk) == {"A": "GEA", "B": "D"}
    desk.keyboard.press("<")  # it is the first: nothing happens
    assert roots(desk) == {"A": "GEA", "B": "D"}
    for asked in ({"A": "EGA", "B": "D"}, {"A": "EAG", "B": "D"}, {"A": "EA", "B": "GD"}):
        desk.keyboard.press(">")
        assert roots(desk) == asked
    desk.keyboard.press("<")
    assert roots(desk) == {"A": "EAG", "B": "D"}
    desk.keyboard.press(">")
    desk.keyboard.press("x")  # in the order of the keys
    assert roots(desk) == {"A": "EA", "B": "GD"}
    riff = parse_riff(desk.locator("#source").input_value())
    assert riff.sections[1].bars[0].hits[0].articulation == "dead"

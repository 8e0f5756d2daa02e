"""The desk in Chromium: a riff written by keyboard alone on the strip, undone, pasted, kept over a
reload; a shuffle made, moved, exported and brought back.
"""

import re
from collections.abc import Callable

from playwright.sync_api import Page, expect

from tests.browser.conftest import Served
from thrumble.core.riff.notation.text import parse_riff
from thrumble.demo import riff_texts

SLUICE = parse_riff(riff_texts()["1-sluice-gate"])
# what a player presses for the six bars of Sluice Gate; c opens the chord, Enter goes back
BARS = [
    ("F#5@6/2", "oammommom"),
    ("G5@6/3", "oammommmm"),
    ("F#5@6/2", "oammommom"),
    ("A5@5/0", "oamm"),
    ("D5@5/5", "oahmmommm"),
    ("E5@5/7", "oahmmomkk"),
]


class Keys:
    """Presses and counts."""

    def __init__(self, page: Page) -> None:
        self.page, self.count = page, 0

    def press(self, *keys: str) -> None:
        for key in keys:
            self.page.keyboard.press(key)
            self.count += 1

    def settle(self) -> None:
        """Until every key so far has been answered."""
        self.page.evaluate("() => window.__deskIdle()")


def source(page: Page) -> str:
    return page.locator("#source").input_value()


def test_sluice_gate_is_written_by_keyboard_alone(
    served: Served, open_page: Callable[..., Page]
) -> None:
    page = open_page(microphone=False)
    page.goto(f"{served.base}/riffs/new")
    expect(page.locator("#desk-bars svg").first).to_be_visible()
    page.locator("#source").fill(
        "title: Gate by hand\ntempo: 118\npedal: 6:0\nplay: A A B A\n"
        "[A]\n| E5 o . . . . . . . |\n[B]\n| E5 o . . . . . . . |\n"
    )
    expect(page.locator("#desk-bars .desk-bar")).to_have_count(2)
    keys = Keys(page)
    page.locator("#desk").focus()
    for number, (chord, letters) in enumerate(BARS):
        if number in (1, 2, 3, 5):
            keys.press("b")  # a new bar behind this one
        if number == 4:
            keys.press("ArrowDown", "Home")
        keys.settle()
        keys.press("c", *chord, "Enter")
        keys.settle()
        for letter in letters:
            if letter == "a":
                keys.press("ArrowLeft", "a", "ArrowRight")
            else:
                keys.press(letter)
            keys.settle()
        if number == 3:  # B5 after the mutes, held, and a rest that is judged
            keys.press("c", *"B5@5/2", "Enter", "o", "h", "-")
        if number in (0, 1, 2):  # the caret went on into the next bar: back to put one between
            keys.press("ArrowUp")
    keys.settle()
    expect(page.locator("#problem")).to_be_empty()
    written = parse_riff(source(page))
    assert written.sections == SLUICE.sections, source(page)
    assert keys.count / 3 < 60, f"{keys.count} keys for three pairs of bars"

    page.keyboard.press("Control+z")
    page.keyboard.press("Control+z")
    keys.settle()
    assert parse_riff(source(page)).sections != SLUICE.sections
    page.keyboard.press("Control+y")
    page.keyboard.press("Control+Shift+z")
    keys.settle()
    assert parse_riff(source(page)).sections == SLUICE.sections

    page.on("dialog", lambda dialog: dialog.accept())
    page.reload()
    expect(page.locator("#draft")).to_be_visible()
    page.locator("#draft-take").click()
    keys.settle()
    assert parse_riff(source(page)).sections == SLUICE.sections
    page.locator("#riff-form button[type=submit]").click()
    page.wait_for_url(re.compile(r"/riffs/\d+$"))
    expect(page.locator("#draft")).to_be_hidden()


def test_bars_are_chosen_copied_and_pasted_with_the_mouse_too(
    served: Served, open_page: Callable[..., Page]
) -> None:
    page = open_page(microphone=False)
    page.goto(f"{served.base}/riffs")
    page.get_by_role("link", name="Ballast").first.click()
    bars = page.locator("#desk-bars .desk-bar")
    expect(bars.first).to_be_visible()
    count = bars.count()
    bars.nth(0).click(position={"x": 4, "y": 40})
    page.keyboard.press("Shift+ArrowDown")
    expect(page.locator(".desk-bar.chosen")).to_have_count(2)
    page.keyboard.press("Control+c")
    page.evaluate("() => window.__deskIdle()")
    page.keyboard.press("Control+v")
    expect(bars).to_have_count(count + 2)
    page.keyboard.press("Shift+ArrowDown")
    page.keyboard.press("Control+x")
    expect(bars).to_have_count(count)
    page.get_by_role("button", name="X dead").click()
    page.evaluate("() => window.__deskIdle()")
    assert "x" in {letter for line in source(page).split("\n") if "|" in line for letter in line}
    page.keyboard.press("q")  # no key of the desk: nothing happens
    expect(page.locator("#problem")).to_be_empty()


def test_touch_can_do_all_that_keys_can(served: Served, open_page: Callable[..., Page]) -> None:
    page = open_page(microphone=False)
    page.goto(f"{served.base}/riffs")
    page.get_by_role("link", name="Ballast").first.click()
    bars = page.locator("#desk-bars .desk-bar")
    expect(bars.first).to_be_visible()
    count, before = bars.count(), source(page)

    def tap(name: str) -> None:
        page.locator(".desk-keys").get_by_role("button", name=name).click()
        page.evaluate("() => window.__deskIdle()")

    bars.nth(0).click(position={"x": 4, "y": 40})
    tap("choose bars")
    expect(page.locator(".desk-bar.chosen")).to_have_count(2)
    tap("copy")
    tap("paste")
    expect(bars).to_have_count(count + 2)
    tap("cut")
    expect(bars).to_have_count(count + 1)
    tap("undo")
    tap("undo")
    expect(bars).to_have_count(count)
    assert parse_riff(source(page)) == parse_riff(before)
    tap("redo")
    expect(bars).to_have_count(count + 2)
    page.on("dialog", lambda dialog: dialog.accept())


def test_a_shuffle_is_made_moved_exported_and_brought_back(
    served: Served, open_page: Callable[..., Page]
) -> None:
    page = open_page(microphone=False)
    page.goto(f"{served.base}/riffs")
    page.keyboard.press("m")
    page.locator("[name=key]").select_option("F#")
    expect(page.locator("#keep-made .soft")).to_contain_text("in F#")
    page.locator("#keep-made button").click()
    page.wait_for_url(re.compile(r"/riffs/\d+$"))
    page.locator(".mover summary").click()
    page.locator("[name=semitones]").select_option("-1")
    expect(page.locator(".moved")).to_be_visible()
    page.get_by_role("button", name="Save over this riff").click()
    expect(page.locator(".meta")).to_contain_text("revision 2")
    text = source(page)
    assert "F5@" in text and "F#5@" not in text
    page.get_by_role("link", name="Print", exact=True).click()
    expect(page.locator(".shapes svg").first).to_be_visible()
    with page.expect_download() as sheet:
        page.get_by_role("link", name="PDF, A4").click()
    assert sheet.value.path().read_bytes().startswith(b"%PDF-")
    page.get_by_role("link", name="Back to the riff").click()
    with page.expect_download() as download:
        page.get_by_role("link", name="MIDI").click()
    file = download.value.path()
    page.goto(f"{served.base}/riffs")
    with page.expect_navigation():
        page.locator("input[name=file]").set_input_files(
            {"name": "shuffle.mid", "mimeType": "audio/midi", "buffer": file.read_bytes()}
        )
    expect(page.locator("#source")).to_be_visible()
    assert parse_riff(source(page)) == parse_riff(text)
    page.keyboard.press("l")
    expect(page.locator("#listen-riff")).to_have_attribute("data-after-ms", re.compile(r"\d+"))
    page.keyboard.press("l")
    expect(page.locator("#listen-riff")).to_contain_text("Listen")


def test_feel_meter_counts_marks_and_the_pick_up_are_set_on_the_strip(
    served: Served, open_page: Callable[..., Page]
) -> None:
    page = open_page(microphone=False)
    page.goto(f"{served.base}/riffs/new")
    expect(page.locator("#desk-bars svg").first).to_be_visible()
    page.locator("#desk").focus()
    keys = Keys(page)
    keys.press("0")
    keys.settle()
    expect(page.locator("#desk-where")).to_contain_text("the pick-up")
    keys.press("M", "ArrowDown", "Home")
    keys.settle()
    expect(page.locator("#desk-where")).to_contain_text("bar 1 of 2, section A, on 1")
    keys.press("/")  # from below the nut: said, and nothing changes
    keys.settle()
    expect(page.locator("#problem")).to_contain_text("start off the neck")
    keys.press("c", *"G5@6/3", "Enter", "/", "e", "u")  # slide, bend, stroke
    page.locator("#desk-meter").fill("7/8")
    page.locator("#desk-meter").press("Enter")
    keys.settle()
    page.locator("#desk-ratio").fill("1.75")
    keys.settle()
    riff = parse_riff(source(page))
    first = riff.sections[0].bars[0]
    assert riff.pickup is not None and riff.pickup.hits[0].articulation == "palm"
    assert str(first.meter) == "7/8" and first.hits[0].slide_from == -2
    assert first.hits[0].bend is not None and first.hits[0].stroke == "up"
    assert str(riff.feel) == "shuffle 1.75 on 1/8"
    expect(page.locator("#ratio-shown")).to_have_text("1.75")
    page.locator("#desk-counts").select_option("strokes")
    keys.settle()
    expect(page.locator(".desk-bar").nth(1).locator(".count").first).to_have_text("1")
    page.reload()
    expect(page.locator("#desk-counts")).to_have_value("strokes")

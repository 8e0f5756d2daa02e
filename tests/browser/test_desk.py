"""The desk in Chromium: a riff written by keyboard alone on the strip, undone, pasted, kept over a
reload; a shuffle made, moved, exported and brought back.
"""

import re
import time
from collections.abc import Callable
from fractions import Fraction

from playwright.sync_api import Page, expect

from tests.browser.conftest import Served
from tests.browser.playing import retype, write_text
from thrumble.core.riff.model import Riff
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
    write_text(
        page,
        "title: Gate by hand\ntempo: 118\npedal: 6:0\nplay: A A B A\n"
        "[A]\n| E5 o . . . . . . . |\n[B]\n| E5 o . . . . . . . |\n",
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
    page.locator("#save-riff").click()
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
    page.locator(".desk-keys").get_by_role("button", name="X dead").click()
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
        button = page.locator(".desk-keys").get_by_role("button", name=name)
        if button.is_hidden():
            page.locator("#other-tools").click()
        button.click()
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
    page.locator("summary", has_text="Another key").click()
    page.locator("[name=semitones]").select_option("-1")
    expect(page.locator(".moved")).to_be_visible()
    page.get_by_role("button", name="Save over this riff").click()
    expect(page.locator(".meta")).to_contain_text("revision 2")
    text = source(page)
    assert "F5@" in text and "F#5@" not in text
    page.locator(".menu summary").click()
    page.get_by_role("link", name="Print", exact=True).click()
    expect(page.locator(".shapes svg").first).to_be_visible()
    with page.expect_download() as sheet:
        page.get_by_role("link", name="PDF, A4").click()
    assert sheet.value.path().read_bytes().startswith(b"%PDF-")
    page.get_by_role("link", name="Back to the riff").click()
    page.locator(".menu summary").click()
    with page.expect_download() as download:
        page.get_by_role("link", name="MIDI").click()
    file = download.value.path()
    page.goto(f"{served.base}/riffs")
    with page.expect_navigation():
        page.locator("input[name=file]").set_input_files(
            {"name": "shuffle.mid", "mimeType": "audio/midi", "buffer": file.read_bytes()}
        )
    expect(page.locator("#desk-bars svg").first).to_be_visible()
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
    expect(page.locator("#desk-where")).to_contain_text("bar 1 of 1, section A, on 1")
    keys.press("/")  # from below the nut: said, and nothing changes
    keys.settle()
    expect(page.locator("#problem")).to_contain_text("start off the neck")
    keys.press("c", *"G5@6/3", "Enter", "/", "e", "u")  # slide, bend, stroke
    retype(page.locator("#desk-meter"), "7/8")
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


GALLOP = "ohmm" * 4  # on sixteenths: an open eighth and two palm mutes, four times


def written_gallop(page: Page) -> Riff:
    riff = parse_riff(source(page))
    assert [len(section.bars) for section in riff.sections] == [4, 4], source(page)
    assert all(len(bar.hits) == 12 for section in riff.sections for bar in section.bars)
    roots = [section.bars[0].hits[0].label for section in riff.sections]
    assert roots == ["E5", "A5"]
    return riff


def test_eight_bars_of_a_gallop_are_written_by_keys_in_a_minute(
    served: Served, open_page: Callable[..., Page]
) -> None:
    page = open_page(microphone=False)
    page.goto(f"{served.base}/riffs/new")
    expect(page.locator("#desk-bars svg").first).to_be_visible()
    expect(page.locator("#desk")).to_be_focused()
    keys = Keys(page)
    begun = time.monotonic()
    keys.press("g", *GALLOP)
    keys.settle()
    keys.press("ArrowUp", "r", "Shift+ArrowDown", "r")
    keys.settle()
    keys.press("v", "c", *"A5@5/0", "Enter")
    keys.settle()
    keys.press(*GALLOP)
    keys.settle()
    keys.press("r", "Shift+ArrowDown", "r")
    keys.settle()
    assert time.monotonic() - begun < 60
    assert keys.count <= 90, keys.count
    written_gallop(page)


def test_eight_bars_of_a_gallop_are_written_by_mouse_alone(
    served: Served, open_page: Callable[..., Page]
) -> None:
    page = open_page(microphone=False)
    page.goto(f"{served.base}/riffs/new")
    bars = page.locator("#desk-bars .desk-bar")
    expect(bars.first).to_be_visible()
    clicks = [0]
    tools = {"o": "O open", "h": "H hold", "m": "M palm", "g": "G grid"}

    def click(name: str) -> None:
        page.locator(".desk-keys").get_by_role("button", name=name, exact=True).click()
        clicks[0] += 1
        page.evaluate("() => window.__deskIdle()")

    def bar_tool(name: str) -> None:
        if page.locator("#bar-tools").is_hidden():
            click("more for bars")
        click(name)

    begun = time.monotonic()
    for letter in "g" + GALLOP:
        click(tools[letter])
    bars.first.click(position={"x": 4, "y": 60})
    clicks[0] += 1
    bar_tool("R repeat")
    bar_tool("⇧↓ choose bars")
    bar_tool("R repeat")
    bar_tool("V new section")
    page.locator("#desk-chord").click()
    page.get_by_role("button", name="A5@5/0", exact=True).click()
    clicks[0] += 2
    for letter in GALLOP:
        click(tools[letter])
    bars.last.click(position={"x": 4, "y": 60})
    clicks[0] += 1
    bar_tool("R repeat")
    bars.nth(4).click(position={"x": 4, "y": 60})
    clicks[0] += 1
    bar_tool("⇧↓ choose bars")
    bar_tool("R repeat")
    assert time.monotonic() - begun < 120
    assert clicks[0] <= 110, clicks[0]
    written_gallop(page)


def test_hits_are_painted_and_lengthened_by_dragging_and_commands_found_by_name(
    served: Served, open_page: Callable[..., Page]
) -> None:
    page = open_page(microphone=False)
    page.goto(f"{served.base}/riffs/new")
    bar = page.locator("#desk-bars .desk-bar").first
    expect(bar).to_be_visible()
    box = bar.bounding_box()
    assert box

    def drag(start: float, end: float) -> None:
        """Along the bar, in eighths."""
        eighth = box["width"] / 8
        page.mouse.move(box["x"] + (start + 0.5) * eighth, box["y"] + 60)
        page.mouse.down()
        page.mouse.move(box["x"] + (end + 0.5) * eighth, box["y"] + 60, steps=5)
        page.mouse.up()
        page.evaluate("() => window.__deskIdle()")

    drag(0, 3)
    assert [hit.at for hit in parse_riff(source(page)).sections[0].bars[0].hits] == [
        Fraction(k, 8) for k in range(4)
    ]
    page.keyboard.press("Control+z")
    page.evaluate("() => window.__deskIdle()")
    handle = page.locator("#caret .caret-handle").bounding_box()
    assert handle
    page.mouse.move(handle["x"] + 5, handle["y"] + 5)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] * 0.45, box["y"] + 60, steps=5)
    page.mouse.up()
    page.evaluate("() => window.__deskIdle()")
    (hit,) = parse_riff(source(page)).sections[0].bars[0].hits
    assert hit.length == Fraction(1, 2)

    page.keyboard.press("Control+k")
    page.keyboard.type("accent")
    page.keyboard.press("Enter")
    page.evaluate("() => window.__deskIdle()")
    assert parse_riff(source(page)).sections[0].bars[0].hits[0].accent
    bar.click(button="right", position={"x": 10, "y": 60})
    expect(page.locator("#palette-list li").first).to_have_text("AccentA")
    page.locator("#palette-list li", has_text="Stop").first.click()
    page.evaluate("() => window.__deskIdle()")
    assert parse_riff(source(page)).sections[0].bars[0].hits[0].stop

    retype(page.locator("#desk-title"), "Winch")
    retype(page.locator("#desk-tempo"), "132")
    page.keyboard.press("Enter")
    page.evaluate("() => window.__deskIdle()")
    retype(page.locator("#desk-tempo"), "5")
    page.keyboard.press("Enter")
    expect(page.locator("#problem")).to_contain_text("tempo: 20 or more")
    expect(page.locator("#desk-tempo")).to_have_value("132")
    page.get_by_role("button", name="Play section A once more").click()
    page.evaluate("() => window.__deskIdle()")
    riff = parse_riff(source(page))
    assert (riff.title, riff.tempo_bpm, riff.play) == ("Winch", 132, ("A", "A"))
    expect(page.get_by_role("heading", level=1)).to_have_text("Winch")


def test_riffs_are_filtered_as_one_types(served: Served, open_page: Callable[..., Page]) -> None:
    page = open_page(microphone=False)
    page.goto(f"{served.base}/riffs")
    rows = page.locator("#riff-list .riff-row")
    every = rows.count()
    assert every > 5
    page.wait_for_load_state("load")
    page.get_by_label("Find a riff").press_sequentially("sluice")
    expect(rows).to_have_count(1)
    expect(page).to_have_url(re.compile("q=sluice"))
    page.get_by_label("Find a riff").fill("no such riff")
    expect(page.locator("#riff-list")).to_contain_text("No riff has")
    page.get_by_label("Find a riff").fill("")
    expect(rows).to_have_count(every)
    page.get_by_label("Sort by").select_option("tempo")
    expect(page).to_have_url(re.compile("sort=tempo"))

"""The result of a take: its errors one by one by key, heard, looped, against the reference, and
practised from there.
"""

import re
from collections.abc import Callable
from pathlib import Path

import soundfile
from playwright.sync_api import Page, expect

from tests.browser.conftest import Served
from thrumble.core.player.flaws import Flaws
from thrumble.core.player.perform import perform
from thrumble.core.player.sound import Tone
from thrumble.core.riff.notation.text import parse_riff
from thrumble.demo import riff_texts

RIFF = parse_riff(riff_texts()["8-nine-locks-down"])
SOUNDING = "() => !document.getElementById('sound').paused"
NOW = "document.getElementById('sound').currentTime"


def uploaded(page: Page, served: Served, folder: Path, flaws: Flaws) -> None:
    take = perform(RIFF, seed=6, tone=Tone.CRUNCH, flaws=flaws)
    file = folder / "take.flac"
    soundfile.write(file, take.samples, take.rate_hz)
    page.goto(f"{served.base}/riffs")
    page.get_by_role("link", name="Nine Locks Down").first.click()
    page.wait_for_load_state("load")
    page.locator("#play-riff").click()
    page.wait_for_load_state("load")
    page.keyboard.press("u")
    page.locator("input[name=take]").set_input_files(file)
    page.get_by_role("button", name="Upload and analyse").click()
    expect(page.locator("#strip")).to_be_visible(timeout=30000)
    page.wait_for_load_state("load")


def test_errors_are_stepped_through_heard_looped_and_practised(
    served: Served, open_page: Callable[..., Page], tmp_path: Path
) -> None:
    page = open_page(microphone=False)
    uploaded(page, served, tmp_path, Flaws(timing=5, ringing=0.08, missed=0.03))
    errors = int(page.locator("#error-words").inner_text().split()[0])
    assert errors >= 3
    expect(page.locator("#details")).not_to_have_attribute("open", re.compile(""))

    page.keyboard.press("e")
    expect(page.locator("#error-words")).to_have_text(
        re.compile(rf"1 of {errors}: bar \d+, on \S+: (missed|sounds|\d+ ms)")
    )
    page.wait_for_function(SOUNDING)
    expect(page.locator("#playhead")).to_be_visible()
    expect(page.locator("#strip .pointed").first).to_be_visible()
    first = page.evaluate(NOW)
    for _ in range(errors - 1):
        page.keyboard.press("e")
    expect(page.locator("#error-words")).to_contain_text(f"{errors} of {errors}:")
    page.wait_for_function(f"(first) => {NOW} > first + 1", arg=first)
    page.keyboard.press("Shift+E")
    expect(page.locator("#error-words")).to_contain_text(f"{errors - 1} of {errors}:")

    page.keyboard.press("o")
    expect(page.locator("#loop-bar")).to_have_attribute("aria-pressed", "true")
    start = page.evaluate(NOW)
    page.wait_for_function(f"(start) => {NOW} > start + 1", arg=start)
    page.wait_for_function(f"(start) => {NOW} < start + 0.5", arg=start)
    page.keyboard.press("i")
    expect(page.locator("#reference")).to_have_attribute("aria-pressed", "true")
    page.wait_for_function(SOUNDING)
    expect(page.locator("#problem")).to_be_empty()
    page.keyboard.press("l")
    expect(page.locator("#listen-button")).to_contain_text("Listen")

    finding = page.locator(".finding").first
    finding.focus()
    expect(page.locator("#strip")).to_have_class(re.compile("pointing"))
    marked = page.locator("#strip .pointed").count()
    page.keyboard.press("Enter")
    expect(finding).to_have_attribute("aria-pressed", "true")
    assert marked >= 2

    page.locator("#strip svg.bar").nth(2).click(position={"x": 200, "y": 75})
    page.wait_for_function(SOUNDING)
    page.keyboard.press("l")
    name = page.locator("#error-words").inner_text()
    bar = re.search(r"bar (\d+)", name)
    assert bar
    page.keyboard.press("b")
    page.wait_for_url(re.compile(r"/play/\d+"))
    expect(page.get_by_role("heading", level=1)).to_contain_text("loop")


def test_a_clean_take_has_no_errors_to_step_through(
    served: Served, open_page: Callable[..., Page], tmp_path: Path
) -> None:
    page = open_page(microphone=False)
    uploaded(page, served, tmp_path, Flaws(timing=2))
    expect(page.locator("#stepper")).to_be_hidden()
    page.keyboard.press("e")
    expect(page.locator("#problem")).to_be_empty()
    page.keyboard.press("l")
    page.wait_for_function(SOUNDING)


def test_one_bar_fills_the_width_and_follows_the_errors(
    served: Served, open_page: Callable[..., Page], tmp_path: Path
) -> None:
    page = open_page(microphone=False)
    uploaded(page, served, tmp_path, Flaws(timing=5, ringing=0.08, missed=0.03))
    zoomed, strip = page.locator("#strip svg.zoomed"), page.locator("#strip")

    def shares() -> float:
        return zoomed.evaluate("(bar) => bar.getBoundingClientRect().width") / strip.evaluate(
            "(strip) => strip.getBoundingClientRect().width"
        )

    expect(zoomed).to_have_count(0)
    page.keyboard.press("z")
    expect(zoomed).to_have_attribute("data-bar", "1")
    assert shares() > 0.9
    page.keyboard.press(".")
    expect(zoomed).to_have_attribute("data-bar", "2")
    page.keyboard.press(",")
    expect(zoomed).to_have_attribute("data-bar", "1")
    page.keyboard.press("e")
    page.keyboard.press("e")
    words = page.locator("#error-words").inner_text()
    expect(zoomed).to_have_attribute("data-bar", re.search(r"bar (\d+)", words)[1])  # type: ignore[index]
    assert zoomed.locator(".pointed").count() >= 1
    # the line that shows what sounds runs over the drawing, however wide the bar's own box is
    page.wait_for_function("() => !document.getElementById('playhead').hidden")
    inside = """() => {
      const line = document.getElementById("playhead").getBoundingClientRect();
      return [...document.querySelectorAll("#strip rect.band")].some((band) => {
        const box = band.getBoundingClientRect();
        return line.left >= box.left - 3 && line.left <= box.right + 3 && line.top <= box.top;
      });
    }"""
    assert page.evaluate(inside)
    page.locator("#zoom").click()
    expect(zoomed).to_have_count(0)

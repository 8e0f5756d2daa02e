"""Playing without touching anything: round after round in one recording, what is heard on its exact
frames, and what happens when the page is not looked at, closed, or opened twice.
"""

import base64
import io
import re
import time
from collections.abc import Callable
from functools import cache
from typing import Any

import numpy as np
import pytest
import soundfile
from playwright.sync_api import Page, expect
from scripts.sound_text import sound_text

from tests.browser.conftest import Served
from tests.browser.playing import (
    HELD,
    LEAD_S,
    LOSE,
    RETURNED,
    RIFF,
    ROUNDS,
    go_to_play,
    reading_of,
    retype,
    write_riff,
)
from thrumble.core.player.flaws import Flaws
from thrumble.core.player.perform import perform
from thrumble.core.player.sound import Tone
from thrumble.core.pulse.cues import sound_of
from thrumble.trained import VOICE

ROUND_S = 8 * 60 / 168


def guitarist(page: Page, ringing: float = 0.0) -> None:
    """The page's rounds are played by the simulated guitarist, from just before bar 1 on; the first
    one is practised, so that it is never late.
    """

    @cache
    def give(tempo: float, number: int, rounds: int, _way: str = "") -> dict[str, object]:
        take = perform(
            RIFF,
            tempo_bpm=tempo,
            seed=number,
            rounds=rounds,
            tone=Tone.CLEAN,
            flaws=Flaws(timing=5, ringing=ringing),
            lead_s=LEAD_S,
        )
        samples = sound_text(take.samples)
        return {"text": samples, "rate": take.rate_hz, "one": LEAD_S}

    give(float(RIFF.tempo_bpm), 1, 1, "")
    page.expose_function("__perform", give)


def late_rounds(page: Page) -> set[int]:
    """The rounds that a busy machine's guitarist came late to."""
    return set(page.evaluate("window.__tardy ?? []"))


def check_rounds(readings: list[dict[str, Any]], late: set[int]) -> None:
    """Rounds 1, 2 and so on hold every hit and no more: all but the late ones, their neighbours, and
    those whose recording is said to be damaged.
    """
    for number, reading in enumerate(readings, 1):
        if late & {number - 1, number, number + 1}:
            continue
        if any(c["code"] == "dropouts" for c in reading["cautions"]):
            continue
        assert reading["summary"]["matched"] == 14
        assert reading["extra_onsets"] == []


def takes_of(page: Page, base: str, title: str, least: int) -> list[dict[str, Any]]:
    """The readings of a riff's takes in the order played, once so many at least are read."""
    address, lines = f"{base}/takes?q={title}&state=read", page.locator(".take-line h2 a")
    until_s = time.monotonic() + 30
    page.goto(address)
    while lines.count() < least:
        assert time.monotonic() < until_s, f"{lines.count()} of {least} takes are read"
        page.goto(address)
    links = lines.all()
    numbers = sorted(int(str(one.get_attribute("href")).rsplit("/", 1)[1]) for one in links)
    return [page.request.get(f"{base}/takes/{n}/reading.json").json() for n in numbers]


LATE_IN_A_PASS = """() => {
  const pass = Number(/pass (\\d+)/.exec(document.getElementById("bar-of").textContent)?.[1]);
  const heard = Number(document.getElementById("play").dataset.heardS);
  return pass >= 9 && heard > 2.3 && heard < 2.8 ? [pass, heard] : null;
}"""


def finish_what_was_cut(page: Page, base: str) -> None:
    """Finishes every take that a closed tab left, from Today."""
    page.goto(base)
    left = page.get_by_role("link", name="Finish or delete it")
    expect(left.first).to_be_visible(timeout=20_000)
    while left.count():
        left.first.click()
        page.wait_for_url(re.compile(r"/takes/\d+$"))
        page.get_by_role("button", name="Finish and read it").click()
        expect(page.locator("#strip")).to_be_visible(timeout=20_000)
        page.goto(base)
        page.wait_for_load_state("networkidle")


def test_eight_rounds_follow_the_ladder_and_a_closed_tab_costs_two_seconds_at_most(
    served: Served, open_page: Callable[..., Page]
) -> None:
    page = open_page(script=ROUNDS)
    guitarist(page, ringing=0.7)  # its palm mutes mostly ring: the ladder has to come down
    write_riff(page, served.base, "Weed Rake")
    assert page.evaluate("document.documentElement.scrollHeight <= innerHeight")
    page.locator("#then").select_option("round")
    page.locator("h1").click()
    page.keyboard.press("PageDown")
    expect(page.locator("#play")).to_have_attribute("data-stage", "record", timeout=10_000)
    # the newest one that is read: where reading is slow, one may come before it was shown
    read = page.locator("#round-name")
    expect(read).to_contain_text(re.compile(r"Pass [1-4]\b"), timeout=30_000)
    assert page.evaluate("document.documentElement.scrollHeight <= innerHeight")
    expect(page.locator("#bar-of")).to_contain_text("pass 9", timeout=60_000)
    expect(read).to_contain_text(re.compile(r"Pass ([89]|\d\d)\b"), timeout=20_000)
    assert page.locator("#rounds-row li").count() == 8
    late = late_rounds(page)
    last, heard_s = page.wait_for_function(LATE_IN_A_PASS).json_value()
    other = page.context.new_page()
    page.close()

    finish_what_was_cut(other, served.base)
    readings = takes_of(other, served.base, "Weed Rake", least=last)
    # on a slow machine the next pass begins before the tab is closed: then this one is whole
    assert readings[last - 1]["duration_s"] > heard_s - 2.0
    tempi = [reading["tempo_bpm"] for reading in readings]
    assert tempi[0] == tempi[1] == 168, "what follows was settled before the first was read"
    assert len(set(tempi)) > 1, "the ladder moved"
    assert len(late) <= 4
    check_rounds(readings[:8], late)
    assert all(reading["start_s"] == pytest.approx(0.25) for reading in readings[1:])


def test_two_silent_bars_end_it_and_the_last_whole_round_is_read(
    served: Served, open_page: Callable[..., Page]
) -> None:
    page = open_page(script=ROUNDS)
    guitarist(page)
    page.add_init_script("window.__rounds = 1")
    write_riff(page, served.base, "Weed Rake, once")
    page.locator("#then").select_option("round")
    page.locator("h1").click()
    page.keyboard.press("PageDown")
    expect(page.locator("#play")).to_have_attribute("data-stage", "done", timeout=40_000)
    expect(page.locator("#say")).to_contain_text("You stopped playing, so it stopped.")
    expect(page.locator("#say")).to_contain_text("One whole pass is kept.")
    check_rounds([reading_of(page, served.base)], late_rounds(page))
    again = page.context.new_page()
    again.goto(page.url)
    page.keyboard.press("PageDown")
    expect(page.locator("#play")).to_have_attribute("data-stage", "count", timeout=10_000)
    again.wait_for_function("() => window.Alpine && window.htmx")
    again.keyboard.press("PageDown")
    expect(again.locator("#problem")).to_contain_text("Another tab is recording")
    page.keyboard.press("PageUp")
    expect(page.locator("#say")).to_contain_text("Discarded")


def test_the_next_take_comes_by_itself_after_a_rest(
    served: Served, open_page: Callable[..., Page]
) -> None:
    page = open_page(script=ROUNDS)
    guitarist(page)
    write_riff(page, served.base, "Weed Rake, rested")
    page.locator("#then").select_option("5")
    retype(page.locator("#tempo"), "300")
    page.locator("h1").click()
    page.keyboard.press("PageDown")
    expect(page.locator("#say")).to_contain_text("The next take comes in 4 s", timeout=30_000)
    expect(page.locator("#play")).to_have_attribute("data-stage", "count", timeout=15_000)
    page.keyboard.press("PageUp")
    expect(page.locator("#say")).to_contain_text("Discarded")


def test_an_input_that_goes_away_in_a_later_round_costs_no_round_before_it(
    served: Served, open_page: Callable[..., Page]
) -> None:
    page = open_page(script=ROUNDS)
    page.add_init_script(HELD)
    guitarist(page)
    write_riff(page, served.base, "Weed Rake, unplugged")
    page.locator("#then").select_option("round")
    page.locator("h1").click()
    page.keyboard.press("PageDown")
    expect(page.locator("#bar-of")).to_contain_text("pass 3", timeout=30_000)
    page.evaluate(LOSE)
    expect(page.locator("#problem")).to_contain_text("The 2 passes before it are kept and read")
    expect(page.locator("#play")).to_have_attribute("data-stage", "idle")
    late = late_rounds(page)
    readings = takes_of(page, served.base, "Weed Rake, unplugged", least=2)
    assert len(readings) == 2
    assert all(reading["duration_s"] > ROUND_S for reading in readings)
    check_rounds(readings, late)


SLOWED = """
const interval = window.setInterval, timeout = window.setTimeout;
window.setInterval = (run, ms, ...rest) => interval(run, 60_000, ...rest);
window.setTimeout = (run, ms, ...rest) => timeout(run, Math.max(1000, ms), ...rest);
window.requestAnimationFrame = () => 0;
addEventListener("take-begins", ({ detail }) => { window.__due = detail; });
"""


def test_a_page_that_nobody_looks_at_keeps_its_click(
    served: Served, open_page: Callable[..., Page]
) -> None:
    """With timers as slow as browsers make them in the background, and nothing drawn."""
    page = open_page(script=ROUNDS)
    page.add_init_script(SLOWED)
    guitarist(page)
    write_riff(page, served.base, "Weed Rake, unseen")
    page.keyboard.press("PageDown")
    expect(page.locator("#play")).to_have_attribute("data-stage", "done", timeout=60_000)
    due = page.evaluate("window.__due.cues.map(([frame]) => frame)")
    rate = page.evaluate("window.__due.rate")
    sounded = [round(when * rate) for when in page.evaluate("window.__sounded")]
    assert [frame for frame in sounded if frame] == due
    check_rounds([reading_of(page, served.base)], late_rounds(page))


OFFLINE = """async ({ base, frames }) => {
  const { Sounding } = await import(`${base}/files/shared/sounding.js`);
  const context = new OfflineAudioContext(1, 50_000, 48_000);
  const sounding = new Sounding(context, `${base}/click`);
  await sounding.load(["plain"]);
  sounding.add(frames.map((frame) => [frame, "plain", 0.5]));
  return Array.from((await context.startRendering()).getChannelData(0));
}"""


def test_every_sound_begins_on_its_very_frame(
    served: Served, open_page: Callable[..., Page]
) -> None:
    """As an offline context renders it: the whole second, sample by sample."""
    page = open_page(microphone=False)
    page.goto(served.base)
    frames = [1, 4801, 9999, 17_003, 26_461, 33_333, 41_999]
    rendered = np.array(page.evaluate(OFFLINE, {"base": served.base, "frames": frames}))
    due = np.zeros(50_000)
    click = sound_of("plain", 48_000, VOICE)
    for frame in frames:
        due[frame : frame + click.size] += 0.5 * click
    assert np.abs(rendered - due).max() < 1e-6


def test_what_comes_back_lies_on_the_due_frames_and_is_never_a_hit(
    served: Served, open_page: Callable[..., Page]
) -> None:
    """Click, drums and a spoken count, all of it back through the microphone 12,000 frames later,
    and not a note played.
    """
    page = open_page(script=RETURNED)
    page.add_init_script(
        "window.__ownSound.returnS = 0.25;"
        "addEventListener('take-begins', ({ detail }) => { window.__due = detail; });"
    )
    write_riff(page, served.base, "Weed Rake, bled")
    page.keyboard.press("s")
    page.locator("#groove").select_option("backbeat")
    page.locator("#voice").select_option("spoken")
    page.keyboard.press("Escape")
    page.locator("h1").click()
    expect(page.locator("#settings-words")).to_contain_text("drums straight")
    page.keyboard.press("PageDown")
    expect(page.locator("#play")).to_have_attribute("data-stage", "done", timeout=60_000)
    due = page.evaluate("window.__due")
    address = page.locator("#open-reading").get_attribute("href")
    recorded, rate = soundfile.read(
        io.BytesIO(page.request.get(f"{served.base}{address}/audio").body())
    )
    assert rate == due["rate"]
    heard = np.zeros(recorded.size + rate)
    for frame, sound, level in due["cues"]:
        own = level * sound_of(sound, rate, VOICE)
        at = frame - due["firstFrame"] + 12_000
        heard[at : at + own.size] += own
    reading = reading_of(page, served.base)
    if not any(c["code"] == "dropouts" for c in reading["cautions"]):
        assert np.abs(recorded - heard[: recorded.size]).max() < 2e-3
    assert not [hit for hit in reading["hits"] if hit["state"] == "played"]
    assert reading["extra_onsets"] == []


DROP = """([text, name]) => {
  const bytes = Uint8Array.from(atob(text), (c) => c.charCodeAt(0));
  const carried = new DataTransfer();
  carried.items.add(new File([bytes], name, { type: "audio/wav" }));
  for (const kind of ["dragenter", "dragover", "drop"]) {
    document.body.dispatchEvent(new DragEvent(kind, { dataTransfer: carried, bubbles: true,
      cancelable: true }));
    if (kind === "dragover") window.__offered = !document.getElementById("drop-here").hidden;
  }
}"""


@pytest.mark.parametrize("screen", ["riffs", "play", "neck", "drills"])
def test_a_file_dropped_anywhere_on_a_riffs_page_is_a_take_of_it(
    served: Served, open_page: Callable[..., Page], screen: str
) -> None:
    take = perform(RIFF, seed=4, tone=Tone.CLEAN, rate_hz=22050)
    file = io.BytesIO()
    soundfile.write(file, take.samples, take.rate_hz, format="WAV", subtype="PCM_16")
    page = open_page()
    write_riff(page, served.base, f"Weed Rake, dropped on {screen}")
    if screen != "play":
        address = page.url.replace("/play/", "/riffs/").split("?")[0]
        page.goto(address if screen == "riffs" else f"{address}/{screen}")
        page.wait_for_function("() => document.readyState === 'complete' && window.htmx")
    page.evaluate(DROP, [base64.b64encode(b"no sound").decode(), "note.wav"])
    assert page.evaluate("window.__offered")
    expect(page.locator("#problem")).to_contain_text("no audio file")
    page.evaluate(DROP, [base64.b64encode(file.getvalue()).decode(), "take.wav"])
    expect(page.locator("#strip")).to_be_visible(timeout=20_000)


@pytest.mark.parametrize("size", [(1280, 800), (390, 844)])
def test_everything_for_the_next_take_fits_the_window(
    served: Served, open_page: Callable[..., Page], size: tuple[int, int]
) -> None:
    page = open_page(viewport={"width": size[0], "height": size[1]})
    go_to_play(page, served.base, "Sluice Gate")
    fits = "document.documentElement.scrollHeight <= innerHeight"
    assert page.evaluate(fits)
    page.keyboard.press("s")
    for name in ("click", "tone", "backing-level"):
        box = page.locator(f"#{name}").bounding_box()
        assert box and box["y"] >= 0 and box["y"] + box["height"] <= size[1]
    assert page.evaluate(fits)
    page.keyboard.press("Escape")
    expect(page.locator("#settings")).to_be_hidden()


def test_what_is_heard_can_be_heard_before_anything_is_recorded(
    served: Served, open_page: Callable[..., Page]
) -> None:
    page = open_page(microphone=False, script=ROUNDS)
    write_riff(page, served.base, "Weed Rake, heard")
    page.locator("h1").click()
    page.keyboard.press("s")
    page.locator("#groove").select_option("four")
    page.locator("#backing").select_option("riff")
    page.keyboard.press("Escape")
    page.keyboard.press("l")
    expect(page.locator("#hear")).to_have_attribute("aria-pressed", "true")
    page.wait_for_function("() => window.__sounded.length > 20")
    page.keyboard.press("l")
    expect(page.locator("#hear")).to_have_attribute("aria-pressed", "false")
    expect(page.locator("#play")).to_have_attribute("data-stage", "idle")

"""The rig in a real browser: calibration by a click that comes back after a known time, the palm
finder, the fret hand, a correction.
"""

import re
from collections.abc import Callable
from pathlib import Path

import numpy as np
from playwright.sync_api import Page, expect
from scripts.sound_text import sound_text

from tests.browser.conftest import Served
from tests.core.rig_sounds import released
from thrumble.core.player.single import strike
from thrumble.core.player.sound import Tone
from thrumble.core.riff.model import Articulation
from thrumble.demo import guitar, setup_of

OWN_SOUND = Path(__file__).parent / "own_sound.js"
DELAY_MS = 37.25


def play(page: Page, sound: np.ndarray, rate: int = 48000) -> None:
    text = sound_text(sound)
    page.evaluate("([text, rate]) => window.__ownSound.play(text, rate)", [text, rate])


def test_a_click_sent_back_after_a_known_time_calibrates_this_input_and_no_other(
    served: Served, open_page: Callable[..., Page]
) -> None:
    page = open_page(script=OWN_SOUND)
    page.goto(f"{served.base}/rig")
    expect(page.get_by_text("not measured")).to_be_visible()
    page.get_by_role("link", name="Measure latency").click()
    expect(page.locator("#calibrate")).to_contain_text("2.9 ms per metre")
    page.wait_for_load_state("load")
    page.evaluate("ms => { window.__ownSound.returnS = ms / 1000 }", DELAY_MS)
    page.keyboard.press("PageDown")
    expect(page.locator("#calibrate")).to_have_attribute("data-stage", "done", timeout=60000)
    assert page.locator(".openings li").count() == 6
    found = float(page.locator("#calibrate").get_attribute("data-delay") or "nan")
    assert abs(found - DELAY_MS) < 0.5, "a DelayNode and the graph's own frames"
    page.goto(f"{served.base}/rig")
    words = page.locator(".step").first.inner_text()
    assert (
        f"{found:.1f} ms" in words
        and float(re.search(r"repeats within ([\d.]+) ms", words)[1]) <= 0.2
    )  # type: ignore[index]
    label = page.evaluate(
        "navigator.mediaDevices.enumerateDevices().then((all) => all.find((d) => d.kind === 'audioinput').label)"
    )
    known = page.request.get(
        f"{served.base}/rig/delay", params={"rate": 48000, "device": label}
    ).json()
    assert known["delay_ms"] == found
    for other in ({"rate": 48000, "device": "another input"}, {"rate": 44100, "device": label}):
        assert page.request.get(f"{served.base}/rig/delay", params=other).json()["delay_ms"] is None
    page.goto(f"{served.base}/riffs")
    page.get_by_role("link", name="Play Ballast").click()
    page.keyboard.press("i")
    expect(page.locator("#latency")).to_contain_text(f"latency {found:.1f} ms")


def test_the_palm_finder_places_hits_at_once_and_keeps_examples(
    served: Served, open_page: Callable[..., Page]
) -> None:
    page = open_page(script=OWN_SOUND)
    page.goto(f"{served.base}/rig")
    page.get_by_role("link", name="gatehouse crunch").click()
    page.wait_for_load_state("load")
    expect(page.locator(".keep").first).to_be_disabled()
    page.keyboard.press("Space")
    expect(page.locator("#tone")).to_have_attribute("data-stage", "listening")
    setup, rng = setup_of(Tone.CRUNCH), np.random.default_rng(4)
    hand = guitar(setup, rng)
    for number, (kind, words) in enumerate(
        (
            (Articulation.OPEN, "too far back"),
            (Articulation.PALM, "in the pocket"),
            (Articulation.DEAD, "too far forward"),
        ),
        1,
    ):
        play(page, strike(hand, setup, kind, depth=0.6, midi=[40.0], rng=rng))
        expect(page.locator("#dots circle")).to_have_count(number, timeout=8000)
        expect(page.locator(".place-words")).to_have_text(words)
        if kind is Articulation.PALM:
            page.keyboard.press("3")
            expect(page.locator(".kind", has_text="full").locator(".num")).to_contain_text("+1")
    expect(page.locator("#steady")).to_contain_text("over the last 3 hits")
    page.get_by_role("button", name="Undo the last full example").click()
    expect(page.locator(".kind", has_text="full").locator(".num")).not_to_contain_text("+1")
    page.keyboard.press("PageUp")
    expect(page.locator("#dots circle")).to_have_count(0)


def test_a_quick_release_is_called_clean(served: Served, open_page: Callable[..., Page]) -> None:
    page = open_page(script=OWN_SOUND)
    page.goto(f"{served.base}/rig/fret-hand")
    page.wait_for_load_state("load")
    page.locator("#tempo").fill("80")
    text = sound_text(released(0.02, 0.0)[int(0.2 * 48000) :])
    page.evaluate("text => { window.__ownSound.exercise = [text, 48000] }", text)
    page.keyboard.press("PageDown")
    expect(page.locator(".unit")).to_have_text("grab", timeout=8000)
    expect(page.locator("#fret")).to_have_attribute("data-stage", "done", timeout=40000)
    expect(page.locator("#falls path")).to_have_count(8)
    assert "ring on" not in page.locator(".say").inner_text()
    assert abs(float(page.locator(".figures-row.small .big").nth(2).inner_text())) < 25, (
        "let go on the beat"
    )


def test_a_hit_is_corrected_by_key_joins_the_tone_and_can_be_taken_back(
    served: Served, open_page: Callable[..., Page]
) -> None:
    page = open_page()
    page.goto(f"{served.base}/takes?q=Winding Gear")
    page.get_by_role("link", name="Winding Gear").first.click()
    page.locator("#hits summary").click()
    page.locator("#join").check()
    row = page.locator("#hits tbody tr").first
    heard = row.locator("td").nth(3).inner_text()
    other, key = ("dead", "3") if heard != "dead" else ("open", "1")
    row.get_by_role("button", name="Listen").click()
    page.keyboard.press(key)
    expect(page.locator("#corrected")).to_contain_text("1 hit corrected by you")
    expect(row).to_have_class(re.compile("corrected"))
    assert row.locator("td").nth(3).inner_text() == heard, "what was heard stays"
    expect(row.locator(".really")).to_have_value(other)
    page.reload()
    expect(page.locator("#corrected")).to_contain_text("1 hit corrected by you")
    page.get_by_role("link", name="How sure is it?").click()
    page.get_by_text("All figures").click()
    expect(page.get_by_text("You checked 1 hit yourself")).to_be_visible()
    page.go_back()
    page.locator("#hits summary").click()
    page.locator("#hits tbody tr").first.locator(".really").select_option("none")
    expect(page.locator("#corrected")).to_be_empty()

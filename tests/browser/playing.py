"""Playing in the browser: ways to a page, sounds handed to it, what it holds."""

from pathlib import Path
from typing import Any

from playwright.sync_api import Locator, Page, expect
from scripts.sound_text import sound_text

from thrumble.core.player.perform import Performance
from thrumble.core.riff.model import Riff
from thrumble.core.riff.notation.text import parse_riff

EXACT = Path(__file__).parent / "exact_take.js"


FILL = """(b) => { const s = atob(b); const u = new Uint8Array(s.length); for (let i = 0; i < s.length; i++) u[i] = s.charCodeAt(i);
window.__testTake.frames = new Float32Array(u.buffer); }"""


def one_bar_lead(riff: Riff, tempo_bpm: float | None = None) -> float:
    return 240 / (tempo_bpm or float(riff.tempo_bpm))


def go_to_play(page: Page, base: str, title: str) -> None:
    page.goto(f"{base}/riffs")
    page.get_by_role("link", name=f"Play {title}").click()
    expect(page.locator("#now svg")).to_be_visible()


def hand_over(page: Page, take: Performance) -> None:
    page.evaluate(FILL, sound_text(take.samples))


def reading_of(page: Page, base: str) -> dict[str, Any]:
    address = page.locator("#open-reading").get_attribute("href")
    document: dict[str, Any] = page.request.get(f"{base}{address}/reading.json").json()
    return document


HELD = """
if (navigator.mediaDevices) {
const real = navigator.mediaDevices.getUserMedia.bind(navigator.mediaDevices);
navigator.mediaDevices.getUserMedia = async (c) => (window.__stream = await real(c));
const estimate = navigator.storage.estimate.bind(navigator.storage);
window.__hold = null;
navigator.storage.estimate = async () => { if (window.__hold) await window.__hold; return estimate(); };
}
"""


LOSE = "window.__stream.getAudioTracks()[0].dispatchEvent(new Event('ended'))"


HERE = Path(__file__).parent


ROUNDS, RETURNED = HERE / "own_rounds.js", HERE / "own_sound.js"


TEXT = (
    "title: Weed Rake\ntempo: 168\npedal: 6:0\n\n[A]\n"
    "| E5@6/0 >o m m o m m o m | G5@6/3 >o m m o A5@6/5 o ~ o ~ |\n"
)


RIFF = parse_riff(TEXT)


LEAD_S = 0.05


def write_riff(page: Page, base: str, title: str) -> None:
    page.goto(f"{base}/riffs/new")
    page.wait_for_function("() => document.readyState === 'complete' && window.htmx")
    write_text(page, TEXT.replace("Weed Rake", title))
    page.keyboard.press("Control+s")
    page.get_by_role("link", name="Play it").click()
    expect(page.locator("#now svg")).to_be_visible()
    page.wait_for_function("() => window.Alpine && window.htmx")


def retype(field: Locator, text: str) -> None:
    """What a field holds, typed anew: its change counts as the player's own in every browser."""
    field.focus()
    field.press("ControlOrMeta+a")
    field.press_sequentially(text)


def write_text(page: Page, text: str) -> None:
    """Types a riff into the desk's text and goes back to the strip."""
    expect(page.locator("#desk-bars svg").first).to_be_visible()
    page.get_by_role("button", name="Text Esc").click()
    page.locator("#source").fill(text)
    page.keyboard.press("Escape")

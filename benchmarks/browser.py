"""From the end of a recording to the drawn reading, in Chromium, and the pages' server time;
against a running ./run with demo data.

python -m benchmarks.browser [http://127.0.0.1:8642]
"""

import statistics
import sys
import time
from pathlib import Path

import httpx2
import numpy as np
from playwright.sync_api import Browser, sync_playwright
from scripts.browsers import ARGS, MICROPHONE, PROGRAM
from scripts.screenshots import OWN_SOUND
from scripts.sound_text import sound_text

from thrumble.core.player.perform import perform
from thrumble.core.player.single import strike
from thrumble.core.player.sound import Tone
from thrumble.core.riff.model import Articulation
from thrumble.core.riff.notation.text import parse_riff
from thrumble.demo import guitar, riff_texts, setup_of

SEAM = Path(__file__).parent.parent / "tests/browser/exact_take.js"
FILL = """(b) => { const s = atob(b); const u = new Uint8Array(s.length);
for (let i = 0; i < s.length; i++) u[i] = s.charCodeAt(i);
window.__testTake.frames = new Float32Array(u.buffer); }"""


def palm_ms(browser: Browser, base: str) -> float:
    """Median wait of six hits of the simulated guitarist."""
    page = browser.new_context(permissions=["microphone"]).new_page()
    page.add_init_script(path=OWN_SOUND)
    page.goto(f"{base}/rig/tones/2")
    page.wait_for_load_state("load")
    page.keyboard.press("Space")
    page.wait_for_selector("#tone[data-stage=listening]")
    setup, rng = setup_of(Tone.CRUNCH), np.random.default_rng(3)
    played, waits = guitar(setup, rng), []
    for n in range(6):
        sound = strike(played, setup, Articulation.PALM, depth=0.6, midi=[40.0], rng=rng)
        page.evaluate(
            "([text, rate]) => window.__ownSound.play(text, rate)",
            [sound_text(sound), 48000],
        )
        page.locator("#dots circle").nth(n).wait_for(state="attached", timeout=8000)
        page.wait_for_timeout(300)
        waits.append(float(page.locator("#tone").get_attribute("data-placed-after-ms") or "nan"))
    return statistics.median(waits)


def main() -> None:
    base = sys.argv[1] if len(sys.argv) > 1 else "http://127.0.0.1:8642"
    print("| what | milliseconds |\n| --- | --- |")
    with httpx2.Client(base_url=base) as client:
        for page in (
            "/",
            "/rig",
            "/rig/tones/2",
            "/certainty",
            "/riffs",
            "/riffs/1",
            "/play/1",
            "/takes",
            "/takes/1",
        ):
            times = []
            for _ in range(8):
                begin = time.perf_counter()
                client.get(page).raise_for_status()
                times.append((time.perf_counter() - begin) * 1000)
            print(f"| page {page}, median of eight | {statistics.median(times):.0f} |")
    riff = parse_riff(riff_texts()["1-sluice-gate"])
    take = perform(riff, seed=7, lead_s=240 / float(riff.tempo_bpm))
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=PROGRAM, args=[*ARGS, *MICROPHONE])
        context = browser.new_context(permissions=["microphone"])
        context.add_init_script(path=SEAM)
        tab = context.new_page()
        tab.goto(f"{base}/play/1")
        tab.evaluate(FILL, sound_text(take.samples))
        times = []
        for _ in range(3):
            tab.keyboard.press("Space")
            tab.wait_for_selector("#play[data-stage=record]")
            tab.wait_for_selector("#play[data-stage=done]", timeout=90000)
            times.append(float(tab.get_attribute("#play", "data-read-after-ms") or "nan"))
        print(
            f"| end of a {take.samples.size / take.rate_hz:.0f} s recording to the drawn reading, "
            f"median of three | {statistics.median(times):.0f} |"
        )
        print(
            "| a palm finder's hit, from the end of its second of sound to its place, median of "
            f"six | {palm_ms(browser, base):.0f} |"
        )
        browser.close()


if __name__ == "__main__":
    main()

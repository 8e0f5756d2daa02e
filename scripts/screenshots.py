"""Takes the pictures of docs/screenshots from a running application with demo data.

python scripts/screenshots.py [http://127.0.0.1:8642] [--out docs/screenshots] [--only NAME]
[--dark] [--phone]
"""

import argparse
import base64
from pathlib import Path

import numpy as np
from playwright.sync_api import Page, sync_playwright

from thrumble.core.instrument import Instrument
from thrumble.core.player.perform import perform
from thrumble.core.player.single import strike
from thrumble.core.player.sound import Tone
from thrumble.core.riff.model import Articulation
from thrumble.core.riff.text import parse_riff
from thrumble.demo import guitar, setup_of

OWN_SOUND = Path(__file__).parent.parent / "tests/browser/own_sound.js"

ARGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]


def open_today(page: Page, base: str) -> None:
    page.goto(base)
    page.wait_for_selector(".session li")


def open_riffs(page: Page, base: str) -> None:
    page.goto(f"{base}/riffs")


def open_desk(page: Page, base: str) -> None:
    """The caret stands in the second bar."""
    page.goto(f"{base}/riffs")
    page.get_by_role("link", name="Sluice Gate").first.click()
    page.wait_for_selector("#desk-bars svg")
    for key in ("w", "ArrowDown", "ArrowRight", "ArrowRight"):
        page.keyboard.press(key)


def open_drills(page: Page, base: str) -> None:
    page.goto(f"{base}/riffs")
    page.get_by_role("link", name="Nine Locks Down").first.click()
    page.get_by_role("link", name="Drills", exact=True).last.click()
    page.get_by_role("link", name="shifts alone").click()
    page.wait_for_selector(".strip svg")


def open_log(page: Page, base: str) -> None:
    """The riff that was practised for six weeks."""
    page.goto(f"{base}/log")
    page.get_by_role("link", name="Winding Gear").click()
    page.wait_for_selector(".speed")


def open_compare(page: Page, base: str) -> None:
    """The first takes of the six weeks against the last."""
    page.goto(f"{base}/compare?a=1,2,3&b=9,10,12")
    page.wait_for_selector(".pair svg")
    page.wait_for_timeout(1500)


def open_practice(page: Page, base: str) -> None:
    page.goto(f"{base}/log/practice")


def open_hands(page: Page, base: str) -> None:
    """After a session, with a wrist marked."""
    page.goto(f"{base}/?played=yes")
    page.locator("summary", has_text="Where").click()
    page.locator(".arm.right label", has_text="wrist").click()
    page.wait_for_selector("#play-session")


def open_neck(page: Page, base: str) -> None:
    page.goto(f"{base}/riffs")
    page.get_by_role("link", name="Nine Locks Down").first.click()
    page.get_by_role("link", name="On the neck").click()
    page.locator(".arc.worst").first.wait_for(state="attached")


def open_neck_left(page: Page, base: str) -> None:
    """As it is for a left-handed player; the rig is put back afterwards."""
    _strung(page, base, left=True)
    open_neck(page, base)


def _strung(page: Page, base: str, *, left: bool) -> None:
    page.goto(f"{base}/rig")
    page.locator("#instrument > summary").click()
    page.locator("#instrument [name=left_handed]").set_checked(left)
    with page.expect_navigation():
        page.get_by_role("button", name="Save rig").click()


def close_neck_left(page: Page, base: str) -> None:
    _strung(page, base, left=False)


def open_shapes(page: Page, base: str) -> None:
    page.goto(f"{base}/shapes?shape=sixth&root=6&fret=4")


def open_recall(page: Page, base: str) -> None:
    """Four calls, one of them answered a fret too high."""
    page.add_init_script(path=OWN_SOUND)
    page.goto(f"{base}/neck/recall")
    page.get_by_label("Calls").fill("4")
    page.get_by_label("Tempo").fill("160")
    page.wait_for_load_state("load")
    page.locator("h1").click()
    page.keyboard.press("Space")
    page.wait_for_function("() => window.__ownSound.calls")
    calling = page.evaluate("() => window.__ownSound.calls")
    text, rate = answered(calling["calls"], wrong=2)
    at = calling["frame"] / calling["rate"]
    page.evaluate("(sent) => window.__ownSound.play(...sent)", [text, rate, at])
    page.wait_for_selector("#recall[data-stage=done]", timeout=60000)
    page.locator("#recalled .known").first.wait_for()


def answered(calls: list[dict[str, int]], *, wrong: int) -> tuple[str, int]:
    """The simulated guitarist answers calls at 160 bpm a beat later, one a fret too high: float32
    sound as base64, and its rate.
    """
    neck, bars = Instrument(), []
    for k, call in enumerate(calls):
        fret = (call["root"] - neck.open_midi(call["string"])) % 12 + (k == wrong)
        bars.append(f"| . {call['string']}:{fret},{call['string'] - 1}:{fret + 2} o ~ ~ |")
    text = "title: T\ntempo: 160\n[A]\n" + "\n".join(bars) + "\n"
    take = perform(parse_riff(text), seed=3, tone=Tone.CRUNCH, lead_s=0.0)
    return base64.b64encode(take.samples.astype("<f4").tobytes()).decode(), take.rate_hz


def open_play(page: Page, base: str) -> None:
    page.goto(f"{base}/riffs")
    page.get_by_role("link", name="Play Nine Locks Down").click()
    page.wait_for_selector("#now svg")


def open_reading(page: Page, base: str) -> None:
    page.goto(f"{base}/readings")
    page.get_by_role("link", name="Nine Locks Down").first.click()
    page.wait_for_selector("#strip")


def open_rig(page: Page, base: str) -> None:
    page.goto(f"{base}/rig")


def open_palm_finder(page: Page, base: str) -> None:
    """Eight hits of the simulated guitarist whose palm wanders."""
    page.add_init_script(path=OWN_SOUND)
    page.goto(f"{base}/rig")
    page.get_by_role("link", name="gatehouse crunch").click()
    page.wait_for_url("**/tones/*")
    page.wait_for_load_state("load")
    page.keyboard.press("Space")
    page.wait_for_selector("#tone[data-stage=listening]")
    setup, rng = setup_of(Tone.CRUNCH), np.random.default_rng(3)
    played = guitar(setup, rng)
    for n, depth in enumerate((0.1, 0.35, 0.5, 0.55, 0.62, 0.66, 0.6), 1):
        sound = strike(played, setup, Articulation.PALM, depth=depth, midi=[40.0], rng=rng)
        page.evaluate(
            "([text, rate]) => window.__ownSound.play(text, rate)",
            [base64.b64encode(sound.astype("<f4").tobytes()).decode(), 48000],
        )
        page.locator("#dots circle").nth(n - 1).wait_for(state="attached", timeout=8000)


def open_certainty(page: Page, base: str) -> None:
    page.goto(f"{base}/certainty")


def open_away(page: Page, base: str) -> None:
    """A recording while nothing that is sent arrives."""
    page.goto(f"{base}/riffs")
    page.get_by_role("link", name="Play Nine Locks Down").click()
    page.wait_for_selector("#now svg")
    page.keyboard.press("i")
    page.wait_for_timeout(800)
    page.route("**/takes**", lambda route: route.abort())
    page.keyboard.press("Space")
    page.locator("#safe", has_text="12 s not yet sent").wait_for(timeout=40000)


VIEWS = {
    "today": open_today,
    "rig": open_rig,
    "palm-finder": open_palm_finder,
    "riffs": open_riffs,
    "desk": open_desk,
    "drills": open_drills,
    "log": open_log,
    "compare": open_compare,
    "practice": open_practice,
    "hands": open_hands,
    "neck": open_neck,
    "neck-left": open_neck_left,
    "shapes": open_shapes,
    "recall": open_recall,
    "play": open_play,
    "reading": open_reading,
    "certainty": open_certainty,
    "away": open_away,
}

AFTERWARDS = {"neck-left": close_neck_left}


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("base", nargs="?", default="http://127.0.0.1:8642")
    parser.add_argument(
        "--out", type=Path, default=Path(__file__).parent.parent / "docs/screenshots"
    )
    parser.add_argument("--only")
    parser.add_argument(
        "--dark", action="store_true", help="all views in the dark theme, beside the light ones"
    )
    parser.add_argument("--phone", action="store_true", help="390 px wide")
    parser.add_argument("--full", action="store_true", help="the whole page, not the first screen")
    arguments = parser.parse_args()
    wanted = [
        (name, "dark" if arguments.dark else "light")
        for name in VIEWS
        if arguments.only in (None, name)
    ]
    if arguments.only is None and not arguments.dark and not arguments.phone:
        wanted.append(("reading", "dark"))
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(
            executable_path="/usr/bin/chromium", args=[*ARGS, "--use-fake-device-for-media-stream"]
        )
        for name, theme in wanted:
            size = (
                {"width": 390, "height": 844} if arguments.phone else {"width": 1280, "height": 800}
            )
            context = browser.new_context(
                viewport=size, color_scheme=theme, permissions=["microphone"]
            )
            page = context.new_page()
            page.on(
                "console",
                lambda message: (
                    print(message.type, message.text) if message.type == "error" else None
                ),
            )
            page.on("pageerror", lambda error: print("page error", error))
            VIEWS[name](page, arguments.base)
            page.wait_for_timeout(250)
            ending = ("-dark" if theme == "dark" else "") + ("-phone" if arguments.phone else "")
            page.screenshot(path=arguments.out / f"{name}{ending}.png", full_page=arguments.full)
            if name in AFTERWARDS:
                AFTERWARDS[name](page, arguments.base)
            context.close()
        browser.close()


if __name__ == "__main__":
    main()

"""Takes the pictures of docs/screenshots from a running application with demo data.

python -m scripts.screenshots [http://127.0.0.1:8642] [--out docs/screenshots] [--only NAME]
[--dark] [--phone]
"""

import argparse
import base64
import io
from pathlib import Path
from typing import Any

import numpy as np
import soundfile
from playwright.sync_api import Page, sync_playwright
from scripts.browsers import ARGS, MICROPHONE, PROGRAM
from scripts.sound_text import sound_text

from thrumble.core.instrument import Instrument
from thrumble.core.player.flaws import Flaws
from thrumble.core.player.perform import perform
from thrumble.core.player.single import strike
from thrumble.core.player.sound import Tone
from thrumble.core.riff.model import Articulation
from thrumble.core.riff.notation.text import parse_riff
from thrumble.demo import guitar, riff_texts, setup_of

SAMPLE = Path(__file__).parent.parent / "src/thrumble/demo/sample.zip"
SCRIPTS = Path(__file__).parent.parent / "tests/browser"
OWN_SOUND, OWN_ROUNDS = SCRIPTS / "own_sound.js", SCRIPTS / "own_rounds.js"


def open_today(page: Page, base: str) -> None:
    page.goto(base)
    page.wait_for_selector(".session li")


def open_players(page: Page, base: str) -> None:
    page.goto(f"{base}/players")


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
    page.goto(f"{base}/compare?a=3,8,13&b=80,85,90")
    page.wait_for_selector(".pair svg")
    page.wait_for_timeout(1500)


def open_practice(page: Page, base: str) -> None:
    page.goto(f"{base}/log/practice")


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
    return sound_text(take.samples), take.rate_hz


def open_play(page: Page, base: str) -> None:
    page.goto(f"{base}/riffs")
    page.get_by_role("link", name="Play Nine Locks Down").click()
    page.wait_for_selector("#now svg")


def open_reading(page: Page, base: str) -> None:
    page.goto(f"{base}/takes")
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
            [sound_text(sound), 48000],
        )
        page.locator("#dots circle").nth(n - 1).wait_for(state="attached", timeout=8000)


def open_certainty(page: Page, base: str) -> None:
    page.goto(f"{base}/certainty")


def open_lessons(page: Page, base: str) -> None:
    """A teacher with three pupils; two have the sample's six weeks."""
    page.goto(f"{base}/players")
    page.wait_for_load_state("load")
    token = page.locator("meta[name=token]").get_attribute("content") or ""
    sample = {"name": "sample.zip", "mimeType": "application/zip", "buffer": SAMPLE.read_bytes()}

    def post(path: str, player: str = "", **more: Any) -> None:
        headers = {"x-thrumble-token": token, "hx-request": "true"}
        if player:
            headers["x-thrumble-player"] = player
        answer = page.request.post(f"{base}{path}", headers=headers, **more)
        assert answer.ok, answer.text()

    def added(name: str) -> str:
        post("/players", form={"name": name})
        page.goto(base)
        return page.locator("meta[name=player]").get_attribute("content") or ""

    teacher = added("Lock keeper")
    pupils = {name: added(name) for name in ("Winch", "Sluice", "Capstan")}
    for name, number in pupils.items():
        if name != "Capstan":
            post("/players/import", multipart={"into": number, "file": sample})
        post("/lessons/teachers", number, form={"teacher": teacher})
    post(f"/players/{teacher}/choose", form={})
    goals = (("Winch", "Sluice Gate", "104"), ("Sluice", "Ballast", ""))
    for name, riff, goal in goals:
        page.goto(f"{base}/pupils/{pupils[name]}")
        options = page.locator("select[name=riff] option", has_text=riff)
        value = options.first.get_attribute("value") or ""
        form = {"riff": value, "goal": goal, "words": "For Saturday"}
        post(f"/pupils/{pupils[name]}/assignments", teacher, form=form)
    page.goto(f"{base}/lessons")


def leave_lessons(page: Page, base: str) -> None:
    """Nobody but the sample is left."""
    page.goto(f"{base}/players")
    page.wait_for_load_state("load")
    token = page.locator("meta[name=token]").get_attribute("content") or ""
    for name in ("Winch", "Sluice", "Capstan", "Lock keeper"):
        row = page.locator(".player", has_text=name).first
        path = row.locator("form[hx-post$='/delete']").get_attribute("hx-post")
        headers = {"x-thrumble-token": token, "hx-request": "true"}
        page.request.post(f"{base}{path}", headers=headers, form={"name": name})


def open_rounds(page: Page, base: str) -> None:
    """In the third round of a riff that goes round and round; the first is judged."""
    rounds(page, base, "Stop Planks", 220)
    page.locator("#round-name", has_text="Pass 2").wait_for(timeout=60000)
    page.wait_for_function("() => document.getElementById('bar-shown').textContent === '5'")


def rounds(page: Page, base: str, title: str, tempo: int) -> None:
    """Goes round and round with the simulated guitarist, who plays what he is asked for."""
    riff = parse_riff(riff_texts()["6-stop-planks"])

    def give(bpm: float, number: int, times: int, *_: str) -> dict[str, object]:
        made = perform(
            riff,
            tempo_bpm=bpm,
            seed=number,
            rounds=times,
            tone=Tone.CRUNCH,
            flaws=Flaws(timing=11),
            lead_s=0.05,
        )
        return {"text": _sent(made.samples), "rate": made.rate_hz, "one": 0.05}

    page.add_init_script(path=OWN_ROUNDS)
    page.expose_function("__perform", give)
    page.goto(f"{base}/riffs")
    page.get_by_role("link", name=f"Play {title}").click()
    page.wait_for_function("() => window.Alpine && window.htmx")
    page.locator("#tempo").fill(str(tempo))
    page.locator("#then").select_option("round")
    page.locator("h1").click()
    page.keyboard.press("s")
    page.locator("#count-bars").select_option("4")
    page.keyboard.press("Escape")
    page.keyboard.press("PageDown")


def _sent(samples: np.ndarray) -> str:
    return sound_text(samples)


TURN = """async ([riff, trial, turn, wav]) => {
  const headers = { "x-thrumble-token": document.querySelector("meta[name=token]").content };
  const bytes = Uint8Array.from(atob(wav), (c) => c.charCodeAt(0));
  const form = new FormData();
  form.append("take", new File([bytes], "turn.wav"));
  const sent = await fetch(`/play/${riff}/upload`, { method: "POST", body: form, headers });
  const take = Number(sent.headers.get("hx-redirect").split("/").at(-1));
  for (;;) {
    const told = await (await fetch(`/takes/${take}/verdict`)).json();
    if (told.state === "read") break;
    await new Promise((go) => setTimeout(go, 200));
  }
  const body = JSON.stringify({ turn, take });
  const kept = await fetch(`/trials/${trial}/turn`, { method: "POST", body,
    headers: { ...headers, "content-type": "application/json" } });
  return kept.json();
}"""
WAYS = {"A": Flaws(timing=6, ringing=0.02), "B": Flaws(timing=14, ringing=0.25)}


def _begin_trial(page: Page, base: str, pairs: int) -> None:
    page.goto(f"{base}/trials")
    page.wait_for_function("() => document.readyState === 'complete' && window.htmx")
    page.get_by_label("Riff or drill").select_option(label="Puddle Clay")
    page.get_by_label("Pairs").fill(str(pairs))
    page.get_by_role("button", name="Shuffle and start").click()
    page.get_by_role("link", name="Play the next turns").wait_for()


def open_trial_result(page: Page, base: str) -> None:
    """Six pairs of the simulated guitarist, whose second way is worse."""
    _begin_trial(page, base, 6)
    trial = page.url.rsplit("/", 1)[1]
    page.get_by_role("link", name="Play the next turns").click()
    page.wait_for_selector("#trial-letter")
    riff_id = page.url.split("/play/")[1].split("?")[0]
    letter = page.locator("#trial-letter").inner_text()
    page.goto(f"{base}/trials/{trial}")  # the play screen would begin to record by itself
    riff = parse_riff(riff_texts()["5-puddle-clay"])
    for turn in range(12):
        made = perform(riff, seed=60 + turn, tone=Tone.CRUNCH, flaws=WAYS[letter])
        file = io.BytesIO()
        soundfile.write(file, made.samples, made.rate_hz, format="WAV", subtype="PCM_16")
        wav = base64.b64encode(file.getvalue()).decode()
        told = page.evaluate(TURN, [int(riff_id), int(trial), turn, wav])
        letter = told.get("letter", "")
    page.goto(f"{base}/trials/{trial}")


def close_trial(page: Page, base: str) -> None:
    """The trial and its takes go again: the demo stays as it was."""
    page.goto(f"{base}/trials")
    page.locator(".take-line h2 a").first.click()
    page.wait_for_function("() => document.readyState === 'complete' && window.htmx")
    page.once("dialog", lambda dialog: dialog.accept())
    page.get_by_role("button", name="Delete this trial").click()
    page.wait_for_url("**/trials")


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
    "neck": open_neck,
    "neck-left": open_neck_left,
    "recall": open_recall,
    "play": open_play,
    "rounds": open_rounds,
    "players": open_players,
    "trial-result": open_trial_result,
    "lessons": open_lessons,
    "reading": open_reading,
    "certainty": open_certainty,
}

AFTERWARDS = {
    "neck-left": close_neck_left,
    "trial-result": close_trial,
    "lessons": leave_lessons,
}
GUIDE = Path(__file__).parent.parent / "src/thrumble/guide/pictures"
# pictures of the guide: the view, and what of it is shown
PICTURES = {
    "strip": ("reading", "#strip svg.bar:nth-child(4)"),
    "figures": ("reading", ".cards"),
    "plan": ("today", "#plan .session"),
    "desk": ("desk", "#desk-bars"),
    "routes": ("neck", "#routes ~ *"),
    "clean-speed": ("log", ".speed"),
    "comparing": ("compare", "table.plain"),
    "palm-finder": ("palm-finder", "#main svg"),
    "class": ("lessons", ".class-table"),
}
DARK = {"rounds"}  # shown in the dark theme, where one is enough


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
    parser.add_argument(
        "--guide", action="store_true", help="the guide's pictures instead, into the application"
    )
    parser.add_argument("--full", action="store_true", help="the whole page, not the first screen")
    arguments = parser.parse_args()
    wanted = [
        (name, "dark" if arguments.dark or name in DARK else "light")
        for name in VIEWS
        if arguments.only in (None, name)
        and (not arguments.guide or name in {view for view, _ in PICTURES.values()})
    ]
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=PROGRAM, args=[*ARGS, *MICROPHONE])
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
            if arguments.guide:
                page.locator("details").evaluate_all("all => all.forEach(d => { d.open = true; })")
                for picture, (view, selector) in PICTURES.items():
                    if view == name:
                        shown = page.locator(selector).first
                        shown.screenshot(path=GUIDE / f"{picture}.png")
                if name in AFTERWARDS:
                    AFTERWARDS[name](page, arguments.base)
                context.close()
                continue
            ending = ("-dark" if theme == "dark" else "") + ("-phone" if arguments.phone else "")
            page.screenshot(path=arguments.out / f"{name}{ending}.png", full_page=arguments.full)
            if name in AFTERWARDS:
                AFTERWARDS[name](page, arguments.base)
            context.close()
        browser.close()


if __name__ == "__main__":
    main()

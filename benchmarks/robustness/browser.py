"""Real recordings in Chromium with kills at random moments: of the server, the database, the
browser itself. What was played is what is read.
"""

import os
import random
import signal
import subprocess
import tempfile
import time
from contextlib import suppress
from pathlib import Path
from typing import Any

from playwright.sync_api import Error, Page, sync_playwright
from scripts.browsers import ARGS, MICROPHONE, PROGRAM

from benchmarks.robustness.bench import TEXT, Bench, bench
from benchmarks.robustness.kills import _settled
from benchmarks.robustness.table import Row

TAKES, BROWSER_KILLS = 12, 6


def trial(seed: int = 3) -> list[Row]:
    """A dozen takes with the server or the database killed in their middle, then half a dozen with
    the browser killed.
    """
    rng = random.Random(seed)
    with (
        bench() as on,
        tempfile.TemporaryDirectory(prefix="trial-") as name,
        sync_playwright() as play,
    ):
        profile = Path(name) / "profile"
        context = _open(play, profile)
        page = context.pages[0]
        _write_riff(page, on)
        short = [_take(page, on, rng) for _ in range(TAKES)]
        lost = []
        for _ in range(BROWSER_KILLS):
            context, loss = _killed(play, context, profile, on, rng)
            lost.append(loss)
        context.close()
        _settled(on)
        states = dict(on.query("select state, count(*) from take group by state"))
        late = [s for s in short if s > 0.5]
        return [
            Row(
                f"{TAKES} recordings, something killed in the middle of each",
                "none short by more than 0.5 s",
                f"{len(late)} short; most {max(short):.2f} s",
                not late,
            ),
            Row(
                f"{BROWSER_KILLS} recordings with the server away and the browser killed",
                "0.5 s lost at most",
                f"most {max(lost):.2f} s",
                max(lost) <= 0.5,
            ),
            Row(
                "takes at the end",
                "none waiting",
                str(states),
                not states.get("queued") and not states.get("reading"),
            ),
        ]


def _open(play: Any, profile: Path) -> Any:
    return play.chromium.launch_persistent_context(
        str(profile),
        executable_path=PROGRAM,
        headless=True,
        args=[*ARGS, *MICROPHONE],
        permissions=["microphone"],
    )


def _write_riff(page: Page, on: Bench) -> None:
    page.goto(f"{on.base}/riffs/new")
    page.get_by_role("button", name="Text Esc").click()
    page.locator("#source").fill(TEXT)
    page.keyboard.press("Control+s")
    page.wait_for_url("**/riffs/*")


def _begin(page: Page, on: Bench) -> None:
    """On the play screen with an open input, recording."""
    for _ in range(60):  # what was killed before may still be on its way back
        with suppress(Error):
            page.goto(f"{on.base}/play/1")
            if page.locator("#rounds").count():
                break
        time.sleep(0.5)
    page.locator("#rounds").fill("2")
    page.locator("h1").click()
    page.keyboard.press("i")
    page.locator("#say", has_text="The input is open").wait_for()
    page.keyboard.press("Space")
    page.locator("#play[data-stage=record]").wait_for(timeout=20000)


def _take(page: Page, on: Bench, rng: random.Random) -> float:
    """Seconds that a take is short by, with something killed in its middle."""
    _begin(page, on)
    time.sleep(rng.uniform(0.2, 3.0))
    what = rng.choice(["server", "database", "worker"])
    on.kill(what)
    if what == "server":
        time.sleep(rng.uniform(0.2, 3.0))
        on.start()
    page.locator("#open-reading").wait_for(timeout=90000)
    played = float(page.locator("#play").get_attribute("data-heard-s") or 0)
    number = (page.locator("#open-reading").get_attribute("href") or "/0").rsplit("/", 1)[1]
    return played - float(
        on.query(f"select document -> 'duration_s' from reading where take_id = {number}")[0][0]
    )


def _killed(
    play: Any, context: Any, profile: Path, on: Bench, rng: random.Random
) -> tuple[Any, float]:
    """Kills server and browser in mid-take, opens both again; the new browser, and the seconds of
    sound that are gone.
    """
    page = context.pages[0]
    _begin(page, on)
    on.kill("server")
    time.sleep(rng.uniform(1.0, 3.0))
    played = float(page.locator("#play").get_attribute("data-heard-s") or 0)
    for pid in subprocess.run(
        ["pgrep", "-f", str(profile)], capture_output=True, text=True
    ).stdout.split():
        with suppress(ProcessLookupError):
            os.kill(int(pid), signal.SIGKILL)
    on.start()
    with suppress(Exception):
        context.close()
    again = _open(play, profile)
    page = again.pages[0]
    page.goto(on.base)
    link = page.get_by_role("link", name="Finish or delete it")
    link.wait_for(timeout=30000)
    number = (link.get_attribute("href") or "/0").rsplit("/", 1)[1]
    end = "max(first_frame + octet_length(data) / 4)"
    frames, rate = on.query(
        f"select {end}, max(rate_hz) from chunk join take on take.id = take_id where take_id = "
        f"{number}"
    )[0]
    return again, played - frames / rate

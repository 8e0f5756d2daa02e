"""An hour of rounds without a stop, in real time: Chromium, server and worker on this machine, the
simulated guitarist playing into the page's own graph, his spread growing with the tempo.
"""

import json
import os
import tempfile
import time
from pathlib import Path
from typing import Any

import numpy as np
from playwright.sync_api import CDPSession, Page, sync_playwright
from scripts.browsers import ARGS, MICROPHONE, PROGRAM
from scripts.sound_text import sound_text

from benchmarks.robustness.bench import RIFF, TEXT, Bench, bench
from benchmarks.robustness.table import Row
from thrumble.core.player.flaws import Flaws
from thrumble.core.player.perform import perform
from thrumble.core.player.sound import Tone

MINUTES = float(os.environ.get("ROUNDS_MINUTES", "60"))
SETTLED_MINUTES = 5.0  # by when everything that is ever loaded is there
EACH = 3  # rounds a take: seven seconds
LEAD_S = 0.05
SCRIPT = Path(__file__).parents[2] / "tests/browser/own_rounds.js"
WATCH = """
window.__verdicts = []; window.__late = { near: 0, nearAll: 0, far: 0, farAll: 0 };
let last = performance.now(), spoken = -1e9;
const step = () => {
  const now = performance.now(), late = now - last > 50;
  const near = now - spoken < 1000;
  window.__late[near ? "nearAll" : "farAll"]++;
  if (late) window.__late[near ? "near" : "far"]++;
  last = now;
  requestAnimationFrame(step);
};
requestAnimationFrame(step);
addEventListener("load", () => {
  const root = document.getElementById("play");
  if (!root) return;
  new MutationObserver(() => {
    window.__verdicts.push(Number(root.dataset.verdictMs));
    spoken = performance.now();
  }).observe(root, { attributeFilter: ["data-verdict-ms"] });
});
"""


def trial() -> list[Row]:
    """Memory of the page, the server and the worker; every round read; how soon."""
    with (
        bench() as on,
        tempfile.TemporaryDirectory(prefix="rounds-") as profile,
        sync_playwright() as play,
    ):
        context = play.chromium.launch_persistent_context(
            profile,
            executable_path=PROGRAM,
            headless=True,
            args=[*ARGS, *MICROPHONE, "--enable-precise-memory-info"],
            permissions=["microphone"],
        )
        context.add_init_script(path=SCRIPT)
        context.add_init_script(WATCH)
        page = context.pages[0]
        page.expose_function("__perform", _round)
        _begin(page, on)
        memory = _watched(page, context.new_cdp_session(page), on)
        last = page.evaluate("window.__last")
        stage = page.locator("#play").get_attribute("data-stage")
        verdicts = [ms for ms in page.evaluate("window.__verdicts") if ms]
        late = page.evaluate("window.__late")
        page.keyboard.press("PageUp")
        page.locator("#open-reading").wait_for(timeout=60_000)
        context.close()
        return [*_kept(on, int(last), str(stage)), *_memory(memory), *_soon(verdicts, late)]


def _round(tempo: float, number: int, rounds: int, *_: str) -> dict[str, Any]:
    take = perform(
        RIFF,
        tempo_bpm=tempo,
        seed=number,
        rounds=rounds,
        tone=Tone.CRUNCH,
        flaws=Flaws(timing=float(min(60.0, 6 * np.exp((tempo - 200) / 30)))),
        lead_s=LEAD_S,
    )
    text = sound_text(take.samples)
    return {"text": text, "rate": take.rate_hz, "one": LEAD_S}


def _begin(page: Page, on: Bench) -> None:
    page.goto(f"{on.base}/riffs/new")
    page.wait_for_function("() => document.readyState === 'complete' && window.htmx")
    page.get_by_role("button", name="Text Esc").click()
    page.locator("#source").fill(TEXT)
    page.keyboard.press("Control+s")
    page.get_by_role("link", name="Play it").click()
    page.wait_for_url("**/play/*")
    page.wait_for_function("() => window.Alpine && window.htmx")
    page.locator("#rounds").fill(str(EACH))
    page.locator("#then").select_option("round")
    page.locator("h1").click()
    page.keyboard.press("PageDown")
    page.locator("#play[data-stage=record]").wait_for(timeout=30_000)


def _watched(page: Page, devtools: CDPSession, on: Bench) -> list[tuple[float, ...]]:
    """Minute, page's heap after collecting, server, worker: MB."""
    begun = time.monotonic()
    rows: list[tuple[float, ...]] = []
    assert on.server
    while (minute := (time.monotonic() - begun) / 60) < MINUTES:
        devtools.send("HeapProfiler.collectGarbage")
        heap = page.evaluate("performance.memory.usedJSHeapSize") / 1e6
        worker = sum(on.memory_mb(pid) for pid in on.workers())
        rows.append((minute, heap, on.memory_mb(on.server.pid), worker))
        print(json.dumps([round(value, 1) for value in rows[-1]]), flush=True)
        page.wait_for_timeout(30_000)
    return rows


def _kept(on: Bench, last: int, stage: str) -> list[Row]:
    states = dict(on.query("select state, count(*) from take group by state"))
    gaps, slips, tempi = zip(
        *on.query(
            "select coalesce((recorder->>'gap_frames')::int, 0),"
            " abs(coalesce((recorder->>'clock_slip_ms')::float, 0)), tempo_bpm from take"
            " where state = 'read'"
        ),
        strict=True,
    )
    matched, due = on.query(
        "select sum((document->'summary'->>'matched')::int), count(*) from reading"
    )[0]
    hits = int(due) * EACH * 14
    return [
        Row(
            f"{MINUTES:.0f} minutes of rounds, {EACH} a take",
            "goes on by itself; every whole take read",
            f"{states.get('read', 0)} takes read of {last - 1} whole ones; still {stage}",
            stage == "record" and states.get("read", 0) >= last - 1,
        ),
        Row("hits heard", "", f"{matched} of {hits}"),
        Row(
            "frames of sound missing; most that the clock slipped in a take",
            "none",
            f"{sum(gaps)}; {max(slips):.0f} ms",
            sum(gaps) == 0,
        ),
        Row(
            "tempo by the ladder",
            "moves",
            f"{float(min(tempi)):g} to {float(max(tempi)):g} bpm",
            len(set(tempi)) > 1,
        ),
    ]


def _memory(rows: list[tuple[float, ...]]) -> list[Row]:
    after = [row for row in rows if row[0] >= SETTLED_MINUTES]
    out = []
    for column, name in ((1, "the page's heap"), (2, "the server"), (3, "the worker")):
        first = float(np.median([row[column] for row in after[:4]]))
        end = float(np.median([row[column] for row in after[-4:]]))
        most = max(row[column] for row in after)
        out.append(
            Row(
                f"memory of {name}, after {SETTLED_MINUTES:.0f} minutes and at the end",
                "flat within 50 MB",
                f"{first:.0f} MB, {end:.0f} MB (at most {most:.0f})",
                end - first < 50,
            )
        )
    return out


def _soon(verdicts: list[float], late: dict[str, int]) -> list[Row]:
    within = np.mean(np.array(verdicts) <= 1500)
    near = 100 * late["near"] / max(1, late["nearAll"])
    far = 100 * late["far"] / max(1, late["farAll"])
    return [
        Row(
            "a take's verdict is there after its end",
            "1500 ms",
            f"median {np.median(verdicts):.0f} ms, 95 % {np.percentile(verdicts, 95):.0f} ms; "
            f"{within:.1%} in time",
            bool(within >= 0.95),
        ),
        Row(
            "frames of the screen more than 50 ms after the one before",
            "no more in the second after a verdict than otherwise",
            f"{near:.2f} % there, {far:.2f} % otherwise",
            near <= far + 1.0,
        ),
    ]

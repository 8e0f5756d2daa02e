"""A take survives everything: the database away in its middle, the server away for all of it, the
browser killed, other tabs.
"""

import contextlib
import os
import re
import signal
import subprocess
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest
import sqlalchemy as sa
from playwright.sync_api import BrowserType, Page, Route, expect
from scripts.browsers import ARGS, MICROPHONE, PROGRAM

from tests.browser.conftest import Served, watched
from tests.browser.playing import EXACT, hand_over, one_bar_lead, reading_of, write_text
from tests.conftest import Cluster
from thrumble.core.player.flaws import Flaws
from thrumble.core.player.perform import Performance, perform
from thrumble.core.player.sound import Tone
from thrumble.core.riff.notation.text import parse_riff

TEXT = "title: Paddle Gear\ntempo: 150\npedal: 6:0\n\n[A]\n| E5@6/0 >o m m o m m o m | G5@6/3 >o m m o A5@6/5 o ~ o ~ |\n| E5@6/0 >o m m o m m o m | G5@6/3 >o m m o A5@6/5 o ~ o ~ |\n"
RIFF = parse_riff(TEXT)
ROUNDS = 1


@pytest.fixture(scope="module")
def bench(cluster: Cluster) -> Iterator[Served]:
    """An application on that cluster, with one riff."""
    served = Served(cluster.tell("url"), demo=False)
    served.start()
    yield served
    assert served.stop() == 0


def write_riff(page: Page, base: str) -> None:
    page.goto(f"{base}/riffs/new")
    write_text(page, TEXT)
    page.keyboard.press("Control+s")
    page.wait_for_url(re.compile(r"/riffs/\d+$"))
    expect(page.get_by_role("heading", name="Paddle Gear")).to_be_visible()


def ready_to_play(page: Page, base: str) -> Performance:
    """On the play screen, with an open input that will hear a take of two rounds."""
    take = perform(
        RIFF,
        seed=12,
        tone=Tone.CRUNCH,
        flaws=Flaws(timing=6),
        lead_s=one_bar_lead(RIFF),
        rounds=ROUNDS,
    )
    write_riff(page, base)
    page.get_by_role("link", name="Play it").click()
    expect(page.locator("#now svg")).to_be_visible()
    page.locator("#rounds").fill(str(ROUNDS))
    page.locator("h1").click()
    page.keyboard.press("i")
    expect(page.locator("#say")).to_contain_text("The input is open")
    hand_over(page, take)
    return take


def check_whole(page: Page, base: str, take: Performance) -> None:
    """Every hit was heard, and no frame is missing."""
    reading = reading_of(page, base)
    assert reading["summary"]["matched"] == len([h for h in take.hits if h.played])
    assert not any("never arrived" in c["text"] for c in reading["cautions"])


def recorded_s(page: Page) -> float:
    """Seconds of sound that this browser keeps of its takes."""
    return float(
        page.evaluate("""async () => {
      const keep = await import('/files/shared/keep.js');
      let sum = 0;
      for (const take of await keep.allTakes()) for (const block of await keep.listBlocks(take.key)) sum += block.count / take.begin.rate;
      return sum; }""")
    )


def test_a_database_that_goes_away_in_mid_take_costs_nothing(
    bench: Served, cluster: Cluster, open_page: Callable[..., Page]
) -> None:
    page = open_page(script=EXACT)
    take = ready_to_play(page, bench.base)
    page.keyboard.press("Space")
    expect(page.locator("#play")).to_have_attribute("data-stage", "record", timeout=8000)
    page.wait_for_timeout(1500)
    cluster.tell("stop")
    expect(page.locator("#safe")).to_contain_text("not yet sent", timeout=8000)
    cluster.tell("start")
    expect(page.locator("#play")).to_have_attribute("data-stage", "done", timeout=40000)
    expect(page.locator("#open-reading")).to_be_visible(timeout=40000)
    check_whole(page, bench.base, take)
    assert recorded_s(page) == 0, "what the server has is not kept twice"
    assert page.request.get(f"{bench.base}/readyz").ok


def test_a_server_that_is_away_for_the_whole_take_reads_it_when_it_is_back(
    bench: Served, open_page: Callable[..., Page]
) -> None:
    page = open_page(script=EXACT)
    take = ready_to_play(page, bench.base)
    bench.stop()
    page.keyboard.press("Space")
    expect(page.locator("#play")).to_have_attribute("data-stage", "record", timeout=8000)
    expect(page.locator("#say")).to_contain_text("The take is kept in this browser", timeout=30000)
    expect(page.locator("#safe")).to_contain_text("Kept here")
    bench.start()
    expect(page.locator("#open-reading")).to_be_visible(timeout=40000)
    check_whole(page, bench.base, take)


def persistent(browser_type: BrowserType, folder: Path) -> Any:
    context = browser_type.launch_persistent_context(
        str(folder),
        executable_path=PROGRAM,
        headless=True,
        args=[*ARGS, *MICROPHONE],
        permissions=["microphone"],
        viewport={"width": 1280, "height": 800},
    )
    context.add_init_script(path=EXACT)
    return context


def test_a_killed_browser_loses_half_a_second_at_most(
    bench: Served, browser_type: BrowserType, tmp_path: Path
) -> None:
    """The server is away, too: what was played is in this browser alone."""
    folder = tmp_path / "profile"
    page = watched(persistent(browser_type, folder).pages[0])
    ready_to_play(page, bench.base)
    bench.stop()
    page.keyboard.press("Space")
    expect(page.locator("#play")).to_have_attribute("data-stage", "record", timeout=8000)
    page.wait_for_timeout(3000)
    heard_s = float(page.evaluate("document.getElementById('play').dataset.heardS"))
    for pid in subprocess.run(
        ["pgrep", "-f", str(folder)], capture_output=True, text=True
    ).stdout.split():
        with contextlib.suppress(ProcessLookupError):
            os.kill(int(pid), signal.SIGKILL)
    bench.start()
    again = persistent(browser_type, folder)
    later = watched(again.pages[0])
    later.goto(bench.base)
    expect(later.locator(".kept-line")).to_contain_text(
        "was cut off. All that was recorded has arrived", timeout=20000
    )
    later.get_by_role("link", name="Finish or delete it").click()
    later.wait_for_url(re.compile(r"/takes/\d+$"))
    later.get_by_role("button", name="Finish and read it").click()
    expect(later.locator("#strip")).to_be_visible(timeout=20000)
    document = later.request.get(f"{later.url}/reading.json").json()
    assert document["duration_s"] > heard_s - 0.5
    assert recorded_s(later) == 0
    again.close()


def test_a_cut_take_is_read_only_once_all_that_the_browser_keeps_has_arrived(
    bench: Served, open_page: Callable[..., Page]
) -> None:
    """Its first second has arrived, the rest waits in the browser when the player is done."""
    page = open_page(script=EXACT)
    pieces = 1

    def gate(route: Route) -> None:
        nonlocal pieces
        pieces -= 1
        route.continue_() if pieces >= 0 else route.abort()

    page.context.route("**/chunk?*", gate)
    ready_to_play(page, bench.base)
    page.keyboard.press("Space")
    expect(page.locator("#play")).to_have_attribute("data-stage", "record", timeout=8000)
    page.wait_for_timeout(4000)
    heard_s = float(page.evaluate("document.getElementById('play').dataset.heardS"))
    later = watched(page.context.new_page())
    page.close()
    later.goto(bench.base)
    later.locator(".take-line a").first.click()
    later.wait_for_url(re.compile(r"/takes/\d+$"))
    later.get_by_role("button", name="Finish and read it").click()
    expect(later.locator("#finish-words")).to_contain_text("Sending what this browser still keeps")
    pieces = 1000
    expect(later.locator("#strip")).to_be_visible(timeout=30000)
    document = later.request.get(f"{later.url}/reading.json").json()
    assert document["duration_s"] > heard_s - 0.5
    assert recorded_s(later) == 0


def test_another_tab_leaves_a_take_alone_and_a_closed_one_hands_it_over(
    bench: Served, open_page: Callable[..., Page]
) -> None:
    page = open_page(script=EXACT)
    take = ready_to_play(page, bench.base)
    page.keyboard.press("Space")
    expect(page.locator("#play")).to_have_attribute("data-stage", "record", timeout=8000)
    other = watched(page.context.new_page())
    other.goto(bench.base)
    expect(page.locator("#play")).to_have_attribute("data-stage", "done", timeout=40000)
    expect(other.locator(".kept-line")).to_have_count(0)
    check_whole(page, bench.base, take)
    hand_over(page, take)
    page.keyboard.press("Space")
    expect(page.locator("#play")).to_have_attribute("data-stage", "record", timeout=8000)
    page.wait_for_timeout(2500)
    page.close()
    other.reload()
    expect(other.locator(".kept-line")).to_contain_text("was cut off", timeout=20000)
    address = other.get_by_role("link", name="Finish or delete it").get_attribute("href")
    other.goto(f"{bench.base}{address}")
    expect(other.get_by_text("This take was cut off")).to_be_visible()


def test_a_take_the_server_will_not_have_is_offered_and_never_thrown_away(
    bench: Served, open_page: Callable[..., Page], tmp_path: Path
) -> None:
    page = open_page(script=EXACT)
    take = ready_to_play(page, bench.base)
    page.keyboard.press("Space")
    expect(page.locator("#play")).to_have_attribute("data-stage", "record", timeout=8000)
    engine = sa.create_engine(bench.database_url)
    with engine.begin() as connection:  # the riff is deleted in another tab
        connection.execute(sa.text("delete from riff"))
    engine.dispose()
    expect(page.locator("#problem")).to_contain_text("kept in this browser", timeout=40000)
    page.goto(bench.base)
    expect(page.locator(".kept-line")).to_contain_text("Thrumble won't take it")
    with page.expect_download() as saved:
        page.get_by_role("button", name="Save as WAV").click()
    saved.value.save_as(tmp_path / "take.wav")
    assert (tmp_path / "take.wav").stat().st_size > take.samples.size * 4 * 0.9
    page.once("dialog", lambda dialog: dialog.accept())
    page.get_by_role("button", name="Discard take").click()
    expect(page.locator(".kept-line")).to_have_count(0)
    assert recorded_s(page) == 0


def test_while_the_database_is_away_pages_say_so_and_come_back(
    bench: Served, cluster: Cluster, open_page: Callable[..., Page]
) -> None:
    page = open_page()
    cluster.tell("stop")
    try:
        answer = page.goto(f"{bench.base}/takes")
        assert answer is not None and answer.status == 503 and answer.headers["retry-after"]
        expect(page.locator(".problem-box")).to_contain_text("The database is away, trying again")
        assert (
            page.request.get(f"{bench.base}/healthz").ok
            and page.request.get(f"{bench.base}/readyz").status == 503
        )
    finally:
        cluster.tell("start")
    expect(page.get_by_role("heading", name="Takes")).to_be_visible(timeout=15000)
    for _ in range(40):
        if page.request.get(f"{bench.base}/readyz").ok:
            break
        page.wait_for_timeout(500)
    page.goto(f"{bench.base}/status")
    expect(page.locator(".verdict")).to_contain_text("Everything is running")
    assert re.search(r"engine \d", page.locator(".bench-facts").inner_text())

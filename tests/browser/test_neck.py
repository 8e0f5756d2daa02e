"""The neck in a real browser, by keys: routes, chords, locks, shapes, recall with sound, the eye
cue.
"""

import re
from collections.abc import Callable
from pathlib import Path

from playwright.sync_api import Page, expect
from scripts.screenshots import answered

from tests.browser.conftest import Served

OWN_SOUND = Path(__file__).parent / "own_sound.js"


def test_routes_chords_and_locks_by_keys_alone(
    served: Served, open_page: Callable[..., Page]
) -> None:
    page = open_page()
    page.goto(f"{served.base}/riffs")
    page.get_by_role("link", name="Nine Locks Down").first.click()
    page.get_by_role("link", name="On the neck").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Nine Locks Down: fingering")
    ways = page.locator(".routes tbody tr")
    assert ways.count() == 4
    page.wait_for_load_state("load")
    page.keyboard.press("3")
    expect(ways.nth(2)).to_have_attribute("aria-current", "true")
    page.wait_for_load_state("load")
    page.keyboard.press("1")
    expect(ways.nth(0)).to_have_attribute("aria-current", "true")
    chords = page.locator(".chords tbody tr")
    at = page.locator(".chords tr.here .chord-link")
    before = at.inner_text()
    page.wait_for_load_state("load")
    page.keyboard.press("ArrowRight")
    expect(at).not_to_have_text(before)
    page.wait_for_load_state("load")
    page.keyboard.press("l")
    expect(page.locator(".chords tr.here .lock")).to_have_text("Unlock")
    page.go_back()
    expect(page.locator(".chords tr.here .lock")).to_have_text("Lock")
    page.locator("summary", has_text="another way").click()
    other = page.locator(".elsewhere a").last
    spots = other.inner_text().split(" with ")[0]
    other.click()
    expect(page.locator(".chords tr.here td").nth(2)).to_have_text(spots)
    assert chords.count() > 5
    page.locator("#yours > summary").focus()
    page.keyboard.press("Enter")
    page.get_by_label("stay low").check()
    page.wait_for_url(re.compile("wish=low"))
    expect(page.locator(".chords tr.here td").nth(2)).to_have_text(spots)
    page.get_by_label("Your reach, finger 1 to 4, mm").fill("61")
    page.get_by_role("button", name="Plan again").click()
    expect(page.get_by_text("your hand can't")).to_be_visible()
    page.go_back()
    expect(page.get_by_label("stay low")).to_be_checked()


def test_shapes_are_found_stepped_through_and_heard(
    served: Served, open_page: Callable[..., Page]
) -> None:
    page = open_page()
    page.goto(f"{served.base}/shapes")
    page.keyboard.press("/")
    page.keyboard.type("F#5")
    page.keyboard.press("Enter")
    expect(page.locator("#found .lead")).to_contain_text("14 places on your neck")
    page.goto(f"{served.base}/shapes?shape=sixth&root=6&fret=5")
    page.wait_for_load_state("load")
    page.keyboard.press("ArrowLeft")
    expect(page.locator("#shape tr.here .fret-link")).to_have_text("4")
    page.wait_for_load_state("load")
    with page.expect_response("**/shapes/listen?**") as heard:
        page.keyboard.press("l")
    assert heard.value.status in (200, 206)
    page.get_by_role("button", name="Make a reach ladder").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("Reach ladder")


def test_a_recall_drill_is_called_hit_heard_and_kept(
    served: Served, open_page: Callable[..., Page]
) -> None:
    """The simulated guitarist answers each call two beats later, the second one a fret too high."""
    page = open_page(script=OWN_SOUND)
    page.goto(f"{served.base}/neck/recall")
    page.get_by_label("Calls").fill("4")
    page.get_by_label("Tempo").fill("160")
    page.wait_for_load_state("load")
    page.keyboard.press("Escape")
    page.locator("h1").click()
    page.keyboard.press("Space")
    page.wait_for_function("() => window.__ownSound.calls")
    calling = page.evaluate("() => window.__ownSound.calls")
    sound, rate = answered(calling["calls"], wrong=1)
    page.evaluate(
        "([text, rate, at]) => window.__ownSound.play(text, rate, at)",
        [sound, rate, calling["frame"] / calling["rate"]],
    )
    expect(page.locator(".called-name")).to_have_text(calling["calls"][0]["name"], timeout=15000)
    expect(page.locator("#recall")).to_have_attribute("data-stage", "done", timeout=60000)
    expect(page.locator(".say")).to_contain_text("3 of 4 calls right")
    expect(page.locator("#recall section tbody tr").nth(1)).to_contain_text("wrong: that was")
    places = [(call["name"], call["string"]) for call in calling["calls"]]
    strings = page.locator("#recalled thead th").all_inner_texts()
    for place in set(places):  # drawn at random: a place may come twice
        times = [k for k, other in enumerate(places) if other == place]
        row = page.locator("#recalled tbody tr", has=page.get_by_text(place[0], exact=True))
        cell = row.locator("td").nth(strings.index(str(place[1])) - 1)
        expect(cell).to_contain_text(f"{len(times) - times.count(1)} of {len(times)}")


def test_the_eye_cue_is_asked_for_by_a_key(served: Served, open_page: Callable[..., Page]) -> None:
    page = open_page()
    page.goto(f"{served.base}/riffs")
    page.get_by_role("link", name="Play Nine Locks Down", exact=True).click()
    page.wait_for_selector("#now svg")
    cue = page.locator("#eye-cue")
    page.keyboard.press("f")
    assert cue.evaluate("one => one.selectedOptions[0].text") == "every move"
    page.reload()
    assert cue.evaluate("one => one.selectedOptions[0].text") == "every move"
    page.keyboard.press("Space")
    expect(page.locator("#cue")).to_have_text("look: fret 7", timeout=20000)
    expect(page.locator("#cue")).to_have_text("look: fret 2", timeout=20000)
    page.keyboard.press("PageUp")

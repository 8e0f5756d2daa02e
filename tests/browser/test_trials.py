"""A fair trial played through, hands free, by a simulated guitarist whose two ways differ."""

import itertools
from collections.abc import Callable

from playwright.sync_api import Page, expect
from scripts.sound_text import sound_text

from tests.browser.conftest import Served
from tests.browser.playing import LEAD_S, RIFF, ROUNDS, write_riff
from thrumble.core.player.flaws import Flaws
from thrumble.core.player.perform import perform
from thrumble.core.player.sound import Tone

TEMPO = 320


def guitarist(ways: dict[str, Flaws]) -> Callable[..., dict[str, object]]:
    """Plays each turn in its way, never twice alike."""
    seeds = itertools.count(40)

    def give(tempo: float, number: int, rounds: int, way: str) -> dict[str, object]:
        take = perform(
            RIFF,
            tempo_bpm=tempo,
            seed=next(seeds),
            rounds=rounds,
            tone=Tone.CLEAN,
            flaws=ways[way],
            lead_s=LEAD_S,
        )
        samples = sound_text(take.samples)
        return {"text": samples, "rate": take.rate_hz, "one": LEAD_S}

    return give


def test_a_trial_is_played_without_touching_anything(
    served: Served, open_page: Callable[..., Page]
) -> None:
    """Space only cuts the rests short."""
    page, pairs = open_page(script=ROUNDS), 6
    ways = {"A": Flaws(timing=4), "B": Flaws(timing=20)}
    page.expose_function("__perform", guitarist(ways))
    title = "Weed Rake on trial"
    write_riff(page, served.base, title)
    page.goto(f"{served.base}/trials")
    page.wait_for_function("() => document.readyState === 'complete' && window.htmx")
    page.get_by_label("Riff or drill").select_option(label=title)
    page.get_by_label("One way").fill("thumb planted")
    page.get_by_label("The other").fill("thumb let go")
    page.get_by_label("Pairs").fill(str(pairs))
    page.get_by_label("Tempo, bpm").fill(str(TEMPO))
    page.get_by_role("button", name="Shuffle and start").click()
    page.get_by_role("link", name="Play the next turns").click()
    order = []
    for turn in range(2 * pairs):
        expect(page.locator("#trial-place")).to_have_text(
            f"{turn + 1} of {2 * pairs}", timeout=40_000
        )
        order.append(page.locator("#trial-letter").inner_text())
        assert page.locator("#trial-way").inner_text().startswith("thumb")
        page.wait_for_function("() => window.Alpine && window.htmx")
        page.keyboard.press("Space")
        expect(page.locator("#play")).to_have_attribute("data-stage", "record", timeout=15_000)
    page.wait_for_url("**/trials/*", timeout=40_000)
    verdict = page.locator(".verdict")
    expect(verdict).to_contain_text("Timing spread: ")
    drawn = ["".join(order[k : k + 2]) for k in range(0, len(order), 2)]
    assert set(drawn) <= {"AB", "BA"} and drawn.count("AB") == drawn.count("BA") == pairs // 2

"""A newcomer's first minutes: from the sample data to a result of their own."""

import time
from collections.abc import Callable, Iterator

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import Served
from tests.browser.playing import EXACT, hand_over, one_bar_lead, reading_of
from tests.conftest import Databases
from thrumble.actions.starting import FIRST_RIFF
from thrumble.core.player.flaws import Flaws
from thrumble.core.player.perform import perform
from thrumble.core.player.sound import Tone
from thrumble.core.riff.notation.text import parse_riff

MAX_S, MAX_ACTIONS = 180, 12


@pytest.fixture
def fresh(databases: Databases) -> Iterator[Served]:
    """An installation that nobody has used yet."""
    url = databases.make(databases.template)
    served = Served(url, demo=True)
    served.start()
    yield served
    assert served.stop() == 0
    databases.drop(url)


def test_a_newcomer_has_a_first_result_of_their_own_within_three_minutes(
    fresh: Served, open_page: Callable[..., Page]
) -> None:
    riff = parse_riff(FIRST_RIFF)
    take = perform(riff, seed=4, tone=Tone.CRUNCH, flaws=Flaws(timing=8), lead_s=one_bar_lead(riff))
    page = open_page(script=EXACT)
    page.goto(fresh.base)
    expect(page.locator(".sample-banner")).to_contain_text("You're looking at sample data.")
    began, actions = time.monotonic(), 0

    page.get_by_role("button", name="Start your own").last.click()
    expect(page.get_by_role("heading", name="Getting started")).to_be_visible()
    expect(page.locator(".sample-banner")).to_have_count(0)
    page.wait_for_load_state("load")  # its buttons do something
    page.get_by_label("Your name").fill("Winch")
    page.get_by_role("button", name="Save").click()
    expect(page.locator(".rail-foot")).to_contain_text("Player: Winch")
    page.wait_for_load_state("load")
    actions += 3

    page.keyboard.press("Space")
    expect(page.locator("#now svg")).to_be_visible()
    hand_over(page, take)
    page.keyboard.press("Space")
    expect(page.locator("#play")).to_have_attribute("data-stage", "done", timeout=60000)
    hits = reading_of(page, fresh.base)["hits"]
    page.locator("#open-reading").click()
    expect(page.locator("#strip")).to_be_visible()
    explained = page.locator(".marks li")
    expect(explained.first).to_contain_text("rings open")
    page.wait_for_load_state("load")  # by then its scripts answer
    explained.first.locator("button").click()
    expect(page.locator("#strip .pointed").first).to_be_visible()
    actions += 3

    assert sum(hit["state"] == "played" for hit in hits) == len(take.hits)
    assert actions <= MAX_ACTIONS and time.monotonic() - began <= MAX_S
    page.goto(fresh.base)
    expect(page.locator(".first-steps")).to_contain_text("2 of 5 done")
    expect(page.locator("#plan .session")).to_be_visible()


def test_players_are_chosen_and_the_sample_goes_for_good(
    fresh: Served, open_page: Callable[..., Page]
) -> None:
    page = open_page()
    page.goto(fresh.base)
    page.get_by_role("button", name="Start your own").last.click()
    page.get_by_role("link", name="Player: You").click()
    page.wait_for_load_state("load")
    page.get_by_role("button", name="Play as Boat lift trio").click()
    expect(page.locator(".sample-banner")).to_be_visible()
    page.get_by_role("link", name="Player: Boat lift trio").click()
    page.wait_for_load_state("load")
    line = page.locator(".player", has_text="Boat lift trio")
    line.get_by_text("Rename, delete").click()
    line.get_by_label("Type Boat lift trio to confirm").fill("Boat lift")
    line.get_by_role("button", name="Delete this player").click()
    expect(page.locator("#problem")).to_contain_text("ype the name as it stands")
    line.get_by_label("Type Boat lift trio to confirm").fill("Boat lift trio")
    line.get_by_role("button", name="Delete this player").click()
    expect(page.locator(".player")).to_have_count(1)
    page.goto(fresh.base)
    expect(page.locator(".sample-banner")).to_have_count(0)
    expect(page.get_by_role("heading", name="Getting started")).to_be_visible()

"""The session on the pages: changed block by block, played through, stopped by the hands, in the
calendar.
"""

import re
from html import unescape

import icalendar

from tests.web.coach_takes import SHORT, added, played
from tests.web.conftest import Browser
from thrumble.core.player.flaws import Flaws
from thrumble.demo import riff_texts


def keys(page: str) -> list[tuple[int, str]]:
    """Key and title of the blocks that can be changed."""
    found = re.findall(r'aria-label="Drop: ([^"]+)"', page)
    numbers = re.findall(r"/session/blocks/(\d+)/drop", page)
    return list(zip(map(int, numbers), found, strict=True))


def filled(visitor: Browser) -> str:
    """Three riffs that are due, and a session for them."""
    for name in ("1-sluice-gate", "2-ballast", "6-stop-planks"):
        played(added(riff_texts()[name]), Flaws(timing=4), days_ago=5)
    return unescape(visitor.post("/plan/today").text)


def test_blocks_are_moved_locked_dropped_and_put_back(visitor: Browser) -> None:
    page = filled(visitor)
    blocks = keys(page)
    assert len(blocks) >= 3, page
    first, second = blocks[1], blocks[2]
    moved = unescape(visitor.post(f"/session/blocks/{second[0]}/earlier").text)
    assert [key for key, _ in keys(moved)][1] == second[0] and "locked" in moved
    dropped = unescape(visitor.post(f"/session/blocks/{first[0]}/drop").text)
    assert f"Skipped today: {first[1]}" in dropped and first[0] not in dict(keys(dropped))
    again = unescape(visitor.post("/plan").text)
    assert second[0] in dict(keys(again)), "what is locked stays"
    assert first[1] not in dict(keys(again)).values(), "what was dropped stays away"
    back = unescape(visitor.post(f"/session/blocks/{first[0]}/put-back").text)
    assert first[0] in dict(keys(back)) and "Dropped" not in back
    assert visitor.post("/session/blocks/99/drop").status_code == 404
    assert visitor.post(f"/session/blocks/{first[0]}/burn").status_code == 404


def test_the_session_goes_on_from_block_to_block_until_the_hands_say_stop(
    visitor: Browser,
) -> None:
    page = filled(visitor)
    count = len(keys(page))
    seen = []
    answer = visitor.post("/session/go").json()
    while answer["href"]:
        there = unescape(visitor.get(answer["href"]).text)
        place = re.search(r"<b>Block (\d+) of (\d+)</b>", there)
        assert place and int(place[2]) == count
        seen.append(int(place[1]))
        key = int(answer["href"].rsplit("=", 1)[1])
        state = "skipped" if len(seen) == 1 else "done"
        answer = visitor.post(f"/session/ended/{key}", json={"state": state}).json()
    assert seen == list(range(1, count + 1)) and answer["stop"] == ""
    assert "Done for today." in visitor.post("/plan/today").text
    assert "How do your hands feel now?" in visitor.get("/?played=yes").text
    assert "Block" not in visitor.get("/play/1?block=1").text, "not its turn any more"
    for bad in ({"state": "open"}, {"state": "dropped"}, {}):
        assert visitor.post("/session/ended/1", json=bad).status_code == 422
    visitor.post("/comfort", data={"score": "8", "when": "after"})
    assert "is pain. Stop for today" in visitor.post("/session/go").json()["stop"]


def test_a_session_is_shortened_by_the_hands_and_forgets_deleted_riffs(visitor: Browser) -> None:
    page = filled(visitor)
    whole = re.search(r"(\d+) minutes", page)
    visitor.post("/comfort", data={"score": "5"})
    less = re.search(r"(\d+) minutes", visitor.post("/plan/today").text)
    assert whole and less and int(less[1]) <= 20 / 2 < int(whole[1]) <= 20
    visitor.post("/comfort", data={"score": "0"})
    title = keys(unescape(visitor.post("/plan/today").text))[0][1].split(",")[0]
    listed = unescape(visitor.get("/riffs").text)
    number = re.search(rf'href="[^"]*/riffs/(\d+)"[^>]*>{title}<', listed)
    assert number
    visitor.post(f"/riffs/{number[1]}/delete")
    assert title not in visitor.post("/plan/today").text


def test_the_week_is_a_file_and_a_feed_with_a_secret_address(visitor: Browser) -> None:
    added(SHORT)
    file = visitor.get("/calendar.ics")
    events = icalendar.Calendar.from_ical(file.content).walk("VEVENT")
    assert len(events) == 7 and "Weir" in str(events[0]["description"])
    shown = visitor.post("/calendar").text
    address = re.search(r'value="(http[^"]+\.ics)"', shown)
    assert address and visitor.post("/calendar").text == shown, "the same until it is changed"
    path = address[1].split("/", 3)[3]
    feed = icalendar.Calendar.from_ical(visitor.get(f"/{path}").content)
    assert len(feed.walk("VEVENT")) == 7
    weekend = {"minutes": "25", "begins": "09:15", "weekdays": ["5", "6"]}
    visitor.post("/plan/practice", data=weekend)
    rest = icalendar.Calendar.from_ical(visitor.get(f"/{path}").content).walk("VEVENT")
    days = [one.decoded("dtstart") for one in rest][1:]  # today's session stands in any case
    assert {day.weekday() for day in days} <= {5, 6} and len(days) >= 1
    assert {(day.hour, day.minute) for day in days} == {(9, 15)}
    visitor.post("/calendar", data={"renew": "true"})
    assert visitor.get(f"/{path}").status_code == 404 == visitor.get("/calendar/x.ics").status_code
    assert "copy it again" in visitor.get(f"/{path}").text


def test_the_players_day_is_their_own_and_nonsense_zones_are_utc(visitor: Browser) -> None:
    added(SHORT)
    names = set()
    for zone in ("Pacific/Kiritimati", "Pacific%2FPago_Pago", "..%2F..%2Fetc", "x" * 500):
        page = visitor.get("/", headers={"cookie": f"zone={zone}"})
        assert page.status_code == 200
        names.add(re.search(r'class="meta">([A-Z][a-z]+ \d+)', page.text)[1])  # type: ignore[index]
    assert len(names) >= 2, "it is never the same day in both of these"

"""A riff's history, copies, and riffs put away, over HTTP."""

import re

from tests.web.conftest import Browser
from thrumble.demo import riff_texts

PLANKS = riff_texts()["6-stop-planks"]


def saved(visitor: Browser, text: str) -> str:
    return str(visitor.post("/riffs", data={"source": text}).headers["hx-redirect"])


def test_an_older_revision_is_gone_back_to_and_nothing_between_is_lost(
    visitor: Browser, riff_id: int
) -> None:
    page = f"/riffs/{riff_id}"
    visitor.post(page, data={"source": PLANKS.replace("tempo: 108", "tempo: 90")})
    shown = visitor.get(f"{page}/revisions").text
    assert re.findall(r"Revision (\d+)", shown) == ["2", "1"] and "90 bpm" in shown
    assert shown.count("Go back to this") == 1 and shown.count("the current one") == 1
    back = re.search(r'hx-post="([^"]+/revisions/\d+)"', shown)
    assert back and visitor.post(back[1]).status_code == 204
    assert "tempo: 108" in visitor.get(f"{page}/riff.txt").text
    again = visitor.get(f"{page}/revisions").text
    assert re.findall(r"Revision (\d+)", again) == ["3", "2", "1"]


def test_a_revision_of_another_riff_is_none_of_this_one(visitor: Browser, riff_id: int) -> None:
    other = saved(visitor, PLANKS.replace("Stop Planks", "Other"))
    shown = visitor.get(f"{other}/revisions").text
    assert "Go back" not in shown
    assert visitor.post(f"{other}/revisions/1").status_code == 404
    assert visitor.get("/riffs/999/revisions").status_code == 404
    assert visitor.post(f"/riffs/{riff_id}/revisions/999").status_code == 404


def test_a_copy_is_a_riff_of_its_own(visitor: Browser, riff_id: int) -> None:
    address = visitor.post(f"/riffs/{riff_id}/copy").headers["hx-redirect"]
    assert address != f"/riffs/{riff_id}"
    text = visitor.get(f"{address}/riff.txt").text
    assert "title: Stop Planks, copy" in text
    assert text.replace(", copy", "") == PLANKS, "comments and all"
    visitor.post(address, data={"source": text.replace("108", "70")})
    assert "108" in visitor.get(f"/riffs/{riff_id}/riff.txt").text


def test_a_riff_put_away_leaves_the_lists_and_comes_back(visitor: Browser, riff_id: int) -> None:
    gone = visitor.post(f"/riffs/{riff_id}/archive")
    assert gone.headers["hx-redirect"] == "/riffs"
    listed = visitor.get("/riffs").text
    assert "Stop Planks" not in listed and "1 riff archived" in listed
    assert "Stop Planks" not in visitor.get("/").text, "nor is it proposed"
    away = visitor.get("/riffs", params={"away": "1"}).text
    assert "Archived riffs" in away and "Stop Planks" in away
    assert ">Restore<" in visitor.get(f"/riffs/{riff_id}").text
    visitor.post(f"/riffs/{riff_id}/restore")
    assert "Stop Planks" in visitor.get("/riffs").text
    assert "No archived riffs" in visitor.get("/riffs", params={"away": "1"}).text
    assert visitor.post("/riffs/999/archive").status_code == 404


def test_the_list_is_sorted_as_asked(visitor: Browser, riff_id: int) -> None:
    for title, tempo in (("Zinc", 60), ("alder", 200)):
        saved(visitor, PLANKS.replace("Stop Planks", title).replace("108", str(tempo)))

    def order(sort: str) -> list[str]:
        page = visitor.get("/riffs", params={"sort": sort}).text
        return re.findall(r'row-title"><a[^>]*>([^<]+)', page)

    assert order("written") == ["Stop Planks", "Zinc", "alder"]
    assert order("title") == ["alder", "Stop Planks", "Zinc"]
    assert order("tempo") == ["Zinc", "Stop Planks", "alder"]
    assert visitor.get("/riffs", params={"sort": "colour"}).status_code in (400, 422)

"""Comparing on the pages: two takes, two sets, the ideal; a fair trial from its order to its
answer.
"""

import io
import json
import re
from html import unescape

import pytest
import soundfile
from mido import MidiFile

from tests.web.coach_takes import SHORT, added, played
from tests.web.conftest import Browser
from thrumble.core.player.flaws import Flaws
from thrumble.demo import riff_texts
from thrumble.store import database
from thrumble.store.players import players
from thrumble.store.practice import trials

CHUGS = "title: Chain\ntempo: 150\npedal: 6:0\n[A]\n" + "| E5@6/0 >o m m m o m m m |\n" * 2
LONGER = riff_texts()["5-puddle-clay"]


def test_two_takes_are_chosen_compared_and_downloaded(visitor: Browser) -> None:
    revision = added(LONGER)
    tight = [played(revision, Flaws(timing=3), seed=k) for k in (1, 2)]
    loose = [played(revision, Flaws(timing=22), seed=k) for k in (3, 4)]
    reading = visitor.get(f"/takes/{tight[0]}").text
    assert f"/compare?a={tight[0]}" in reading
    choose = visitor.get(f"/compare?a={tight[0]}").text
    assert choose.count('type="checkbox" name="b"') == 4 and "checked" in choose
    query = f"a={tight[0]}&a={tight[1]}&b={loose[0]},{loose[1]}"
    page = unescape(visitor.get(f"/compare?{query}").text)
    assert "A: 2 takes, 2 passes against B: 2 takes, 2 passes" in page
    assert "timing spread" in page and "what changes from pass" not in page
    assert page.count('class="pair"') == 8 and 'id="sound-ideal"' in page
    document = visitor.get(f"/compare.json?{query}").json()
    spread = next(one for one in document["figures"] if one["name"] == "spread_ms")
    assert spread["a"] < 8 < 14 < spread["b"]
    assert spread["difference"] == pytest.approx(spread["b"] - spread["a"], abs=0.01)
    assert visitor.get(f"/compare.csv?{query}").text.startswith("name,section,bar,at,a,b")
    alone = unescape(visitor.get(f"/compare?a={tight[0]}&b={loose[0]}").text)
    assert "One pass alone doesn't show how much you change" in alone


def test_the_ideal_begins_where_the_take_does(visitor: Browser) -> None:
    take = played(added(SHORT), Flaws(timing=3))
    sound = visitor.get(f"/takes/{take}/ideal.wav").content
    samples, rate = soundfile.read(io.BytesIO(sound))
    reading = visitor.get(f"/takes/{take}/reading.json").json()
    first = next(k for k, value in enumerate(samples) if abs(value) > 0.05) / rate
    assert first == pytest.approx(reading["start_s"], abs=0.01)
    with_click, _ = soundfile.read(
        io.BytesIO(visitor.get(f"/takes/{take}/ideal.wav?click=true").content)
    )
    assert abs(with_click - samples[: with_click.size]).max() > 0.05


def test_a_take_leaves_as_labels_and_stems(visitor: Browser) -> None:
    take = played(added(SHORT), Flaws(timing=3))
    document = visitor.get(f"/takes/{take}/reading.json").json()
    rows = [row.split("\t") for row in visitor.get(f"/takes/{take}/labels.txt").text.splitlines()]
    heard = [hit for hit in document["hits"] if hit["state"] == "played"]
    assert [float(row[0]) for row in rows] == pytest.approx([h["onset_s"] for h in heard], abs=1e-5)
    assert all(float(start) < float(end) for start, end, _ in rows)
    assert re.match(r"bar 1, 0: open, (on time|\d+ ms (early|late))$", rows[0][2])
    click, rate = soundfile.read(io.BytesIO(visitor.get(f"/takes/{take}/stems/click.wav").content))
    assert rate == document["sample_rate"]
    assert click.size / rate == pytest.approx(document["duration_s"], abs=0.01)
    begin = round(document["start_s"] * rate)
    assert (
        abs(click[begin : begin + 20]).max() > 0.5
        and abs(click[begin - 400 : begin - 5]).max() < 0.01
    )
    for kind in ("wav", "flac"):
        stem, own = soundfile.read(
            io.BytesIO(visitor.get(f"/takes/{take}/stems/take.{kind}").content)
        )
        assert own == rate and stem.size == click.size
    assert "longest clean run" in visitor.get(f"/takes/{take}").text
    for name in ("labels.txt", "stems/click.wav", "stems/take.flac", "tempo.mid"):
        assert visitor.get(f"/takes/999/{name}").status_code == 404


def test_bar_lines_of_the_tempo_map_fall_where_they_were_due_in_the_sound(
    visitor: Browser,
) -> None:
    take = played(added(SHORT), Flaws(timing=3))
    document = visitor.get(f"/takes/{take}/reading.json").json()
    file = MidiFile(file=io.BytesIO(visitor.get(f"/takes/{take}/tempo.mid").content))
    now, lines = 0.0, []
    for message in file:
        now += message.time
        if message.type == "marker":
            lines.append((message.text, now))
    firsts = [hit["expected_s"] for hit in document["hits"] if hit["at"] == "0"]
    assert [name for name, _ in lines] == ["A, bar 1, pass 1", "B, bar 2, pass 1"]
    assert [at_s for _, at_s in lines] == pytest.approx(firsts, abs=1e-3)


def test_what_cannot_be_compared_is_said(visitor: Browser) -> None:
    one, other = added(SHORT), added(LONGER)
    a, b = played(one, Flaws()), played(other, Flaws())
    for query, status, words in (
        ("", 422, "choose a take"),
        (f"a={a}&b={a}", 422, "both sides"),
        (f"a={a}&b={b}", 422, "different riffs"),
        ("a=999&b=1", 404, ""),
        ("a=x&b=1", 422, "a take is a number"),
        (f"a={a}&b={','.join(str(k) for k in range(2, 20))}", 422, "1 to 12 takes"),
    ):
        answer = visitor.get(f"/compare?{query}")
        assert answer.status_code == status and words in unescape(answer.text).lower(), query


def run_trial(visitor: Browser, ways: dict[str, Flaws], pairs: int) -> str:
    """A trial by the simulated guitarist; its page at the end."""
    revision = added(CHUGS)
    sent = {"riff": str(revision.riff_id), "way_a": "thumb planted", "way_b": "thumb let go"}
    made = visitor.post("/trials", data={**sent, "pairs": str(pairs)})
    page = made.headers["hx-redirect"]
    number = int(page.rsplit("/", 1)[1])
    assert "ou need at least 6 takes" in unescape(visitor.get(page).text)
    with database.session() as session:
        trial = trials.get_trial(session, players.local_player(session), number)
    answer = {"turn": 0, "letter": trial.turns[0]}
    for k in range(2 * pairs):
        assert answer["turn"] == k and answer["letter"] == trial.turns[k]
        bar = unescape(visitor.get(f"/play/{revision.riff_id}?trial={number}").text)
        assert f"{k + 1} of {2 * pairs}" in bar and trial.way(k) in bar
        take = played(revision, ways[trial.turns[k]], seed=10 + k)
        answer = visitor.post(f"{page}/turn", json={"turn": k, "take": take}).json()
    assert answer == {"turn": None}
    return unescape(visitor.get(page).text)


def test_a_fair_trial_sees_what_differs(visitor: Browser) -> None:
    page = run_trial(visitor, {"A": Flaws(timing=2), "B": Flaws(timing=2, ringing=0.9)}, 4)
    assert re.search(r"Hits not as written: \d+ % more with “thumb let go”", page)
    assert "“thumb planted” is better at that" in page and "Add more pairs" in page


def test_a_fair_trial_without_a_difference_says_so_and_goes_on_another_day(
    visitor: Browser,
) -> None:
    page = run_trial(visitor, {"A": Flaws(timing=4), "B": Flaws(timing=4)}, 3)
    assert "We can't tell these two apart in your playing yet" in page
    assert re.search(r"About \d+ pairs? more would settle", page) or "to speak of" in page
    number = re.search(r"/trials/(\d+)/again", page)[1]  # type: ignore[index]
    assert "left out" not in page
    visitor.post(f"/trials/{number}/again")
    again = unescape(visitor.get(f"/trials/{number}").text)
    assert "6 of 12 turns played" in again and "Play the next turns" in again
    listed = unescape(visitor.get("/trials").text)
    assert "thumb planted or thumb let go" in listed
    visitor.post(f"/trials/{number}/delete")
    assert visitor.get(f"/trials/{number}").status_code == 404
    assert "thumb planted or thumb let go" not in visitor.get("/trials").text


def test_a_drill_can_be_tried_two_ways_as_any_riff_can(visitor: Browser) -> None:
    revision = added(LONGER)
    kept = visitor.post(f"/riffs/{revision.riff_id}/drills", data={"kind": "right-hand"})
    drill = re.search(r"/play/(\d+)", kept.headers["hx-redirect"])[1]  # type: ignore[index]
    listed = unescape(visitor.get("/trials").text)
    assert f'<option value="{drill}">' in listed and f'value="{revision.riff_id}"' in listed
    sent = {"riff": drill, "way_a": "from the wrist", "way_b": "from the elbow", "pairs": "4"}
    page = visitor.post("/trials", data=sent).headers["hx-redirect"]
    assert f"/play/{drill}?tempo=" in unescape(visitor.get(page).text)


def test_nonsense_in_a_trial_is_refused(visitor: Browser) -> None:
    revision = added(SHORT)
    sent = {"riff": str(revision.riff_id), "way_a": "one", "way_b": "other", "pairs": "2"}
    for bad in (
        {"way_b": "one"},
        {"way_a": ""},
        {"pairs": "1"},
        {"pairs": "99"},
        {"pairs": "x"},
        {"tempo": "5000"},
        {"way_a": "x" * 80},
    ):
        assert visitor.post("/trials", data={**sent, **bad}).status_code == 422, bad
    assert visitor.post("/trials", data={**sent, "riff": "999"}).status_code == 404
    page = visitor.post("/trials", data=sent).headers["hx-redirect"]
    take = played(revision, Flaws())
    foreign = played(added(LONGER), Flaws())
    assert visitor.post(f"{page}/turn", json={"turn": 0, "take": take}).status_code == 200
    for turn, other in ((0, foreign), (1, foreign), (1, take), (99, take), (-1, take)):
        answer = visitor.post(f"{page}/turn", json={"turn": turn, "take": other})
        assert answer.status_code in (404, 409, 422), (turn, json.dumps(answer.text))
    assert visitor.post(f"{page}/turn", json={"turn": 0, "take": take}).status_code == 200

"""Every screen and file says the same of a take: one judgement, read by all."""

import csv
import io
import re
from html import unescape

import numpy as np

from tests.web.coach_takes import SHORT, added, played
from tests.web.conftest import Browser
from thrumble.actions.coaching import catch_up
from thrumble.actions.hands import best_speed
from thrumble.actions.judging import judged_take
from thrumble.core.coach.progress.habits import habits_of
from thrumble.core.coach.verdict.judgement import robust_spread
from thrumble.core.player.flaws import Flaws
from thrumble.demo import riff_texts
from thrumble.store import database
from thrumble.store.players import players
from thrumble.store.practice import hands, logbook
from thrumble.store.takes import take_lists


def figures(visitor: Browser, take_id: int) -> dict[str, set[object]]:
    """How many hits are clean, of how many, and the verdict, wherever either is shown."""
    page = unescape(visitor.get(f"/takes/{take_id}").text)
    outcome = unescape(visitor.get(f"/takes/{take_id}/outcome").text)
    told = visitor.get(f"/takes/{take_id}/verdict").json()
    rows = list(csv.DictReader(io.StringIO(visitor.get(f"/takes/{take_id}/reading.csv").text)))
    document = visitor.get(f"/takes/{take_id}/reading.json").json()
    listed = unescape(visitor.get("/takes").text)
    with database.session() as session:
        player = players.local_player(session)
        (line,) = take_lists.take_lines(session, player, only=[take_id])
        judgement = judged_take(session, player, take_id).judgement
    on_page = re.search(
        r'class="big">(\d+)</div><div class="under"><button[^>]*>of (\d+) hits? clean', page
    )
    assert on_page is not None
    verdicts = [
        re.search(r'class="first" role="status">([^<]+)<', text) for text in (page, outcome)
    ]
    in_list = document["causes"][0]["text"] if document["causes"][0]["text"] in listed else "other"
    return {
        "clean": {
            int(on_page[1]), told["clean"], line.clean, judgement.clean,
            sum(row["clean"] == "True" for row in rows),
        },
        "counted": {int(on_page[2]), told["of"], line.judged, judgement.counted},
        "verdict": {
            *(found[1] for found in verdicts if found), told["words"], line.verdict, in_list,
            document["causes"][0]["text"],
        },
    }  # fmt: skip


def test_equal_names_have_equal_values_on_every_screen(visitor: Browser) -> None:
    revision = added(SHORT)
    for seed, flaws in enumerate(
        (
            Flaws(timing=3),
            Flaws(timing=14),
            Flaws(timing=5, ringing=0.5),
            Flaws(timing=5, missed=0.15),
            Flaws(timing=5, wrong=0.15),
            Flaws(timing=5, bias=25),
        )
    ):
        take_id = played(revision, flaws, seed=seed + 1)
        for name, values in figures(visitor, take_id).items():
            assert len(values) == 1, (flaws, name, values)


def test_a_correction_counts_everywhere_at_once(visitor: Browser) -> None:
    take_id = played(added(SHORT), Flaws(timing=3))
    before = figures(visitor, take_id)
    answer = visitor.post(f"/takes/{take_id}/hits/1-1/correct", data={"articulation": "palm"})
    assert "1 hit corrected by you" in answer.text
    after = figures(visitor, take_id)
    assert all(len(values) == 1 for values in after.values())
    assert after["clean"] == {clean - 1 for clean in before["clean"]}  # type: ignore[operator]
    assert "1 open hit is choked: bar 1." in str(after["verdict"])
    assert all(str(words) in unescape(answer.text) for words in after["verdict"]), "at once"
    visitor.post(f"/takes/{take_id}/hits/1-1/correct", data={"articulation": "none"})
    assert figures(visitor, take_id) == before


def test_a_measured_lag_is_late_in_habits_and_hand_speed_too(visitor: Browser) -> None:
    """25 ms late throughout, with the latency measured: in time by nobody's own median."""
    revision = added(SHORT)
    take_id = played(revision, Flaws(timing=2, bias=25))
    with database.session() as session:
        player = players.local_player(session)
        judgement = judged_take(session, player, take_id).judgement
        places = habits_of(
            place
            for _ in range(3)
            for place in logbook.played_places(session, player, revision.riff_id)
        )
        (taken,) = hands.latest_takes(session, player)
        speed = best_speed(session, player)
    assert judgement.in_time <= 2
    assert all(place.late_ms is not None and 15 < place.late_ms < 35 for place in places)
    assert sum(in_time for _, in_time in taken.in_time) == judgement.in_time
    assert speed is None, "no move landed in time"


def test_a_tolerance_of_ones_own_counts_everywhere_once_takes_are_judged_again(
    visitor: Browser,
) -> None:
    """Hits some 8 ms off: nearly all in time within 20 ms, about half within 6."""
    take_id = played(added(SHORT), Flaws(timing=8), seed=3)
    usual = figures(visitor, take_id)
    form = {"minutes": "20", "weekdays": ["0"], "tolerance": "6"}
    assert "re-check all your takes" in visitor.post("/plan/practice", data=form).text
    assert "being judged again" in unescape(visitor.get("/takes").text)
    assert "being judged again" in unescape(visitor.get("/riffs").text)
    while catch_up(0) is not None:
        pass
    tight = figures(visitor, take_id)
    assert all(len(values) == 1 for values in tight.values()), tight
    assert max(tight["clean"]) < 0.8 * min(usual["clean"])  # type: ignore[type-var,operator]
    assert "within 6 ms" in visitor.get(f"/takes/{take_id}").text
    for wrong in ("2", "101", "nan", "tight"):
        refused = visitor.post("/plan/practice", data=form | {"tolerance": wrong})
        assert refused.status_code == 422
    visitor.post("/plan/practice", data=form | {"tolerance": "20"})
    while catch_up(0) is not None:
        pass
    assert figures(visitor, take_id) == usual


def named_figures(visitor: Browser, take_id: int) -> dict[str, dict[str, object]]:
    """Every figure that stands in more than one place, by its name and where it stands."""
    page = unescape(visitor.get(f"/takes/{take_id}").text)
    summary = visitor.get(f"/takes/{take_id}/reading.json").json()["summary"]
    rows = list(csv.DictReader(io.StringIO(visitor.get(f"/takes/{take_id}/reading.csv").text)))
    row = r'<th scope="row">(?:<button[^>]*>)?([^<]+)<.*?</th>\s*<td class="value">([^<]+)</td>'
    table = dict(re.findall(row, page))
    struck = [row for row in rows if row["state"] == "played"]
    sure = [row for row in struck if row["as_judged"] not in ("", "unsure")]
    late_ms = np.array([float(row["late_ms"]) for row in struck])
    sentence = re.search(r'class="first" role="status">([^<]+)<', page)
    assert sentence is not None
    in_time = f"{sum(row['in_time'] == 'True' for row in struck)} of {len(struck)}"
    as_written = sum(row["as_judged"] == row["expected_articulation"] for row in sure)
    out: dict[str, dict[str, object]] = {
        "hits heard": {
            "table": table["hits heard"],
            "JSON": f"{summary['matched']} of {summary['matched'] + summary['missed']}",
            "CSV": f"{len(struck)} of {sum(row['state'] != 'not_reached' for row in rows)}",
        },
        "extra hits": {"table": table["extra hits"], "JSON": str(summary["extra"])},
        "unsure": {"table": table["unsure"], "CSV": str(len(struck) - len(sure))},
        "spread": {
            "table": table["spread"],
            "JSON": f"{summary['spread_ms']:.1f} ms",
            "CSV": f"{robust_spread(late_ms):.1f} ms",
        },
        "as written": {
            "table": table["sound as written"], "CSV": f"{as_written} of {len(sure)}",
        },
        "in time": {"CSV": in_time, "chart": " ".join(set(re.findall(r"(\d+ of \d+) in time", page)))},
    }  # fmt: skip
    for name, pattern in (
        ("in time", r"(?:In time: |Clean: )(\d+ of \d+) hits"),
        ("as written", r"and (\d+ of \d+) sound as written"),
    ):
        if found := re.search(pattern, sentence[1]):
            out[name]["sentence"] = found[1]
    return out


def test_every_figure_is_the_same_wherever_it_stands(visitor: Browser) -> None:
    """Ten takes of sample riffs, one with a correction."""
    flaws = (
        Flaws(timing=5),
        Flaws(timing=12),
        Flaws(timing=5, ringing=0.2),
        Flaws(timing=5, missed=0.1),
        Flaws(timing=5, extra=0.1),
    )
    offenders = []
    for number, name in enumerate(("1-sluice-gate", "6-stop-planks")):
        revision = added(riff_texts()[name])
        for seed, played_with in enumerate(flaws):
            take_id = played(revision, played_with, seed=10 * number + seed + 1)
            if not seed:
                visitor.post(f"/takes/{take_id}/hits/1-3/correct", data={"articulation": "dead"})
            offenders += [
                (name, played_with, figure, places)
                for figure, places in named_figures(visitor, take_id).items()
                if len(set(places.values())) > 1
            ]
    assert not offenders

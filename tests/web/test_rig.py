"""The rig's requests: instruments and tones, delays kept apart, levels, hits heard at once,
corrections, reading old takes again.
"""

import json
import re
from html import unescape

import numpy as np
import pytest
import sqlalchemy as sa

from tests.core.rig_sounds import decaying, held, hits, released, returned
from tests.queueing import work_once
from tests.web.conftest import Browser
from tests.web.takes import read_take
from thrumble.actions.rigs import profile_from
from thrumble.core.riff.model import Articulation
from thrumble.core.riff.notation.text import parse_riff
from thrumble.formats.audio import write_flac
from thrumble.store import database
from thrumble.store.players import players
from thrumble.store.riffs import riffs
from thrumble.store.rig import rigs
from thrumble.store.takes import takes

SILENCE = np.zeros(48000, dtype=np.float32)
FORM = {
    "name": "Six strings",
    "tuning": "D2 A2 D3 G3 B3 E4",
    "capo": "0",
    "scale_mm": "648",
    "chain": "interface",
    "left_handed": "true",
}


def sound(samples: np.ndarray) -> dict[str, object]:
    return {
        "content": samples.astype("<f4").tobytes(),
        "headers": {"content-type": "application/octet-stream", "accept": "application/json"},
        "htmx": False,
    }


@pytest.fixture
def tone_id(visitor: Browser) -> int:
    """A tone of the first rig, which the first visit makes."""
    visitor.get("/rig")
    with database.session() as session:
        player = players.local_player(session)
        return rigs.add_tone(
            session, player, rigs.rigs_of(session, player)[0].id, "gate", "crunch"
        ).id


def test_rigs_are_added_changed_and_deleted_and_nonsense_is_refused(visitor: Browser) -> None:
    assert "My guitar" in visitor.get("/rig").text
    answer = visitor.post("/rig", data=FORM)
    assert answer.status_code == 204
    page = visitor.get(answer.headers["hx-redirect"]).text
    assert "D2 A2 D3 G3 B3 E4" in page and "left-handed" in page and page.count("rig-tab") == 2
    address = answer.headers["hx-redirect"]
    right = {
        key: value for key, value in FORM.items() if key != "left_handed"
    }  # an unticked box sends nothing
    assert visitor.post(address, data=right | {"name": "Renamed"}).status_code == 204
    changed = visitor.get(address).text
    assert "Renamed" in changed and "right-handed" in changed
    for wrong, words in (
        ({"tuning": "E2 X9"}, "names every string"),
        ({"tuning": "E2"}, "four to nine"),
        ({"capo": "40"}, "capo"),
        ({"scale_mm": "12"}, "480 to 800 mm"),
        ({"name": "  "}, "needs a name"),
        ({"scale_mm": "wide"}, "a number is needed"),
    ):
        refused = visitor.post("/rig", data=FORM | wrong)
        assert refused.status_code == 422 and words in refused.text
    assert (
        visitor.post(f"{address}/delete").status_code == 204
        and visitor.get(address).status_code == 404
    )


def test_tones_have_names_of_their_own(visitor: Browser, tone_id: int) -> None:
    page = visitor.get("/rig").text
    address = re.search(r'hx-post="(/rig/\d+/tones)"', page)[1]  # type: ignore[index]
    assert visitor.post(address, data={"name": "gate", "sound": "clean"}).status_code == 409
    assert visitor.post(address, data={"name": "flood", "sound": "loud"}).status_code == 422
    made = visitor.post(address, data={"name": "flood", "sound": "high gain"})
    assert "palm finder" in visitor.get(made.headers["hx-redirect"]).text
    assert visitor.post(made.headers["hx-redirect"] + "/delete").status_code == 204
    assert visitor.get("/rig/tones/99").status_code == 404


def test_a_delay_is_measured_kept_and_used_for_this_input_alone(
    visitor: Browser, riff_id: int
) -> None:
    samples, frames = returned(0.0123)
    query = {"rate": 48000, "clicks": ",".join(map(str, frames))}
    heard = visitor.post("/rig/calibrate/hear", params=query, **sound(samples)).json()
    assert heard["delay_ms"] == pytest.approx(12.3, abs=0.05) and heard["clicks"] == 16
    nothing = visitor.post("/rig/calibrate/hear", params=query, **sound(np.zeros_like(samples)))
    assert nothing.status_code == 422 and "clicks came back" in nothing.json()["problem"]
    assert (
        visitor.post(
            "/rig/calibrate/hear", params=query | {"clicks": "a,b"}, **sound(samples)
        ).status_code
        == 422
    )
    body = {
        "device": "interface",
        "rate": 48000,
        "kind": "return",
        "openings": [{"delay_ms": d, "repeat_ms": 0.02} for d in (12.3, 12.9, 12.1)],
    }
    kept = visitor.post("/rig/calibrate", json=body, htmx=False)
    assert (
        kept.status_code == 201
        and kept.json()["spread_ms"] == pytest.approx(0.8)
        and kept.json()["delay_ms"] == 12.3
    )
    assert (
        visitor.post("/rig/calibrate", json=body | {"openings": []}, htmx=False).status_code == 422
    )
    revision = json.loads(
        re.search(r'id="plan">(.*?)</script>', visitor.get(f"/play/{riff_id}").text, re.S)[1]
    )["revision"]  # type: ignore[index]
    for device, delay in (("interface", 12.3), ("another", None)):
        begin = {
            "key": f"take-{device}",
            "revision": revision,
            "tempo": 100,
            "rounds": 1,
            "start_frame": 48000,
            "rate": 48000,
            "device": device,
        }
        take_id = visitor.post("/takes", json=begin, htmx=False).json()["take"]
        with database.session() as session:
            take = takes.get_take(session, players.local_player(session), take_id)
            assert (take.delay_ms, take.delay_spread_ms) == (
                delay,
                None if delay is None else pytest.approx(0.8),
            )
    assert (
        visitor.get("/rig/delay", params={"rate": 48000, "device": "another"}).json()["words"]
        == "latency not measured for this input"
    )


def test_noise_and_level_are_kept_with_their_tone(visitor: Browser, tone_id: int) -> None:
    t = np.arange(96000) / 48000
    hum = (
        0.003 * sum(np.sin(2 * np.pi * 50 * k * t) / k for k in (1, 2, 3, 4))
        + 1e-4 * np.random.default_rng(1).standard_normal(t.size)
    ).astype(np.float32)
    first = visitor.post(
        f"/rig/tones/{tone_id}/level", params={"rate": 48000, "part": "silence"}, **sound(hum)
    ).text
    assert "50 Hz" in first and "Mains hum" in first
    second = visitor.post(
        f"/rig/tones/{tone_id}/level",
        params={"rate": 48000, "part": "playing"},
        **sound(decaying(0.05)),
    ).text
    assert "up by 17 dB" in second and "50 Hz" in second, "what was known before stays"
    assert "peaks at -26 dB" in visitor.get("/rig").text
    refused = visitor.post(
        f"/rig/tones/{tone_id}/level",
        params={"rate": 48000, "part": "silence"},
        **sound(hum[:4800]),
    )
    assert refused.status_code == 422 and "second of silence" in refused.json()["problem"]


def test_a_hit_is_heard_at_once_and_kept_as_an_example_until_taken_back(
    visitor: Browser, tone_id: int
) -> None:
    palm = hits(Articulation.PALM, 0.6, 1)[0]
    heard = visitor.post(
        "/rig/hit", params={"rate": 48000, "before": "0.55p,0.61p"}, **sound(palm)
    ).json()
    assert heard["place"] == "pocket" and "over the last 3 hits, 3 in the pocket" in heard["steady"]
    assert (
        visitor.post("/rig/hit", params={"rate": 48000, "before": "x"}, **sound(palm)).status_code
        == 422
    )
    assert (
        visitor.post("/rig/hit", params={"rate": 48000}, **sound(palm * np.nan)).status_code == 422
    )
    assert (
        visitor.post("/rig/hit", params={"rate": 48000}, content=b"abc", htmx=False).status_code
        == 422
    )
    of_tone = {"rate": 48000, "tone": tone_id}
    assert visitor.post("/rig/hit", params=of_tone, **sound(palm)).json()["place"] == "pocket"
    kept = visitor.post(
        f"/rig/tones/{tone_id}/examples", params={"rate": 48000, "kind": "full"}, **sound(palm)
    )
    assert kept.status_code == 200 and kept.text.count("pip full") == 1
    assert (
        visitor.post(
            f"/rig/tones/{tone_id}/examples", params={"rate": 48000, "kind": "soft"}, **sound(palm)
        ).status_code
        == 422
    )
    undo = re.search(r'hx-post="(/rig/examples/\d+/delete)"', kept.text)[1]  # type: ignore[index]
    assert "pip full" not in visitor.post(undo).text and visitor.post(undo).status_code == 404


def test_the_fret_hands_exercise_and_a_held_chord_are_heard_at_once(visitor: Browser) -> None:
    query = {"rate": 48000, "start": 0.2, "tempo": 80}
    quick = visitor.post(
        "/rig/fret-hand/releases", params=query, **sound(released(0.02, 0.0))
    ).json()
    assert (
        len(quick["each"]) == 8 and quick["words"].startswith("Clean") and float(quick["fall"]) < 45
    )
    nothing = visitor.post("/rig/fret-hand/releases", params=query, **sound(np.zeros(48000 * 12)))
    assert nothing.status_code == 422 and "releases were heard" in nothing.json()["problem"]
    assert (
        visitor.post(
            "/rig/fret-hand/releases", params=query | {"tempo": 900}, **sound(np.zeros(48000))
        ).status_code
        == 422
    )
    chord, _ = held(damped=4)
    found = visitor.post("/rig/fret-hand/chord", params={"rate": 48000}, **sound(chord)).json()
    assert {s["string"]: s["state"] for s in found["each"]}[
        4
    ] == "half damped" and "String 4" in found["words"]
    short = visitor.post("/rig/fret-hand/chord", params={"rate": 48000}, **sound(chord[:24000]))
    assert short.status_code == 422 and "ring for a second" in short.json()["problem"]


def test_a_reading_names_the_tone_and_how_many_examples_it_rests_on(
    visitor: Browser, riff_id: int, tone_id: int
) -> None:
    for palm in hits(Articulation.PALM, 0.6, 2):
        visitor.post(
            f"/rig/tones/{tone_id}/examples", params={"rate": 48000, "kind": "full"}, **sound(palm)
        )
    page = visitor.get(f"/takes/{read_take(visitor, riff_id, tone=str(tone_id))}").text
    assert "gate (2 examples of your own)" in page and 'id="join"' in page
    assert 'id="join"' not in visitor.get(f"/takes/{read_take(visitor, riff_id)}").text
    page = visitor.get("/rig").text
    assert "1 take played on it" in page and "2 examples kept" in page


def test_a_correction_stands_beside_what_was_heard_and_joins_a_tone_only_if_there_is_one(
    visitor: Browser, riff_id: int, tone_id: int
) -> None:
    bare = read_take(visitor, riff_id)
    answer = visitor.post(f"/takes/{bare}/hits/1-0/correct", data={"articulation": "dead"})
    assert (
        answer.status_code == 200
        and 'value="dead" selected' in answer.text
        and "1 hit corrected" in answer.text
    )
    assert (
        visitor.post(
            f"/takes/{bare}/hits/1-0/correct", data={"articulation": "dead", "join": "true"}
        ).status_code
        == 409
    )
    assert (
        visitor.post(f"/takes/{bare}/hits/1-0/correct", data={"articulation": "loud"}).status_code
        == 422
    )
    assert (
        visitor.post(f"/takes/{bare}/hits/1-999/correct", data={"articulation": "open"}).status_code
        == 404
    )
    take_id = read_take(visitor, riff_id, tone=str(tone_id))
    before = visitor.get(f"/takes/{take_id}/reading.json").json()
    assert (
        visitor.post(
            f"/takes/{take_id}/hits/1-1/correct", data={"articulation": "open", "join": "true"}
        ).status_code
        == 200
    )
    assert visitor.get(f"/takes/{take_id}/reading.json").json() == before, "what was heard stays"
    with database.session() as session:
        player = players.local_player(session)
        assert [(e.kind, e.origin) for e in rigs.examples_of(session, player, tone_id)] == [
            ("open", "correction")
        ]
    assert "You checked 2 hits yourself" in visitor.get("/certainty").text
    visitor.post(f"/takes/{take_id}/read")
    work_once()
    assert visitor.get(f"/takes/{take_id}/reading.json").json()["profile_hits"] == 1
    visitor.post(f"/takes/{take_id}/hits/1-1/correct", data={"articulation": "none"})
    with database.session() as session:
        assert rigs.examples_of(session, players.local_player(session), tone_id) == []


def test_takes_of_an_older_ear_are_read_again_with_progress_and_what_changed(
    visitor: Browser, riff_id: int
) -> None:
    take_id = read_take(visitor, riff_id)
    assert "older version" not in visitor.get("/takes").text
    with database.engine().begin() as connection:
        document = connection.execute(sa.text("select document from reading")).scalar_one()
        document["engine"] = "1.0.0"
        document["hits"][0]["heard_articulation"] = (
            "dead" if document["hits"][0]["heard_articulation"] != "dead" else "open"
        )
        connection.execute(
            sa.text("update reading set engine = '1.0.0', document = cast(:d as jsonb)"),
            {"d": json.dumps(document)},
        )
    assert "1 take was analysed by an older version" in visitor.get("/takes").text
    asked = visitor.post("/takes/again")
    assert "0 of 1 takes re-analysed" in asked.text and "total=1" in asked.text
    work_once()
    done = visitor.get("/takes/again", params={"total": 1}).text
    assert (
        "1 called something else" in done and f"/takes/{take_id}" in done and "hx-get" not in done
    )
    assert "older version" not in visitor.get("/takes").text


def test_the_certainty_page_states_the_last_table(visitor: Browser) -> None:
    from thrumble.web.certainty.views import figures

    page = visitor.get("/certainty").text
    for cell in figures()["cells"]:
        assert f"{cell['muted']:.1%}" in page
    assert (
        "haven&#39;t corrected a hit yet" in page
        and "not measured" not in page.split("Open or muted")[0]
    )


def test_guitars_that_nothing_was_trained_on_stand_apart(
    visitor: Browser, monkeypatch: pytest.MonkeyPatch
) -> None:
    """With their own figures while they belong to this engine, and not at all with an older one's."""
    from thrumble.trained import EAR
    from thrumble.web.certainty import views

    row = {"tone": "crunch", "n": 400, "muted_right": 377, "kinds_right": 372}
    row |= {"unlike": 31, "unlike_right": 29}
    for engine, there in ((EAR.version, True), ("1.0.0", False)):
        found = {**views.figures(), "unmet": {"engine": engine, "banks": 2, "rows": [row]}}
        monkeypatch.setattr(views, "figures", lambda found=found: found)
        page = visitor.get("/certainty").text
        assert ("guitars not used in training" in page) is there is ("94.2%" in page)
        assert ("right on 29 of the 31 not played as written" in page) is there
        assert "no real hands yet" in page
        monkeypatch.undo()


def test_an_example_in_which_no_hit_is_found_teaches_nothing() -> None:
    flac = [write_flac(part, 48000)[0] for part in (hits(Articulation.DEAD, 0, 1)[0], SILENCE)]
    profile = profile_from([("dead", "finder", flac[0]), ("open", "finder", flac[1])])
    assert profile.kinds.tolist() == [2] and np.isnan(profile.depths).all()
    assert len(profile_from([("open", "finder", flac[1])]).kinds) == 0


def test_the_rig_in_use_is_chosen_and_counts_everywhere(visitor: Browser) -> None:
    """A left-handed seven-string once stayed ignored until the first rig was deleted."""
    seven = {"name": "Ladder Seven", "tuning": "B1 E2 A2 D3 G3 B3 E4", "left_handed": "true"}
    visitor.get("/rig")
    assert visitor.post("/rig", data=seven).status_code == 204
    page = unescape(visitor.get("/rig").text)
    assert "<h1>Ladder Seven</h1>" in page and "In use" in page, "a new rig is in use"
    with database.session() as session:
        player = players.local_player(session)
        assert rigs.own_instrument(session, player).left_handed
        assert len(rigs.own_instrument(session, player).tuning) == 7
        first = min(rig.id for rig in rigs.rigs_of(session, player))
    assert "Use this rig" in visitor.get(f"/rig/{first}").text
    assert visitor.post(f"/rig/{first}/use").headers["hx-refresh"] == "true"
    assert visitor.post("/rig/9999/use").status_code == 404
    with database.session() as session:
        assert not rigs.own_instrument(session, player).left_handed
        number = riffs.add_riff(session, player, parse_riff(SIX), SIX).riff_id
    for address in (f"/riffs/{number}/neck", f"/play/{number}"):
        assert "Ladder Seven" in visitor.get(address).text, "chosen where it is played"


SIX = "title: Towline\ntempo: 100\n[A]\n| 6:3,5:5 o o o |\n"

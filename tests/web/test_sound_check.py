"""The sound check through the application: begun, counted, struck, taught, handed on."""

import io
import json
import re
import zipfile
from functools import lru_cache
from html import unescape

import pytest

from tests.web.conftest import Browser
from thrumble.actions.takes import analyse_stored_take
from thrumble.core.player.flaws import Flaws
from thrumble.core.player.perform import perform
from thrumble.core.riff.model import Riff
from thrumble.core.takes import TakeState
from thrumble.formats.audio import read_audio, write_flac
from thrumble.formats.riff_json import read_riff_json
from thrumble.store import database
from thrumble.store.players import players
from thrumble.store.practice import sound_checks
from thrumble.store.riffs import riffs
from thrumble.store.rig import rigs
from thrumble.store.takes import takes
from thrumble.store.takes.takes import NewTake


@pytest.fixture
def check_id(visitor: Browser) -> int:
    """The riff of the sound check, begun by its button."""
    answer = visitor.post("/certainty/check")
    return int(answer.headers["hx-redirect"].rsplit("/", 1)[1])


@lru_cache(maxsize=2)
def sounded(riff: Riff) -> tuple[bytes, float, int]:
    """A riff by the simulated guitarist, a part of it played wrong: FLAC, where bar 1 begins in
    seconds, and its rate.
    """
    made = perform(riff, seed=6, flaws=Flaws(timing=6, wrong=0.05))
    return write_flac(made.samples, made.rate_hz)[0], made.start_s, made.rate_hz


def played(check_id: int, *, tone: bool, late_s: float = 0.0) -> tuple[int, int | None]:
    """A take of it, with its tone. `late_s`: how long after the count-in it begins."""
    with database.session() as session:
        player = players.local_player(session)
        revision = riffs.newest_revision(session, player, check_id)
        data, start_s, rate_hz = sounded(revision.riff)
        rig = rigs.rigs_of(session, player)[0]
        tone_id = rigs.add_tone(session, player, rig.id, "Bite", "crunch").id if tone else None
        new = NewTake(
            riff_id=check_id,
            revision_id=revision.id,
            source="simulated",
            tempo_bpm=revision.riff.tempo_bpm,
            rounds=1,
            start_frame=round((start_s - late_s) * rate_hz),
            rate_hz=rate_hz,
            tone_id=tone_id,
        )
        take = takes.add_take(session, player, new, TakeState.QUEUED)
        takes.put_audio(session, player, take.id, iter([data]))
    analyse_stored_take(take.id)
    return take.id, tone_id


def test_three_minutes_become_the_players_own_row_and_examples_and_a_file(
    visitor: Browser, check_id: int
) -> None:
    assert visitor.post("/certainty/check").headers["hx-redirect"].endswith(f"/{check_id}")
    assert "Sound check" not in visitor.get("/riffs").text, "no riff of the player's own"
    assert "open low string" in visitor.get(f"/play/{check_id}").text
    take_id, tone_id = played(check_id, tone=True)
    assert "Sound check" not in visitor.get("/log/practice").text, "nor has it a log"
    assert "Play a riff through once" in visitor.get("/log").text
    waiting = unescape(visitor.get("/certainty").text)
    assert "Sound check 1 has been analysed." in waiting and "See how we did" in waiting
    assert visitor.get(f"/certainty/check/{take_id}").status_code == 404, "not counted yet"
    counted = visitor.post(f"/certainty/check/{take_id}")
    assert counted.headers["hx-redirect"] == f"/certainty/check/{take_id}"
    page = unescape(visitor.get(f"/certainty/check/{take_id}").text)
    assert "Bite (crunch)" in page and "palm in sixteenths" in page
    right, of = map(int, re.search(r"play them: (\d+) of (\d+)", page).groups())  # type: ignore[union-attr]
    assert of == 400 and right > 330
    wrong = re.findall(r'class="check-hit wrong" id="check-(\d+)"', page)
    assert len(wrong) == of - right
    struck = unescape(
        visitor.post(
            f"/certainty/check/{take_id}/strike", data={"index": wrong[0], "out": "true"}
        ).text
    )
    assert f"play them: {right} of {of - 1}" in struck and "1 hit struck out" in struck
    assert f"asked {'dead'}" in struck
    taught = unescape(visitor.post(f"/certainty/check/{take_id}/examples").text)
    number = int(re.search(r"(\d+) hits of this check teach your tone now", taught)[1])  # type: ignore[index]
    with database.session() as session:
        player = players.local_player(session)
        kept = rigs.examples_of(session, player, tone_id or 0)
        assert {one.kind for one in kept} == {"open", "light", "full", "tight", "dead"}
        assert len(kept) == number and number >= 16
    visitor.post(f"/certainty/check/{take_id}/examples")
    with database.session() as session:
        again = rigs.examples_of(session, player, tone_id or 0)
        assert len(again) == number, "taught again, it replaces what it taught"
        visitor.post(f"/certainty/check/{take_id}")
        assert sound_checks.get_check(session, player, take_id).struck == {int(wrong[0])}
    row = unescape(visitor.get("/certainty").text)
    assert "Play it again" in row and "hits we were misinformed about" in row
    file = visitor.get(f"/certainty/check/{take_id}/labelled.zip")
    with zipfile.ZipFile(io.BytesIO(file.content)) as whole:
        labels = json.loads(whole.read("take.labels.json"))
        riff = read_riff_json(whole.read("take.riff.json"))
        sound = read_audio(whole.read("take.flac"))
    assert labels["format"] == "thrumble.labelled/1" and len(labels["hits"]) == of
    assert [h["index"] for h in labels["hits"] if not h["played_as_asked"]] == [int(wrong[0])]
    assert riff.title == "Sound check" and sound.samples.size / sound.rate_hz > 150
    visitor.post(f"/takes/{take_id}/delete")
    assert visitor.get(f"/certainty/check/{take_id}").status_code == 404
    with database.session() as session:
        assert rigs.examples_of(session, player, tone_id or 0) == [], "gone with their sound"


def test_what_is_no_sound_check_or_cannot_be_done_is_said(
    visitor: Browser, check_id: int, riff_id: int
) -> None:
    take_id, _ = played(check_id, tone=False)
    other, _ = played(riff_id, tone=False)
    assert visitor.post(f"/certainty/check/{other}").status_code == 404
    assert "a sound check: play one first" in visitor.post(f"/certainty/check/{other}").text
    assert visitor.post("/certainty/check/99999").status_code == 404
    visitor.post(f"/certainty/check/{take_id}")
    late, _ = played(check_id, tone=False, late_s=1.7)
    unfair = visitor.post(f"/certainty/check/{late}")
    assert unfair.status_code == 409 and "no fair count" in unescape(unfair.text)
    assert visitor.get(f"/certainty/check/{late}").status_code == 404
    nobody = visitor.post(
        f"/certainty/check/{take_id}/strike", data={"index": "9999", "out": "true"}
    )
    assert nobody.status_code == 404 and "no such hit" in nobody.text
    without = visitor.post(f"/certainty/check/{take_id}/examples")
    assert without.status_code == 409 and "without a tone" in without.text
    for nonsense in ("-1", "x", "", "1e9"):
        sent = visitor.post(f"/certainty/check/{take_id}/strike", data={"index": nonsense})
        assert sent.status_code == 422

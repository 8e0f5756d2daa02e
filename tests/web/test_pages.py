"""Pages and requests without a browser: every screen, the guard, bad input, the take's way in."""

import io
import json
import re
from contextlib import contextmanager, nullcontext
from datetime import UTC, datetime

import numpy as np
import pytest
import soundfile
import sqlalchemy as sa
from fastapi import Request

from tests.queueing import work_once
from tests.web.conftest import Browser
from tests.web.takes import RIFF, TEXT, read_take, upload, wav
from thrumble.core.player.perform import perform
from thrumble.core.riff.notation.text import parse_riff
from thrumble.core.takes import FINAL, TakeState
from thrumble.store import database
from thrumble.store.players import players
from thrumble.store.takes import take_lists, takes
from thrumble.web.deps import _session
from thrumble.web.security import POLICY
from thrumble.web.shared.takes import STATE_WORDS


def count(table: str) -> int:
    with database.engine().connect() as connection:
        return int(connection.execute(sa.text(f"select count(*) from {table}")).scalar_one())


def test_an_empty_installation_teaches_the_next_step(visitor: Browser) -> None:
    assert "No riff yet. Write your first one" in visitor.get("/").text
    assert (
        "No riff yet" in visitor.get("/riffs").text and "No take yet" in visitor.get("/takes").text
    )
    assert visitor.get("/play", follow_redirects=False).headers["location"] == "/riffs"


def test_every_screen_answers_with_the_policy_and_the_fragment_once(
    visitor: Browser, riff_id: int
) -> None:
    take_id = read_take(visitor, riff_id)
    for url in (
        "/",
        "/riffs",
        "/riffs/new",
        f"/riffs/{riff_id}",
        f"/play/{riff_id}",
        "/takes",
        f"/takes/{take_id}",
    ):
        answer = visitor.get(url)
        assert answer.status_code == 200 and answer.headers["content-security-policy"] == POLICY, (
            url
        )
        assert not re.search(
            r"<script(?![^>]*(src=|application/json))|\son\w+=|style=", answer.text
        ), url
    page = visitor.get(f"/riffs/{riff_id}").text
    fragment = visitor.post("/riffs/preview", data={"source": TEXT}).text
    assert page.count(fragment.strip()) == 1


def test_a_reading_page_holds_verdict_strip_table_and_downloads(
    visitor: Browser, riff_id: int
) -> None:
    take_id = read_take(visitor, riff_id, start="1.0")
    page = visitor.get(f"/takes/{take_id}").text
    assert (
        page.count('class="bar"') == 8
        and page.count('class="act quiet from"') == 25
        and 'role="status"' in page
    )
    document = visitor.get(f"/takes/{take_id}/reading.json").json()
    assert (
        document["format"] == "thrumble.reading/1"
        and document["start_source"] == "given"
        and document["start_s"] == 1.0
    )
    assert len(visitor.get(f"/takes/{take_id}/reading.csv").text.splitlines()) == 26
    assert visitor.get(f"/takes/{take_id}/audio").content[:4] == b"RIFF"
    plain, clicked = (
        soundfile.read(io.BytesIO(visitor.get(f"/takes/{take_id}/listen.wav{q}").content))[0]
        for q in ("", "?click=true")
    )
    assert plain.shape == clicked.shape and not np.allclose(plain, clicked)


@pytest.mark.parametrize("state", list(TakeState))
def test_a_take_polls_only_while_it_is_on_its_way(
    visitor: Browser, riff_id: int, state: TakeState
) -> None:
    take_id = read_take(visitor, riff_id)
    import sqlalchemy as sa

    with database.engine().begin() as connection:
        connection.execute(sa.text("update take set state = :s"), {"s": state.value})
    fragment = visitor.get(f"/takes/{take_id}/status").text
    waits = state not in FINAL and state is not TakeState.RECORDING
    assert ("hx-trigger" in fragment) == waits and STATE_WORDS[state] in fragment
    assert ("hx-trigger" in visitor.get(f"/takes/{take_id}/outcome").text) == waits
    if state is not TakeState.READ:
        assert visitor.get(f"/takes/{take_id}").text.count('id="take-status"') == 1


@pytest.mark.parametrize(
    ("headers", "status"),
    [
        ({"host": "evil.example"}, 403),
        ({"host": "127.0.0.1.evil.example:80"}, 403),
        ({"origin": "http://evil.example"}, 403),
        ({"origin": "null"}, 403),
        ({"origin": "http://[half"}, 403),
        ({"host": "testserver"}, 403),
        ({"origin": "http://127.0.0.1"}, 200),
    ],
)
def test_foreign_hosts_and_origins_are_refused(
    visitor: Browser, headers: dict[str, str], status: int
) -> None:
    assert visitor.get("/", headers=headers).status_code == status


def test_what_is_too_large_is_refused_before_it_is_read(visitor: Browser, riff_id: int) -> None:
    answer = visitor.post(
        f"/play/{riff_id}/upload", content=b"x", headers={"content-length": "200000000"}
    )
    assert answer.status_code == 413 and "101 MB" in answer.text and count("take") == 0


def test_nothing_changes_without_the_browsers_own_token(visitor: Browser, riff_id: int) -> None:
    for token in ("", "made-up", visitor.token + "x"):
        assert (
            visitor.post(
                "/riffs", data={"source": TEXT}, headers={"x-thrumble-token": token}
            ).status_code
            == 403
        )
    visitor.client.cookies.clear()
    assert visitor.post("/riffs", data={"source": TEXT}).status_code == 403
    assert count("riff") == 1


def test_a_riff_is_written_corrected_and_kept_in_revisions(visitor: Browser) -> None:
    wrong = visitor.post(
        "/riffs", data={"source": TEXT.replace("| E5+8@6/0 >o - - o", "| E5+8@6/0 >o - - q", 1)}
    )
    assert "Line 9, column 19" in wrong.text and count("riff") == 0
    made = visitor.post("/riffs", data={"source": TEXT})
    page = made.headers["hx-redirect"]
    assert visitor.post(page, data={"source": TEXT.replace("108", "112")}).status_code == 204
    assert "revision 2 · E2" in visitor.get(page).text and count("revision") == 2
    assert visitor.get(f"{page}/riff.txt").text == TEXT.replace("108", "112")
    assert visitor.get(f"{page}/riff.json").json()["tempo_bpm"] == 112
    assert visitor.post(f"{page}/delete").status_code == 204 and count("riff") == 0


@pytest.mark.parametrize(
    ("data", "status"),
    [(TEXT.encode(), 204), (b"{}", 422), (b"\xff\xfe\x00", 422), (b"", 422), (b"title: x", 422)],
)
def test_riffs_are_imported_or_refused_with_a_reason(
    visitor: Browser, data: bytes, status: int
) -> None:
    answer = visitor.post("/riffs/import", files={"file": ("riff.txt", data)})
    assert answer.status_code == status and count("riff") == (status == 204)
    if status == 422:
        assert "data-problem" in answer.text


def test_an_imported_json_riff_gets_a_text_of_its_own(visitor: Browser, riff_id: int) -> None:
    document = visitor.get(f"/riffs/{riff_id}/riff.json").content
    page = visitor.post("/riffs/import", files={"file": ("r.json", document)}).headers[
        "hx-redirect"
    ]
    assert parse_riff(visitor.get(f"{page}/riff.txt").text) == RIFF


@pytest.mark.parametrize(
    ("data", "fields", "words"),
    [
        (b"", {}, "empty"),
        (b"not a sound at all" * 99, {}, "no audio file"),
        (wav(np.zeros(4800)), {"tempo": "900"}, "20 to 400|0 and 600"),
        (wav(np.zeros(4800)), {"tempo": "fast"}, "the tempo is a number"),
        (wav(np.zeros(4800)), {"start": "-3"}, "the start must be between"),
        (wav(np.zeros(4800)), {"tone": "²"}, "the tone is a whole number"),
    ],
)
def test_bad_uploads_are_refused_whole_with_one_clear_error(
    visitor: Browser, riff_id: int, data: bytes, fields: dict[str, str], words: str
) -> None:
    answer = upload(visitor, riff_id, data, name="take.wav", **fields)
    assert (
        answer.status_code == 422
        and re.search(words, answer.text, re.I)
        and answer.text.count("data-problem") == 1
    )
    assert count("take") == count("audio") == count("procrastinate_jobs") == 0


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (wav(np.zeros(4800))[:30], "no audio file|no sound"),
        (wav(np.zeros(4000), 4000), "sample rate"),
        (b"ID3" + bytes(range(256)) * 20, "no audio file"),
    ],
)
def test_a_file_that_only_looks_like_sound_is_a_take_that_says_why_it_was_not_read(
    visitor: Browser, riff_id: int, data: bytes, words: str
) -> None:
    address = upload(visitor, riff_id, data).headers["hx-redirect"]
    work_once()
    page = visitor.get(address).text
    assert re.search(words, page, re.I) and "Analyse again" in page and "Delete this take" in page


def test_silence_uploaded_is_a_reading_that_says_so(visitor: Browser, riff_id: int) -> None:
    answer = upload(visitor, riff_id, wav(np.zeros(96000)), name="../../etc/passwd.exe")
    work_once()
    page = visitor.get(answer.headers["hx-redirect"]).text
    assert "We heard nothing" in page and 'class="bar"' not in page


def test_a_take_comes_in_by_chunks_and_is_finished_or_dropped(
    visitor: Browser, riff_id: int
) -> None:
    take = perform(RIFF, seed=4, lead_s=1.0)
    revision = json.loads(
        re.search(r'id="plan">(.*?)</script>', visitor.get(f"/play/{riff_id}").text)[1]
    )["revision"]  # type: ignore[index]
    begin = {
        "key": "a-take-of-mine",
        "revision": revision,
        "tempo": 108,
        "rounds": 1,
        "start_frame": 48000,
        "rate": 48000,
        "age_s": 3.5,
    }
    take_id = visitor.post("/takes", json=begin, htmx=False).json()["take"]
    for frame in range(0, take.samples.size, 48000):
        assert (
            visitor.post(
                f"/takes/{take_id}/chunk?frame={frame}",
                content=take.samples[frame : frame + 48000].tobytes(),
            ).status_code
            == 204
        )
    assert "Takes that were cut off" in visitor.get("/").text
    assert visitor.post("/takes", json=begin, htmx=False).json()["take"] == take_id, (
        "begun again after a lost answer it is the same take"
    )
    whole = {"underruns": 0, "spans": [[0, take.samples.size + 10]]}
    early = visitor.post(f"/takes/{take_id}/finish", json=whole, htmx=False)
    assert early.status_code == 409 and early.json()["missing"] == [
        [take.samples.size, take.samples.size + 10]
    ]
    whole["spans"] = [[0, take.samples.size]]
    for _ in range(2):
        assert (
            visitor.post(f"/takes/{take_id}/finish", json=whole, htmx=False).status_code == 200
        ), "an answer that got lost is given again"
    work_once()
    assert "verdict" in visitor.get(f"/takes/{take_id}/outcome").text
    assert (
        visitor.post(f"/takes/{take_id}/chunk?frame=0", content=b"\0" * 8, htmx=False).status_code
        == 409
    )
    assert visitor.post(f"/takes/{take_id}/discard", htmx=False).status_code == 409
    dropped = visitor.post("/takes", json=begin | {"key": "another-take"}, htmx=False).json()[
        "take"
    ]
    assert visitor.post(f"/takes/{dropped}/finish", json={}, htmx=False).status_code == 422
    assert visitor.post(f"/takes/{dropped}/discard", htmx=False).status_code == 204
    with database.session() as session:
        assert [
            line.take.id for line in take_lists.take_lines(session, players.local_player(session))
        ] == [take_id]


@pytest.mark.parametrize(
    "change",
    [
        {"tempo": 5},
        {"rounds": 0},
        {"rate": 1},
        {"start_frame": -1},
        {"revision": 999},
        {"tempo": "x"},
        {"key": "a b"},
        {"zone": "\ud800"},
        {"device": "\0"},
        {"revision": 2**40},
        {"tempo": float("nan")},
        {"age_s": float("inf")},
    ],
)
def test_nonsense_at_a_takes_beginning_is_refused(
    visitor: Browser, riff_id: int, change: dict[str, object]
) -> None:
    sent = json.dumps(
        {
            "key": "one-of-mine",
            "revision": 1,
            "tempo": 108,
            "rounds": 1,
            "start_frame": 0,
            "rate": 48000,
        }
        | change
    )
    answer = visitor.post(
        "/takes", content=sent, headers={"content-type": "application/json"}, htmx=False
    )
    assert answer.status_code in (404, 422) and answer.json()["problem"] and count("take") == 0


@pytest.mark.parametrize(
    "url",
    [
        "/takes/99",
        "/riffs/99",
        "/play/99",
        "/takes/99/audio",
        "/takes/99/reading.json",
        "/nowhere",
        "/riffs/words",
        "/files/app.py",
        "/files/play/page.html",
    ],
)
def test_what_is_not_there_says_so_kindly(visitor: Browser, url: str) -> None:
    answer = visitor.get(url)
    assert answer.status_code in (404, 422) and "Traceback" not in answer.text


def test_reading_again_and_deleting_a_take(visitor: Browser, riff_id: int) -> None:
    take_id = read_take(visitor, riff_id)
    assert "waiting to be analysed" in visitor.post(f"/takes/{take_id}/read").text
    work_once()
    assert visitor.get(f"/takes/{take_id}").status_code == 200
    assert visitor.post(f"/takes/{take_id}/delete").headers["hx-redirect"] == "/takes"
    assert count("take") == count("audio") == count("reading") == count("hit") == 0


def test_the_same_upload_sent_twice_is_one_take(visitor: Browser, riff_id: int) -> None:
    """Its answer was lost, so it is sent again; another file from the same form is another take."""
    key = re.search(r'name="key" value="([^"]+)"', visitor.get(f"/riffs/{riff_id}").text)[1]  # type: ignore[index]

    def send(data: bytes, form: str) -> str:
        answer = visitor.post(
            f"/play/{riff_id}/upload", files={"take": ("a.wav", data)}, data={"key": form}
        )
        return str(answer.headers["hx-redirect"])

    first, second = wav(np.zeros(9600)), wav(np.ones(9600) * 0.1)
    assert send(first, key) == send(first, key) and count("take") == 1
    assert send(second, key) != send(first, key) and count("take") == 2
    assert send(first, "another-form") != send(first, key) and count("take") == 3


def test_a_take_that_waited_behind_a_wrong_clock_is_accepted(
    visitor: Browser, riff_id: int
) -> None:
    begin = {
        "key": "long-ago", "revision": 1, "tempo": 108, "rounds": 1, "start_frame": 0,
        "rate": 48000, "age_s": 56 * 366 * 86400.0,
    }  # fmt: skip
    revision = json.loads(
        re.search(r'id="plan">(.*?)</script>', visitor.get(f"/play/{riff_id}").text)[1]  # type: ignore[index]
    )["revision"]
    begun = visitor.post("/takes", json=begin | {"revision": revision}, htmx=False)
    assert begun.status_code == 201
    with database.session() as session:
        taken = takes.get_take(session, players.local_player(session), begun.json()["take"])
    assert taken.time_unknown and (datetime.now(UTC) - taken.created_at).total_seconds() < 60
    assert "time unknown" in visitor.get("/takes").text


def test_addresses_that_were_renamed_lead_on(visitor: Browser) -> None:
    for old, new in (("/readings?q=sluice", "/takes?q=sluice"), ("/bench", "/status")):
        answer = visitor.get(old, follow_redirects=False)
        assert (answer.status_code, answer.headers["location"]) == (301, new)


def test_a_request_that_only_asks_cannot_change_anything(visitor: Browser) -> None:
    """Whatever an endpoint tries: its transaction is read-only, and the next one is not."""
    for method, refused in (("GET", True), ("HEAD", True), ("POST", False)):
        request = Request({"type": "http", "method": method, "headers": []})
        outcome = pytest.raises(Exception, match="read-only") if refused else nullcontext()
        with outcome, contextmanager(_session)(request) as session:
            session.execute(sa.text("update player set name = name"))

"""A teacher with thirty pupils, each with the six weeks of the sample, played by the simulated
guitarist: the class at a glance, a pupil, one of their takes; server time. And two hundred who try
passwords at once beside somebody who reads.
"""

import os
import statistics
import threading
import time
from collections import Counter
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, date, datetime, timedelta
from importlib.resources import files

import httpx2
import sqlalchemy as sa

from benchmarks.robustness.bench import Bench, Player, bench
from benchmarks.robustness.table import Row
from thrumble.actions.portability import import_player
from thrumble.actions.starting import start_player
from thrumble.actions.teaching import Wish, assign
from thrumble.store import database
from thrumble.store.players import players
from thrumble.store.riffs.riff_lists import titles_of
from thrumble.store.teaching import lessons

PUPILS, MAX_MS = 30, 150.0
GUESSERS = 200


def trial() -> list[Row]:
    """Fills a database, asks each page five times, then lets them guess."""
    with bench() as on:
        teacher, pupil, take = _fill(on)
        player = Player(on.base)
        player.enter()
        counts = [
            on.query(f"select count(*) from {table}")[0][0]
            for table in ("lesson", "take", "hit", "assignment")
        ]
        made = "{} pupils, {} takes, {} hits, {} assignments".format(*counts)
        pages = {
            "the class at a glance": "/lessons",
            "a pupil": f"/pupils/{pupil}",
            "a pupil's take": f"/pupils/{pupil}/takes/{take}",
        }
        asks = {"x-thrumble-player": str(teacher)}
        rows = [Row("filled with", "", made)]
        rows += [_page(player, name, address, asks) for name, address in pages.items()]
    with bench(THRUMBLE_SIGN_IN="always") as on:
        rows.append(_guessed(on))
    return rows


def _fill(on: Bench) -> tuple[int, int, int]:
    """Teacher, a pupil, and one of the pupil's takes."""
    os.environ["DATABASE_URL"] = on.url
    database.engine.cache_clear()
    today = date.today()
    with database.session() as session:
        teacher = start_player(session, "Lock keeper").id
    pupil = 0
    for number in range(PUPILS):
        with database.session() as session:
            pupil = start_player(session, f"Pupil {number + 1}").id
        until = datetime.now(UTC) - timedelta(days=number % 12)
        with files("thrumble.demo").joinpath("sample.zip").open("rb") as file:
            import_player(file, into=pupil, until=until)  # type: ignore[arg-type]
        with database.session() as session:
            lessons.let_in(session, pupil, players.get_player(session, teacher))
            riff_id = titles_of(session, pupil)[number % 8][0]
            for goal in (None, 100.0, 140.0):
                due = today + timedelta(days=number % 9)
                wish = Wish(
                    riff=riff_id, is_pupils=True, drill=None, goal_bpm=goal, due=due, words=""
                )
                assign(session, teacher, pupil, wish, today)
    with database.engine().connect() as connection:
        connection.execution_options(isolation_level="AUTOCOMMIT").execute(sa.text("analyze"))
    database.engine().dispose()
    take = on.query(f"select id from take where player_id = {pupil} and state = 'read' limit 1")
    return teacher, pupil, take[0][0]


def _page(player: Player, name: str, address: str, asks: dict[str, str]) -> Row:
    times = []
    for _ in range(5):
        began = time.perf_counter()
        answer = player.client.get(address, headers=asks)
        times.append((time.perf_counter() - began) * 1000)
    median = statistics.median(times)
    held = answer.status_code == 200 and median <= MAX_MS
    return Row(name, f"{MAX_MS:.0f} ms", f"{answer.status_code}, {median:.0f} ms", held)


def _guessed(on: Bench) -> Row:
    """Everyone guesses one password of an account of their own; somebody reads a page meanwhile."""
    base = on.base
    answers: Counter[int] = Counter()
    over = threading.Event()
    slowest, missed = 0.0, 0

    def read() -> None:
        nonlocal slowest, missed
        while not over.is_set():
            began = time.perf_counter()
            missed += httpx2.get(f"{base}/sign-in", timeout=60).status_code != 200
            slowest = max(slowest, (time.perf_counter() - began) * 1000)
            time.sleep(0.05)

    def guess(number: int) -> int:
        # every one from an address of its own: all of 127.0.0.0/8 is this machine
        source = httpx2.HTTPTransport(local_address=f"127.0.{1 + number // 250}.{2 + number % 250}")
        with httpx2.Client(base_url=base, timeout=120, transport=source) as client:
            page = client.get("/sign-in").text
            token = page.split('name="token" content="')[1].split('"')[0]
            answer = client.post(
                "/sign-in",
                data={"name": f"guess {number}", "password": "whatever it is"},
                headers={"x-thrumble-token": token},
            )
            return int(answer.status_code)

    reading = threading.Thread(target=read)
    reading.start()
    with ThreadPoolExecutor(GUESSERS) as pool:
        answers.update(pool.map(guess, range(GUESSERS)))
    over.set()
    reading.join()
    seen = ", ".join(f"{count} answered {status}" for status, count in sorted(answers.items()))
    held = set(answers) <= {401, 429, 503} and not missed
    return Row(
        f"{GUESSERS} guess passwords at once from as many addresses, a page beside them",
        "401, 429 or 503; the page is always there",
        f"{seen}; the slowest page {slowest:.0f} ms",
        held,
    )

"""A hundred at once: recordings and uploads beside people who read, slow clients, and far too many
status requests.
"""

import multiprocessing
import os
import socket
import threading
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import numpy as np

from benchmarks.robustness.bench import RATE_HZ, Bench, Player, a_take, begin, bench
from benchmarks.robustness.table import Row
from thrumble.formats.audio import write_flac

RECORDERS, UPLOADERS, READERS = 50, 50, 20
READER_REST_S = 2.0  # a person who looks at what opened
PAGES = ("/", "/riffs", "/takes", "/takes/{}", "/play/{}", "/status")


def trial() -> list[Row]:
    """Fifty recordings at their own pace and fifty uploads, with twenty readers turning pages all
    the while.
    """
    with bench() as on:
        return [_many_statuses(on), *_crowd(on), *_slow(on)]


def _many_statuses(on: Bench) -> Row:
    player = Player(on.base)
    player.enter()
    riff_id, _ = player.new_riff()
    address = player.post(
        f"/play/{riff_id}/upload", files={"take": ("t.flac", write_flac(a_take(), RATE_HZ)[0])}
    ).headers["hx-redirect"]
    with ThreadPoolExecutor(60) as pool:
        began = time.monotonic()
        codes = list(
            pool.map(lambda _: player.client.get(f"{address}/status").status_code, range(300))
        )
    return Row(
        "300 status requests, 60 at a time",
        "all answered",
        f"{codes.count(200)} of 300 in {time.monotonic() - began:.1f} s",
        codes.count(200) == 300,
    )


def _crowd(on: Bench) -> list[Row]:
    first = Player(on.base)
    first.enter()
    riff_id, revision = first.new_riff()
    with multiprocessing.get_context("spawn").Pool(
        1, os.nice, (10,)
    ) as apart:  # who plays is elsewhere, and takes no time from the server
        busy = apart.apply_async(play_together, (on.base, riff_id, revision))
        pages, errors = read_on(on.base, riff_id, busy.ready)
        waits, more = busy.get()
    errors += more
    kept = on.query("select count(*) from take where audio_bytes > 0 or state = 'queued'")[0][0]
    asked = RECORDERS + UPLOADERS
    page_s = float(np.percentile(pages, 95))
    what = f"{RECORDERS} recordings and {UPLOADERS} uploads at once beside {READERS} readers"
    return [
        Row(what, "0 errors", f"{len(errors)} {sorted(set(errors))[:3] or ''}", not errors),
        Row("takes kept of these", str(asked), str(kept - 1), kept - 1 == asked),
        Row(
            f"pages meanwhile, 95th percentile of {len(pages)}",
            "1 s or less",
            f"{page_s:.2f} s",
            page_s <= 1.0,
        ),
        Row(
            "pieces of recordings, 95th percentile",
            "",
            f"{np.percentile(waits['record'], 95):.2f} s",
        ),
        Row("uploads, 95th percentile", "", f"{np.percentile(waits['upload'], 95):.2f} s"),
    ]


def _timed(ask: Callable[[], Any], waits: list[float], errors: list[str], kind: str) -> None:
    began = time.monotonic()
    code = int(ask().status_code)
    waits.append(time.monotonic() - began)
    if code >= 500 or code in (403, 409, 429):
        errors.append(f"{kind} {code}")


def _each(
    work: list[Callable[[Player], None]], base: str, errors: list[str]
) -> list[threading.Thread]:
    """A player of its own for each, in threads that have begun."""

    def guarded(one: Callable[[Player], None]) -> None:
        try:
            player = Player(base)
            player.enter()
            one(player)
        except Exception as error:
            errors.append(repr(error)[:80])

    threads = [threading.Thread(target=guarded, args=(one,)) for one in work]
    for thread in threads:
        thread.start()
    return threads


def read_on(base: str, riff_id: int, over: Callable[[], bool]) -> tuple[list[float], list[str]]:
    """Twenty people turn pages until something is over; how long each page took, and what went
    wrong.
    """
    waits: list[float] = []
    errors: list[str] = []

    def read(player: Player) -> None:
        turn = 0
        while not over():
            page = PAGES[turn % len(PAGES)].replace(
                "{}", str(riff_id if "play" in PAGES[turn % len(PAGES)] else 1)
            )
            _timed(lambda p=page: player.client.get(p), waits, errors, "page")
            turn += 1
            time.sleep(READER_REST_S)

    for thread in _each([read] * READERS, base, errors):
        thread.join()
    return waits, errors


def play_together(
    base: str, riff_id: int, revision: int
) -> tuple[dict[str, list[float]], list[str]]:
    """All recordings and uploads; how long their requests took, and what went wrong."""
    samples = np.tile(a_take(3), 4)  # a quarter of a minute
    file = write_flac(samples, RATE_HZ)[0]
    waits: dict[str, list[float]] = {"record": [], "upload": []}
    errors: list[str] = []

    def record(player: Player) -> None:
        take = player.post("/takes", json=begin(revision)[1]).json()["take"]
        for frame in range(0, samples.size, RATE_HZ):
            began = time.monotonic()
            piece = samples[frame : frame + RATE_HZ].tobytes()
            address = f"/takes/{take}/chunk?frame={frame}"
            _timed(
                lambda a=address, p=piece: player.post(a, content=p),
                waits["record"],
                errors,
                "record",
            )  # type: ignore[misc]
            time.sleep(max(0.0, 1.0 - (time.monotonic() - began)))
        whole = {"spans": [[0, samples.size]]}
        _timed(
            lambda: player.post(f"/takes/{take}/finish", json=whole),
            waits["record"],
            errors,
            "finish",
        )

    def upload(player: Player) -> None:
        send = {"take": ("t.flac", file)}
        _timed(
            lambda: player.post(f"/play/{riff_id}/upload", files=send),
            waits["upload"],
            errors,
            "upload",
        )

    for thread in _each([record] * RECORDERS + [upload] * UPLOADERS, base, errors):
        thread.join()
    return waits, errors


def _slow(on: Bench) -> list[Row]:
    """Two hundred that say half of what they want, and whether others notice."""
    said = [
        b"",
        b"GET / HT",
        b"POST /takes HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 500\r\n\r\n{",
    ]
    slow = []
    for k in range(200):
        one = socket.create_connection(("127.0.0.1", on.port))
        one.sendall(said[k % 3])
        slow.append(one)
    player = Player(on.base)
    began = time.monotonic()
    code = player.client.get("/riffs").status_code
    page_s = time.monotonic() - began
    closed, until = 0, time.monotonic() + 40
    for one in slow:
        one.settimeout(max(0.1, until - time.monotonic()))
        try:
            while one.recv(4096):
                pass
            closed += 1
        except OSError:
            pass
        one.close()
    return [
        Row(
            "a page while 200 slow clients hold on",
            "answered in 1 s",
            f"{code} in {page_s:.2f} s",
            code == 200 and page_s < 1,
        ),
        Row("slow clients let go within 40 s", "200", str(closed), closed == 200),
    ]

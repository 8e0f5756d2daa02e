"""A hundred at once: recordings and uploads beside people who read, slow clients, and far too many status requests."""

import socket
import threading
import time
from concurrent.futures import ThreadPoolExecutor

import numpy as np

from benchmarks.endurance.bench import RATE_HZ, Bench, Player, a_take, begin, bench
from benchmarks.endurance.table import Row
from thrumble.formats.audio import write_flac

RECORDERS, UPLOADERS, READERS = 50, 50, 20
READER_REST_S = 0.5
PAGES = ("/", "/riffs", "/readings", "/takes/{}", "/play/{}", "/bench")


def trial() -> list[Row]:
    """Fifty recordings at their own pace and fifty uploads, with twenty readers turning pages all the while."""
    with bench() as on:
        return [_many_statuses(on), *_crowd(on), *_slow(on)]


def _many_statuses(on: Bench) -> Row:
    player = Player(on.base)
    player.enter()
    riff_id, _ = player.new_riff()
    address = player.post(f"/play/{riff_id}/upload", files={"take": ("t.flac", write_flac(a_take(), RATE_HZ)[0])}).headers["hx-redirect"]
    with ThreadPoolExecutor(60) as pool:
        began = time.monotonic()
        codes = list(pool.map(lambda _: player.client.get(f"{address}/status").status_code, range(300)))
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
    samples = a_take(3)
    file = write_flac(samples, RATE_HZ)[0]
    errors: list[str] = []
    waits: dict[str, list[float]] = {"page": [], "record": [], "upload": []}
    stop = threading.Event()

    def timed(kind: str, ask) -> int:  # type: ignore[no-untyped-def]
        began = time.monotonic()
        code = int(ask().status_code)
        waits[kind].append(time.monotonic() - began)
        if code >= 500 or code in (403, 409, 429):
            errors.append(f"{kind} {code}")
        return code

    def guarded(work) -> None:  # type: ignore[no-untyped-def]
        try:
            player = Player(on.base)
            player.enter()
            work(player)
        except Exception as error:
            errors.append(repr(error)[:80])

    def record(player: Player) -> None:
        _, opening = begin(revision)
        take = player.post("/takes", json=opening).json()["take"]
        for frame in range(0, samples.size, RATE_HZ):
            began = time.monotonic()
            piece = samples[frame : frame + RATE_HZ].tobytes()
            timed("record", lambda f=frame, p=piece: player.post(f"/takes/{take}/chunk?frame={f}", content=p))
            time.sleep(max(0.0, 1.0 - (time.monotonic() - began)))
        timed("record", lambda: player.post(f"/takes/{take}/finish", json={"spans": [[0, samples.size]]}))

    def upload(player: Player) -> None:
        timed("upload", lambda: player.post(f"/play/{riff_id}/upload", files={"take": ("t.flac", file)}))

    def read(player: Player) -> None:
        turn = 0
        while not stop.is_set():
            page = PAGES[turn % len(PAGES)].replace("{}", str(riff_id if "play" in PAGES[turn % len(PAGES)] else 1))
            timed("page", lambda p=page: player.client.get(p))
            turn += 1
            time.sleep(READER_REST_S)

    readers = [threading.Thread(target=guarded, args=(read,)) for _ in range(READERS)]
    busy = [threading.Thread(target=guarded, args=(work,)) for work in [record] * RECORDERS + [upload] * UPLOADERS]
    for thread in [*readers, *busy]:
        thread.start()
    for thread in busy:
        thread.join()
    stop.set()
    for thread in readers:
        thread.join()
    kept = on.query("select count(*) from take where audio_bytes > 0 or state = 'queued'")[0][0]
    worst = {kind: float(np.percentile(times, 95)) for kind, times in waits.items()}
    asked = RECORDERS + UPLOADERS
    return [
        Row(
            f"{RECORDERS} recordings and {UPLOADERS} uploads at once beside {READERS} readers",
            "0 errors",
            f"{len(errors)} {sorted(set(errors))[:3] or ''}",
            not errors,
        ),
        Row("takes kept of these", str(asked), str(kept - 1), kept - 1 == asked),
        Row(f"pages meanwhile, 95th percentile of {len(waits['page'])}", "1 s or less", f"{worst['page']:.2f} s", worst["page"] <= 1.0),
        Row("pieces of recordings, 95th percentile", "", f"{worst['record']:.2f} s"),
        Row("uploads, 95th percentile", "", f"{worst['upload']:.2f} s"),
    ]


def _slow(on: Bench) -> list[Row]:
    """Two hundred that say half of what they want, and whether others notice."""
    said = [b"", b"GET / HT", b"POST /takes HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 500\r\n\r\n{"]
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
        Row("a page while 200 slow clients hold on", "answered in 1 s", f"{code} in {page_s:.2f} s", code == 200 and page_s < 1),
        Row("slow clients let go within 40 s", "200", str(closed), closed == 200),
    ]

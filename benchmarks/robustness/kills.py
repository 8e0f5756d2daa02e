"""Kills at random moments of recording, uploading and reading: server, worker, database. Nothing
may be lost, stuck, left behind or doubled.
"""

import random
import threading
import time

from benchmarks.robustness.bench import RATE_HZ, SETTLE_S, Bench, Player, a_take, begin, bench
from benchmarks.robustness.table import Row
from thrumble.formats.audio import write_flac

KILLS = 50
SERVED_AGAIN_S = (0.2, 3.0)


def trial(kills: int = KILLS, seed: int = 1) -> list[Row]:
    """Kills something again and again while takes are recorded and uploaded, then looks at what is
    left.
    """
    rng = random.Random(seed)
    with bench() as on:
        stop = threading.Event()
        kept: list[tuple[int, int]] = []
        faults: list[str] = []
        players = [
            threading.Thread(target=_play, args=(on, number, stop, kept, faults))
            for number in range(3)
        ]
        for thread in players:
            thread.start()
        done = {"server": 0, "worker": 0, "database": 0}
        orphans = 0
        for _ in range(kills):
            time.sleep(rng.uniform(0.3, 3.0))
            what = rng.choice(list(done))
            before = set(on.workers())
            on.kill(what)
            done[what] += 1
            if what == "server":
                time.sleep(rng.uniform(*SERVED_AGAIN_S))
                on.start()
                time.sleep(2.0)
                orphans += len(before & set(on.workers()))
        stop.set()
        for thread in players:
            thread.join(120)
        return _look(on, done, orphans, kept, faults)


def _play(
    on: Bench, number: int, stop: threading.Event, kept: list[tuple[int, int]], faults: list[str]
) -> None:
    """Records, and now and then uploads, one take after the other, as the browser does: what is not
    confirmed is sent again.
    """
    player = Player(on.base)
    samples = a_take(number + 1)
    file = write_flac(samples, RATE_HZ)[0]
    try:
        _stubborn_entry(player)
        riff_id, revision = player.new_riff()
        turn = 0
        while not stop.is_set():
            turn += 1
            if turn % 4 == 0:
                answer = player.stubbornly(
                    lambda: player.post(f"/play/{riff_id}/upload", files={"take": ("t.flac", file)})
                )
                kept.append((int(answer.headers["hx-redirect"].rsplit("/", 1)[1]), 0))
                continue
            _, opening = begin(revision)
            take = player.stubbornly(
                lambda opening=opening: player.post("/takes", json=opening)
            ).json()["take"]
            for frame in range(0, samples.size, RATE_HZ):
                piece = samples[frame : frame + RATE_HZ].tobytes()
                player.stubbornly(
                    lambda t=take, f=frame, p=piece: player.post(
                        f"/takes/{t}/chunk?frame={f}", content=p
                    )
                )
                time.sleep(0.15)
            answer = player.stubbornly(
                lambda t=take: player.post(
                    f"/takes/{t}/finish", json={"spans": [[0, samples.size]]}
                )
            )
            if answer.status_code != 200:
                faults.append(f"finish {answer.status_code}: {answer.text[:80]}")
            kept.append((take, samples.size))
    except Exception as error:
        faults.append(repr(error)[:120])


def _stubborn_entry(player: Player) -> None:
    until = time.monotonic() + SETTLE_S
    while not player.token:
        try:
            player.enter()
        except Exception:
            if time.monotonic() > until:
                raise
            time.sleep(0.5)


def _look(
    on: Bench, done: dict[str, int], orphans: int, kept: list[tuple[int, int]], faults: list[str]
) -> list[Row]:
    took_s = _settled(on)
    states = dict(on.query("select state, count(*) from take group by state"))
    stored = dict(on.query("select id, audio_bytes from take"))
    read = on.query(
        "select t.id, r.document -> 'duration_s' from take t join reading r on r.take_id = t.id"
    )
    seconds = {take: float(duration) for take, duration in read}
    short = [
        take
        for take, frames in kept
        if frames and abs(seconds.get(take, 0.0) - frames / RATE_HZ) > 0.5
    ]
    lost = [take for take, _ in kept if not stored.get(take)]
    doubled = on.query(
        "select count(*) from (select riff_id, number from take group by 1, 2 having count(*) > "
        "1) d"
    )[0][0]
    workers = len(on.workers())
    killed = ", ".join(f"{what} {count}" for what, count in done.items())
    waiting = states.get("queued", 0) + states.get("reading", 0)
    return [
        Row(
            f"{sum(done.values())} kills at random moments ({killed})",
            "",
            f"{len(kept)} takes confirmed meanwhile; states at the end {states}",
        ),
        Row("confirmed takes lost", "0", str(len(lost)), not lost),
        Row("recordings short by more than 0.5 s", "0", str(len(short)), not short),
        Row(
            "takes stuck once the queue was worked off",
            "0",
            f"{waiting} (worked off {took_s:.0f} s after the last kill)",
            waiting == 0,
        ),
        Row("workers left behind by killed servers", "0", str(orphans), orphans == 0),
        Row("workers at the end", "1", str(workers), workers == 1),
        Row("take numbers doubled", "0", str(doubled), doubled == 0),
        Row("refusals while playing", "0", f"{len(faults)} {'; '.join(faults[:3])}", not faults),
    ]


def _settled(on: Bench) -> float:
    """Waits until no take waits, a minute and a half at most, and says how long that took."""
    began = time.monotonic()
    while time.monotonic() - began < 90:
        try:
            waiting = on.query("select count(*) from take where state in ('queued', 'reading')")[0][
                0
            ]
            jobs = on.query(
                "select count(*) from procrastinate_jobs where status in ('todo', 'doing')"
            )[0][0]
            if waiting == jobs == 0:
                break
        except Exception:
            pass
        time.sleep(1)
    return time.monotonic() - began

"""Files that ask for much memory, or that are none: what server and worker need for them, and what
the player is told.
"""

import io
import time
from collections.abc import Callable

import numpy as np
import soundfile

from benchmarks.robustness.bench import RATE_HZ, Bench, Player, a_take, begin, bench
from benchmarks.robustness.table import Row
from thrumble.core.riff.expand import expand
from thrumble.core.riff.notation.text import parse_riff
from thrumble.demo import riff_texts

REQUEST_MB, READING_MB = 150, 400
SETTLE_S = 120.0


def trial() -> list[Row]:
    """Each file in turn; memory is the most that a process ever held, less what it held before."""
    with bench() as on:
        player = Player(on.base)
        player.enter()
        riff_id, revision = player.new_riff()
        rows = [
            Row("memory of the server at rest", "", f"{on.memory_mb(_server(on)):.0f} MB"),
            Row("of the worker at rest", "", f"{on.memory_mb(_worker(on)):.0f} MB"),
        ]
        for words, data in CASES.items():
            rows.append(_upload(on, player, riff_id, words, data()))
        rows.append(_far_apart(on, player, revision))
        rows.append(_endless(on, player, riff_id))
        rows.append(_long_listening(on, player))
        return rows


def _noise(seconds: float, rate: int, channels: int, kind: str, subtype: str) -> bytes:
    out = io.BytesIO()
    rng = np.random.default_rng(1)
    with soundfile.SoundFile(
        out, "w", samplerate=rate, channels=channels, format=kind, subtype=subtype
    ) as file:
        for _ in range(int(seconds)):
            file.write((0.1 * rng.standard_normal((rate, channels))).astype(np.float32))
    return out.getvalue()


def _silence(seconds: int, rate: int, channels: int) -> bytes:
    out = io.BytesIO()
    with soundfile.SoundFile(
        out, "w", samplerate=rate, channels=channels, format="FLAC", subtype="PCM_16"
    ) as file:
        for _ in range(seconds):
            file.write(np.zeros((rate, channels), np.float32))
    return out.getvalue()


def _ten_minutes(channels: int) -> bytes:
    """A real riff, ten minutes long, as a player's recorder would make it."""
    from thrumble.core.player.perform import perform

    riff = parse_riff(riff_texts()["1-sluice-gate"])
    rounds = int(590 / expand(riff).round_s)
    samples = perform(riff, seed=1, rounds=rounds).samples[: 598 * RATE_HZ]
    out = io.BytesIO()
    soundfile.write(
        out, np.stack([samples] * channels, axis=1), RATE_HZ, format="FLAC", subtype="PCM_16"
    )
    return out.getvalue()


CASES: dict[str, Callable[[], bytes]] = {
    "FLAC, silence, 8 channels, 192 kHz, 200 s": lambda: _silence(200, 192_000, 8),
    "FLAC, silence, 8 channels, 192 kHz, 600 s": lambda: _silence(600, 192_000, 8),
    "FLAC, noise, mono, 192 kHz, 60 s": lambda: _noise(60, 192_000, 1, "FLAC", "PCM_16"),
    "FLAC, a riff, mono, 48 kHz, ten minutes": lambda: _ten_minutes(1),
    "FLAC, a riff, stereo, 48 kHz, ten minutes": lambda: _ten_minutes(2),
    "WAV, noise, 95 MB": lambda: _noise(540, 44_100, 2, "WAV", "PCM_16"),
    "FLAC of eleven minutes": lambda: _silence(660, 48_000, 1),
    "a file of zeros": lambda: bytes(1_000_000),
    "half a FLAC": lambda: _silence(30, 48_000, 1)[:400],
}


def _server(on: Bench) -> int:
    assert on.server
    return on.server.pid


def _worker(on: Bench) -> int:
    until = time.monotonic() + 30
    while not (found := on.workers()):
        if time.monotonic() > until:
            raise RuntimeError("no worker")
        time.sleep(0.2)
    return found[0]


class _Watch:
    """The most memory that server and worker hold from here on, over what they held before."""

    def __init__(self, on: Bench) -> None:
        self.on, self.pids = on, (_server(on), _worker(on))
        for pid in self.pids:
            with open(f"/proc/{pid}/clear_refs", "w") as file:
                file.write("5")  # the kernel forgets the peak so far
        self.before = [on.memory_mb(pid) for pid in self.pids]

    def cost_mb(self) -> tuple[float, float]:
        server, worker = (
            self.on.memory_mb(pid, most=True) - before
            for pid, before in zip(self.pids, self.before, strict=True)
        )
        return max(0.0, server), max(0.0, worker)


def _upload(on: Bench, player: Player, riff_id: int, words: str, data: bytes) -> Row:
    watch = _Watch(on)
    answer = player.client.post(
        f"/play/{riff_id}/upload",
        files={"take": ("t", data)},
        headers={"x-thrumble-token": player.token, "accept": "application/json"},
        timeout=120,
    )
    said = (
        answer.json()["problem"][:60]
        if answer.status_code != 204
        else _outcome(on, int(answer.headers["hx-redirect"].rsplit("/", 1)[1]))
    )
    server, worker = watch.cost_mb()
    held = server <= REQUEST_MB and worker <= READING_MB and answer.status_code in (204, 422)
    asked = f"server {REQUEST_MB} MB or less, worker {READING_MB} or less"
    return Row(
        f"{words} ({len(data) / 1e6:.1f} MB)",
        asked,
        f"{server:.0f} and {worker:.0f} MB; {said}",
        held,
    )


def _outcome(on: Bench, take: int) -> str:
    until = time.monotonic() + SETTLE_S
    while time.monotonic() < until:
        state, problem = on.query(f"select state, problem from take where id = {take}")[0]
        if state in ("read", "failed"):
            return "read" if state == "read" else problem[:60]
        time.sleep(0.3)
    return "never read"


def _far_apart(on: Bench, player: Player, revision: int) -> Row:
    watch = _Watch(on)
    _, opening = begin(revision)
    take = player.post("/takes", json=opening | {"rate": 192_000}).json()["take"]
    tiny = a_take()[:100].tobytes()
    codes = [
        player.post(f"/takes/{take}/chunk?frame={frame}", content=tiny).status_code
        for frame in (0, 192_000 * 599)
    ]
    player.post(f"/takes/{take}/finish", json={})
    said = _outcome(on, take)
    server, worker = watch.cost_mb()
    held = server <= REQUEST_MB and worker <= READING_MB
    return Row(
        "two tiny chunks ten minutes apart at 192 kHz",
        f"server {REQUEST_MB} MB or less, worker {READING_MB} or less",
        f"{server:.0f} and {worker:.0f} MB; {codes}, {said}",
        held,
    )


def _endless(on: Bench, player: Player, riff_id: int) -> Row:
    watch = _Watch(on)

    def pieces():  # type: ignore[no-untyped-def]
        for _ in range(300):
            yield bytes(1_000_000)

    headers = {
        "x-thrumble-token": player.token,
        "accept": "application/json",
        "content-type": "application/octet-stream",
    }
    try:
        code = str(
            player.client.post(
                f"/play/{riff_id}/upload", content=pieces(), headers=headers, timeout=120
            ).status_code
        )
    except Exception as error:
        code = type(error).__name__
    server, _ = watch.cost_mb()
    return Row(
        "300 MB without a Content-Length",
        f"refused, server {REQUEST_MB} MB or less",
        f"{code}; {server:.0f} MB",
        server <= REQUEST_MB and code in ("413", "WriteError", "ReadError", "RemoteProtocolError"),
    )


def _long_listening(on: Bench, player: Player) -> Row:
    take = on.query(
        "select t.id from take t join reading r on r.take_id = t.id order by t.audio_bytes desc "
        "limit 1"
    )[0][0]
    watch = _Watch(on)
    began = time.monotonic()
    size = len(player.client.get(f"/takes/{take}/listen.wav?click=true", timeout=60).content)
    server, _ = watch.cost_mb()
    return Row(
        "listening to the longest take with its click",
        f"server {REQUEST_MB} MB or less",
        f"{server:.0f} MB; {size / 1e6:.0f} MB sent in {time.monotonic() - began:.1f} s",
        server <= REQUEST_MB,
    )

"""An application on a database of its own to try things on: server, worker and cluster can be
stopped and killed, and a client asks it.
"""

import os
import re
import signal
import socket
import subprocess
import sys
import tempfile
import time
import uuid
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any

import httpx2
import numpy as np
import sqlalchemy as sa

from thrumble.core.player.perform import perform
from thrumble.core.riff.notation.text import parse_riff

ROOT = Path(__file__).parents[2]
TEXT = (
    "title: Paddle Gear\ntempo: 200\npedal: 6:0\n\n[A]\n| E5@6/0 >o m m o m m o m | G5@6/3 >o m m "
    "o A5@6/5 o ~ o ~ |\n"
)
RIFF = parse_riff(TEXT)
RATE_HZ = 48000
SETTLE_S = 60.0


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


class Bench:
    """Cluster, server and worker under one folder."""

    def __init__(self, folder: Path, **settings: str) -> None:
        self.port, self.folder = free_port(), folder
        self.base = f"http://127.0.0.1:{self.port}"
        self.environment = {
            **{
                name: value for name, value in os.environ.items() if name != "THRUMBLE_PG_OPTS"
            },  # as safe as ./run makes it
            "THRUMBLE_PG_BASE": str(folder / "pg"),
            "THRUMBLE_PG_PORT": str(free_port()),
            "THRUMBLE_PG_DB": "trial",
            "THRUMBLE_BACKUPS": "off",
            **settings,
        }
        self.server: subprocess.Popen[bytes] | None = None
        self.cluster("start")
        self.url = self.cluster("url")
        self.environment["DATABASE_URL"] = self.url
        self.environment["THRUMBLE_OWNS_DATABASE"] = "1"

    def cluster(self, word: str) -> str:
        done = subprocess.run(
            [ROOT / "scripts/pg.sh", word], env=self.environment, capture_output=True, text=True
        )
        if done.returncode:
            raise RuntimeError(done.stderr)
        return done.stdout.strip()

    def start(self) -> None:
        """What ./run does: the database first, then the server, until it answers."""
        self.cluster("start")
        self.server = subprocess.Popen(
            [sys.executable, "-m", "thrumble.cli", "serve", "--port", str(self.port)],
            env=self.environment,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
            start_new_session=True,
        )
        until = time.monotonic() + 60
        while time.monotonic() < until:
            if self.server.poll() is not None:
                raise RuntimeError("the server ended before it served")
            with suppress(httpx2.HTTPError):
                if httpx2.get(f"{self.base}/healthz", timeout=2).status_code == 200:
                    return
            time.sleep(0.1)
        raise RuntimeError("the server did not serve within a minute")

    def workers(self) -> list[int]:
        """Processes of workers that this bench's servers started, living or left behind."""
        found = []
        for entry in Path("/proc").iterdir():
            if entry.name.isdigit():
                with suppress(OSError):
                    line, environ = (
                        (entry / "cmdline").read_bytes(),
                        (entry / "environ").read_bytes(),
                    )
                    if b"thrumble.cli\0worker" in line and self.url.encode() in environ:
                        found.append(int(entry.name))
        return found

    def kill(self, what: str) -> None:
        """Ends server, worker or database at once, as the system does when it needs the memory."""
        if what == "server":
            assert self.server
            self.server.kill()
            self.server.wait()
        elif what == "worker":
            for pid in self.workers():
                with suppress(ProcessLookupError):
                    os.kill(pid, signal.SIGKILL)
        else:
            for pid in self.postmasters():
                with suppress(ProcessLookupError):
                    os.kill(pid, signal.SIGKILL)

    def postmasters(self) -> list[int]:
        file = Path(self.environment["THRUMBLE_PG_BASE"]) / "data/postmaster.pid"
        found = subprocess.run(
            ["pgrep", "-f", f"postgres -D .*{self.folder.name}"], capture_output=True, text=True
        ).stdout.split()
        with suppress(OSError):
            found.append(file.read_text().splitlines()[0])
        return [int(pid) for pid in dict.fromkeys(found)]

    def stop(self) -> None:
        if self.server and self.server.poll() is None:
            self.server.send_signal(signal.SIGTERM)
            self.server.wait(20)
        with suppress(RuntimeError):
            self.cluster("stop")

    def query(self, statement: str) -> list[tuple[Any, ...]]:
        engine = sa.create_engine(self.url)
        try:
            with engine.connect() as connection:
                return [tuple(row) for row in connection.execute(sa.text(statement))]
        finally:
            engine.dispose()

    def memory_mb(self, pid: int, *, most: bool = False) -> float:
        """Resident memory of a process, or the most it ever had."""
        for line in Path(f"/proc/{pid}/status").read_text().splitlines():
            if line.startswith("VmHWM" if most else "VmRSS"):
                return int(line.split()[1]) / 1000
        return float("nan")


@contextmanager
def bench(**settings: str) -> Iterator[Bench]:
    """A bench for a trial, gone afterwards."""
    with tempfile.TemporaryDirectory(prefix="trial-") as folder:
        Path(folder).chmod(0o755)
        made = Bench(Path(folder), **settings)
        try:
            made.start()
            yield made
        finally:
            made.stop()


class Player:
    """What a browser does on the wire: keeps its cookie, sends its token, sends again what was not
    answered.
    """

    def __init__(self, base: str, *, limits: httpx2.Limits | None = None) -> None:
        self.client = httpx2.Client(base_url=base, timeout=20, limits=limits or httpx2.Limits())
        self.token = ""

    def enter(self) -> None:
        page = self.client.get("/riffs/new").text
        self.token = re.search(r'name="token" content="([^"]+)"', page)[1]  # type: ignore[index]

    def post(self, path: str, **more: Any) -> httpx2.Response:
        headers = {
            "x-thrumble-token": self.token,
            "accept": "application/json",
            **more.pop("headers", {}),
        }
        return self.client.post(path, headers=headers, **more)

    def stubbornly(self, ask: Any, *, for_s: float = SETTLE_S) -> httpx2.Response:
        """As the recorder does: outages and overload are waited out."""
        until, wait_s = time.monotonic() + for_s, 0.2
        while True:
            with suppress(httpx2.HTTPError):
                answer = ask()
                if answer.status_code not in (429, 500, 502, 503, 507):
                    return answer
            if time.monotonic() > until:
                raise RuntimeError("no answer within a minute")
            time.sleep(wait_s)
            wait_s = min(2.0, wait_s * 1.5)

    def new_riff(self, text: str = TEXT) -> tuple[int, int]:
        """Writes the riff; its number, and its revision's."""
        address = self.post("/riffs", data={"source": text}).headers["hx-redirect"]
        riff_id = int(address.rsplit("/", 1)[1])
        plan = self.client.get(f"/play/{riff_id}").text
        return riff_id, int(re.search(r'"revision": ?(\d+)', plan)[1])  # type: ignore[index]


def a_take(seed: int = 1) -> np.ndarray:
    """A few seconds of the simulated guitarist, float32 at 48 kHz, with half a second before bar
    1.
    """
    take = perform(RIFF, seed=seed, lead_s=0.5)
    return np.asarray(take.samples, dtype="<f4")


def begin(revision: int) -> tuple[str, dict[str, Any]]:
    """What a recording tells the server at its start, with a key of its own."""
    key = uuid.uuid4().hex
    return key, {
        "key": key,
        "revision": revision,
        "tempo": 200,
        "rounds": 1,
        "start_frame": RATE_HZ // 2,
        "rate": RATE_HZ,
    }

"""The database's disk runs full in mid-recording, and is given room again. Needs to be root, for a
small file system of its own.
"""

import os
import subprocess
import tempfile
import time
from pathlib import Path

from benchmarks.robustness.bench import RATE_HZ, Bench, Player, a_take, begin
from benchmarks.robustness.kills import _settled
from benchmarks.robustness.table import Row

DISK_MB = 260


def trial() -> list[Row]:
    """Fills the disk with ballast, records on, takes the ballast away: nothing confirmed may be
    gone, and it must recover by itself.
    """
    if os.geteuid() != 0:
        return [Row("a full disk", "", "not tried: this trial needs to be root")]
    with tempfile.TemporaryDirectory(prefix="trial-") as name:
        folder = Path(name)
        folder.chmod(0o755)
        mounted = subprocess.run(
            ["mount", "-t", "tmpfs", "-o", f"size={DISK_MB}m", "tmpfs", name],
            capture_output=True,
            text=True,
        )
        if mounted.returncode:
            return [
                Row(
                    "a full disk",
                    "",
                    "not tried: no file system may be mounted here "
                    f"({mounted.stderr.strip()[:60]})",
                )
            ]
        folder.chmod(0o755)
        on = Bench(folder)
        try:
            on.start()
            return _fill_and_free(on, folder)
        finally:
            on.stop()
            subprocess.run(["umount", "-l", name], capture_output=True)


def _fill_and_free(on: Bench, folder: Path) -> list[Row]:
    player = Player(on.base)
    player.enter()
    _, revision = player.new_riff()
    samples = a_take()
    take = player.post("/takes", json=begin(revision)[1]).json()["take"]
    first = samples[:RATE_HZ].tobytes()
    assert player.post(f"/takes/{take}/chunk?frame=0", content=first).status_code == 204
    free = os.statvfs(folder)
    ballast = folder / "ballast"
    with ballast.open("wb") as file:
        file.write(bytes(free.f_bavail * free.f_bsize - 200_000))
    said = None
    for turn in range(1, 60):
        answer = player.post(f"/takes/{take}/chunk?frame={turn * RATE_HZ}", content=first)
        if answer.status_code != 204:
            said = answer
            break
    confirmed = on.query(f"select count(*) from chunk where take_id = {take}")[0][0]
    page = player.client.get("/takes").status_code
    ballast.unlink()
    began = time.monotonic()
    again = player.stubbornly(
        lambda: player.post(f"/takes/{take}/chunk?frame={turn * RATE_HZ}", content=first)
    )
    recovered_s = time.monotonic() - began
    end = player.stubbornly(
        lambda: player.post(f"/takes/{take}/finish", json={"spans": [[0, (turn + 1) * RATE_HZ]]})
    )
    _settled(on)
    state, seconds = on.query(
        "select t.state, r.document -> 'duration_s' from take t left join reading r on r.take_id "
        f"= t.id where t.id = {take}"
    )[0]
    words = said.json()["problem"] if said is not None else "never full"
    return [
        Row(
            "what the recorder is told",
            "507, that the disk is full and what to do",
            f"{said.status_code if said is not None else ''} {words}",
            said is not None and said.status_code == 507 and "disk is full" in words,
        ),
        Row("pieces confirmed and there", str(turn), str(confirmed), confirmed == turn),
        Row("a page meanwhile", "200", str(page), page == 200),
        Row(
            "after room was made, sending on",
            "goes on by itself",
            f"{again.status_code} after {recovered_s:.1f} s, finished {end.status_code}",
            again.status_code == 204 and end.status_code == 200,
        ),
        Row(
            "the take",
            f"read, {turn + 1} s long",
            f"{state}, {seconds} s",
            state == "read" and abs(float(seconds) - turn - 1) < 0.1,
        ),
    ]

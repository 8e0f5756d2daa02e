"""Mixed use for a long time: what the server's memory does."""

import os
import random
import time

from benchmarks.robustness.bench import Bench, Player, a_take, bench
from benchmarks.robustness.table import Row
from thrumble.demo import riff_texts
from thrumble.formats.audio import write_flac

MINUTES = float(os.environ.get("THRUMBLE_TRIAL_MINUTES", "60"))
WARM_S = 120.0  # everything is imported and every cache begun
PAGES = (
    "/", "/riffs", "/takes", "/log", "/rig", "/plan", "/riffs/{riff}", "/play/{riff}",
    "/riffs/{riff}/neck", "/riffs/{riff}/drills", "/riffs/{riff}/sheet.pdf",
    "/riffs/{riff}/riff.musicxml", "/riffs/{riff}/riff.mid", "/takes/{take}",
    "/takes/{take}/listen.wav?click=true", "/takes/{take}/audio", "/takes/{take}/stems/take.flac",
    "/takes/{take}/stems/click.wav", "/takes/{take}/reading.json", "/certainty", "/shapes",
)  # fmt: skip


def trial() -> list[Row]:
    """One player who does everything without a pause."""
    with bench() as on:
        return _mixed(on)


def _mixed(on: Bench) -> list[Row]:
    assert on.server is not None
    player = Player(on.base)
    player.client.timeout = 300
    player.enter()
    texts = list(riff_texts().values())
    riffs = [player.new_riff(text)[0] for text in texts]
    flac = write_flac(a_take(3), 48_000)[0]
    draw, done, wrong = random.Random(7), 0, 0
    begun = time.monotonic()
    sizes: list[tuple[float, float]] = []
    while (since := time.monotonic() - begun) < MINUTES * 60:
        if done % 40 == 0:
            sizes.append((since, on.memory_mb(on.server.pid)))
            place = draw.choice(riffs)
            player.post(f"/play/{place}/upload", files={"take": ("a.flac", flac)})
            text = draw.choice(texts).replace("tempo: ", f"tempo: {draw.randrange(1, 3)}", 1)
            player.post("/riffs/preview", data={"source": text + "\n" * draw.randrange(500)})
            player.post("/riffs/import", files={"file": ("a.txt", text.encode())})
        takes = [row[0] for row in on.query("select id from take order by id desc limit 20")]
        path = draw.choice(PAGES).format(riff=draw.choice(riffs), take=draw.choice(takes))
        status = player.client.get(path).status_code
        wrong += status >= 500
        done += 1
    settled = [mb for at, mb in sizes if at >= min(WARM_S, MINUTES * 30)]
    fifth = max(1, len(settled) // 5)
    first, last = (sum(part) / len(part) for part in (settled[:fifth], settled[-fifth:]))
    return [
        Row(
            f"{done:,} requests in {MINUTES:g} minutes",
            "no 500",
            f"{wrong} of them",
            wrong == 0,
        ),
        Row(
            "memory of the server, from the first fifth to the last",
            "50 MB more or less",
            f"{first:.0f} to {last:.0f} MB, {max(settled):.0f} MB at most",
            last - first <= 50,
        ),
    ]

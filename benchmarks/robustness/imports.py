"""Valid files of every format, damaged at random, and the worst small files at once."""

import multiprocessing
import os
import random
import resource
import signal
import time
from collections import Counter
from dataclasses import dataclass
from io import BytesIO
from types import FrameType
from zipfile import ZIP_DEFLATED, ZipFile

import httpx2

from benchmarks.robustness.bench import Bench, Player, bench
from benchmarks.robustness.table import Row
from thrumble.core.errors import RiffError
from thrumble.core.riff.notation.text import parse_riff
from thrumble.demo import riff_texts
from thrumble.formats.exchange import FORMATS, read_any
from thrumble.importer import CPU_S, MEMORY_BYTES

FILES = int(os.environ.get("THRUMBLE_TRIAL_FILES", "50000"))
SEED = 20261130
AT_ONCE = 100
GIVEN_UP_S = 20
NUMBERS = (b"0", b"-1", b"255", b"65536", b"2147483648", b"9" * 400, b"1e400", b"1/2147483648")


@dataclass(frozen=True)
class Outcome:
    """What became of one damaged file."""

    kind: str  # read, refused, or the name of a foreign exception
    cpu_s: float
    peak_mb: float
    name: str


def trial() -> list[Row]:
    """Every damaged file is a riff or one error; the server goes on beside the worst of them."""
    seeds = [(k, SEED + k) for k in range(FILES)]
    workers = os.cpu_count() or 2
    with multiprocessing.get_context("fork").Pool(workers, maxtasksperchild=400) as pool:
        outcomes = list(pool.imap_unordered(_damaged, seeds, chunksize=50))
    kinds = Counter(one.kind for one in outcomes)
    foreign = {kind: n for kind, n in kinds.items() if kind not in ("read", "refused")}
    slowest = max(outcomes, key=lambda one: one.cpu_s)
    largest = max(outcomes, key=lambda one: one.peak_mb)
    rows = [
        Row(
            f"{FILES:,} damaged files (seed {SEED})",
            "a riff or one error each",
            f"{kinds['read']:,} read, {kinds['refused']:,} refused, {_named(foreign)}",
            not foreign,
        ),
        Row(
            "the slowest",
            f"{CPU_S} s of CPU or less",
            f"{slowest.cpu_s:.2f} s ({slowest.name})",
            slowest.cpu_s <= CPU_S,
        ),
        Row(
            "the largest process",
            f"{MEMORY_BYTES // 1_000_000} MB or less",
            f"{largest.peak_mb:.0f} MB ({largest.name})",
            largest.peak_mb <= MEMORY_BYTES / 1e6,
        ),
    ]
    with bench() as on:
        return rows + _worst_at_once(on)


def _named(foreign: dict[str, int]) -> str:
    """How many foreign exceptions, and the first few of them to be looked at."""
    if not foreign:
        return "no foreign exception"
    return f"{sum(foreign.values()):,} foreign, such as {'; '.join(list(foreign)[:3])}"


# --- damage --------------------------------------------------------------------------------------


def samples() -> list[tuple[str, bytes]]:
    """The sample riffs in every format, scores also compressed."""
    out = []
    for name, text in riff_texts().items():
        riff = parse_riff(text)
        for one in FORMATS:
            data = one.write(riff)
            out.append((f"{name}{one.suffixes[0]}", data))
            if one.name == "musicxml":
                out.append((f"{name}.mxl", packed(data)))
    return out


def packed(score: bytes) -> bytes:
    """A score as a compressed file."""
    container = b'<container><rootfiles><rootfile full-path="score.xml"/></rootfiles></container>'
    out = BytesIO()
    with ZipFile(out, "w", ZIP_DEFLATED) as archive:
        archive.writestr("META-INF/container.xml", container)
        archive.writestr("score.xml", score)
    return out.getvalue()


_SAMPLES = samples()


def _damaged(numbered: tuple[int, int]) -> Outcome:
    number, seed = numbered
    name, data = _SAMPLES[number % len(_SAMPLES)]
    draw = random.Random(seed)
    hurt = bytearray(data)
    for _ in range(draw.choice((1, 1, 1, 2, 4, 16))):
        _hurt(draw, hurt)
    begun = time.process_time()
    signal.signal(signal.SIGPROF, _give_up)
    signal.setitimer(signal.ITIMER_PROF, GIVEN_UP_S)
    try:
        read_any(bytes(hurt))
        kind = "read"
    except RiffError as error:
        str(error).encode()
        kind = "refused"
    except BaseException as error:
        kind = f"{type(error).__name__} (seed {seed})"
    finally:
        signal.setitimer(signal.ITIMER_PROF, 0)
    peak_mb = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1000
    return Outcome(kind, time.process_time() - begun, peak_mb, f"{name}, seed {seed}")


def _give_up(_signal: int, _frame: FrameType | None) -> None:
    raise TimeoutError


def _hurt(draw: random.Random, data: bytearray) -> None:
    """One fault: bytes changed, cut out, put in, moved, doubled; or a number made another one."""
    if not data:
        return
    at = draw.randrange(len(data))
    length = draw.choice((1, 1, 2, 8, 64, 512))
    what = draw.randrange(7)
    if what == 0:
        data[at] = draw.randrange(256)
    elif what == 1:
        del data[at : at + length]
    elif what == 2:
        data[at:at] = bytes(draw.randrange(256) for _ in range(length))
    elif what == 3:
        data[at:at] = data[at : at + length] * draw.choice((1, 2, 50))
    elif what == 4:
        del data[at:]
    elif what == 5:
        digits = [k for k, byte in enumerate(data) if 48 <= byte <= 57]
        if digits:
            at = draw.choice(digits)
            data[at : at + 1] = draw.choice(NUMBERS)
    else:
        data[at] ^= 1 << draw.randrange(8)


# --- the worst at once ---------------------------------------------------------------------------


def worst_files() -> list[bytes]:
    """Small or middling files that ask for all the time or memory they can get."""
    riff = parse_riff(riff_texts()["1-sluice-gate"])
    json_riff = next(one for one in FORMATS if one.name == "json").write(riff)
    return [
        json_riff.replace(b'"1/8"', b'"1/2147483648"', 1),
        packed(b"<score-partwise>" + b"<a/>" * 4_900_000 + b"</score-partwise>"),
        b"<score-partwise>" + b"<part id='P1'><measure/></part>" * 150_000 + b"</score-partwise>",
        ("\n".join(["E|---" + "(" * 1990] * 2000)).encode(),
        b"title: x\ntempo: 100\n\n[A]\n" + b"| E5 o o o o o o o o |\n" * 2001,
        b'{"a":' * 50_000,
    ]


def _send(asked: tuple[str, str, dict[str, str], int]) -> int:
    """Imports one of the worst files, from a process of its own; the status."""
    base, token, cookies, number = asked
    files = worst_files()
    with httpx2.Client(base_url=base, timeout=120, cookies=cookies) as client:
        return client.post(
            "/riffs/import",
            headers={"x-thrumble-token": token, "accept": "application/json"},
            files={"file": ("a.bin", files[number % len(files)])},
        ).status_code


def _worst_at_once(on: Bench) -> list[Row]:
    player = Player(on.base)
    player.enter()
    assert on.server is not None
    before_mb = on.memory_mb(on.server.pid)
    cookies = dict(player.client.cookies)
    asked = [(on.base, player.token, cookies, number) for number in range(AT_ONCE)]
    waits: list[float] = []
    # processes, not threads: what is measured is the server, not this program's own lock
    with multiprocessing.get_context("fork").Pool(
        AT_ONCE, initializer=os.nice, initargs=(5,)
    ) as pool:
        sent = pool.map_async(_send, asked, chunksize=1)
        while not sent.ready():
            begun = time.monotonic()
            page = player.client.get("/riffs")
            waits.append(time.monotonic() - begun)
            assert page.status_code == 200
            time.sleep(0.2)
        codes = Counter(sent.get())
    time.sleep(2)
    grown_mb = on.memory_mb(on.server.pid) - before_mb
    return [
        Row(
            f"{AT_ONCE} of the worst files at once",
            "no 500",
            ", ".join(f"{n} times {code}" for code, n in sorted(codes.items())),
            codes[500] == 0,
        ),
        Row(
            f"a page meanwhile, the slowest of {len(waits)}",
            "1 s or less",
            f"{max(waits):.2f} s",
            max(waits) <= 1,
        ),
        Row(
            "memory of the server afterwards",
            "20 MB more or less",
            f"{grown_mb:+.0f} MB",
            grown_mb <= 20,
        ),
    ]

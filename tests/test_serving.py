"""The start command: clear errors, and nothing left running when it is told to stop."""

import contextlib
import os
import signal
import socket
import subprocess
import sys
import tempfile
import threading
import time
import urllib.request
from collections.abc import Callable
from pathlib import Path

import pytest
import sqlalchemy as sa
from sqlalchemy.pool import NullPool

from tests.conftest import Cluster, Databases
from thrumble import scratch
from thrumble.core.errors import Trouble
from thrumble.store import database

ROOT = Path(__file__).parents[1]


def command(*arguments: str, url: str) -> subprocess.Popen[str]:
    return subprocess.Popen(
        [sys.executable, "-m", "thrumble.cli", *arguments],
        env={**os.environ, "DATABASE_URL": url},
        stdout=subprocess.DEVNULL,
        stderr=subprocess.PIPE,
        text=True,
        start_new_session=True,
    )


@pytest.fixture
def port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


def test_a_taken_port_is_named_with_the_remedy(own_database: str) -> None:
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        process = command("serve", "--port", str(taken.getsockname()[1]), url=own_database)
        _, errors = process.communicate(timeout=60)
    assert process.returncode == 2 and "choose another with --port" in errors


@pytest.mark.parametrize(
    ("arguments", "url", "words"),
    [
        (
            ("serve", "--tls-cert", "x.pem"),
            "postgresql://127.0.0.1:1/none",
            "both --tls-cert and --tls-key",
        ),
        (
            ("serve", "--tls-cert", "no.pem", "--tls-key", "no.key"),
            "postgresql://127.0.0.1:1/none",
            "is not there",
        ),
        (("serve", "--port", "0"), "postgresql://127.0.0.1:1/none", "--port"),
        (("serve", "--nonsense"), "postgresql://127.0.0.1:1/none", "--nonsense"),
        (("analyze", "riff.txt"), "postgresql://127.0.0.1:1/none", "Missing argument"),
        (
            ("serve", "--port", "FREE"),
            "postgresql://thrumble@127.0.0.1:1/none",
            "scripts/pg.sh start",
        ),
    ],
)
def test_what_is_not_as_needed_is_one_clear_error(
    arguments: tuple[str, ...], url: str, words: str, port: int
) -> None:
    process = command(*(str(port) if word == "FREE" else word for word in arguments), url=url)
    _, errors = process.communicate(timeout=60)
    assert process.returncode == 2 and words in errors and len(errors.strip().splitlines()) == 1


def served(url: str, port: int) -> tuple[subprocess.Popen[str], str]:
    """A server that answers, and its worker's process."""
    process = command("serve", "--port", str(port), url=url)
    for _ in range(600):
        with socket.socket() as probe:
            if probe.connect_ex(("127.0.0.1", port)) == 0:
                break
        time.sleep(0.05)
    children = subprocess.run(
        ["pgrep", "-P", str(process.pid)], capture_output=True, text=True
    ).stdout.split()
    assert len(children) == 1, "one worker beside the server"
    return process, children[0]


def gone(pid: str, within_s: float) -> bool:
    until = time.monotonic() + within_s
    while time.monotonic() < until:
        if subprocess.run(["ps", "-p", pid], capture_output=True).returncode != 0:
            return True
        time.sleep(0.1)
    return False


def test_a_killed_server_leaves_no_worker_behind(own_database: str, port: int) -> None:
    process, worker = served(own_database, port)
    process.kill()
    process.communicate(timeout=10)
    assert gone(worker, 10)


def test_a_database_killed_under_its_server_is_started_again(cluster: Cluster, port: int) -> None:
    environment = {
        **cluster.environment,
        "DATABASE_URL": cluster.tell("url"),
        "THRUMBLE_OWNS_DATABASE": "1",
    }
    process = subprocess.Popen(
        [sys.executable, "-m", "thrumble.cli", "serve", "--port", str(port)],
        env=environment,
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
    )
    try:
        wait_for(lambda: answers(port, "/healthz"))
        subprocess.run(
            ["pkill", "-KILL", "-f", f"postgres.*port={cluster.environment['THRUMBLE_PG_PORT']}"],
            check=True,
        )
        wait_for(lambda: not answers(port, "/riffs"))
        wait_for(lambda: answers(port, "/riffs"))
    finally:
        process.terminate()
        process.wait(20)


def answers(port: int, path: str) -> bool:
    try:
        with urllib.request.urlopen(f"http://127.0.0.1:{port}{path}", timeout=5) as answer:
            return bool(answer.status == 200)
    except OSError:
        return False


def wait_for(happens: Callable[[], bool], within_s: float = 40.0) -> None:
    until = time.monotonic() + within_s
    while not happens():
        assert time.monotonic() < until
        time.sleep(0.1)


def test_a_killed_worker_is_started_again(own_database: str, port: int) -> None:
    process, worker = served(own_database, port)
    os.kill(int(worker), signal.SIGKILL)
    assert gone(worker, 5)
    for _ in range(100):
        children = subprocess.run(
            ["pgrep", "-P", str(process.pid)], capture_output=True, text=True
        ).stdout.split()
        if children and children != [worker]:
            break
        time.sleep(0.1)
    assert children and children != [worker]
    process.send_signal(signal.SIGTERM)
    process.communicate(timeout=20)
    assert gone(children[0], 1)


@pytest.mark.parametrize("sign", [signal.SIGINT, signal.SIGTERM, signal.SIGHUP])
def test_a_signal_ends_server_and_worker(
    own_database: str, port: int, sign: signal.Signals
) -> None:
    process, worker = served(own_database, port)
    time.sleep(1.0)
    process.send_signal(sign)
    process.communicate(timeout=20)
    assert process.returncode == 0 and gone(worker, 1)


def start(folder: Path, *words: str) -> subprocess.Popen[str]:
    environment = {
        k: v for k, v in os.environ.items() if not k.startswith(("THRUMBLE_", "DATABASE_"))
    }
    return subprocess.Popen(
        [folder / "run", *words],
        env=environment,
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        text=True,
    )


def test_a_second_start_in_the_same_folder_says_where_the_first_is_and_stops_nothing(
    tmp_path: Path,
) -> None:
    """The start command itself, on a stand-in for the application: what matters is the lock, not
    what it guards.
    """
    (tmp_path / "scripts").mkdir()
    (tmp_path / ".venv/bin").mkdir(parents=True)
    (tmp_path / "run").write_text((ROOT / "run").read_text())
    (tmp_path / "scripts/setup.sh").write_text("#!/bin/sh\n")
    (tmp_path / "scripts/pg.sh").write_text('#!/bin/sh\necho "$1" >> "$(dirname "$0")/told"\n')
    (tmp_path / ".venv/bin/thrumble").write_text(
        "#!/bin/bash\necho http://127.0.0.1:9/ > $THRUMBLE_SERVING\ntrap 'exit 0' TERM\nwhile :; do sleep 0.05; done\n"
    )
    for file in ("run", "scripts/setup.sh", "scripts/pg.sh", ".venv/bin/thrumble"):
        (tmp_path / file).chmod(0o755)
    first = start(tmp_path)
    for _ in range(100):
        if (tmp_path / ".local/serving").exists():
            break
        time.sleep(0.05)
    second = start(tmp_path)
    _, errors = second.communicate(timeout=10)
    assert second.returncode == 1 and "runs already" in errors and "http://127.0.0.1:9/" in errors
    assert first.poll() is None and (tmp_path / "scripts/told").read_text().split() == [
        "start",
        "url",
    ]
    first.terminate()
    first.communicate(timeout=10)
    assert (tmp_path / "scripts/told").read_text().split() == ["start", "url", "stop"]


def test_what_this_folder_keeps_is_its_owners_alone() -> None:
    """The database keeps its own folder, and its files come and go while other tests run."""
    kept = [p for p in (ROOT / ".local").iterdir() if not p.name.startswith("pg")]
    files = [p for top in kept for p in ([top] if top.is_file() else top.rglob("*"))]
    loose = [p for p in files if p.is_file() and p.stat().st_mode & 0o077]
    assert loose == []


def test_a_signal_during_the_start_is_not_lost(own_database: str, port: int) -> None:
    """Whenever it comes, also before the server listens: everything ends."""
    for wait_s in (0.05, 0.4, 0.8, 1.2, 1.6):
        process = command("serve", "--port", str(port), url=own_database)
        time.sleep(wait_s)
        process.send_signal(signal.SIGINT)
        try:
            process.communicate(timeout=8)
        finally:
            process.kill()
            process.communicate()
    left = subprocess.run(["pgrep", "-f", "thrumble.cli worker"], capture_output=True, text=True)
    assert str(port) not in left.stdout


LOST_IN_A_CALLBACK = """
import os, signal, time, weakref
from thrumble.interrupts import never_lose_one
class Dropped: pass
never_lose_one()
one = Dropped()
watch = weakref.ref(one, lambda _: os.kill(os.getpid(), signal.SIGINT))
del one
print("lost", flush=True)
time.sleep(60)
"""


def test_an_interrupt_that_python_drops_still_ends_the_command() -> None:
    ended = subprocess.run(
        [sys.executable, "-c", LOST_IN_A_CALLBACK], capture_output=True, text=True, timeout=20
    )
    assert ended.returncode == 130
    assert ended.stdout == "lost\n" and "Exception ignored" in ended.stderr


def test_ctrl_c_ends_a_server_in_the_middle_of_an_import(own_database: str, port: int) -> None:
    process, _ = served(own_database, port)
    wait_for(lambda: answers(port, "/healthz"))
    cookies = urllib.request.HTTPCookieProcessor()
    browser = urllib.request.build_opener(cookies)
    page = browser.open(f"http://127.0.0.1:{port}/riffs").read().decode()
    token = page.split('name="token" content="')[1].split('"')[0]
    score = b"<score-partwise>" + b"<a b='c'/>" * 700_000 + b"</score-partwise>"
    body = b'--x\r\nContent-Disposition: form-data; name="file"; filename="a"\r\n\r\n' + score
    request = urllib.request.Request(
        f"http://127.0.0.1:{port}/riffs/import",
        data=body + b"\r\n--x--\r\n",
        headers={
            "x-thrumble-token": token,
            "content-type": "multipart/form-data; boundary=x",
        },
    )

    def send() -> None:
        with contextlib.suppress(OSError):
            browser.open(request, timeout=20)

    sending = threading.Thread(target=send, daemon=True)
    sending.start()
    wait_for(lambda: bool(importers(process.pid)))
    time.sleep(0.3)
    begun = time.monotonic()
    process.send_signal(signal.SIGINT)
    process.communicate(timeout=8)
    assert time.monotonic() - begun < 5 and not importers(process.pid)


def importers(server: int) -> str:
    found = subprocess.run(
        ["pgrep", "-P", str(server), "-f", "thrumble.importer"], capture_output=True, text=True
    )
    return found.stdout.strip()


@pytest.mark.skipif(os.getuid() != 0, reason="only root can become another account")
def test_another_account_gets_one_sentence(own_database: str, port: int) -> None:
    process = subprocess.Popen(
        [sys.executable, "-m", "thrumble.cli", "serve", "--port", str(port)],
        env={**os.environ, "DATABASE_URL": own_database, "THRUMBLE_SHARED": "no"},
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
    )
    try:
        wait_for(lambda: answers(port, "/riffs"))
        answer = subprocess.run(
            ["setpriv", "--reuid=65534", "--clear-groups", "bash", "-c",
             f"exec 3<>/dev/tcp/127.0.0.1/{port}; "
             f"printf 'GET /riffs HTTP/1.1\\r\\nHost: 127.0.0.1:{port}\\r\\n"
             "Accept: application/json\\r\\nConnection: close\\r\\n\\r\\n' >&3; cat <&3"],
            capture_output=True, text=True, timeout=20,
        ).stdout  # fmt: skip
        assert " 403 " in answer.splitlines()[0]
        assert "belongs to another account" in answer and "<html" not in answer
    finally:
        process.terminate()
        process.wait(20)


def test_a_database_in_another_encoding_is_refused_at_the_start(databases: Databases) -> None:
    url = databases.make(None)
    name = sa.make_url(url).database
    with databases.admin.connect() as connection:
        connection.execute(sa.text(f'drop database "{name}"'))
        connection.execute(
            sa.text(f"""create database "{name}" encoding 'LATIN1' locale 'C' template template0""")
        )
    engine = sa.create_engine(url, poolclass=NullPool)
    with pytest.raises(Trouble, match="encoding is LATIN1"):
        database.migrate(engine)
    databases.drop(url)


def test_a_database_of_a_newer_version_is_refused_at_the_start(own_database: str) -> None:
    with database.session() as session:
        session.connection().exec_driver_sql("update alembic_version set version_num = '9999'")
    with pytest.raises(Trouble, match="newer Thrumble"):
        database.migrate()


def test_a_certificate_that_is_none_is_one_sentence(tmp_path: Path, port: int) -> None:
    for name in ("cert.pem", "key.pem"):
        (tmp_path / name).write_text("not a certificate")
    arguments = ("--tls-cert", str(tmp_path / "cert.pem"), "--tls-key", str(tmp_path / "key.pem"))
    process = command("serve", "--port", str(port), *arguments, url="postgresql://127.0.0.1:1/no")
    _, errors = process.communicate(timeout=60)
    assert process.returncode == 2 and "can't be used for https" in errors
    assert len(errors.strip().splitlines()) == 1


def test_what_a_killed_process_left_is_removed_by_the_next(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(scratch, "local_folder", lambda: tmp_path)
    monkeypatch.setattr(tempfile, "tempdir", None)
    killed = tmp_path / "tmp" / "999999999"
    killed.mkdir(parents=True)
    (killed / "take").write_text("sound")
    other = tmp_path / "tmp" / "1"  # runs
    other.mkdir()
    own = scratch.use()
    assert not killed.exists() and other.exists() and tempfile.gettempdir() == str(own)
    scratch.leave()
    assert not own.exists()

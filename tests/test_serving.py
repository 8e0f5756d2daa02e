"""The start command: clear errors, and nothing left running when it is told to stop."""

import os
import signal
import socket
import subprocess
import sys
import time

import pytest


def command(*arguments: str, url: str) -> subprocess.Popen[str]:
    return subprocess.Popen(
        [sys.executable, "-m", "thrumble.cli", *arguments],
        env={**os.environ, "DATABASE_URL": url}, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, text=True, start_new_session=True,
    )  # fmt: skip


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
        (("serve", "--tls-cert", "x.pem"), "postgresql://127.0.0.1:1/none", "both --tls-cert and --tls-key"),
        (("serve", "--tls-cert", "no.pem", "--tls-key", "no.key"), "postgresql://127.0.0.1:1/none", "is not there"),
        (("serve", "--port", "0"), "postgresql://127.0.0.1:1/none", "--port"),
        (("serve", "--nonsense"), "postgresql://127.0.0.1:1/none", "--nonsense"),
        (("analyze", "riff.txt"), "postgresql://127.0.0.1:1/none", "Missing argument"),
        (("serve", "--port", "FREE"), "postgresql://thrumble@127.0.0.1:1/none", "scripts/pg.sh start"),
    ],
)
def test_what_is_not_as_needed_is_one_clear_error(arguments: tuple[str, ...], url: str, words: str, port: int) -> None:
    process = command(*(str(port) if word == "FREE" else word for word in arguments), url=url)
    _, errors = process.communicate(timeout=60)
    assert process.returncode == 2 and words in errors and len(errors.strip().splitlines()) == 1


@pytest.mark.parametrize("sign", [signal.SIGINT, signal.SIGTERM])
def test_a_signal_ends_server_and_worker(own_database: str, port: int, sign: signal.Signals) -> None:
    process = command("serve", "--port", str(port), url=own_database)
    for _ in range(600):
        with socket.socket() as probe:
            if probe.connect_ex(("127.0.0.1", port)) == 0:
                break
        time.sleep(0.05)
    children = subprocess.run(["pgrep", "-P", str(process.pid)], capture_output=True, text=True).stdout.split()
    assert len(children) == 1, "one worker beside the server"
    time.sleep(1.0)
    process.send_signal(sign)
    process.communicate(timeout=20)
    assert process.returncode == 0
    assert subprocess.run(["ps", "-p", children[0]], capture_output=True).returncode != 0, "the worker is gone"

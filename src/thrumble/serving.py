"""The start command: migrate, fill the demo, then web server and worker side by side until told to stop."""

import os
import signal
import socket
import subprocess
import sys
import threading
import time
from pathlib import Path

import uvicorn

from thrumble.core.errors import Trouble
from thrumble.store.database import migrate

RESTART_S = 2.0


def serve(*, host: str, port: int, demo: bool, tls_cert: Path | None, tls_key: Path | None) -> None:
    """Serves until SIGINT or SIGTERM. Raises Trouble where port, certificate or database are not as needed."""
    if bool(tls_cert) != bool(tls_key):
        raise Trouble("for https give both --tls-cert and --tls-key")
    for file in (tls_cert, tls_key):
        if file and not file.is_file():
            raise Trouble(f"{file} is not there")
    _check_port(host, port)
    migrate()
    if demo:
        from thrumble.actions.demo import fill_demo

        fill_demo(lambda words: print(words, flush=True))
    from thrumble.web.app import create_app

    config = uvicorn.Config(
        create_app(),
        host=host,
        port=port,
        log_level="warning",
        ssl_certfile=tls_cert,
        ssl_keyfile=tls_key,
        timeout_graceful_shutdown=3,
        lifespan="off",
    )
    server = uvicorn.Server(config)
    worker = _Worker()
    worker.start()
    # uvicorn ends on these, then raises them again: were they not caught here too, the worker would be left behind
    for sign in (signal.SIGINT, signal.SIGTERM):
        signal.signal(sign, lambda *_: None)
    print(f"Thrumble is at {'https' if tls_cert else 'http'}://{host}:{port}/   (Ctrl-C stops it)", flush=True)
    try:
        server.run()
    finally:
        worker.stop()


def _check_port(host: str, port: int) -> None:
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((host, port))
        except OSError as error:
            raise Trouble(f"{host}:{port} cannot be served ({error.strerror}): choose another with --port") from None


class _Worker:
    """The worker's process: readings need a whole core, so they have one of their own. Started again if it dies."""

    def __init__(self) -> None:
        self._stopping = threading.Event()
        self._process: subprocess.Popen[bytes] | None = None
        self._watch = threading.Thread(target=self._run, daemon=True)

    def start(self) -> None:
        self._watch.start()

    def _run(self) -> None:
        while not self._stopping.is_set():
            # a session of its own: Ctrl-C reaches the server, which then ends the worker in order
            environment = {**os.environ, "OPENBLAS_NUM_THREADS": "1"}
            self._process = subprocess.Popen([sys.executable, "-m", "thrumble.cli", "worker"], env=environment, start_new_session=True)
            self._process.wait()
            if not self._stopping.is_set():
                print("the worker ended; starting it again", file=sys.stderr, flush=True)
                time.sleep(RESTART_S)

    def stop(self) -> None:
        """Ends the worker: kindly, then for good."""
        self._stopping.set()
        if self._process and self._process.poll() is None:
            self._process.send_signal(signal.SIGTERM)
            try:
                self._process.wait(5)
            except subprocess.TimeoutExpired:
                self._process.kill()

"""The start command: migrate, fill the demo, then web server and worker side by side until told to
stop.
"""

import asyncio
import contextlib
import ctypes
import ipaddress
import multiprocessing
import os
import signal
import socket
import ssl
import subprocess
import sys
import threading
import time
from multiprocessing.connection import Connection
from pathlib import Path

import h11
import structlog
import uvicorn
from uvicorn.protocols.http.h11_impl import H11Protocol

from thrumble import logs, scratch
from thrumble.actions import importing
from thrumble.core.errors import ThrumbleError, Trouble
from thrumble.settings import ROOT, database_url, settings
from thrumble.store import database
from thrumble.store.accounts import accounts, invitations
from thrumble.store.database import migrate
from thrumble.web.peers import account_of
from thrumble.worker import PARENT

log = structlog.get_logger()
RESTART_S = 2.0
M_TRIM_THRESHOLD, M_MMAP_THRESHOLD, M_ARENA_MAX = -1, -3, -8  # mallopt(3)
HEADERS_S, LOOK_S = 10.0, 2.5
# set by ./run: the database of this folder is this server's to keep alive
OWNS_DATABASE = "THRUMBLE_OWNS_DATABASE"
SERVING = "THRUMBLE_SERVING"  # file that names the address while it is served


def serve(*, host: str, port: int, demo: bool, tls_cert: Path | None, tls_key: Path | None) -> None:
    """Serves until SIGINT, SIGTERM or SIGHUP. Raises Trouble if port, certificate or database
    are not as needed.
    """
    _give_memory_back()
    _check_certificate(tls_cert, tls_key)
    _check_host(host, tls=tls_cert is not None)
    _check_port(host, port)
    logs.set_up("server")
    scratch.use()
    making = _Preparing(demo)
    from thrumble.web.app import create_app  # loaded meanwhile, on the other core

    making.wait()

    config = uvicorn.Config(
        create_app(),
        host=host,
        port=port,
        log_config=None,
        access_log=False,
        ssl_certfile=tls_cert,
        ssl_keyfile=tls_key,
        timeout_graceful_shutdown=3,
        http=_Connection,
        lifespan="off",
    )
    server = uvicorn.Server(config)
    # before anything is started: uvicorn catches these signals only once it serves, and raises them
    # again at its end, when nothing may be left behind
    for sign in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
        signal.signal(sign, lambda _, frame: server.handle_exit(signal.SIGTERM, frame))
    beside: list[_Worker | _Database] = [_Worker()]
    if os.environ.get(OWNS_DATABASE):
        beside.append(_Database())
    for sibling in beside:
        sibling.start()
    address = f"{'https' if tls_cert else 'http'}://{host}:{port}/"
    _say_where(address)
    try:
        print(f"Thrumble is at {address}   (Ctrl-C stops it)", flush=True)
        _say_how_to_claim(address, host)
        server.run()
    finally:
        importing.stop()
        for sibling in beside:
            sibling.stop()
        scratch.leave()
        _say_where(None)


class _Preparing:
    """Brings the database to the newest tables and fills in the sample, in a process of its own:
    forked, so that nothing has to be loaded again.
    """

    def __init__(self, demo: bool) -> None:
        context = multiprocessing.get_context("fork")
        self._answer, answers = context.Pipe(duplex=False)
        self._process = context.Process(target=_prepare, args=(demo, answers), daemon=True)
        self._process.start()
        answers.close()

    def wait(self) -> None:
        """Raises Trouble if the database couldn't be prepared."""
        try:
            problem = self._answer.recv()
        except EOFError:
            problem = "the database couldn't be prepared: look at .local/log, then start again"
        self._process.join()
        if problem:
            raise Trouble(problem)


def _prepare(demo: bool, answers: Connection) -> None:
    try:
        migrate()
        if demo:
            from thrumble.actions.demo import fill_demo

            fill_demo(lambda words: print(words, flush=True))
    except ThrumbleError as error:
        answers.send(str(error))
    except KeyboardInterrupt:
        os._exit(130)  # the parent is told, too, and says so
    else:
        answers.send("")


def _say_how_to_claim(address: str, host: str) -> None:
    """Prints the link that makes the first administrator, if people sign in here and nobody is."""
    if settings().sign_in == "auto" and _is_loopback(host):
        return
    with database.session() as session:
        if accounts.administrators(session):
            return
        code = invitations.new_claim_code(session)
    names = [name for name in settings().hosts.split(",") if name]
    if names and _address_of(host) is not None:
        address = address.replace(f"//{host}:", f"//{names[0]}:")
    print(f"Nobody runs this server yet. Open {address}join/{code} to claim it.", flush=True)


def _address_of(host: str) -> ipaddress.IPv4Address | ipaddress.IPv6Address | None:
    """The address that a host is written as; None for a name."""
    try:
        return ipaddress.ip_address(host)
    except ValueError:
        return None


def _is_loopback(host: str) -> bool:
    address = _address_of(host)
    return host == "localhost" or (address is not None and address.is_loopback)


def _give_memory_back() -> None:
    """Sets up the C library so that memory which was used once is given back: few arenas, and large
    blocks mapped by themselves. By default glibc keeps an arena for each thread and raises the size
    from which it maps, and decoding a take in each thread left 200 MB behind.
    """
    with contextlib.suppress(OSError, AttributeError):
        mallopt = ctypes.CDLL(None).mallopt
        mallopt(M_ARENA_MAX, 2)
        mallopt(M_MMAP_THRESHOLD, 1 << 18)
        mallopt(M_TRIM_THRESHOLD, 1 << 20)


def _check_certificate(tls_cert: Path | None, tls_key: Path | None) -> None:
    """Raises Trouble if https is wanted and cannot be had with these files."""
    if bool(tls_cert) != bool(tls_key):
        raise Trouble("for https give both --tls-cert and --tls-key")
    if tls_cert is None or tls_key is None:
        return
    for file in (tls_cert, tls_key):
        if not file.is_file():
            raise Trouble(f"{file} is not there")
    try:
        ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER).load_cert_chain(tls_cert, tls_key, password="")
    except (OSError, ssl.SSLError) as error:
        reason = getattr(error, "reason", None) or error.strerror or "not a certificate"
        raise Trouble(
            f"{tls_cert} and {tls_key} can't be used for https ({reason}): give a certificate and "
            "its key as PEM files, without a password"
        ) from None


def _check_host(host: str, *, tls: bool) -> None:
    """Raises Trouble beyond loopback without https and a name to answer to. The name given becomes
    one that is answered to.
    """
    if _is_loopback(host):
        return
    address = _address_of(host)
    if not tls:
        raise Trouble(f"{host} can be reached by others: give --tls-cert and --tls-key")
    everywhere = address is not None and address.is_unspecified
    if everywhere and not settings().hosts:
        raise Trouble(
            f"{host} stands for every address of this machine: set THRUMBLE_HOSTS to the names it "
            "is opened by, with commas between them"
        )
    if not everywhere:
        name = f"[{host}]" if address is not None and address.version == 6 else host.lower()
        settings().hosts = f"{settings().hosts},{name}"


def _check_port(host: str, port: int) -> None:
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((host, port))
        except OSError as error:
            raise Trouble(
                f"{host}:{port} cannot be served ({error.strerror}): choose another with --port"
            ) from None


def _say_where(address: str | None) -> None:
    """Leaves the address where a second start command finds it."""
    if file := os.environ.get(SERVING):
        if address is None:
            Path(file).unlink(missing_ok=True)
        else:
            Path(file).write_text(address + "\n")


class _Connection(H11Protocol):
    """A connection that knows which account of this machine opened it, and is closed after ten
    seconds if it says nothing, or half of what it wants.
    """

    def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]
        super().connection_made(transport)
        client, here = (transport.get_extra_info(end) for end in ("peername", "sockname"))
        account = account_of(client, here) if client and here else None
        self.app_state = {**self.app_state, "account": account}  # each request's state
        self._began: float | None = self.loop.time()
        self._watch = self.loop.call_later(LOOK_S, self._look)

    def data_received(self, data: bytes) -> None:
        if self._began is None and self.conn.their_state is h11.IDLE:
            self._began = self.loop.time()
        super().data_received(data)
        if self.conn.their_state is not h11.IDLE:
            self._began = None

    def connection_lost(self, exc: Exception | None) -> None:
        self._watch.cancel()
        super().connection_lost(exc)

    def _look(self) -> None:
        answering = self.cycle is not None and not self.cycle.response_complete
        if not answering and self._began is not None and self.loop.time() - self._began > HEADERS_S:
            self.transport.close()
        else:
            self._watch = self.loop.call_later(LOOK_S, self._look)


class _Worker:
    """The worker's process: readings need a whole core, so they have one of their own. Started
    again if it dies, ended with the server.
    """

    def __init__(self) -> None:
        self._stopping = threading.Event()
        self._process: subprocess.Popen[bytes] | None = None
        self._watch = threading.Thread(target=self._run, daemon=True)

    def start(self) -> None:
        self._watch.start()

    def _run(self) -> None:
        while not self._stopping.is_set():
            # a session of its own: Ctrl-C reaches the server, which then ends the worker in order
            environment = {
                **os.environ,
                "DATABASE_URL": database_url(),
                PARENT: str(os.getpid()),
            }
            self._process = subprocess.Popen(
                [sys.executable, "-m", "thrumble.cli", "worker"],
                env=environment,
                start_new_session=True,
            )
            self._process.wait()
            if not self._stopping.is_set():
                log.warning("the worker ended; starting it again", code=self._process.returncode)
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


class _Database:
    """Looks after the private database: if it has died, it is started again."""

    def __init__(self) -> None:
        self._stopping = threading.Event()

    def start(self) -> None:
        threading.Thread(target=self._run, daemon=True).start()

    def stop(self) -> None:
        self._stopping.set()

    def _run(self) -> None:
        script = str(ROOT / "scripts/pg.sh")
        while not self._stopping.wait(RESTART_S):
            if (
                subprocess.run([script, "status"], capture_output=True).returncode == 0
                or self._stopping.is_set()
            ):
                continue
            log.warning("the database is away: starting it again")
            done = subprocess.run([script, "start"], capture_output=True, text=True)
            if done.returncode:
                log.error(
                    "the database does not start", said=(done.stderr or done.stdout).strip()[-300:]
                )

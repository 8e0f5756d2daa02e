"""Riffs from files, parsed in processes of their own, so that no file can hold up the server."""

import asyncio
import contextlib
import os
import subprocess
import sys
import threading
from concurrent.futures import ThreadPoolExecutor
from typing import IO

import structlog

from thrumble.core.errors import Busy, RiffError
from thrumble.formats.exchange import ImportOptions, ReadRiff
from thrumble.importer import CPU_S, receive, send

log = structlog.get_logger()
PROCESSES = 2
WALL_S = 15.0  # the processor may be shared, so a file has longer than its CPU time
MAX_WAITING = 40  # imports in line; more are sent away
QUEUE_S = 20.0
MAX_REQUESTS = 200  # then a process is replaced, so that it never grows
TOO_LONG = (
    f"reading this file takes more than {CPU_S} seconds: export just the part you want, or save it "
    "again in the program it comes from"
)


class _Process:
    """One parsing process; started when it is needed, replaced once it has died or grown old."""

    def __init__(self) -> None:
        self._process: subprocess.Popen[bytes] | None = None
        self._requests = 0

    def ask(self, data: bytes, options: ImportOptions) -> ReadRiff:
        """The riff of a file. Raises RiffError, also if the process had to be ended."""
        process = self._running()
        timer = threading.Timer(WALL_S, process.kill)
        timer.start()
        try:
            send(_pipe(process.stdin), (data, options))
            reply = receive(_pipe(process.stdout))
        except (EOFError, OSError):
            self.end()
            log.warning("an import was ended", code=process.returncode, size=len(data))
            raise RiffError(TOO_LONG, place="file") from None
        finally:
            timer.cancel()
        if isinstance(reply, RiffError):
            raise reply
        assert isinstance(reply, ReadRiff)
        return reply

    def _running(self) -> subprocess.Popen[bytes]:
        self._requests += 1
        if self._requests > MAX_REQUESTS:
            self.end()
        if self._process is None or self._process.poll() is not None:
            self.end()
            environment = {k: v for k, v in os.environ.items() if k != "DATABASE_URL"}
            self._process = subprocess.Popen(
                [sys.executable, "-m", "thrumble.importer"],
                stdin=subprocess.PIPE,
                stdout=subprocess.PIPE,
                stderr=subprocess.DEVNULL,
                env=environment,
            )
            self._requests = 1
        return self._process

    def end(self) -> None:
        """Ends the process at once, whatever it is doing."""
        process, self._process = self._process, None
        if process is None:
            return
        process.kill()
        process.wait()
        for pipe in (process.stdin, process.stdout):
            with contextlib.suppress(OSError):
                _pipe(pipe).close()


def _pipe(pipe: IO[bytes] | None) -> IO[bytes]:
    assert pipe is not None
    return pipe


class _Pool:
    """The processes and the threads that wait for them; these are none of the server's."""

    def __init__(self) -> None:
        self._idle = [_Process() for _ in range(PROCESSES)]
        self._all = tuple(self._idle)
        self._threads = ThreadPoolExecutor(PROCESSES, thread_name_prefix="import")
        self._waiting = 0
        self._lock = threading.Lock()

    async def read(self, data: bytes, options: ImportOptions) -> ReadRiff:
        if self._waiting >= MAX_WAITING:
            raise Busy("many files are being imported just now: try again in a moment")
        self._waiting += 1
        work = asyncio.get_running_loop().run_in_executor(self._threads, self._ask, data, options)
        try:
            return await asyncio.wait_for(work, QUEUE_S)
        except TimeoutError:
            raise Busy("many files are being imported just now: try again in a moment") from None
        finally:
            self._waiting -= 1

    def _ask(self, data: bytes, options: ImportOptions) -> ReadRiff:
        with self._lock:
            process = self._idle.pop()
        try:
            return process.ask(data, options)
        finally:
            with self._lock:
                self._idle.append(process)

    def stop(self) -> None:
        for process in self._all:
            process.end()
        self._threads.shutdown(wait=False, cancel_futures=True)


_pool: _Pool | None = None


async def read_file(data: bytes, options: ImportOptions) -> ReadRiff:
    """The riff of a file of any kind, parsed apart from the server. Raises RiffError, also for a
    file that takes too long or too much memory, and Busy if too many wait.
    """
    global _pool
    if _pool is None:
        _pool = _Pool()
    return await _pool.read(data, options)


def stop() -> None:
    """Ends the parsing processes, also in the middle of a file."""
    global _pool
    pool, _pool = _pool, None
    if pool is not None:
        pool.stop()

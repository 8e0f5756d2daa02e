"""The process in which files from outside are parsed, apart from the server: `python -m
thrumble.importer`. It reads one request after the other from standard input and answers on standard
output, each a pickled value behind its length.

Every request has five seconds of CPU time and the process 300 MB of memory. A file that asks for
more ends this process and nothing else.
"""

import ctypes
import os
import pickle
import resource
import signal
import struct
import sys
from importlib import import_module
from typing import IO, Any

from thrumble.core.errors import RiffError
from thrumble.formats.exchange import ImportOptions, ReadRiff, read_any

CPU_S = 5
MEMORY_BYTES = 300_000_000
HEADER = struct.Struct(">Q")
PR_SET_PDEATHSIG = 1
NICE = 10  # pages are answered before files are parsed
# imported before the limits count; not with this module, which the server imports too
WARM = ("thrumble.formats.midi.reading", "thrumble.formats.musicxml.reading")

Reply = ReadRiff | RiffError


def send(stream: IO[bytes], value: object) -> None:
    """Writes one value with its length before it."""
    data = pickle.dumps(value)
    stream.write(HEADER.pack(len(data)) + data)
    stream.flush()


def receive(stream: IO[bytes]) -> Any:
    """The next value. Raises EOFError at the end of the stream."""
    head = stream.read(HEADER.size)
    if len(head) < HEADER.size:
        raise EOFError
    (length,) = HEADER.unpack(head)
    data = stream.read(length)
    if len(data) < length:
        raise EOFError
    return pickle.loads(data)


def parse(data: bytes, options: ImportOptions) -> Reply:
    """The riff of a file, or what is wrong with the file."""
    try:
        return read_any(data, options)
    except RiffError as error:
        return error
    except MemoryError:
        return RiffError(
            f"reading this file takes over {MEMORY_BYTES // 1_000_000} MB of memory: export just "
            "the part you want",
            place="file",
        )


def main() -> None:
    """Answers requests until standard input ends."""
    ctypes.CDLL(None).prctl(PR_SET_PDEATHSIG, signal.SIGKILL)  # it never outlives its server
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # Ctrl-C is the server's
    os.nice(NICE)
    for module in WARM:
        import_module(module)
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    resource.setrlimit(resource.RLIMIT_DATA, (MEMORY_BYTES, MEMORY_BYTES))
    requests, answers = sys.stdin.buffer, sys.stdout.buffer
    while True:
        try:
            data, options = receive(requests)
        except EOFError:
            return
        _, hard = resource.getrlimit(resource.RLIMIT_CPU)
        spent = resource.getrusage(resource.RUSAGE_SELF)
        used_s = int(spent.ru_utime + spent.ru_stime) + 1
        resource.setrlimit(resource.RLIMIT_CPU, (used_s + CPU_S, hard))
        send(answers, parse(data, options))


if __name__ == "__main__":
    main()

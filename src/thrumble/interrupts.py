"""Ctrl-C before a command is ready for it."""

import os
import signal
from types import FrameType

PATIENCE_S = 3
INTERRUPTED = 130  # the shell's exit code for it


def never_lose_one() -> None:
    """Ctrl-C raises KeyboardInterrupt as always, and ends the process `PATIENCE_S` later if that
    had no effect: raised in a callback of the import machinery, the exception is dropped.

    The process must run Python's usual handler: one that ignores Ctrl-C goes on ignoring it.
    """
    if signal.getsignal(signal.SIGINT) is signal.default_int_handler:
        signal.signal(signal.SIGALRM, _end)
        signal.signal(signal.SIGINT, _interrupt)


def _interrupt(number: int, frame: FrameType | None) -> None:
    signal.alarm(PATIENCE_S)
    signal.default_int_handler(number, frame)


def _end(_: int, __: FrameType | None) -> None:
    os._exit(INTERRUPTED)

"""Passwords and PINs: which are good enough, how they are stored and checked (argon2id by pwdlib,
strength by zxcvbn, whose lists of common passwords ship with it).
"""

import secrets
import threading
from functools import lru_cache

from pwdlib import PasswordHash

from thrumble.core.errors import BadInput, Busy

MIN_LENGTH, MAX_LENGTH = 12, 128
MIN_PIN, MAX_PIN = 4, 12
MIN_SCORE = 3  # of zxcvbn's 0 to 4: more than 10^8 guesses
SCORED = 72  # zxcvbn's work grows with the square of the length
# a check costs 64 MB and keeps both cores busy for a while: one runs, two wait, others are told to
# come back, so that the threads that answer everybody else stay free
AT_ONCE, WAITING, WAIT_S = 1, 2, 5.0
_queue = threading.BoundedSemaphore(AT_ONCE + WAITING)
_places = threading.BoundedSemaphore(AT_ONCE)
TOO_MANY = "too many people sign in at the moment: try again in a few seconds"


@lru_cache(maxsize=1)
def _hasher() -> PasswordHash:
    return PasswordHash.recommended()


@lru_cache(maxsize=1)
def _nobodys() -> str:
    return _hasher().hash(secrets.token_urlsafe(32))


def check_password(password: str, name: str) -> None:
    """Raises BadInput for a password that is too short, too long, or guessed too soon."""
    from zxcvbn import zxcvbn

    if len(password) < MIN_LENGTH:
        raise BadInput(f"a password has at least {MIN_LENGTH} characters: a few words do well")
    if len(password) > MAX_LENGTH:
        raise BadInput(f"a password has {MAX_LENGTH} characters at most")
    guessed = zxcvbn(password[:SCORED], user_inputs=[name, "thrumble", *name.split()])
    if guessed["score"] < MIN_SCORE:
        raise BadInput(
            "this password is easy to guess: use four or more words that don't belong together"
        )


def check_pin(pin: str) -> None:
    """Raises BadInput for anything but 4 to 12 digits that aren't all the same."""
    if not (pin.isascii() and pin.isdigit() and MIN_PIN <= len(pin) <= MAX_PIN):
        raise BadInput(f"a PIN has {MIN_PIN} to {MAX_PIN} digits")
    if len(set(pin)) == 1 or pin in "01234567890" or pin in "09876543210":
        raise BadInput("this PIN is easy to guess: mix the digits")


def hash_secret(secret: str) -> str:
    """The argon2id hash of a password or PIN. Raises Busy if too many wait for one."""
    with _Place():
        return _hasher().hash(secret)


def is_secret(secret: str, stored: str | None) -> bool:
    """Whether a password or PIN is the one whose hash is stored. Without a hash it takes as long,
    and is wrong. Raises Busy if too many wait for an answer.
    """
    with _Place():
        against = _nobodys()
        right = _hasher().verify(secret[:MAX_LENGTH], stored or against)
    return right and stored is not None


class _Place:
    """One of the few slots for password checks that run at the same time."""

    def __enter__(self) -> None:
        if not _queue.acquire(blocking=False):
            raise Busy(TOO_MANY)
        if not _places.acquire(timeout=WAIT_S):
            _queue.release()
            raise Busy(TOO_MANY)

    def __exit__(self, *_: object) -> None:
        _places.release()
        _queue.release()

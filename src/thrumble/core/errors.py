"""Every error a user can cause, as one tree; each message says where, what and how to mend it.

ThrumbleError
├── RiffError       a riff that cannot be read or played, with its place
├── BadAudio        sound that cannot be decoded or read
├── BadTempo        a tempo outside 20 to 400 bpm
├── BadFlaw         a flaw of the simulated player that does not exist or is out of range
├── BadInstrument   a tuning, capo or scale length that no instrument has
├── BadRig          a rig or tone that cannot be
├── NotFound        a riff, take or reading that is not (or no longer) there
├── NotSignedIn     a wrong password or PIN, or nobody is signed in
├── NotAllowed      a step that the state of the thing does not allow
├── BadInput        a number, text or address from outside that cannot be used
├── NoSpace         takes have reached their limit, or the disk is full
├── Busy            too much at once: the same again in a moment
├── TooOften        one browser asks for something costly too many times a minute
└── Trouble         something around the application (backup file, database) is not as needed
    └── Away        the database does not answer now
"""

from dataclasses import dataclass


def storable(text: str) -> str:
    """The text without halves of surrogate pairs, which no page and no database can hold."""
    return text.encode("utf-8", "replace").decode()


class ThrumbleError(Exception):
    """Base of all errors that are shown to a user as they are."""


@dataclass
class RiffError(ThrumbleError):
    """A riff that cannot be read. `line` and `column` count from 1 in text; `place` names section,
    bar, hit and field elsewhere.
    """

    expected: str
    found: str = ""
    line: int | None = None
    column: int | None = None
    place: str = ""

    def __post_init__(self) -> None:
        self.found = storable(self.found)
        self.place = storable(self.place)

    def __str__(self) -> str:
        where = f"line {self.line}, column {self.column}" if self.line is not None else self.place
        seen = f"found {self.found!r}: " if self.found else ""
        return f"{where}: {seen}{self.expected}" if where else f"{seen}{self.expected}"


class BadAudio(ThrumbleError):
    """Sound that cannot be decoded, or that the ear cannot use."""


class BadTempo(ThrumbleError):
    """A tempo outside what a riff may have."""


class BadFlaw(ThrumbleError):
    """An unknown flaw of the simulated player, or a value outside its range."""


@dataclass
class BadInstrument(ThrumbleError):
    """An instrument that cannot be. `part`: tuning, capo or scale length."""

    part: str
    found: object
    expected: str

    def __str__(self) -> str:
        return f"{self.part}: found {self.found}: {self.expected}"


class BadRig(ThrumbleError):
    """A rig or tone described in a way that cannot be."""


class NotFound(ThrumbleError):
    """The thing asked for is not there, or belongs to another player."""


class NotSignedIn(ThrumbleError):
    """Nobody is signed in, or what was typed to sign in is wrong."""


class NotAllowed(ThrumbleError):
    """The state of the thing does not allow this step now."""


class BadInput(ThrumbleError):
    """Something sent from outside that is not what it has to be."""


class NoSpace(ThrumbleError):
    """The disk, or the space that takes may use, is full."""


class Busy(ThrumbleError):
    """More was asked at once than the server answers at once."""


class TooOften(ThrumbleError):
    """Something costly is asked for more often than it is given."""


class Trouble(ThrumbleError):
    """Something around the application is not as it has to be."""


class Away(Trouble):
    """The database can't be reached; the request may be tried again."""

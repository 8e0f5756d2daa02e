"""Hits that are taken as the player says: at a place, with certain fingers, or both."""

from dataclasses import dataclass

from thrumble.core.neck.grips import Grip


@dataclass(frozen=True, slots=True)
class Lock:
    """One hit held. `layout`: strings and frets, lowest string first, None for any; `fingers` of
    the pressed ones likewise.
    """

    index: int
    layout: tuple[tuple[int, int], ...] | None = None
    fingers: tuple[int, ...] | None = None

    def allows(self, grip: Grip) -> bool:
        """Whether a grip is what the lock says."""
        placed = self.layout is None or grip.layout == self.layout
        return placed and (self.fingers is None or grip.fingers == self.fingers)

    @property
    def words(self) -> str:
        """The lock in words."""
        parts = []
        if self.layout is not None:
            parts.append(", ".join(f"{string}:{fret}" for string, fret in self.layout))
        if self.fingers is not None:
            parts.append("fingers " + " ".join(map(str, self.fingers)))
        return " with ".join(parts)


def locked_out(bar: int, called: str, lock: Lock, other: Lock | None) -> str:
    """The message for a lock that can't be kept, alone or beside another one on the same hits."""
    if other is not None:
        return (
            f"bar {bar}: two locks pull {called} apart, {other.words} and {lock.words}: unlock one"
        )
    return f"bar {bar}: your hand can't take {called} as {lock.words}: unlock it"

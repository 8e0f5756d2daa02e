"""What a visitor asks of a riff's neck, as it stands in the address: so that a way found can be
kept, gone back from, and sent on.
"""

import re
from dataclasses import dataclass, replace
from typing import Annotated, Any
from urllib.parse import urlencode

from fastapi import Query

from thrumble.core.errors import BadInput
from thrumble.core.neck.grips import Grip
from thrumble.core.neck.hand import Damping, Hand, School
from thrumble.core.neck.locks import Lock
from thrumble.core.neck.picking import Picking
from thrumble.core.neck.weights import Wish
from thrumble.store.practice.hands import Hands
from thrumble.web.inputs import Line

MAX_LOCKS = 200
_LOCK = re.compile(r"(\d{1,6})~((?:\d{1,2}\.\d{1,2}(?:-|$|(?=~)))*)~((?:\d(?:\.|$))*)")


@dataclass(frozen=True, slots=True, kw_only=True)
class NeckQuery:
    """Which route is looked at, and at which hit; for which hands, wishes, tempo and locks."""

    hands: Hands
    tempo_bpm: float | None = None
    strict: bool = False
    wishes: frozenset[Wish] = frozenset()
    locks: tuple[Lock, ...] = ()
    route: int = 0
    at: int | None = None

    def query(self, **changes: Any) -> str:
        """The address's query with some of it changed."""
        query = replace(self, **changes)
        hand = query.hands.hand
        pairs: list[tuple[str, str]] = [
            ("school", hand.school.value if hand.school else "any"),
            ("reach", f"{hand.reach_mm:g}"),
            ("damping", hand.damping.value),
            ("picking", query.hands.picking.value),
        ]
        if query.tempo_bpm is not None:
            pairs.append(("tempo", f"{query.tempo_bpm:g}"))
        if query.strict:
            pairs.append(("strict", "true"))
        pairs += [("wish", wish.value) for wish in sorted(query.wishes)]
        pairs += [("lock", write_lock(lock)) for lock in query.locks]
        if query.route:
            pairs.append(("route", str(query.route)))
        if query.at is not None:
            pairs.append(("at", str(query.at)))
        return urlencode(pairs)

    def with_lock(self, lock: Lock) -> str:
        """The query with a hit held; a hold on the same hit gives way."""
        return self.query(locks=(*self._other_locks(lock.index), lock), route=0, at=lock.index)

    def without_lock(self, index: int) -> str:
        """The query with a hit let go."""
        return self.query(locks=self._other_locks(index), route=0, at=index)

    def _other_locks(self, index: int) -> tuple[Lock, ...]:
        return tuple(lock for lock in self.locks if lock.index != index)


def lock_of(index: int, grip: Grip) -> Lock:
    """A hit held as a grip takes it."""
    return Lock(index, grip.layout, grip.fingers)


def write_lock(lock: Lock) -> str:
    """A lock as it stands in an address: hit, strings and frets, fingers."""
    layout = "-".join(f"{string}.{fret}" for string, fret in lock.layout or ())
    return f"{lock.index}~{layout}~{'.'.join(map(str, lock.fingers or ()))}"


def read_lock(text: str) -> Lock:
    """Reverse of `write_lock`. Raises BadInput."""
    match = _LOCK.fullmatch(text)
    if match is None:
        raise BadInput("a lock in this address can't be read: unlock all, then lock again")
    layout = tuple(
        (int(string), int(fret))
        for string, fret in (spot.split(".") for spot in match[2].split("-") if spot)
    )
    fingers = tuple(int(finger) for finger in match[3].split(".") if finger)
    return Lock(int(match[1]), layout or None, fingers or None)


@dataclass(frozen=True, slots=True, kw_only=True)
class RawAsked:
    """The query as it came; empty if the visitor's own hands count."""

    school: Annotated[Line, Query(max_length=10)] = ""
    reach: Annotated[float | None, Query(ge=1, le=1000)] = None
    damping: Annotated[Line, Query(max_length=10)] = ""
    picking: Annotated[Line, Query(max_length=20)] = ""
    tempo: Annotated[float | None, Query(ge=20, le=400)] = None
    strict: bool = False
    wish: Annotated[list[Line], Query(max_length=10)] = None  # type: ignore[assignment]
    lock: Annotated[list[Line], Query(max_length=MAX_LOCKS)] = None  # type: ignore[assignment]
    route: Annotated[int, Query(ge=0, le=20)] = 0
    at: Annotated[int | None, Query(ge=0, le=100_000)] = None


def parse_query(raw: RawAsked, hands: Hands) -> NeckQuery:
    """What is asked, the player's own hands filled in. Raises BadInput for words that are on no
    list.
    """
    hand = hands.hand
    school = hand.school if not raw.school else _one_of(School, raw.school, "fingers")
    return NeckQuery(
        hands=replace(
            hands,
            hand=Hand(
                reach_mm=hand.reach_mm if raw.reach is None else raw.reach,
                school=school,
                damping=_one_of(Damping, raw.damping, "damping") or hand.damping,
            ),
            picking=_one_of(Picking, raw.picking, "picking") or hands.picking,
        ),
        tempo_bpm=raw.tempo,
        strict=raw.strict,
        wishes=frozenset(w for text in raw.wish or () if (w := _one_of(Wish, text, "wishes"))),
        locks=tuple(read_lock(text) for text in raw.lock or ()),
        route=raw.route,
        at=raw.at,
    )


def _one_of(kind: Any, text: str, what: str) -> Any:
    """A member of a closed set; None for none said, and for any."""
    if text in ("", "any"):
        return None
    if text not in {member.value for member in kind}:
        raise BadInput(f"choose the {what} from the list")
    return kind(text)

"""What a cause is: a value with its kind, what it costs, its hits and its figures; and what makes
one worth a word.
"""

from collections.abc import Iterable
from dataclasses import dataclass, field
from enum import StrEnum

from thrumble.core.coach.verdict.judgement import HitKey, JudgedHit

CHANCE = 0.005  # a cause that would come about so rarely by chance is believed
SPOILT = 0.03  # share of the hits that a cause has to spoil to be worth a word


class CauseKind(StrEnum):
    """What a cause is about."""

    DAMAGED = "damaged"
    OTHER_RIFF = "other_riff"
    MISSED = "missed"
    EXTRA = "extra"
    DRIFT = "drift"
    SWING = "swing"
    SHIFTS = "shifts"
    SLOT = "slot"
    SPREAD = "spread"
    TIRING = "tiring"
    RANG = "rang"
    CHOKED = "choked"
    DEAD_RINGS = "dead_rings"
    STOPS = "stops"
    FRETS = "frets"
    STRAYS = "strays"
    BIAS = "bias"
    LEVEL = "level"
    RAMP = "ramp"
    UNLIKE = "unlike"
    FEW = "few"
    CLEAN = "clean"
    NOTHING = "nothing"


# kinds that say how a take went without naming what holds it back
NOT_A_CAUSE = frozenset({CauseKind.CLEAN, CauseKind.FEW, CauseKind.NOTHING})


@dataclass(frozen=True, slots=True, kw_only=True)
class Cause:
    """One finding. `cost`: share of the hits it spoils; `hits`: (round, index) of those it names;
    `figures`: what its sentence needs, by name
    with the unit; `words`: names in it, such as a place in the bar."""

    kind: CauseKind
    cost: float
    hits: tuple[HitKey, ...] = ()
    figures: dict[str, float] = field(default_factory=dict)
    words: dict[str, str] = field(default_factory=dict)


def keys_of(hits: Iterable[JudgedHit]) -> tuple[HitKey, ...]:
    return tuple(hit.key for hit in hits)

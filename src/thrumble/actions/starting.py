"""A new player's first steps: a guitar, a riff of two bars, and what is left to do."""

from dataclasses import dataclass
from enum import StrEnum

from sqlmodel import Session

from thrumble.core.riff.notation.text import parse_riff
from thrumble.store.players import players
from thrumble.store.players.players import Player
from thrumble.store.players.steps import steps_done
from thrumble.store.riffs import riffs
from thrumble.store.rig import rigs

STARTER = "First steps"
FIRST_RIFF = f"""title: {STARTER}
tempo: 90
tuning: E2 A2 D3 G3 B3 E4
pedal: 6:0

# Two bars to try everything with: open chords, palm mutes, and a stop.
[A]
| E5@6/0 >o M M o M M o M | >o M M o M M o - |
"""


class Step(StrEnum):
    """What a newcomer does once, in this order."""

    NAME = "name"
    GUITAR = "guitar"
    LEVEL = "level"
    LATENCY = "latency"
    FIRST_TAKE = "first take"


@dataclass(frozen=True, slots=True)
class FirstSteps:
    """What is done of them. `riff_id`: the riff to begin with, None if there is none; `has_plan`:
    there is something to plan for, a take or a riff of the player's own.
    """

    done: frozenset[Step]
    riff_id: int | None
    has_plan: bool

    @property
    def is_over(self) -> bool:
        return self.done == frozenset(Step)


def start_player(session: Session, name: str, *, uses: bool = True) -> Player:
    """A new player with a usual guitar and one riff of two bars. `uses`: who plays on this machine
    from now on. Raises BadInput.
    """
    player = players.add_player(session, name)
    if uses:
        players.use_player(session, player.id)
    rigs.ensure_rig(session, player.id)
    riffs.add_riff(session, player.id, parse_riff(FIRST_RIFF), FIRST_RIFF)
    return player


def first_steps(session: Session, player: Player) -> FirstSteps:
    """How far a player has come, by what is stored."""
    stored = steps_done(session, player.id, STARTER)
    done = {
        Step.NAME: player.name != players.FIRST_NAME,
        Step.GUITAR: stored.guitar,
        Step.LEVEL: stored.level,
        Step.LATENCY: stored.latency,
        Step.FIRST_TAKE: stored.take,
    }
    return FirstSteps(
        done=frozenset(step for step, is_done in done.items() if is_done),
        riff_id=stored.riff_id,
        has_plan=stored.take or stored.riff,
    )

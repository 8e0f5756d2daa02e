"""A new player's first steps: a guitar, a riff of two bars, and what is left to do."""

from dataclasses import dataclass
from enum import StrEnum

from sqlmodel import Session

from thrumble.core.riff.notation.text import parse_riff
from thrumble.store.players import players
from thrumble.store.players.players import Player
from thrumble.store.riffs import riffs
from thrumble.store.rig import rigs
from thrumble.store.takes import take_lists

FIRST_RIFF = """title: First steps
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
    """What is done of them. `rig_id`, `riff_id`: the guitar and the riff to begin with, None if
    there is none.
    """

    done: frozenset[Step]
    rig_id: int | None
    riff_id: int | None

    @property
    def is_over(self) -> bool:
        return self.done == frozenset(Step)


def start_player(session: Session, name: str) -> Player:
    """A new player with a usual guitar and one riff of two bars, who plays from now on. Raises
    BadInput.
    """
    player = players.add_player(session, name)
    players.use_player(session, player.id)
    rigs.ensure_rig(session, player.id)
    riffs.add_riff(session, player.id, parse_riff(FIRST_RIFF), FIRST_RIFF)
    return player


def first_steps(session: Session, player: Player) -> FirstSteps:
    """How far a player has come, by what is stored."""
    all_rigs = rigs.rigs_of(session, player.id)
    tones = rigs.tones_of(session, player.id)
    first = riffs.first_riff(session, player.id)
    done = {
        Step.NAME: player.name != players.FIRST_NAME,
        Step.GUITAR: any(rig.name != rigs.FIRST.name for rig in all_rigs),
        Step.LEVEL: any(tone.level for tone in tones),
        Step.LATENCY: rigs.has_calibration(session, player.id),
        Step.FIRST_TAKE: take_lists.count_takes(session, player.id) > 0,
    }
    return FirstSteps(
        done=frozenset(step for step, is_done in done.items() if is_done),
        rig_id=all_rigs[0].id if all_rigs else None,
        riff_id=first,
    )

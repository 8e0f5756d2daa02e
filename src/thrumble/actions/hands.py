"""What a player's own takes say about the fretting hand."""

from collections.abc import Iterator
from functools import lru_cache

from sqlmodel import Session

from thrumble.core.coach.progress.hand_speed import hand_speed
from thrumble.core.instrument import Instrument
from thrumble.core.riff.expand import expand
from thrumble.core.riff.model import Riff
from thrumble.core.riff.shifts import move_speeds_mm_s
from thrumble.store.practice import hands
from thrumble.store.practice.hands import PlayedTake
from thrumble.store.rig import rigs


def best_speed(session: Session, player_id: int) -> float | None:
    """How fast the hand moves and still lands in time, mm/s: as the player set it, else by the last
    takes; None if these don't tell.
    """
    if (set_by_hand := hands.hands_of(session, player_id).speed_mm_s) is not None:
        return set_by_hand
    rigs_by_id = {rig.id: rig for rig in rigs.rigs_of(session, player_id)}
    takes = [
        list(_landed(take, rigs_by_id.get(take.rig_id or 0)))
        for take in hands.latest_takes(session, player_id)
    ]
    speed = hand_speed(takes)
    return None if speed is None else speed.mm_s


def _landed(take: PlayedTake, rig: rigs.Rig | None) -> Iterator[tuple[float, bool]]:
    """Every move of a take: how fast it had to be, and whether it landed in time, as judged."""
    if not take.in_time:
        return
    neck = take.riff.instrument if rig is None else rig.tuned_for(take.riff)
    speeds = _move_speeds_mm_s(take.riff, take.tempo_bpm, neck)
    for index, in_time in take.in_time:
        if speeds[index] > 0:
            yield speeds[index], in_time


@lru_cache(maxsize=64)
def _move_speeds_mm_s(riff: Riff, tempo_bpm: float, neck: Instrument) -> tuple[float, ...]:
    """A take's riff never changes, so how fast its moves are is worked out once."""
    return tuple(move_speeds_mm_s(expand(riff, tempo_bpm).hits, neck))

"""What a player's own takes say about the fretting hand."""

from collections.abc import Iterator

from sqlmodel import Session

from thrumble.core.coach.progress.moves import best_speed_mm_s
from thrumble.core.riff.expand import expand
from thrumble.core.riff.shifts import move_speeds_mm_s
from thrumble.store.practice import hands
from thrumble.store.practice.hands import PlayedTake
from thrumble.store.rig import rigs


def best_speed(session: Session, player_id: int) -> float | None:
    """The fastest that the hand has moved in the last takes and still landed in time, mm/s; None
    where they do not tell.
    """
    rigs_by_id = {rig.id: rig for rig in rigs.rigs_of(session, player_id)}
    speeds = [
        landing
        for take in hands.latest_takes(session, player_id)
        for landing in _landed(take, rigs_by_id.get(take.rig_id or 0))
    ]
    return best_speed_mm_s(speeds)


def _landed(take: PlayedTake, rig: rigs.Rig | None) -> Iterator[tuple[float, bool]]:
    """Every move of a take: how fast it had to be, and whether it landed in time, as judged."""
    if not take.in_time:
        return
    neck = take.riff.instrument if rig is None else rig.tuned_for(take.riff)
    expanded = expand(take.riff, take.tempo_bpm)
    fast = move_speeds_mm_s(expanded.hits, neck)
    for index, in_time in take.in_time:
        if fast[index] > 0:
            yield fast[index], in_time

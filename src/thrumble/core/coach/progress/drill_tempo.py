"""How fast to start a drill: as slow as it asks for, never faster than its riff goes by now, and
never faster than the hand moves.
"""

from dataclasses import dataclass
from decimal import Decimal

from thrumble.core.instrument import Instrument
from thrumble.core.riff.expand import expand
from thrumble.core.riff.model import TEMPO_RANGE_BPM, Riff
from thrumble.core.riff.shifts import move_speeds_mm_s


@dataclass(frozen=True, slots=True)
class DrillTempo:
    """A tempo and the reason for it, the rest of a sentence that begins with the tempo."""

    tempo_bpm: float
    why: str


def drill_tempo(
    drill: Riff,
    share: Decimal,
    goal_bpm: float,
    step_bpm: float,
    neck: Instrument,
    best_mm_s: float | None,
) -> DrillTempo:
    """The tempo to start a drill at, in whole bpm.

    share : of the riff's tempo that this kind of drill starts at.
    goal_bpm, step_bpm : the riff's own tempo, and the one it is played at next.
    best_mm_s : how fast the fretting hand moves and still lands in time; None if it was never
        measured.
    """
    low, _ = TEMPO_RANGE_BPM
    now_bpm = min(goal_bpm, step_bpm)
    tempo_bpm = max(float(low), round(float(share) * now_bpm))
    why = "the riff's own tempo" if now_bpm == goal_bpm else "as fast as the riff goes by now"
    if share < 1:
        why = f"{share:.0%} of the {now_bpm:g} bpm that the riff goes by now"
    if best_mm_s is None:
        return DrillTempo(tempo_bpm, why)
    fastest_mm_s = max(move_speeds_mm_s(expand(drill, tempo_bpm).hits, neck), default=0.0)
    if fastest_mm_s > best_mm_s:
        tempo_bpm = max(float(low), float(int(tempo_bpm * best_mm_s / fastest_mm_s)))
        why = f"no faster than your hand shifts in time ({best_mm_s:.0f} mm a second)"
    return DrillTempo(tempo_bpm, why)

"""Two sets of a player's takes of one riff held against each other, and how they sound beside the
ideal.
"""

from dataclasses import dataclass
from pathlib import Path

from sqlmodel import Session

from thrumble.actions.judging import JudgedTake, judged_take
from thrumble.actions.rehearsal import CLICK_DB, MAX_S, SEED, STEADY
from thrumble.core.coach.comparing.comparison import Comparison, compare_sides
from thrumble.core.coach.comparing.metrics import hits_of
from thrumble.core.errors import BadInput
from thrumble.core.player.perform import perform
from thrumble.core.player.sound import Tone
from thrumble.core.riff.expand import expand
from thrumble.formats.audio import write_wav16
from thrumble.store.riffs.riffs import Revision
from thrumble.store.rig import rigs

MAX_TAKES = 12  # of one side
IDEAL_RATE_HZ = 24_000


@dataclass(frozen=True, slots=True)
class Compared:
    """Both sets with their judged takes, and what differs. `revision`: of A's first take."""

    revision: Revision
    a: list[JudgedTake]
    b: list[JudgedTake]
    found: Comparison


def compare_takes(
    session: Session, player_id: int, first: list[int], second: list[int]
) -> Compared:
    """Raises NotFound, and BadInput for takes of different riffs, too many, or one on both
    sides.
    """
    for side in (first, second):
        if not 1 <= len(side) <= MAX_TAKES:
            raise BadInput(f"each side takes 1 to {MAX_TAKES} takes; found {len(side)}")
    if set(first) & set(second):
        raise BadInput("a take can't be on both sides: choose another one for B")
    sides = [[judged_take(session, player_id, n) for n in side] for side in (first, second)]
    if len({judged.take.riff_id for side in sides for judged in side}) > 1:
        raise BadInput("these takes are of different riffs: compare takes of one riff")
    comparison = compare_sides(*([hits_of(judged.judgement) for judged in side] for side in sides))
    return Compared(sides[0][0].revision, sides[0], sides[1], comparison)


def write_reference(
    session: Session, player_id: int, take_id: int, target: Path, *, click: bool
) -> None:
    """The riff as it is written, steady, in the take's tempo and tone, from bar 1 beat 1 at the
    same second as in the take: WAV. `click`: with the click. Raises BadInput for a riff of more
    than a minute and a half.
    """
    judged = judged_take(session, player_id, take_id)
    take, riff = judged.take, judged.riff
    expanded = expand(riff, judged.reading.tempo_bpm)
    if expanded.round_s * judged.reading.rounds > MAX_S:
        raise BadInput(f"the reference can be played for takes of at most {MAX_S:.0f} s")
    kind = ""
    if take.tone_id is not None:
        kind = rigs.get_tone(session, player_id, take.tone_id).sound.replace(" ", "-")
    start_s = max(0.0, (judged.reading.start_s or 0.0) + expanded.begin_s)
    made = perform(
        riff,
        tempo_bpm=judged.reading.tempo_bpm,
        rounds=judged.reading.rounds,
        seed=SEED,
        tone=Tone(kind) if kind in list(Tone) else Tone.CRUNCH,
        flaws=STEADY,
        rate_hz=IDEAL_RATE_HZ,
        lead_s=start_s,
        click_db=CLICK_DB if click else None,
    )
    target.write_bytes(write_wav16(made.samples, made.rate_hz))

"""What a newcomer has done so far, in one question to the database."""

from dataclasses import dataclass

import sqlalchemy as sa
from sqlmodel import Session

from thrumble.store.rig.rigs import FIRST

_STEPS = """
select
  exists (select from rig where player_id = :player and name <> :first),
  exists (select from tone where player_id = :player and level is not null),
  exists (select from calibration where player_id = :player),
  exists (select from take where player_id = :player),
  exists (
    select from revision join riff on riff.id = revision.riff_id
    where riff.player_id = :player and riff.drill_kind = '' and revision.title <> :starter),
  (select min(id) from riff where player_id = :player and drill_kind = '')
"""


@dataclass(frozen=True, slots=True)
class StepsDone:
    """`guitar`: one has a name of the player's; `riff`: there is one beside the riff to begin
    with; `riff_id`: the oldest riff that is no drill.
    """

    guitar: bool
    level: bool
    latency: bool
    take: bool
    riff: bool
    riff_id: int | None


def steps_done(session: Session, player_id: int, starter: str) -> StepsDone:
    """How far a player has come. `starter`: the title of the riff to begin with."""
    row = session.execute(
        sa.text(_STEPS), {"player": player_id, "first": FIRST.name, "starter": starter}
    ).one()
    return StepsDone(*row)

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
  (select min(id) from riff where player_id = :player and drill_kind = '')
"""


@dataclass(frozen=True, slots=True)
class StepsDone:
    """`guitar`: one has a name of the player's; `riff_id`: the oldest riff that is no drill."""

    guitar: bool
    level: bool
    latency: bool
    take: bool
    riff_id: int | None


def steps_done(session: Session, player_id: int) -> StepsDone:
    """How far a player has come."""
    row = session.execute(sa.text(_STEPS), {"player": player_id, "first": FIRST.name}).one()
    return StepsDone(*row)

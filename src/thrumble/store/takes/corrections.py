"""What the player says hits were; what was heard stays as it is. Functions take the session and the
player first, and never commit.
"""

from dataclasses import dataclass
from datetime import UTC, datetime

import sqlalchemy as sa
from sqlalchemy.dialects.postgresql import insert
from sqlmodel import Session, col, select

from thrumble.core.coach.verdict.judgement import HitKey
from thrumble.store.rig.tables import ExampleRow
from thrumble.store.takes.tables import CorrectionRow


@dataclass(frozen=True, slots=True, kw_only=True)
class Correction:
    """What the player says a hit was. `example_id`: the example it became, None if it did not
    join the profile.
    """

    index: int
    round: int
    articulation: str
    heard: str
    example_id: int | None


def put_correction(
    session: Session,
    player_id: int,
    take_id: int,
    *,
    index: int,
    round_: int,
    articulation: str,
    classified: str,
    example_id: int | None = None,
) -> None:
    """Keeps what the player says a hit was, in place of what they said before."""
    values = {
        "player_id": player_id,
        "take_id": take_id,
        "index": index,
        "round": round_,
        "articulation": articulation,
        "heard": classified,
        "example_id": example_id,
        "created_at": datetime.now(UTC),
    }
    changed = {name: values[name] for name in ("articulation", "heard", "example_id", "created_at")}
    session.execute(
        insert(CorrectionRow)
        .values(values)
        .on_conflict_do_update(index_elements=["take_id", "index", "round"], set_=changed)
    )


def delete_correction(
    session: Session, player_id: int, take_id: int, index: int, round_: int
) -> None:
    """Takes a correction back, and its example with it."""
    row = session.exec(
        select(CorrectionRow).where(
            CorrectionRow.player_id == player_id,
            CorrectionRow.take_id == take_id,
            CorrectionRow.index == index,
            CorrectionRow.round == round_,
        )
    ).first()
    if row is None:
        return
    if row.example_id is not None:
        session.execute(sa.delete(ExampleRow).where(col(ExampleRow.id) == row.example_id))
    session.delete(row)
    session.flush()


def corrections_of(session: Session, player_id: int, take_id: int) -> dict[HitKey, Correction]:
    """A take's corrections by hit."""
    query = select(CorrectionRow).where(
        CorrectionRow.take_id == take_id, CorrectionRow.player_id == player_id
    )
    return {HitKey(row.round, row.index): _correction(row) for row in session.exec(query).all()}


def _correction(row: CorrectionRow) -> Correction:
    return Correction(
        index=row.index,
        round=row.round,
        articulation=row.articulation,
        heard=row.heard,
        example_id=row.example_id,
    )


def corrected_kinds(session: Session, player_id: int) -> list[tuple[str, str]]:
    """What was heard and what the player said it was, over all takes."""
    query = select(CorrectionRow.heard, CorrectionRow.articulation).where(
        CorrectionRow.player_id == player_id
    )
    return [(articulation, corrected) for articulation, corrected in session.exec(query).all()]

"""Drills: riffs that were made from another. Each riff, kind and bars has one, so that its takes
lie together.
"""

from dataclasses import dataclass
from datetime import UTC, datetime

import sqlalchemy as sa
from sqlalchemy.dialects.postgresql import distinct_on
from sqlmodel import Session, col, select

from thrumble.core.coach.progress.drill_effect import Helped, Measure
from thrumble.core.riff.drills.catalogue import DrillKind
from thrumble.core.riff.model import Riff
from thrumble.core.takes import TakeState
from thrumble.store.practice.tables import HelpedRow
from thrumble.store.riffs import riffs
from thrumble.store.riffs.riffs import Revision
from thrumble.store.riffs.tables import RevisionRow, RiffRow
from thrumble.store.takes.tables import TakeRow


@dataclass(frozen=True, slots=True)
class DrillOf:
    """What a drill was made from: the riff, which drill, which bars (None: all)."""

    riff_id: int
    kind: DrillKind
    bars: tuple[int, int] | None


def keep_drill(session: Session, player_id: int, of: DrillOf, riff: Riff, source: str) -> Revision:
    """The drill as a riff of its own: the one there is, as it stands now, or a new one. Raises
    NotFound for the riff it is of.
    """
    riffs.own_riff(session, player_id, of.riff_id, lock=True)  # one drill, however many ask
    there = find_drill(session, player_id, of)
    if there is not None:
        return riffs.add_revision(session, player_id, there, riff, source)
    made = riffs.add_riff(session, player_id, riff, source)
    row = riffs.own_riff(session, player_id, made.riff_id)
    row.drill_of, row.drill_kind = of.riff_id, of.kind.value
    row.drill_bars = _bars_text(of.bars)
    session.add(row)
    session.flush()
    return made


def find_drill(session: Session, player_id: int, of: DrillOf) -> int | None:
    """The riff that a drill is stored as; None if it isn't yet."""
    return session.exec(
        select(RiffRow.id).where(
            RiffRow.player_id == player_id,
            RiffRow.drill_of == of.riff_id,
            RiffRow.drill_kind == of.kind.value,
            RiffRow.drill_bars == _bars_text(of.bars),
        )
    ).first()


def kept_drills(session: Session, player_id: int) -> list[tuple[int, str]]:
    """All drills that were kept: number and title as they stand now, by title."""
    newest = (
        select(RevisionRow.riff_id, RevisionRow.title)
        .join(RiffRow, col(RiffRow.id) == col(RevisionRow.riff_id))
        .where(RiffRow.player_id == player_id, col(RiffRow.drill_of).is_not(None))
        .ext(distinct_on(col(RevisionRow.riff_id)))
        .order_by(col(RevisionRow.riff_id), col(RevisionRow.number).desc())
    )
    return sorted(session.exec(newest).all(), key=lambda row: row[1])


def drill_of(session: Session, player_id: int, riff_id: int) -> DrillOf | None:
    """What a riff was made from; None for one that stands by itself. Raises NotFound."""
    row = riffs.own_riff(session, player_id, riff_id)
    if row.drill_of is None:
        return None
    first, _, last = row.drill_bars.partition("-")
    bars = (int(first), int(last)) if first else None
    return DrillOf(row.drill_of, DrillKind(row.drill_kind), bars)


def stand_alone(session: Session, player_id: int, riff_id: int) -> None:
    """Makes a drill a riff of its own, listed with the others; its takes stay. Raises NotFound."""
    row = riffs.own_riff(session, player_id, riff_id)
    row.drill_of, row.drill_kind, row.drill_bars = None, "", ""
    session.add(row)
    session.flush()


def drilled_between(
    session: Session, player_id: int, riff_id: int, after_take: int, before_take: int
) -> list[int]:
    """The takes of a riff's drills that were played between two of its own, the oldest first."""
    query = (
        select(TakeRow.id)
        .join(RiffRow, col(RiffRow.id) == TakeRow.riff_id)
        .where(
            TakeRow.player_id == player_id,
            RiffRow.drill_of == riff_id,
            col(TakeRow.id) > after_take,
            col(TakeRow.id) < before_take,
        )
        .order_by(col(TakeRow.id))
    )
    return [take_id for take_id in session.exec(query) if take_id is not None]


def put_helped(
    session: Session, player_id: int, riff_id: int, before: int, after: int, helped: Helped
) -> None:
    """Keeps what a drill changed between two takes, instead of what was kept of them."""
    session.execute(
        sa.delete(HelpedRow).where(
            col(HelpedRow.player_id) == player_id,
            col(HelpedRow.after_take) == after,
            col(HelpedRow.drill_kind) == helped.kind.value,
        )
    )
    low, high = helped.interval or (None, None)
    session.add(
        HelpedRow(
            player_id=player_id,
            riff_id=riff_id,
            before_take=before,
            after_take=after,
            drill_kind=helped.kind.value,
            measure=helped.measure.value,
            hits=helped.hits,
            before=helped.before,
            after=helped.after,
            change=helped.change,
            low=low,
            high=high,
            created_at=datetime.now(UTC),
        )
    )
    session.flush()


def helped_of(session: Session, player_id: int, take_id: int) -> list[Helped]:
    """The effects of the drills that a take was the first to follow."""
    query = select(HelpedRow).where(
        HelpedRow.player_id == player_id, HelpedRow.after_take == take_id
    )
    return [_helped(row) for row in session.exec(query.order_by(col(HelpedRow.id)))]


def all_helped(session: Session, player_id: int) -> list[Helped]:
    """The effect of every drill so far, the newest first."""
    query = select(HelpedRow).where(HelpedRow.player_id == player_id)
    return [_helped(row) for row in session.exec(query.order_by(col(HelpedRow.id).desc()))]


def _helped(row: HelpedRow) -> Helped:
    has_interval = row.low is not None and row.high is not None
    return Helped(
        kind=DrillKind(row.drill_kind),
        measure=Measure(row.measure),
        hits=row.hits,
        before=row.before,
        after=row.after,
        change=row.change,
        interval=(row.low or 0.0, row.high or 0.0) if has_interval else None,
    )


def take_before(session: Session, player_id: int, riff_id: int, take_id: int) -> int | None:
    """The last take of a riff that was read before another one."""
    query = select(sa.func.max(TakeRow.id)).where(
        TakeRow.player_id == player_id,
        TakeRow.riff_id == riff_id,
        col(TakeRow.id) < take_id,
        TakeRow.state == TakeState.READ,
    )
    return session.exec(query).one()


def _bars_text(bars: tuple[int, int] | None) -> str:
    return "" if bars is None else f"{bars[0]}-{bars[1]}"

"""What each take asked of the hands: one row a reading, written with it, so that a day, a week or
a riff is summed from few rows. Takes of drills count; of each take the newest reading counts.
"""

from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, timedelta
from typing import Any

import sqlalchemy as sa
from sqlalchemy.dialects.postgresql import insert
from sqlmodel import Session, col

from thrumble.core.coach.planning.hand_health import TakeEffort
from thrumble.core.coach.progress.sessions import TakeAt
from thrumble.core.coach.progress.stamina import Run, TakeLoad
from thrumble.store.practice.rounds import is_newest, local_day, reading_of
from thrumble.store.practice.tables import LoadRow
from thrumble.store.riffs.tables import RiffRow
from thrumble.store.takes.tables import ReadingRow, TakeRow


def put_load(
    session: Session, player_id: int, take_id: int, engine: str, tempo_bpm: float, load: TakeLoad
) -> None:
    """Keeps what a reading says of its take, instead of what there was."""
    reading = reading_of(session, player_id, take_id, engine)
    values = {
        "riff_id": reading.riff_id,
        "day": local_day(reading.at, reading.zone),
        "tempo_bpm": tempo_bpm,
        "strokes": load.strokes,
        "down": load.down,
        "seconds": load.seconds,
        "run_strokes": load.run_strokes,
        "run_s": load.run_s,
        "tired_s": load.tired_s,
        "spread_ms": load.spread_ms,
        "level_db": load.level_db,
        "clean": load.clean,
        "judged": load.judged,
        "causes": list(load.causes),
    }
    new = insert(LoadRow).values(reading_id=reading.reading_id, player_id=player_id, **values)
    session.execute(new.on_conflict_do_update(index_elements=["reading_id"], set_=values))


def _counted(player_id: int, *columns: Any) -> Any:
    """Some columns of all loads of a player that count, with reading and take at hand."""
    return (
        sa.select(*columns)
        .select_from(LoadRow)
        .join(ReadingRow, col(ReadingRow.id) == col(LoadRow.reading_id))
        .join(TakeRow, col(TakeRow.id) == col(ReadingRow.take_id))
        .where(
            col(LoadRow.player_id) == player_id,
            is_newest(),
        )
    )


@dataclass(frozen=True, slots=True)
class PlayedDay:
    """One day: how many takes and strokes, how many minutes of playing."""

    day: date
    takes: int
    strokes: int
    minutes: float


def played_days(session: Session, player_id: int, since: date) -> list[PlayedDay]:
    """The days that were played since one, the oldest first."""
    query = (
        _counted(
            player_id,
            col(LoadRow.day),
            sa.func.count(),
            sa.func.sum(col(LoadRow.strokes)),
            sa.func.sum(col(LoadRow.seconds)),
        )
        .where(col(LoadRow.day) >= since)
        .group_by(col(LoadRow.day))
        .order_by(col(LoadRow.day))
    )
    return [
        PlayedDay(day, takes, int(strokes), float(seconds) / 60)
        for day, takes, strokes, seconds in session.execute(query)
    ]


def seconds_of(session: Session, player_id: int, day: date) -> dict[int, float]:
    """How long each riff was played on a day, its drills counted with it."""
    root = sa.func.coalesce(col(RiffRow.drill_of), col(RiffRow.id))
    query = (
        _counted(player_id, root, sa.func.sum(col(LoadRow.seconds)))
        .join(RiffRow, col(RiffRow.id) == col(LoadRow.riff_id))
        .where(col(LoadRow.day) == day)
        .group_by(root)
    )
    return {riff_id: float(seconds) for riff_id, seconds in session.execute(query)}


def efforts_of(session: Session, player_id: int, since: date) -> list[TakeEffort]:
    """How hard the takes since a day were."""
    query = _counted(
        player_id,
        col(LoadRow.day),
        col(LoadRow.strokes),
        col(LoadRow.seconds),
        col(LoadRow.spread_ms),
        col(LoadRow.level_db),
    ).where(col(LoadRow.day) >= since, col(LoadRow.seconds) > 0)
    return [
        TakeEffort(day, strokes / seconds, (spread or 0.0) > 0, (level or 0.0) < 0)
        for day, strokes, seconds, spread, level in session.execute(query)
    ]


def runs_of(session: Session, player_id: int, riff_id: int) -> list[Run]:
    """The longest clean run of every take of a riff, the oldest first."""
    query = (
        _counted(
            player_id,
            col(TakeRow.id),
            col(LoadRow.day),
            col(LoadRow.tempo_bpm),
            col(LoadRow.run_strokes),
            col(LoadRow.run_s),
            col(LoadRow.tired_s),
        )
        .where(col(LoadRow.riff_id) == riff_id)
        .order_by(col(LoadRow.day), col(TakeRow.id))
    )
    return [
        Run(
            take_id=take_id, day=day, tempo_bpm=tempo, strokes=strokes, seconds=run_s, tired_s=tired
        )
        for take_id, day, tempo, strokes, run_s, tired in session.execute(query)
    ]


def takes_at(session: Session, player_id: int, since: date) -> list[TakeAt]:
    """The takes since a day, as they count for sittings."""
    query = _counted(
        player_id,
        col(TakeRow.id),
        col(TakeRow.created_at),
        col(LoadRow.day),
        col(LoadRow.seconds),
        col(LoadRow.strokes),
        col(LoadRow.clean),
        col(LoadRow.judged),
    ).where(col(LoadRow.day) >= since)
    return [
        TakeAt(
            take_id=number,
            at=at,
            day=day,
            seconds=seconds,
            strokes=strokes,
            clean=clean,
            judged=judged,
        )
        for number, at, day, seconds, strokes, clean, judged in session.execute(query)
    ]


@dataclass(frozen=True, slots=True)
class CausedDay:
    """How many takes of a day suffered from a cause, of how many."""

    day: date
    takes: int
    caused: dict[str, int]


def causes_by_day(
    session: Session, player_id: int, since: date, riff_id: int | None = None
) -> list[CausedDay]:
    """What the takes since a day suffered from, of one riff or of all."""
    query = _counted(player_id, col(LoadRow.day), col(LoadRow.causes)).where(
        col(LoadRow.day) >= since
    )
    if riff_id is not None:
        query = query.where(col(LoadRow.riff_id) == riff_id)
    days: dict[date, list[Iterable[str]]] = {}
    for day, causes in session.execute(query):
        days.setdefault(day, []).append(causes)
    return [CausedDay(day, len(takes), _count(takes)) for day, takes in sorted(days.items())]


def _count(takes: list[Iterable[str]]) -> dict[str, int]:
    return dict(Counter(kind for causes in takes for kind in causes))


def week_ago(today: date, weeks: int) -> date:
    """The Monday so many weeks before this week's."""
    return today - timedelta(days=today.weekday() + 7 * weeks)

"""The log: what was played when, and what became of every place of a riff. Takes of drills count
for the day; of each take the newest reading counts.
"""

from collections import defaultdict
from dataclasses import dataclass
from datetime import date, timedelta
from statistics import median

import sqlalchemy as sa
from sqlmodel import Session, col

from thrumble.core.coach.habits import PlayedPlace
from thrumble.core.coach.rounds import WHOLE
from thrumble.core.ear.reading import HeardKind, HitState
from thrumble.store.practice_tables import RoundRow
from thrumble.store.rounds import newest_readings
from thrumble.store.tables import HitRow, ReadingRow, RevisionRow, RiffRow, TakeRow

LATEST_TAKES = 20


@dataclass(frozen=True, slots=True)
class PlayedDay:
    """One day: how many takes, rounds and strokes, how many minutes of playing, clean rounds."""

    day: date
    takes: int
    rounds: int
    strokes: int
    minutes: float
    clean: int


def played_days(session: Session, player_id: int, since: date) -> list[PlayedDay]:
    """The days that were played since one, the oldest first."""
    query = (
        sa.select(
            col(RoundRow.day),
            sa.func.count(sa.distinct(col(ReadingRow.take_id))),
            sa.func.count(),
            sa.func.sum(col(RoundRow.hits)),
            sa.func.sum(col(RoundRow.seconds)),
            sa.func.count().filter(col(RoundRow.clean)),
        )
        .join(ReadingRow, col(ReadingRow.id) == col(RoundRow.reading_id))
        .join(TakeRow, col(TakeRow.id) == col(ReadingRow.take_id))
        .where(
            col(RoundRow.player_id) == player_id,
            col(RoundRow.section) == WHOLE,
            col(RoundRow.riff_id) == col(TakeRow.riff_id),
            col(RoundRow.day) >= since,
            col(RoundRow.reading_id).in_(newest_readings(player_id)),
        )
        .group_by(col(RoundRow.day))
        .order_by(col(RoundRow.day))
    )
    return [
        PlayedDay(day, takes, rounds, int(strokes), float(played_s) / 60, clean)
        for day, takes, rounds, strokes, played_s, clean in session.execute(query)
    ]


def seconds_of(session: Session, player_id: int, day: date) -> dict[int, float]:
    """How long each riff was played on a day, its drills counted with it."""
    root = sa.func.coalesce(col(RiffRow.drill_of), col(RiffRow.id))
    query = (
        sa.select(root, sa.func.sum(col(RoundRow.seconds)))
        .join(ReadingRow, col(ReadingRow.id) == col(RoundRow.reading_id))
        .join(TakeRow, col(TakeRow.id) == col(ReadingRow.take_id))
        .join(RiffRow, col(RiffRow.id) == col(TakeRow.riff_id))
        .where(
            col(RoundRow.player_id) == player_id,
            col(RoundRow.section) == WHOLE,
            col(RoundRow.riff_id) == col(TakeRow.riff_id),
            col(RoundRow.day) == day,
            col(RoundRow.reading_id).in_(newest_readings(player_id)),
        )
        .group_by(root)
    )
    return {riff_id: float(seconds) for riff_id, seconds in session.execute(query)}


@dataclass(frozen=True, slots=True)
class LoggedRiff:
    """A riff with rounds: its number, title, tempo, when it was last played."""

    riff_id: int
    title: str
    tempo_bpm: float
    last: date
    rounds: int


def logged_riffs(session: Session, player_id: int) -> list[LoggedRiff]:
    """The riffs that rounds tell of, drills left out, the last played first."""
    counted = (
        sa.select(
            col(RoundRow.riff_id).label("riff_id"),
            sa.func.max(col(RoundRow.day)).label("last"),
            sa.func.count().label("rounds"),
        )
        .where(col(RoundRow.player_id) == player_id)
        .group_by(col(RoundRow.riff_id))
        .subquery()
    )
    newest = (
        sa.select(col(RevisionRow.riff_id), sa.func.max(col(RevisionRow.number)).label("number"))
        .where(col(RevisionRow.player_id) == player_id)
        .group_by(col(RevisionRow.riff_id))
        .subquery()
    )
    query = (
        sa.select(
            counted.c.riff_id,
            col(RevisionRow.title),
            col(RevisionRow.tempo_bpm),
            counted.c.last,
            counted.c.rounds,
        )
        .join(newest, newest.c.riff_id == counted.c.riff_id)
        .join(
            RevisionRow,
            (col(RevisionRow.riff_id) == newest.c.riff_id)
            & (col(RevisionRow.number) == newest.c.number),
        )
        .join(RiffRow, col(RiffRow.id) == counted.c.riff_id)
        .where(col(RiffRow.drill_of).is_(None))
        .order_by(counted.c.last.desc(), counted.c.riff_id)
    )
    return [
        LoggedRiff(riff_id, title, float(tempo), last, rounds)
        for riff_id, title, tempo, last, rounds in session.execute(query)
    ]


def played_places(session: Session, player_id: int, riff_id: int) -> tuple[int, list[PlayedPlace]]:
    """Every hit of a riff's last takes, by its place, early and late around each take's own middle;
    and how many takes these are.
    """
    latest = (
        sa.select(sa.func.max(col(ReadingRow.id)).label("id"))
        .join(TakeRow, col(TakeRow.id) == col(ReadingRow.take_id))
        .where(col(TakeRow.player_id) == player_id, col(TakeRow.riff_id) == riff_id)
        .group_by(col(ReadingRow.take_id))
        .order_by(col(ReadingRow.take_id).desc())
        .limit(LATEST_TAKES)
        .subquery()
    )
    query = (
        sa.select(
            col(HitRow.reading_id),
            col(HitRow.section),
            col(HitRow.bar_in_section),
            col(HitRow.at),
            col(HitRow.state),
            col(HitRow.deviation_ms),
            col(HitRow.expected_articulation),
            col(HitRow.heard_articulation),
        )
        .join(latest, latest.c.id == col(HitRow.reading_id))
        .where(col(HitRow.player_id) == player_id)
        .order_by(col(HitRow.id))
    )
    rows = [row for row in session.execute(query).all() if row.state != HitState.NOT_REACHED.value]
    late: dict[int, list[float]] = defaultdict(list)
    for row in rows:
        if row.deviation_ms is not None:
            late[row.reading_id].append(row.deviation_ms)
    middles = {number: median(values) for number, values in late.items()}
    return len({row.reading_id for row in rows}), [
        PlayedPlace(
            row.section,
            row.bar_in_section,
            row.at,
            None if row.deviation_ms is None else row.deviation_ms - middles[row.reading_id],
            None
            if row.heard_articulation in (None, HeardKind.UNSURE.value)
            else row.heard_articulation != row.expected_articulation,
        )
        for row in rows
    ]


def week_ago(today: date, weeks: int) -> date:
    """The Monday so many weeks before this week's."""
    return today - timedelta(days=today.weekday() + 7 * weeks)

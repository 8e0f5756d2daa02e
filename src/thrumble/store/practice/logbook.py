"""The log: the riffs that were played, what became of every place of one, the takes behind a
figure. Of each take the newest reading counts.
"""

from dataclasses import dataclass
from datetime import date, timedelta

import sqlalchemy as sa
from sqlmodel import Session, col

from thrumble.core.coach.progress.habits import PlayedPlace
from thrumble.core.ear.reading import HitState
from thrumble.store.practice.rounds import is_current, is_newest
from thrumble.store.practice.tables import LoadRow, RoundRow
from thrumble.store.riffs.tables import RevisionRow, RiffRow
from thrumble.store.takes.tables import HitRow, ReadingRow, TakeRow

LATEST_TAKES, ENOUGH_HITS = 20, 4000  # the last takes, until they hold so many hits


@dataclass(frozen=True, slots=True)
class LoggedRiff:
    """A riff with rounds: its number, title, tempo, when it was last played."""

    riff_id: int
    title: str
    tempo_bpm: float
    last: date
    rounds: int


def logged_riffs(session: Session, player_id: int) -> list[LoggedRiff]:
    """The riffs that rounds tell of, drills and sound checks left out, the last played first."""
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
        .where(col(RiffRow.drill_kind) == "")  # neither drills nor sound checks
        .order_by(counted.c.last.desc(), counted.c.riff_id)
    )
    return [
        LoggedRiff(riff_id, title, float(tempo), last, rounds)
        for riff_id, title, tempo, last, rounds in session.execute(query)
    ]


@dataclass(frozen=True, slots=True, kw_only=True)
class Behind:
    """Which takes stand behind a figure: all that is given has to hold. `riff_id`: its drills
    counted if `section` is given; `week`: from that Monday on; `tempo_bpm`: rounded.
    """

    riff_id: int | None = None
    section: str | None = None
    day: date | None = None
    week: date | None = None
    tone_id: int | None = None
    tempo_bpm: int | None = None
    cause: str | None = None


def takes_behind(session: Session, player_id: int, behind: Behind) -> list[int]:
    """Their numbers, the newest first."""
    query = (
        sa.select(col(ReadingRow.take_id))
        .join(LoadRow, col(LoadRow.reading_id) == col(ReadingRow.id))
        .join(TakeRow, col(TakeRow.id) == col(ReadingRow.take_id))
        .where(
            col(LoadRow.player_id) == player_id,
            is_newest(),
        )
        .order_by(col(TakeRow.created_at).desc(), col(TakeRow.id).desc())
    )
    reading_id = col(ReadingRow.id)
    if behind.section is not None:
        rounds = sa.select(col(RoundRow.reading_id)).where(
            col(RoundRow.player_id) == player_id,
            col(RoundRow.riff_id) == behind.riff_id,
            col(RoundRow.section) == behind.section,
        )
        query = query.where(reading_id.in_(rounds))
    elif behind.riff_id is not None:
        query = query.where(col(LoadRow.riff_id) == behind.riff_id)
    if behind.day is not None:
        query = query.where(col(LoadRow.day) == behind.day)
    if behind.week is not None:
        query = query.where(
            col(LoadRow.day) >= behind.week, col(LoadRow.day) < behind.week + timedelta(days=7)
        )
    if behind.tone_id is not None:
        query = query.where(col(TakeRow.tone_id) == behind.tone_id)
    if behind.tempo_bpm is not None:
        query = query.where(sa.func.round(col(LoadRow.tempo_bpm)) == behind.tempo_bpm)
    if behind.cause is not None:
        query = query.where(sa.literal(behind.cause) == sa.any_(col(LoadRow.causes)))
    return list(session.execute(query).scalars())


def played_places(session: Session, player_id: int, riff_id: int) -> list[PlayedPlace]:
    """What became of every place of a riff in its last takes, as judged, one row a take and place.
    Summed by the database: a long take has thousands of hits.
    """
    newest = (
        sa.select(
            col(ReadingRow.id).label("id"),
            col(ReadingRow.take_id).label("take_id"),
            sa.func.sum(col(ReadingRow.judged))
            .over(order_by=col(ReadingRow.take_id).desc())
            .label("hits"),
            col(ReadingRow.judged).label("own"),
            sa.func.coalesce(col(LoadRow.day), sa.cast(col(TakeRow.created_at), sa.Date)).label(
                "day"
            ),
        )
        .join(TakeRow, col(TakeRow.id) == col(ReadingRow.take_id))
        .outerjoin(LoadRow, col(LoadRow.reading_id) == col(ReadingRow.id))
        .where(
            col(TakeRow.player_id) == player_id,
            col(TakeRow.riff_id) == riff_id,
            is_current(),
            is_newest(),
        )
        .order_by(col(ReadingRow.take_id).desc())
        .limit(LATEST_TAKES)
        .subquery()
    )
    latest = (
        sa.select(newest.c.id, newest.c.take_id, newest.c.day)
        .where(newest.c.hits - newest.c.own < ENOUGH_HITS)
        .cte("latest")
    )
    middle = sa.func.percentile_cont(0.5).within_group(col(HitRow.late_ms))
    judged = col(HitRow.as_judged).is_not(None)
    query = (
        sa.select(
            latest.c.take_id,
            col(HitRow.section),
            col(HitRow.bar_in_section),
            col(HitRow.at),
            sa.func.count(),
            middle,
            sa.func.count().filter(col(HitRow.state) == HitState.MISSED.value),
            sa.func.count().filter(judged),
            sa.func.count().filter(
                judged & (col(HitRow.as_judged) != col(HitRow.expected_articulation))
            ),
            latest.c.day,
        )
        .join(latest, latest.c.id == col(HitRow.reading_id))
        .where(
            col(HitRow.player_id) == player_id,
            col(HitRow.state) != HitState.NOT_REACHED.value,
        )
        .group_by(
            latest.c.take_id,
            latest.c.day,
            col(HitRow.section),
            col(HitRow.bar_in_section),
            col(HitRow.at),
        )
        .order_by(latest.c.take_id, sa.func.min(col(HitRow.id)))
    )
    return [PlayedPlace(*row) for row in session.execute(query)]

"""Rounds: what the coach's figures rest on. Written with the reading they come from, gone with
it.
"""

from dataclasses import dataclass
from datetime import UTC, date, datetime
from typing import Any
from zoneinfo import ZoneInfo

import sqlalchemy as sa
from sqlalchemy.orm import aliased
from sqlmodel import Session, col, select

from thrumble.core.coach.progress.clean_speed import REMEMBERED_DAYS, Round
from thrumble.core.coach.progress.passes import WHOLE, RoundResult
from thrumble.core.coach.verdict.judgement import VERSION
from thrumble.store.practice import practice
from thrumble.store.practice.tables import RoundRow
from thrumble.store.rig.tables import ToneRow
from thrumble.store.takes.tables import ReadingRow, TakeRow


@dataclass(frozen=True, slots=True, kw_only=True)
class AnalysedTake:
    """What a reading says of a riff's rounds: `round_s` seconds each at the tempo played."""

    engine: str
    tempo_bpm: float
    round_s: float
    results: list[RoundResult]


@dataclass(frozen=True, slots=True)
class ReadingOf:
    """A reading's number, the riff that was played, and when: moment and the player's zone."""

    reading_id: int
    riff_id: int
    at: datetime
    zone: str


def reading_of(session: Session, player_id: int, take_id: int, engine: str) -> ReadingOf:
    """The analysis of a take by one engine, which has to exist."""
    rows = session.execute(
        sa.select(
            col(ReadingRow.id), col(TakeRow.riff_id), col(TakeRow.created_at), col(TakeRow.zone)
        )
        .join(TakeRow, col(TakeRow.id) == col(ReadingRow.take_id))
        .where(
            col(ReadingRow.take_id) == take_id,
            col(ReadingRow.player_id) == player_id,
            col(ReadingRow.engine) == engine,
        )
    ).one()
    return ReadingOf(*rows)


def put_rounds(
    session: Session, player_id: int, riff_id: int, take_id: int, analysed: AnalysedTake
) -> None:
    """Keeps a reading's rounds as they count for a riff, instead of those there were."""
    reading = reading_of(session, player_id, take_id, analysed.engine)
    session.execute(
        sa.delete(RoundRow).where(
            col(RoundRow.reading_id) == reading.reading_id, col(RoundRow.riff_id) == riff_id
        )
    )
    day = local_day(reading.at, reading.zone)
    rows = [
        {
            "player_id": player_id,
            "reading_id": reading.reading_id,
            "riff_id": riff_id,
            "section": result.section,
            "round": result.round,
            "day": day,
            "tempo_bpm": analysed.tempo_bpm,
            "seconds": analysed.round_s,
            "hits": result.hits,
            "clean": result.clean,
            "timing": result.timing,
            "muting": result.muting,
            "stops": result.stops,
        }
        for result in analysed.results
    ]
    if rows:
        session.execute(sa.insert(RoundRow), rows)


def local_time(at: datetime, zone: str) -> datetime:
    """A moment by the player's own clock; a zone that is not known counts as UTC."""
    try:
        return at.astimezone(ZoneInfo(zone))
    except (KeyError, ValueError, OSError):
        return at.astimezone(UTC)


def local_day(at: datetime, zone: str) -> date:
    """The player's own day of a moment."""
    return local_time(at, zone).date()


def rounds_of(
    session: Session,
    player_id: int,
    riff_id: int,
    section: str = WHOLE,
    *,
    what: str = "clean",
    tone_id: int | None = None,
    recent: bool = False,
) -> list[Round]:
    """The rounds of a riff, or of a section of it, in the order they were played; of each take the
    newest reading counts. `what`: clean, timing, muting or stops; rounds that do not tell it are
    left out. `tone_id`: only those played with that tone; `recent`: only those of the last days of
    practice, which clean speed rests on.
    """
    judged = {
        "clean": col(RoundRow.clean),
        "timing": col(RoundRow.timing),
        "muting": col(RoundRow.muting),
        "stops": col(RoundRow.stops),
    }[what]
    query = (
        sa.select(col(RoundRow.day), col(RoundRow.tempo_bpm), judged)
        .join(ReadingRow, col(ReadingRow.id) == col(RoundRow.reading_id))
        .where(
            col(RoundRow.player_id) == player_id,
            col(RoundRow.riff_id) == riff_id,
            col(RoundRow.section) == section,
            is_newest(),
            judged.is_not(None),
        )
        .order_by(col(RoundRow.day), col(RoundRow.reading_id), col(RoundRow.round))
    )
    if recent:
        days = (
            sa.select(col(RoundRow.day))
            .where(col(RoundRow.player_id) == player_id, col(RoundRow.riff_id) == riff_id)
            .distinct()
            .order_by(col(RoundRow.day).desc())
            .limit(REMEMBERED_DAYS)
        )
        query = query.where(col(RoundRow.day).in_(days))
    if tone_id is not None:
        toned = (
            sa.select(col(ReadingRow.id))
            .join(TakeRow, col(TakeRow.id) == col(ReadingRow.take_id))
            .where(col(TakeRow.player_id) == player_id, col(TakeRow.tone_id) == tone_id)
        )
        query = query.where(col(RoundRow.reading_id).in_(toned))
    return [Round(day, tempo, bool(good)) for day, tempo, good in session.execute(query)]


def rounds_by_section(
    session: Session, player_id: int, riff_ids: list[int]
) -> dict[int, dict[str, list[Round]]]:
    """The rounds of several riffs at once, by riff and section, `WHOLE` for the riff itself; each
    in the order they were played. Of each riff the last days of practice.
    """
    place = sa.func.dense_rank().over(
        partition_by=col(RoundRow.riff_id), order_by=col(RoundRow.day).desc()
    )
    latest = (
        sa.select(col(RoundRow.id).label("id"), place.label("place"))
        .where(col(RoundRow.player_id) == player_id, col(RoundRow.riff_id).in_(riff_ids))
        .subquery()
    )
    query = (
        sa.select(
            col(RoundRow.riff_id),
            col(RoundRow.section),
            col(RoundRow.day),
            col(RoundRow.tempo_bpm),
            col(RoundRow.clean),
        )
        .join(latest, latest.c.id == col(RoundRow.id))
        .join(ReadingRow, col(ReadingRow.id) == col(RoundRow.reading_id))
        .where(
            col(RoundRow.player_id) == player_id,
            latest.c.place <= REMEMBERED_DAYS,
            is_newest(),
        )
        .order_by(col(RoundRow.day), col(RoundRow.reading_id), col(RoundRow.round))
    )
    out: dict[int, dict[str, list[Round]]] = {riff_id: {} for riff_id in riff_ids}
    for riff_id, section, day, tempo, clean in session.execute(query):
        out[riff_id].setdefault(section, []).append(Round(day, tempo, bool(clean)))
    return out


@dataclass(frozen=True, slots=True)
class RoundsMark:
    """Which rounds of a riff there are: other ones have another mark. `tempo_bpm`: their sum."""

    last_id: int
    last_day: date
    count: int
    clean: int
    tempo_bpm: float


def marks_of(session: Session, player_id: int) -> dict[int, RoundsMark]:
    """A mark of the stored passes of each riff, which changes whenever they do."""
    query = (
        sa.select(
            col(RoundRow.riff_id),
            sa.func.max(col(RoundRow.id)),
            sa.func.max(col(RoundRow.day)),
            sa.func.count(),
            sa.func.count().filter(col(RoundRow.clean)),
            sa.func.sum(col(RoundRow.tempo_bpm)),
        )
        .where(col(RoundRow.player_id) == player_id)
        .group_by(col(RoundRow.riff_id))
    )
    return {riff_id: RoundsMark(*mark) for riff_id, *mark in session.execute(query)}


def tones_of(session: Session, player_id: int, riff_id: int) -> list[tuple[int, str]]:
    """The tones that a riff was played with, number and name."""
    query = (
        sa.select(col(ToneRow.id), col(ToneRow.name))
        .join(TakeRow, col(TakeRow.tone_id) == col(ToneRow.id))
        .join(ReadingRow, col(ReadingRow.take_id) == col(TakeRow.id))
        .join(RoundRow, col(RoundRow.reading_id) == col(ReadingRow.id))
        .where(col(RoundRow.player_id) == player_id, col(RoundRow.riff_id) == riff_id)
        .distinct()
        .order_by(col(ToneRow.name))
    )
    return [(number, name) for number, name in session.execute(query)]


def is_newest() -> Any:
    """Whether a reading at hand is the newest of its take."""
    later = aliased(ReadingRow)
    return ~sa.exists().where(
        col(later.take_id) == col(ReadingRow.take_id), col(later.id) > col(ReadingRow.id)
    )


def is_current() -> Any:
    """Whether what is stored of a reading's judgement is by today's rules and with the player's
    tolerance.
    """
    tolerance = practice.tolerance_of(col(ReadingRow.player_id))
    return sa.and_(col(ReadingRow.judged_by) >= VERSION, col(ReadingRow.tolerance_ms) == tolerance)


def sections_of(session: Session, player_id: int, riff_id: int) -> list[str]:
    """The sections of a riff that rounds tell of."""
    query = (
        select(RoundRow.section)
        .where(
            RoundRow.player_id == player_id,
            RoundRow.riff_id == riff_id,
            RoundRow.section != WHOLE,
        )
        .distinct()
        .order_by(RoundRow.section)
    )
    return list(session.exec(query))

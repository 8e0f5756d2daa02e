"""Readings: what an engine heard in a take, whole and one row a hit; which takes only an older
engine has heard. Functions take the session and the player first, and never commit.
"""

from dataclasses import asdict, dataclass
from datetime import UTC, datetime
from typing import Any

import sqlalchemy as sa
from pydantic import TypeAdapter
from sqlalchemy.dialects.postgresql import ARRAY
from sqlalchemy.orm import aliased
from sqlmodel import Session, col, select

from thrumble.core.coach.progress.ratings import TakeFigures
from thrumble.core.coach.verdict.judgement import VERSION, JudgedHit, Judgement
from thrumble.core.ear.comparing import Difference
from thrumble.core.ear.reading import Reading, Summary
from thrumble.core.riff.expand import ExpandedRiff
from thrumble.core.takes import TakeState, change
from thrumble.formats.reading_json import reading_document, reading_from_document
from thrumble.store.practice.rounds import is_current
from thrumble.store.riffs.tables import RevisionRow
from thrumble.store.takes.tables import HitRow, ReadingRow, TakeRow
from thrumble.store.takes.take_lists import PAGE

HISTORY_TAKES = 10  # of a riff, that a take's figures are compared with
SUMMARY: TypeAdapter[Summary] = TypeAdapter(Summary)


def put_reading(
    session: Session,
    player_id: int,
    take_id: int,
    reading: Reading,
    expanded: ExpandedRiff,
    *,
    changed: Difference | None = None,
) -> None:
    """Stores what an engine detected, whole and one row a hit; the same engine's earlier reading of
    the take goes. Its judgement follows with `put_judgement`.

    `changed`: how it differs from what an older engine detected.
    """
    session.execute(
        sa.delete(ReadingRow).where(
            col(ReadingRow.take_id) == take_id, col(ReadingRow.engine) == reading.engine
        )
    )
    row = ReadingRow(
        player_id=player_id,
        take_id=take_id,
        engine=reading.engine,
        document=reading_document(reading),
        verdict="",
        clean=0,
        judged=0,
        changed=None if changed is None else asdict(changed),
        created_at=datetime.now(UTC),
    )
    session.add(row)
    session.flush()
    hits = []
    for hit in reading.hits:
        identity = expanded.hits[hit.index].identity
        hits.append(
            {
                "player_id": player_id,
                "reading_id": row.id,
                "round": hit.round,
                "index": hit.index,
                "section": identity.section,
                "bar_in_section": identity.bar,
                "at": hit.at,
                "appearance": identity.appearance,
                "state": hit.state.value,
                "expected_articulation": hit.expected_articulation.value,
                "heard_articulation": hit.heard_articulation and hit.heard_articulation.value,
                "deviation_ms": hit.deviation_ms,
                "relative_level_db": hit.relative_level_db,
                "ring_s": hit.ring_s,
                "stop_late_ms": hit.stop_late_ms,
            }
        )
    if hits:
        session.execute(sa.insert(HitRow), hits)


def put_judgement(
    session: Session, player_id: int, take_id: int, judgement: Judgement, verdict: str
) -> None:
    """Stores what was judged of a take's reading: verdict and counts, and with each hit what lists
    and habits are summed from.
    """
    reading_id = session.execute(
        sa.update(ReadingRow)
        .where(
            col(ReadingRow.take_id) == take_id,
            col(ReadingRow.player_id) == player_id,
            col(ReadingRow.engine) == judgement.reading.engine,
        )
        .values(
            verdict=verdict,
            clean=judgement.clean,
            judged=judgement.counted,
            judged_by=VERSION,
            tolerance_ms=judgement.limits.tolerance_ms,
        )
        .returning(col(ReadingRow.id))
    ).scalar_one()
    hits = judgement.hits
    columns = (
        sa.column("round", sa.Integer),
        sa.column("index", sa.Integer),
        sa.column("late_ms", sa.Float),
        sa.column("in_time", sa.Boolean),
        sa.column("as_judged", sa.String),
    )
    judged = (
        sa.func.unnest(
            sa.cast([hit.key.round for hit in hits], ARRAY(sa.Integer)),
            sa.cast([hit.key.index for hit in hits], ARRAY(sa.Integer)),
            sa.cast([hit.late_ms for hit in hits], ARRAY(sa.Float)),
            sa.cast([hit.in_time if hit.played else None for hit in hits], ARRAY(sa.Boolean)),
            sa.cast([_judged_kind(hit) for hit in hits], ARRAY(sa.String)),
        )
        .table_valued(*columns, name="judged")
        .render_derived()
    )
    session.execute(
        sa.update(HitRow)
        .where(
            col(HitRow.reading_id) == reading_id,
            col(HitRow.round) == judged.c.round,
            col(HitRow.index) == judged.c.index,
        )
        .values(late_ms=judged.c.late_ms, in_time=judged.c.in_time, as_judged=judged.c.as_judged)
    )


def _judged_kind(hit: JudgedHit) -> str | None:
    """Its articulation if it is sure; None if it was not played or is unsure."""
    return None if hit.as_written is None or hit.articulation is None else hit.articulation.value


def get_reading(session: Session, player_id: int, take_id: int) -> Reading | None:
    """The newest reading of a take; None while there is none."""
    query = (
        select(ReadingRow.document)
        .where(ReadingRow.take_id == take_id, ReadingRow.player_id == player_id)
        .order_by(col(ReadingRow.id).desc())
        .limit(1)
    )
    document = session.exec(query).first()
    return None if document is None else reading_from_document(dict(document))


def figures_before(session: Session, player_id: int, take_id: int) -> list[TakeFigures]:
    """The figures of the last takes of the same riff before a take, as analysed, the newest first;
    neither corrections nor rests are in them.
    """
    take = aliased(TakeRow)
    newer = aliased(ReadingRow)
    document = col(ReadingRow.document)
    query = (
        sa.select(
            document["summary"],
            document["tempo_bpm"],
            document["duration_s"],
            document["bias_judged"],
        )
        .join(TakeRow, col(TakeRow.id) == col(ReadingRow.take_id))
        .join(take, (col(take.riff_id) == col(TakeRow.riff_id)) & (col(take.id) == take_id))
        .where(
            col(ReadingRow.player_id) == player_id,
            col(TakeRow.id) < take_id,
            ~sa.exists().where(
                col(newer.take_id) == col(ReadingRow.take_id), col(newer.id) > col(ReadingRow.id)
            ),
        )
        .order_by(col(TakeRow.id).desc())
        .limit(HISTORY_TAKES)
    )
    figures = []
    for summary, tempo_bpm, duration_s, bias_judged in session.execute(query):
        read = SUMMARY.validate_python(summary)
        right = read.articulation_correct
        figures.append(
            TakeFigures(
                summary=read,
                tempo_bpm=tempo_bpm,
                length_s=duration_s,
                bias_judged=bool(bias_judged),
                wrong=None if right is None else 1 - right,
            )
        )
    return figures


def takes_to_judge(session: Session, *, after: int, limit: int) -> list[int]:
    """Takes beyond a number whose newest reading was judged by older rules or with another
    tolerance than the player's, the oldest first.
    """
    newer = aliased(ReadingRow)
    later = sa.exists().where(
        col(newer.take_id) == col(ReadingRow.take_id), col(newer.id) > col(ReadingRow.id)
    )
    query = (
        sa.select(col(ReadingRow.take_id))
        .where(~later, ~is_current(), col(ReadingRow.take_id) > after)
        .order_by(col(ReadingRow.take_id))
        .limit(limit)
    )
    return list(session.execute(query).scalars())


def older_reading(session: Session, player_id: int, take_id: int, engine: str) -> Reading | None:
    """The newest reading of a take by another engine."""
    mine = (
        ReadingRow.take_id == take_id,
        ReadingRow.player_id == player_id,
        ReadingRow.engine != engine,
    )
    document = session.exec(
        select(ReadingRow.document).where(*mine).order_by(col(ReadingRow.id).desc()).limit(1)
    ).first()
    return None if document is None else reading_from_document(dict(document))


def _stale(player_id: int, engine: str) -> tuple[Any, ...]:
    analysed = sa.exists().where(
        col(ReadingRow.take_id) == col(TakeRow.id), col(ReadingRow.engine) == engine
    )
    return (
        TakeRow.player_id == player_id,
        TakeRow.state == TakeState.READ,
        col(TakeRow.let_go_at).is_(None),
        ~analysed,
    )


def count_stale(session: Session, player_id: int, engine: str) -> int:
    """How many read takes this engine has not heard."""
    return session.exec(
        select(sa.func.count(col(TakeRow.id))).where(*_stale(player_id, engine))
    ).one()


def stale_takes(session: Session, player_id: int, engine: str) -> list[int]:
    """Read takes that this engine has not heard, the oldest first."""
    query = select(TakeRow.id).where(*_stale(player_id, engine)).order_by(col(TakeRow.id))
    return [take_id for take_id in session.exec(query).all() if take_id is not None]


def queue_stale(session: Session, player_id: int, engine: str) -> list[int]:
    """Moves every read take that this engine has not heard on to queued, and names them."""
    change(TakeState.READ, TakeState.QUEUED)
    moved = (
        sa.update(TakeRow)
        .where(*_stale(player_id, engine))
        .values(state=TakeState.QUEUED, problem="", tries=0)
    )
    return sorted(session.execute(moved.returning(col(TakeRow.id))).scalars())


@dataclass(frozen=True, slots=True, kw_only=True)
class Changed:
    """A take that this engine hears otherwise than an older one did."""

    take_id: int
    number: int
    title: str
    difference: Difference


def changed_takes(
    session: Session, player_id: int, engine: str, *, limit: int = PAGE
) -> tuple[int, list[Changed]]:
    """How many takes this engine hears otherwise than an older one, and the last of them read."""
    different = sa.or_(
        *(
            col(ReadingRow.changed)[name].as_integer() > 0
            for name in ("found", "lost", "renamed", "moved")
        )
    )
    mine = (ReadingRow.player_id == player_id, ReadingRow.engine == engine, different)
    count = session.exec(select(sa.func.count(col(ReadingRow.id))).where(*mine)).one()
    query = (
        select(TakeRow.id, TakeRow.number, RevisionRow.title, ReadingRow.changed)
        .join(ReadingRow, col(ReadingRow.take_id) == TakeRow.id)
        .join(RevisionRow, col(RevisionRow.id) == TakeRow.revision_id)
        .where(*mine)
        .order_by(col(ReadingRow.id).desc())
        .limit(limit)
    )
    return count, [
        Changed(
            take_id=take_id or 0, number=number, title=title, difference=Difference(**changed or {})
        )
        for take_id, number, title, changed in session.exec(query).all()
    ]

"""Takes, their sound and their readings. Functions take the session and the player first, and never commit."""

import hashlib
from dataclasses import dataclass
from datetime import UTC, datetime
from decimal import Decimal
from typing import Any

import sqlalchemy as sa
from sqlalchemy.dialects.postgresql import distinct_on
from sqlalchemy.orm import aliased
from sqlmodel import Session, col, select

from thrumble.core.ear.reading import Reading
from thrumble.core.errors import NotFound
from thrumble.core.riff.expand import ExpandedRiff
from thrumble.core.takes import TakeState, change
from thrumble.formats.reading_json import reading_document, reading_from_document
from thrumble.store.tables import AudioRow, ChunkRow, HitRow, ReadingRow, RevisionRow, TakeRow


@dataclass(frozen=True, slots=True, kw_only=True)
class Take:
    """A take without its sound."""

    id: int
    player_id: int
    riff_id: int
    revision_id: int
    number: int
    state: TakeState
    source: str
    tempo_bpm: Decimal | None
    rounds: int | None
    start_frame: int | None
    rate_hz: int | None
    delay_ms: float | None
    delay_spread_ms: float | None
    rig_id: int | None
    tone_id: int | None
    calibration_id: int | None
    file_name: str
    audio_bytes: int
    audio_sha256: str
    beyond_full_scale: int
    recorder: dict[str, Any] | None
    problem: str
    created_at: datetime
    zone: str

    @property
    def start_s(self) -> float | None:
        """File time of bar 1 beat 1 as recorded; the calibrated delay is not in it."""
        return None if self.start_frame is None or self.rate_hz is None else self.start_frame / self.rate_hz


@dataclass(frozen=True, slots=True, kw_only=True)
class TakeLine:
    """A take as lists show it."""

    take: Take
    title: str
    verdict: str | None
    clean: int | None
    judged: int | None


@dataclass(frozen=True, slots=True, kw_only=True)
class NewTake:
    """What is known of a take when it is stored."""

    riff_id: int
    revision_id: int
    source: str
    tempo_bpm: Decimal | None
    rounds: int | None
    start_frame: int | None = None
    rate_hz: int | None = None
    delay_ms: float | None = None
    delay_spread_ms: float | None = None
    rig_id: int | None = None
    tone_id: int | None = None
    calibration_id: int | None = None
    file_name: str = ""
    zone: str = "UTC"
    created_at: datetime | None = None


def _take(row: TakeRow) -> Take:
    return Take(**{name: getattr(row, name) for name in Take.__slots__})


def _row(session: Session, player_id: int, take_id: int, *, lock: bool = False) -> TakeRow:
    row = session.get(TakeRow, take_id, with_for_update=lock or None)
    if row is None or row.player_id != player_id:
        raise NotFound("there is no such take: it was deleted, or never was")
    return row


def add_take(session: Session, player_id: int, new: NewTake, state: TakeState) -> Take:
    """Stores a take without sound, numbered on within its riff."""
    number = session.exec(select(sa.func.coalesce(sa.func.max(TakeRow.number), 0)).where(TakeRow.riff_id == new.riff_id)).one() + 1
    values = {name: getattr(new, name) for name in NewTake.__slots__} | {"created_at": new.created_at or datetime.now(UTC)}
    row = TakeRow(player_id=player_id, number=number, state=state, **values)
    session.add(row)
    session.flush()
    return _take(row)


def get_take(session: Session, player_id: int, take_id: int, *, lock: bool = False) -> Take:
    """A take, if wanted locked until the transaction ends. Raises NotFound."""
    return _take(_row(session, player_id, take_id, lock=lock))


def owner_of(session: Session, take_id: int) -> int:
    """Whose take it is; for the worker, which acts for all players. Raises NotFound."""
    owner = session.exec(select(TakeRow.player_id).where(TakeRow.id == take_id)).first()
    if owner is None:
        raise NotFound("there is no such take: it was deleted")
    return owner


def put_audio(
    session: Session, player_id: int, take_id: int, data: bytes, *, beyond_full_scale: int = 0, recorder: dict[str, Any] | None = None
) -> None:
    """Stores a take's sound and drops the chunks it came in."""
    row = _row(session, player_id, take_id)
    row.audio_bytes, row.audio_sha256 = len(data), hashlib.sha256(data).hexdigest()
    row.beyond_full_scale, row.recorder = beyond_full_scale, recorder
    session.add(AudioRow(take_id=take_id, player_id=player_id, data=data))
    session.execute(sa.delete(ChunkRow).where(col(ChunkRow.take_id) == take_id))
    session.flush()


def get_audio(session: Session, player_id: int, take_id: int) -> bytes:
    """A take's sound as stored. Raises NotFound."""
    row = session.get(AudioRow, take_id)
    if row is None or row.player_id != player_id:
        raise NotFound("there is no sound of this take")
    return row.data


def add_chunk(session: Session, player_id: int, take_id: int, first_frame: int, data: bytes) -> None:
    """Keeps sound that came in; the same frames sent again replace themselves."""
    session.merge(ChunkRow(take_id=take_id, first_frame=first_frame, player_id=player_id, data=data))
    session.flush()


def get_chunks(session: Session, player_id: int, take_id: int) -> list[tuple[int, bytes]]:
    """All chunks of a take in order of their frames."""
    query = select(ChunkRow.first_frame, ChunkRow.data).where(ChunkRow.take_id == take_id, ChunkRow.player_id == player_id)
    return [(frame, data) for frame, data in session.exec(query.order_by(col(ChunkRow.first_frame))).all()]


def chunk_bytes(session: Session, player_id: int, take_id: int) -> int:
    """How much sound has come in so far."""
    query = select(sa.func.coalesce(sa.func.sum(sa.func.length(ChunkRow.data)), 0)).where(
        ChunkRow.take_id == take_id, ChunkRow.player_id == player_id
    )
    return int(session.exec(query).one())


def set_state(session: Session, player_id: int, take_id: int, state: TakeState, *, problem: str = "") -> Take:
    """Moves a take on. Raises NotAllowed where its state has no such change."""
    row = _row(session, player_id, take_id, lock=True)
    row.state, row.problem = change(row.state, state), problem
    session.flush()
    return _take(row)


def set_timing(session: Session, player_id: int, take_id: int, *, tempo_bpm: Decimal | None, rounds: int | None) -> None:
    """Notes the tempo and rounds an upload turned out to have."""
    row = _row(session, player_id, take_id)
    row.tempo_bpm, row.rounds = tempo_bpm, rounds
    session.flush()


def delete_take(session: Session, player_id: int, take_id: int) -> None:
    """Removes a take with sound, chunks and readings. Queued work finds nothing and ends. Raises NotFound."""
    session.delete(_row(session, player_id, take_id))
    session.flush()


def take_lines(session: Session, player_id: int, *, riff_id: int | None = None, limit: int = 100) -> list[TakeLine]:
    """The newest takes first, each with its newest reading's verdict."""
    newest = (
        select(ReadingRow).ext(distinct_on(col(ReadingRow.take_id))).order_by(col(ReadingRow.take_id), col(ReadingRow.id).desc()).subquery()
    )
    query = (
        select(TakeRow, RevisionRow.title, newest.c.verdict, newest.c.clean, newest.c.judged)
        .join(RevisionRow, col(RevisionRow.id) == TakeRow.revision_id)
        .outerjoin(newest, newest.c.take_id == TakeRow.id)
        .where(TakeRow.player_id == player_id)
    )
    if riff_id is not None:
        query = query.where(TakeRow.riff_id == riff_id)
    rows = session.exec(query.order_by(col(TakeRow.created_at).desc(), col(TakeRow.id).desc()).limit(limit)).all()
    return [
        TakeLine(take=_take(row), title=title, verdict=verdict, clean=clean, judged=judged) for row, title, verdict, clean, judged in rows
    ]


def space_used(session: Session, player_id: int) -> tuple[int, int]:
    """How many takes a player has and how many bytes of sound, unfinished ones included."""
    count, audio = session.exec(
        select(sa.func.count(), sa.func.coalesce(sa.func.sum(TakeRow.audio_bytes), 0)).where(TakeRow.player_id == player_id)
    ).one()
    chunks = session.exec(
        select(sa.func.coalesce(sa.func.sum(sa.func.length(ChunkRow.data)), 0)).where(ChunkRow.player_id == player_id)
    ).one()
    return count, int(audio) + int(chunks)


def put_reading(
    session: Session, player_id: int, take_id: int, reading: Reading, expanded: ExpandedRiff, *, verdict: str, clean: int, judged: int
) -> None:
    """Keeps what an engine heard, whole and one row a hit; the same engine's earlier reading of the take goes."""
    session.execute(sa.delete(ReadingRow).where(col(ReadingRow.take_id) == take_id, col(ReadingRow.engine) == reading.engine))
    row = ReadingRow(
        player_id=player_id, take_id=take_id, engine=reading.engine, document=reading_document(reading), verdict=verdict, clean=clean, judged=judged,
        created_at=datetime.now(UTC),
    )  # fmt: skip
    session.add(row)
    session.flush()
    hits = []
    for hit in reading.hits:
        identity = expanded.hits[hit.index].identity
        hits.append({
            "player_id": player_id, "reading_id": row.id, "round": hit.round, "index": hit.index, "section": identity.section,
            "bar_in_section": identity.bar, "at": hit.at, "appearance": identity.appearance, "state": hit.state.value,
            "expected_articulation": hit.expected_articulation.value, "heard_articulation": hit.heard_articulation and hit.heard_articulation.value,
            "deviation_ms": hit.deviation_ms, "relative_level_db": hit.relative_level_db, "ring_s": hit.ring_s, "stop_late_ms": hit.stop_late_ms,
        })  # fmt: skip
    if hits:
        session.execute(sa.insert(HitRow), hits)


def get_reading(session: Session, player_id: int, take_id: int) -> Reading | None:
    """The newest reading of a take; None while there is none."""
    query = (
        select(ReadingRow.document)
        .where(ReadingRow.take_id == take_id, ReadingRow.player_id == player_id)
        .order_by(col(ReadingRow.id).desc())
        .limit(1)
    )
    document = session.exec(query).first()
    return None if document is None else reading_from_document(document)


def stale_takes(session: Session, player_id: int, engine: str) -> list[int]:
    """Read takes that this engine has not heard, the oldest first."""
    heard = select(ReadingRow.take_id).where(ReadingRow.engine == engine)
    query = select(TakeRow.id).where(TakeRow.player_id == player_id, TakeRow.state == TakeState.READ, col(TakeRow.id).not_in(heard))
    return [take_id for take_id in session.exec(query.order_by(col(TakeRow.id))).all() if take_id is not None]


def reading_pairs(session: Session, player_id: int, engine: str) -> list[tuple[int, Reading, Reading]]:
    """Takes that this engine and an older one have heard: the take, the newest older reading and this engine's."""
    new, old = aliased(ReadingRow), aliased(ReadingRow)
    query = (
        select(new.take_id, old.document, new.document)
        .join(old, sa.and_(old.take_id == new.take_id, old.engine != new.engine, old.id < new.id))
        .where(new.player_id == player_id, new.engine == engine)
        .order_by(new.take_id, col(old.id).desc())
    )
    out: dict[int, tuple[int, Reading, Reading]] = {}
    for take_id, before, after in session.exec(query).all():
        if take_id not in out:
            out[take_id] = (take_id, reading_from_document(before), reading_from_document(after))
    return list(out.values())


def waiting_takes(session: Session, player_id: int) -> int:
    """How many takes wait for the ear or are being read."""
    states = (TakeState.QUEUED, TakeState.READING)
    return session.exec(select(sa.func.count()).where(TakeRow.player_id == player_id, col(TakeRow.state).in_(states))).one()

"""Takes, their sound and their readings. Functions take the session and the player first, and never
commit.
"""

import hashlib
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from typing import Any

import sqlalchemy as sa
from sqlalchemy.dialects.postgresql import insert
from sqlmodel import Session, col, select

from thrumble.core.errors import NotFound
from thrumble.core.takes import TakeState, change
from thrumble.store.practice.tables import SoundCheckRow
from thrumble.store.riffs.tables import RiffRow
from thrumble.store.rig.tables import ExampleRow
from thrumble.store.takes import notes
from thrumble.store.takes.tables import AudioRow, ChunkRow, CorrectionRow, TakeRow

PART_BYTES = 1 << 20
GRACE = timedelta(days=7)  # how long audio that a rule deleted can be restored


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
    client_key: str | None
    tries: int
    along: dict[str, Any] | None
    let_go_at: datetime | None
    created_at: datetime
    zone: str
    time_unknown: bool = False

    @property
    def has_audio(self) -> bool:
        """Whether its audio can be played and analysed again."""
        return self.audio_bytes > 0 and self.let_go_at is None

    @property
    def restorable_until(self) -> datetime | None:
        """Until when deleted audio can be restored; None if it was not deleted, or is purged."""
        if self.let_go_at is None or not self.audio_bytes:
            return None
        return self.let_go_at + GRACE

    @property
    def start_s(self) -> float | None:
        """File time of bar 1 beat 1 as recorded; the calibrated delay is not in it."""
        return (
            None
            if self.start_frame is None or self.rate_hz is None
            else self.start_frame / self.rate_hz
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class NewTake:
    """A take as it is when it is stored."""

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
    client_key: str | None = None
    along: dict[str, Any] | None = None
    created_at: datetime | None = None
    time_unknown: bool = False


def take_of(row: TakeRow) -> Take:
    """A row as a value."""
    return Take(**{name: getattr(row, name) for name in Take.__slots__})


def _row(session: Session, player_id: int, take_id: int, *, lock: bool = False) -> TakeRow:
    # what only refers to the take, such as a note, may be written beside this lock
    locked = {"key_share": True} if lock else None
    row = session.get(TakeRow, take_id, with_for_update=locked, populate_existing=lock)
    if row is None or row.player_id != player_id:
        raise NotFound("take not found: it may have been deleted")
    return row


def add_take(session: Session, player_id: int, new: NewTake, state: TakeState) -> Take:
    """Stores a take without sound. Its number is counted on in the riff's own row, so two begun at
    once get two numbers.

    A take that the browser begins again under the same key is the one that is there already.
    """
    counted = session.execute(
        sa.update(RiffRow)
        .where(col(RiffRow.id) == new.riff_id, col(RiffRow.player_id) == player_id)
        .values(takes_numbered=RiffRow.takes_numbered + 1)
        .returning(col(RiffRow.takes_numbered))
    ).scalar_one_or_none()
    if counted is None:
        raise NotFound("there is no such riff: choose one from the list of riffs")
    if new.client_key is not None and (stored := _by_key(session, player_id, new.client_key)):
        return take_of(stored)
    values = {name: getattr(new, name) for name in NewTake.__slots__} | {
        "created_at": new.created_at or datetime.now(UTC)
    }
    row = TakeRow(player_id=player_id, number=counted, state=state, **values)
    session.add(row)
    session.flush()
    assert row.id is not None
    notes.carry_on(session, player_id, row.id)
    return take_of(row)


def _by_key(session: Session, player_id: int, key: str) -> TakeRow | None:
    return session.exec(
        select(TakeRow).where(TakeRow.player_id == player_id, TakeRow.client_key == key)
    ).first()


def take_by_key(session: Session, player_id: int, key: str) -> Take | None:
    """The take that a browser began under its own key, if it ever got here."""
    row = _by_key(session, player_id, key)
    return None if row is None else take_of(row)


def get_take(session: Session, player_id: int, take_id: int, *, lock: bool = False) -> Take:
    """A take, if wanted locked until the transaction ends. Raises NotFound."""
    return take_of(_row(session, player_id, take_id, lock=lock))


def owner_of(session: Session, take_id: int) -> int:
    """Whose take it is; for the worker, which acts for all players. Raises NotFound."""
    owner = session.exec(select(TakeRow.player_id).where(TakeRow.id == take_id)).first()
    if owner is None:
        raise NotFound("there is no such take: it was deleted")
    return owner


def put_audio(
    session: Session,
    player_id: int,
    take_id: int,
    parts: Iterable[bytes],
    *,
    beyond_full_scale: int = 0,
    recorder: dict[str, Any] | None = None,
) -> None:
    """Stores a take's file, part by part as it is given, and drops the chunks it came in."""
    row = _row(session, player_id, take_id, lock=True)
    row.audio_bytes, row.audio_sha256 = add_audio(session, player_id, take_id, parts)
    row.beyond_full_scale, row.recorder = beyond_full_scale, recorder
    session.execute(sa.delete(ChunkRow).where(col(ChunkRow.take_id) == take_id))
    session.flush()


def add_audio(
    session: Session, player_id: int, take_id: int, parts: Iterable[bytes]
) -> tuple[int, str]:
    """Stores the parts of a take's file. Returns its size in bytes and its SHA-256."""
    digest, size = hashlib.sha256(), 0
    for number, part in enumerate(parts):
        digest.update(part)
        size += len(part)
        session.execute(
            sa.insert(AudioRow).values(take_id=take_id, part=number, player_id=player_id, data=part)
        )
    return size, digest.hexdigest()


def audio_parts(session: Session, player_id: int, take_id: int) -> Iterator[bytes]:
    """A take's file as stored, one part after the other. Raises NotFound if there is none."""
    mine = (AudioRow.take_id == take_id, AudioRow.player_id == player_id)
    numbers = session.exec(select(AudioRow.part).where(*mine).order_by(col(AudioRow.part))).all()
    if _row(session, player_id, take_id).let_go_at is not None:
        raise NotFound(
            "your storage rule deleted this take's audio; restore it on the take's page if it was "
            "less than 7 days ago"
        )
    if not numbers:
        raise NotFound("there is no audio of this take yet: wait until it has been analysed")
    for number in numbers:
        query = select(AudioRow.data).where(*mine, AudioRow.part == number)
        part = session.exec(query).first()
        if part is None:
            raise NotFound("this take's audio was deleted meanwhile")
        yield part


def add_chunk(
    session: Session, player_id: int, take_id: int, first_frame: int, data: bytes
) -> None:
    """Keeps sound that came in. The same frames sent again, at once or later, change nothing; a
    longer piece replaces a shorter one.
    """
    statement = insert(ChunkRow).values(
        take_id=take_id, first_frame=first_frame, player_id=player_id, data=data
    )
    longer = sa.func.octet_length(statement.excluded.data) > sa.func.octet_length(ChunkRow.data)
    session.execute(
        statement.on_conflict_do_update(
            index_elements=["take_id", "first_frame"],
            set_={"data": statement.excluded.data},
            where=longer,
        )
    )


def chunk_spans(session: Session, player_id: int, take_id: int) -> list[tuple[int, int]]:
    """First and behind-last frame of every piece of sound that came in, by first frame."""
    size = sa.func.octet_length(ChunkRow.data)
    query = select(ChunkRow.first_frame, size).where(
        ChunkRow.take_id == take_id, ChunkRow.player_id == player_id
    )
    return [
        (frame, frame + count // 4)
        for frame, count in session.exec(query.order_by(col(ChunkRow.first_frame))).all()
    ]


def get_chunk(session: Session, player_id: int, take_id: int, first_frame: int) -> bytes:
    """One piece of sound."""
    mine = (
        ChunkRow.take_id == take_id,
        ChunkRow.player_id == player_id,
        ChunkRow.first_frame == first_frame,
    )
    return session.exec(select(ChunkRow.data).where(*mine)).one()


def set_state(
    session: Session, player_id: int, take_id: int, state: TakeState, *, problem: str = ""
) -> Take:
    """Moves a take on. Raises NotAllowed if its state has no such change."""
    row = _row(session, player_id, take_id, lock=True)
    row.state, row.problem = change(row.state, state), problem
    if state is TakeState.READING:
        row.tries += 1
    elif state is not TakeState.QUEUED:
        row.tries = 0
    session.flush()
    return take_of(row)


def note_report(session: Session, player_id: int, take_id: int, recorder: dict[str, Any]) -> None:
    """Keeps what the browser's recorder noticed until the sound is put together."""
    _row(session, player_id, take_id, lock=True).recorder = recorder
    session.flush()


def forget_tries(session: Session, player_id: int, take_id: int) -> None:
    """The player asks for a reading anew: what went wrong before counts no more."""
    _row(session, player_id, take_id, lock=True).tries = 0
    session.flush()


def set_timing(
    session: Session, player_id: int, take_id: int, *, tempo_bpm: Decimal | None, rounds: int | None
) -> None:
    """Notes the tempo and rounds an upload turned out to have."""
    row = _row(session, player_id, take_id)
    row.tempo_bpm, row.rounds = tempo_bpm, rounds
    session.flush()


def delete_take(session: Session, player_id: int, take_id: int) -> None:
    """Removes a take with sound, chunks, readings, and the examples cut from it. Queued work finds
    nothing and ends. Raises NotFound.
    """
    _forget_examples(session, [take_id])
    session.delete(_row(session, player_id, take_id, lock=True))
    session.flush()


def _forget_examples(session: Session, take_ids: list[int]) -> None:
    """Sound that was cut from takes goes with them."""
    cut = sa.select(col(CorrectionRow.example_id)).where(col(CorrectionRow.take_id).in_(take_ids))
    of_check = sa.func.jsonb_array_elements_text(col(SoundCheckRow.examples)).cast(sa.Integer)
    checked = sa.select(of_check).where(col(SoundCheckRow.take_id).in_(take_ids))
    gone = sa.or_(col(ExampleRow.id).in_(cut), col(ExampleRow.id).in_(checked))
    session.execute(sa.delete(ExampleRow).where(gone))


def delete_takes_of(session: Session, player_id: int, riff_id: int) -> None:
    """Removes all takes of a riff as `delete_take` does."""
    mine = (col(TakeRow.riff_id) == riff_id, col(TakeRow.player_id) == player_id)
    _forget_examples(
        session,
        [
            take_id
            for take_id in session.exec(select(TakeRow.id).where(*mine)).all()
            if take_id is not None
        ],
    )
    session.execute(sa.delete(TakeRow).where(*mine))


def last_zone(session: Session, player_id: int) -> str:
    """Where the player was when they last played: the time zone of the newest take."""
    query = (
        select(TakeRow.zone)
        .where(TakeRow.player_id == player_id)
        .order_by(col(TakeRow.id).desc())
        .limit(1)
    )
    return session.exec(query).first() or "UTC"


def waiting_takes(session: Session, player_id: int) -> int:
    """How many takes wait for the ear or are being read."""
    states = (TakeState.QUEUED, TakeState.READING)
    return session.exec(
        select(sa.func.count()).where(
            TakeRow.player_id == player_id, col(TakeRow.state).in_(states)
        )
    ).one()

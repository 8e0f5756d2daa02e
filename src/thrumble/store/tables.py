"""The tables. Every one carries its player; take and riff states are closed sets, checked by the database too."""

from datetime import datetime
from decimal import Decimal
from typing import Any

import sqlalchemy as sa
from sqlalchemy.dialects.postgresql import JSONB
from sqlmodel import Column, Field, SQLModel

from thrumble.core.takes import TakeState


def _player() -> Any:
    return Field(sa_column=Column(sa.Integer, sa.ForeignKey("player.id", ondelete="CASCADE"), nullable=False, index=True))


def _parent(table: str, *, ondelete: str = "CASCADE") -> Any:
    return Field(sa_column=Column(sa.Integer, sa.ForeignKey(f"{table}.id", ondelete=ondelete), nullable=False, index=True))


def _moment() -> Any:
    return Field(sa_column=Column(sa.DateTime(timezone=True), nullable=False))


def _json(*, nullable: bool = False) -> Any:
    return Field(default=None, sa_column=Column(JSONB, nullable=nullable))


class Installation(SQLModel, table=True):
    """Things that belong to the whole installation, such as the secret that signs cookies and tokens."""

    key: str = Field(primary_key=True)
    value: str


class PlayerRow(SQLModel, table=True):
    """A player. One implicit local one for now."""

    __tablename__ = "player"
    id: int | None = Field(default=None, primary_key=True)
    name: str
    created_at: datetime = _moment()


class RiffRow(SQLModel, table=True):
    """A riff through all its revisions."""

    __tablename__ = "riff"
    id: int | None = Field(default=None, primary_key=True)
    player_id: int = _player()
    created_at: datetime = _moment()


class RevisionRow(SQLModel, table=True):
    """One immutable revision. `identities`: pairs of old and new hit identities from the revision before."""

    __tablename__ = "revision"
    __table_args__ = (sa.UniqueConstraint("riff_id", "number"),)
    id: int | None = Field(default=None, primary_key=True)
    player_id: int = _player()
    riff_id: int = _parent("riff")
    number: int
    title: str
    tempo_bpm: Decimal = Field(sa_column=Column(sa.Numeric, nullable=False))
    document: dict[str, Any] = _json()
    source: str
    identities: list[Any] = _json()
    created_at: datetime = _moment()


class TakeRow(SQLModel, table=True):
    """A take: its sound exactly as it came (browser takes as 24-bit FLAC) and all it was played with."""

    __tablename__ = "take"
    id: int | None = Field(default=None, primary_key=True)
    player_id: int = _player()
    riff_id: int = _parent("riff")
    revision_id: int = _parent("revision")
    number: int
    state: TakeState = Field(
        sa_column=Column(
            sa.Enum(
                TakeState, native_enum=False, create_constraint=True, name="take_state", values_callable=lambda e: [m.value for m in e]
            ),
            nullable=False,
        )
    )
    source: str  # recorded, uploaded, simulated
    tempo_bpm: Decimal | None = Field(default=None, sa_column=Column(sa.Numeric, nullable=True))
    rounds: int | None = None
    start_frame: int | None = Field(default=None, sa_column=Column(sa.BigInteger, nullable=True))
    rate_hz: int | None = None
    delay_ms: float | None = None
    file_name: str = ""
    audio_bytes: int = 0
    audio_sha256: str = ""
    beyond_full_scale: int = 0
    recorder: dict[str, Any] | None = _json(nullable=True)
    problem: str = ""
    created_at: datetime = _moment()
    zone: str = "UTC"


class AudioRow(SQLModel, table=True):
    """The bytes of a take, apart from its row so that lists never load them."""

    __tablename__ = "audio"
    take_id: int = Field(sa_column=Column(sa.Integer, sa.ForeignKey("take.id", ondelete="CASCADE"), primary_key=True))
    player_id: int = _player()
    data: bytes


class ChunkRow(SQLModel, table=True):
    """Sound that came in while a take is being recorded: float32 little-endian mono, placed by its first frame."""

    __tablename__ = "chunk"
    take_id: int = Field(sa_column=Column(sa.Integer, sa.ForeignKey("take.id", ondelete="CASCADE"), primary_key=True))
    first_frame: int = Field(sa_column=Column(sa.BigInteger, primary_key=True))
    player_id: int = _player()
    data: bytes


class ReadingRow(SQLModel, table=True):
    """What one engine heard in one take."""

    __tablename__ = "reading"
    __table_args__ = (sa.UniqueConstraint("take_id", "engine"),)
    id: int | None = Field(default=None, primary_key=True)
    player_id: int = _player()
    take_id: int = _parent("take")
    engine: str
    document: dict[str, Any] = _json()
    verdict: str
    clean: int
    judged: int
    created_at: datetime = _moment()


class HitRow(SQLModel, table=True):
    """One hit of a reading under its lasting identity, for trends over takes and revisions."""

    __tablename__ = "hit"
    id: int | None = Field(default=None, sa_column=Column(sa.BigInteger, primary_key=True))
    player_id: int = _player()
    reading_id: int = _parent("reading")
    round: int
    index: int
    section: str
    bar_in_section: int
    at: str
    appearance: int
    state: str
    expected_articulation: str
    heard_articulation: str | None = None
    deviation_ms: float | None = None
    relative_level_db: float | None = None
    ring_s: float | None = None
    stop_late_ms: float | None = None

"""Tables of takes: their audio, analyses, corrections and notes."""

from datetime import datetime
from decimal import Decimal
from typing import Any

import sqlalchemy as sa
from sqlmodel import Column, Field, SQLModel

from thrumble.core.coach.verdict.judgement import DEFAULT_TOLERANCE_MS
from thrumble.core.takes import TakeState
from thrumble.store.columns import (
    json_column,
    maybe_column,
    moment_column,
    parent_column,
    player_column,
)


class TakeRow(SQLModel, table=True):
    """A take: its sound exactly as it came (browser takes as 24-bit FLAC) and all it was played
    with.

    `client_key`: what the browser that recorded it calls it; `tries`: readings begun since the last
    one that ended in order; `along`: what was to be heard meanwhile, if that is known;
    `let_go_at`: when the storage rule deleted its audio, which can be
    restored until it is purged (`audio_bytes` 0); `time_unknown`: `created_at` is when it arrived,
    since the clock of the computer that recorded it was wrong.
    """

    __tablename__ = "take"
    __table_args__ = (
        sa.UniqueConstraint("riff_id", "number"),
        sa.UniqueConstraint("player_id", "client_key"),
    )
    id: int | None = Field(default=None, primary_key=True)
    player_id: int = player_column()
    riff_id: int = parent_column("riff")
    revision_id: int = parent_column("revision")
    number: int
    state: TakeState = Field(
        sa_column=Column(
            sa.Enum(
                TakeState,
                native_enum=False,
                create_constraint=True,
                name="take_state",
                values_callable=lambda e: [m.value for m in e],
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
    delay_spread_ms: float | None = None
    rig_id: int | None = maybe_column("rig")
    tone_id: int | None = maybe_column("tone")
    calibration_id: int | None = maybe_column("calibration")
    file_name: str = ""
    audio_bytes: int = 0
    audio_sha256: str = ""
    beyond_full_scale: int = 0
    recorder: dict[str, Any] | None = json_column(nullable=True)
    problem: str = ""
    client_key: str | None = None
    tries: int = 0
    along: dict[str, Any] | None = json_column(nullable=True)
    let_go_at: datetime | None = Field(
        default=None, sa_column=Column(sa.DateTime(timezone=True), nullable=True)
    )
    created_at: datetime = moment_column()
    zone: str = "UTC"
    time_unknown: bool = False


class AudioRow(SQLModel, table=True):
    """A take's file in parts, in order: lists never load them, and no process holds a whole file at
    once.
    """

    __tablename__ = "audio"
    take_id: int = Field(
        sa_column=Column(sa.Integer, sa.ForeignKey("take.id", ondelete="CASCADE"), primary_key=True)
    )
    part: int = Field(default=0, primary_key=True)
    player_id: int = player_column()
    data: bytes


class ChunkRow(SQLModel, table=True):
    """Sound that came in while a take is being recorded: float32 little-endian mono, placed by its
    first frame.
    """

    __tablename__ = "chunk"
    take_id: int = Field(
        sa_column=Column(sa.Integer, sa.ForeignKey("take.id", ondelete="CASCADE"), primary_key=True)
    )
    first_frame: int = Field(sa_column=Column(sa.BigInteger, primary_key=True))
    player_id: int = player_column()
    data: bytes


class ReadingRow(SQLModel, table=True):
    """What one engine heard in one take. `changed`: counts of what an older engine had heard
    otherwise; `judged_by`: the version of the rules, and `tolerance_ms`, that verdict,
    counts and hits were judged with.
    """

    __tablename__ = "reading"
    __table_args__ = (sa.UniqueConstraint("take_id", "engine"),)
    id: int | None = Field(default=None, primary_key=True)
    player_id: int = player_column()
    take_id: int = parent_column("take")
    engine: str
    document: dict[str, Any] = json_column()
    verdict: str
    clean: int
    judged: int
    changed: dict[str, int] | None = json_column(nullable=True)
    judged_by: int = 0
    tolerance_ms: float = DEFAULT_TOLERANCE_MS
    created_at: datetime = moment_column()


class HitRow(SQLModel, table=True):
    """One hit of a reading under its lasting identity, for trends over takes and revisions. What
    was judged of it: `late_ms`, `in_time`, `as_judged` (its articulation, corrections counted).
    """

    __tablename__ = "hit"
    id: int | None = Field(default=None, sa_column=Column(sa.BigInteger, primary_key=True))
    player_id: int = player_column()
    reading_id: int = parent_column("reading")
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
    late_ms: float | None = None
    in_time: bool | None = None
    as_judged: str | None = None


class CorrectionRow(SQLModel, table=True):
    """What the player says a hit was; what was heard stays as it is."""

    __tablename__ = "correction"
    __table_args__ = (sa.UniqueConstraint("take_id", "index", "round"),)
    id: int | None = Field(default=None, primary_key=True)
    player_id: int = player_column()
    take_id: int = parent_column("take")
    index: int
    round: int
    articulation: str
    heard: str
    example_id: int | None = maybe_column("example")
    created_at: datetime = moment_column()


class NoteRow(SQLModel, table=True):
    """What the player notes of a take; `tried`: what was tried, `words`: anything else."""

    __tablename__ = "note"
    take_id: int = Field(sa_column=Column(sa.Integer, primary_key=True))
    player_id: int = player_column()
    pick: str = ""
    palm: str = ""
    fingers: str = ""
    tried: str = ""
    words: str = ""
    starred: bool = False


class KeepingRow(SQLModel, table=True):
    """Which takes' sound a player keeps: one row each."""

    __tablename__ = "keeping"
    player_id: int = Field(
        sa_column=Column(
            sa.Integer, sa.ForeignKey("player.id", ondelete="CASCADE"), primary_key=True
        )
    )
    tidy: bool
    last: int
    days: int
    limit_gb: float | None = None

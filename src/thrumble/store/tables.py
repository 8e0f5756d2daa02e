"""The tables. Those of a player carry their player. The database itself checks closed sets (take
states, kinds, sources, sounds) and that what hangs together belongs to one player.
"""

from datetime import datetime
from decimal import Decimal
from typing import Any

import sqlalchemy as sa
from sqlalchemy.dialects.postgresql import ARRAY, JSONB
from sqlmodel import Column, Field, SQLModel

from thrumble.core.coach.verdict.judgement import DEFAULT_TOLERANCE_MS
from thrumble.core.instrument import STANDARD_SCALE_MM
from thrumble.core.takes import TakeState


def player_column() -> Any:
    return Field(
        sa_column=Column(
            sa.Integer, sa.ForeignKey("player.id", ondelete="CASCADE"), nullable=False, index=True
        )
    )


def parent_column(table: str, *, ondelete: str = "CASCADE") -> Any:
    return Field(
        sa_column=Column(
            sa.Integer, sa.ForeignKey(f"{table}.id", ondelete=ondelete), nullable=False, index=True
        )
    )


def maybe_column(table: str) -> Any:
    """A reference that goes when what it names is deleted."""
    return Field(
        default=None,
        sa_column=Column(
            sa.Integer, sa.ForeignKey(f"{table}.id", ondelete="SET NULL"), nullable=True, index=True
        ),
    )


def moment_column() -> Any:
    return Field(sa_column=Column(sa.DateTime(timezone=True), nullable=False))


def json_column(*, nullable: bool = False) -> Any:
    return Field(default=None, sa_column=Column(JSONB, nullable=nullable))


class Installation(SQLModel, table=True):
    """Marks and sizes that belong to the whole installation."""

    key: str = Field(primary_key=True)
    value: str


class Signing(SQLModel, table=True):
    """The secret that signs cookies and tokens. A table of its own, so that backups leave its
    content out.
    """

    key: str = Field(primary_key=True)
    value: str


class PlayerRow(SQLModel, table=True):
    """A player. One implicit local one for now."""

    __tablename__ = "player"
    id: int | None = Field(default=None, primary_key=True)
    name: str
    created_at: datetime = moment_column()


class RiffRow(SQLModel, table=True):
    """A riff through all its revisions. `takes_numbered`: the number its newest take got; counted
    on in the database. `archived_at`: since when it is put away. A drill names the riff it was made
    from, its kind and the bars, empty for all.
    """

    __tablename__ = "riff"
    __table_args__ = (sa.Index("riff_tags", "tags", postgresql_using="gin"),)
    id: int | None = Field(default=None, primary_key=True)
    player_id: int = player_column()
    takes_numbered: int = 0
    archived_at: datetime | None = Field(
        default=None, sa_column=Column(sa.DateTime(timezone=True), nullable=True)
    )
    tags: list[str] = Field(
        default_factory=list,
        sa_column=Column(ARRAY(sa.Text()), nullable=False, server_default="{}"),
    )
    drill_of: int | None = Field(
        default=None,
        sa_column=Column(
            sa.Integer, sa.ForeignKey("riff.id", ondelete="CASCADE"), nullable=True, index=True
        ),
    )
    drill_kind: str = ""
    drill_bars: str = ""
    created_at: datetime = moment_column()


class RevisionRow(SQLModel, table=True):
    """One immutable revision. `identities`: pairs of old and new hit identities from the revision
    before; `left_out`: what the file it was imported from holds beside it.
    """

    __tablename__ = "revision"
    __table_args__ = (sa.UniqueConstraint("riff_id", "number"),)
    id: int | None = Field(default=None, primary_key=True)
    player_id: int = player_column()
    riff_id: int = parent_column("riff")
    number: int
    title: str
    tempo_bpm: Decimal = Field(sa_column=Column(sa.Numeric, nullable=False))
    document: dict[str, Any] = json_column()
    source: str
    identities: list[Any] = json_column()
    left_out: list[str] | None = json_column(nullable=True)
    created_at: datetime = moment_column()


class RigRow(SQLModel, table=True):
    """An instrument and what it is plugged into. `tuning`: sounding pitches, lowest string
    first.
    """

    __tablename__ = "rig"
    id: int | None = Field(default=None, primary_key=True)
    player_id: int = player_column()
    name: str
    tuning: list[str] = json_column()
    capo: int = 0
    scale_mm: float = STANDARD_SCALE_MM
    left_handed: bool = False
    chain: str = ""
    created_at: datetime = moment_column()


class ToneRow(SQLModel, table=True):
    """A tone of a rig under the player's own name. `level`: the last level check."""

    __tablename__ = "tone"
    __table_args__ = (sa.UniqueConstraint("rig_id", "name"),)
    id: int | None = Field(default=None, primary_key=True)
    player_id: int = player_column()
    rig_id: int = parent_column("rig")
    name: str
    sound: str  # clean, crunch, high gain
    level: dict[str, Any] | None = json_column(nullable=True)
    created_at: datetime = moment_column()


class CalibrationRow(SQLModel, table=True):
    """A measured delay, never changed: of one browser, one device, one sample rate."""

    __tablename__ = "calibration"
    id: int | None = Field(default=None, primary_key=True)
    player_id: int = player_column()
    browser: str
    device: str
    rate_hz: int
    kind: str  # return, drum
    delay_ms: float
    repeat_ms: float
    spread_ms: float | None = None
    openings_ms: list[float] = json_column()
    created_at: datetime = moment_column()


class ExampleRow(SQLModel, table=True):
    """One hit kept as an example of a tone: FLAC of a second, and what it was played as."""

    __tablename__ = "example"
    id: int | None = Field(default=None, primary_key=True)
    player_id: int = player_column()
    tone_id: int = parent_column("tone")
    kind: str  # open, light, full, tight, dead
    rate_hz: int
    depth: float
    origin: str  # finder, correction, check
    data: bytes
    created_at: datetime = moment_column()


class TakeRow(SQLModel, table=True):
    """A take: its sound exactly as it came (browser takes as 24-bit FLAC) and all it was played
    with.

    `client_key`: what the browser that recorded it calls it; `tries`: readings begun since the last
    one that ended in order; `along`: what was to be heard meanwhile, where that is known;
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

"""Tables of practice: hands, settings, plans, loads, passes, effects of drills, trials and sound
checks.
"""

from datetime import date, datetime, time
from typing import Any

import sqlalchemy as sa
from sqlalchemy.dialects.postgresql import ARRAY
from sqlmodel import Column, Field, SQLModel

from thrumble.core.coach.verdict.judgement import DEFAULT_TOLERANCE_MS
from thrumble.store.columns import (
    json_column,
    maybe_column,
    moment_column,
    parent_column,
    player_column,
)


class HandRow(SQLModel, table=True):
    """A player's hands, one row each. `school`, `damping`, `picking`: as the core names them, a
    school left empty is whatever is easiest; `speed_mm_s`: as the player set it.
    """

    __tablename__ = "hand"
    player_id: int = Field(
        sa_column=Column(
            sa.Integer, sa.ForeignKey("player.id", ondelete="CASCADE"), primary_key=True
        )
    )
    reach_mm: float
    school: str = ""
    damping: str
    picking: str
    measured: bool = False
    speed_mm_s: float | None = None
    changed_at: datetime = moment_column()


class PracticeRow(SQLModel, table=True):
    """How a player practises, one row each: `minutes` on each of the `weekdays` (0 is Monday), from
    `begins_at` on; `ladder`: how they get faster, as the core names it; `rise_percent`: of strokes
    from week to week; `tolerance_ms`: how early or late a hit may be; `feed_key`: the
    secret in the calendar's address.
    """

    __tablename__ = "practice"
    player_id: int = Field(
        sa_column=Column(
            sa.Integer, sa.ForeignKey("player.id", ondelete="CASCADE"), primary_key=True
        )
    )
    minutes: int
    weekdays: list[int] = Field(
        sa_column=Column(ARRAY(sa.Integer()), nullable=False, server_default="{0,1,2,3,4,5,6}")
    )
    begins_at: time = Field(sa_column=Column(sa.Time, nullable=False, server_default="18:00"))
    ladder: str
    rise_percent: float = 10.0
    tolerance_ms: float = DEFAULT_TOLERANCE_MS
    feed_key: str | None = Field(default=None, unique=True)
    changed_at: datetime = moment_column()


class SessionRow(SQLModel, table=True):
    """A player's session of a day, as planned and changed."""

    __tablename__ = "session"
    player_id: int = Field(
        sa_column=Column(
            sa.Integer, sa.ForeignKey("player.id", ondelete="CASCADE"), primary_key=True
        )
    )
    day: date = Field(sa_column=Column(sa.Date, primary_key=True))
    plan: dict[str, Any] = json_column()
    changed_at: datetime = moment_column()


class LoadRow(SQLModel, table=True):
    """What a reading says that its take asked of the hands. `day`: the player's own day."""

    __tablename__ = "load"
    __table_args__ = (
        sa.Index("load_of_day", "player_id", "day"),
        sa.Index("load_of_riff", "player_id", "riff_id", "day"),
    )
    reading_id: int = Field(sa_column=Column(sa.Integer, primary_key=True))
    player_id: int = player_column()
    riff_id: int
    day: date = Field(sa_column=Column(sa.Date, nullable=False))
    tempo_bpm: float
    strokes: int
    down: int
    seconds: float
    run_strokes: int
    run_s: float
    tired_s: float | None = None
    spread_ms: float | None = None
    level_db: float | None = None
    clean: int
    judged: int
    causes: list[str] = Field(
        default_factory=list,
        sa_column=Column(ARRAY(sa.Text()), nullable=False, server_default="{}"),
    )


class RecallRow(SQLModel, table=True):
    """One chord called and answered. `root`: semitones above C; `right` and `recall_ms` are empty
    if nothing clear was heard.
    """

    __tablename__ = "recall"
    id: int | None = Field(default=None, primary_key=True)
    player_id: int = player_column()
    root: int
    string: int
    right: bool | None = None
    recall_ms: float | None = None
    created_at: datetime = moment_column()


class RoundRow(SQLModel, table=True):
    """One round of a reading, whole or of one section, as it counts for a riff: the take's own, and
    the one that a drill was made from. `day`: the player's own day; `seconds`: of the whole
    round.
    """

    __tablename__ = "round"
    __table_args__ = (sa.Index("round_of_riff", "player_id", "riff_id", "section", "day"),)
    id: int | None = Field(default=None, sa_column=Column(sa.BigInteger, primary_key=True))
    player_id: int = player_column()
    reading_id: int = parent_column("reading")
    riff_id: int = parent_column("riff")
    section: str = ""
    round: int
    day: date = Field(sa_column=Column(sa.Date, nullable=False))
    tempo_bpm: float
    seconds: float
    hits: int
    clean: bool
    timing: bool | None = None
    muting: bool | None = None
    stops: bool | None = None


class HelpedRow(SQLModel, table=True):
    """What a drill changed between two takes of its riff, on the hits that it held. Figures are
    empty if too few hits tell.
    """

    __tablename__ = "helped"
    __table_args__ = (sa.UniqueConstraint("after_take", "drill_kind"),)
    id: int | None = Field(default=None, primary_key=True)
    player_id: int = player_column()
    riff_id: int = parent_column("riff")
    before_take: int = parent_column("take")
    after_take: int = parent_column("take")
    drill_kind: str
    measure: str
    hits: int
    before: float | None = None
    after: float | None = None
    change: float | None = None
    low: float | None = None
    high: float | None = None
    created_at: datetime = moment_column()


class ComfortRow(SQLModel, table=True):
    """How a player's hands felt, one answer. `at_when`: before or after playing."""

    __tablename__ = "comfort"
    id: int | None = Field(default=None, primary_key=True)
    player_id: int = player_column()
    day: date = Field(sa_column=Column(sa.Date, nullable=False))
    at_when: str
    score: int
    areas: list[str] = Field(
        default_factory=list,
        sa_column=Column(ARRAY(sa.Text()), nullable=False, server_default="{}"),
    )
    numb: bool = False
    created_at: datetime = moment_column()
    zone: str = "UTC"


class TrialRow(SQLModel, table=True):
    """A fair trial of two ways. `turns`: the order of the ways, a letter a take, sitting after
    sitting of twice so many pairs.
    """

    __tablename__ = "trial"
    __table_args__ = (sa.UniqueConstraint("player_id", "id"),)
    id: int | None = Field(default=None, primary_key=True)
    player_id: int = player_column()
    riff_id: int = parent_column("riff")
    way_a: str
    way_b: str
    pairs: int
    turns: str
    tempo_bpm: float
    created_at: datetime = moment_column()


class TurnRow(SQLModel, table=True):
    """The take of a trial's turn, counted from 0."""

    __tablename__ = "trial_turn"
    trial_id: int = Field(sa_column=Column(sa.Integer, primary_key=True))
    number: int = Field(sa_column=Column(sa.Integer, primary_key=True))
    player_id: int = player_column()
    take_id: int = Field(sa_column=Column(sa.Integer, nullable=False, unique=True))


class SoundCheckRow(SQLModel, table=True):
    """A sound check that was counted: its hits as asked, told and heard; `struck`: the indices of
    those that the player says went wrong; `examples`: those its hits were kept as.
    """

    __tablename__ = "proof"
    __table_args__ = (sa.UniqueConstraint("take_id"),)
    id: int | None = Field(default=None, primary_key=True)
    player_id: int = player_column()
    take_id: int = parent_column("take")
    tone_id: int | None = maybe_column("tone")
    engine: str
    hits: list[dict[str, Any]] = json_column()
    struck: list[int] = json_column()
    examples: list[int] = json_column()
    created_at: datetime = moment_column()

"""Tables of rigs, tones, calibrations and examples."""

from datetime import datetime
from typing import Any

import sqlalchemy as sa
from sqlmodel import Field, SQLModel

from thrumble.core.instrument import STANDARD_SCALE_MM
from thrumble.store.columns import (
    json_column,
    moment_column,
    parent_column,
    player_column,
)


class RigRow(SQLModel, table=True):
    """An instrument and what it is plugged into. `tuning`: sounding pitches, lowest string
    first; `used_at`: when the player last chose it.
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
    used_at: datetime | None = Field(
        default=None, sa_column=sa.Column(sa.DateTime(timezone=True), nullable=True)
    )


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

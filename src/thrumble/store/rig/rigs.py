"""Rigs, tones, calibrations and examples of a tone. Functions take the session and the player
first, and never commit.
"""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from typing import Any, TypeVar

import sqlalchemy as sa
from sqlmodel import Session, col, select

from thrumble.core.errors import NotAllowed, NotFound
from thrumble.core.instrument import STANDARD_SCALE_MM, Instrument
from thrumble.core.riff.model import Riff
from thrumble.store.rig.tables import CalibrationRow, ExampleRow, RigRow, ToneRow
from thrumble.store.takes.tables import TakeRow

T = TypeVar("T")


@dataclass(frozen=True, slots=True, kw_only=True)
class Rig:
    """An instrument and what it is plugged into."""

    id: int
    name: str
    tuning: list[str]
    capo: int
    scale_mm: float
    left_handed: bool
    chain: str

    def tuned_for(self, riff: Riff) -> Instrument:
        """This instrument in a riff's tuning and with its capo."""
        return replace(riff.instrument, scale_mm=self.scale_mm, left_handed=self.left_handed)


@dataclass(frozen=True, slots=True, kw_only=True)
class NewRig:
    """What makes a rig. `tuning`: sounding pitches, lowest string first; `scale_mm`: the strings'
    sounding length.
    """

    name: str
    tuning: tuple[str, ...]
    capo: int = 0
    scale_mm: float = STANDARD_SCALE_MM
    left_handed: bool = False
    chain: str = ""


FIRST = NewRig(name="My guitar", tuning=("E2", "A2", "D3", "G3", "B3", "E4"))


@dataclass(frozen=True, slots=True, kw_only=True)
class ToneProfile:
    """A tone of a rig. `sound`: clean, crunch or high gain; `level`: the last level check, None
    before.
    """

    id: int
    rig_id: int
    name: str
    sound: str
    level: dict[str, Any] | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Calibration:
    """A measured delay of one browser, device and sample rate. `spread_ms`: over several openings
    of the stream, None below two.
    """

    id: int
    browser: str
    device: str
    rate_hz: int
    kind: str
    delay_ms: float
    repeat_ms: float
    spread_ms: float | None
    openings_ms: list[float]
    created_at: datetime


@dataclass(frozen=True, slots=True, kw_only=True)
class NewCalibration:
    """A measurement about to be kept."""

    browser: str
    device: str
    rate_hz: int
    kind: str
    delay_ms: float
    repeat_ms: float
    spread_ms: float | None
    openings_ms: list[float]


@dataclass(frozen=True, slots=True, kw_only=True)
class Example:
    """One hit kept as an example of a tone, without its sound."""

    id: int
    tone_id: int
    kind: str
    rate_hz: int
    depth: float
    origin: str


def _made(kind: type[T], row: Any) -> T:
    return kind(**{name: getattr(row, name) for name in kind.__slots__})  # type: ignore[attr-defined]


def ensure_rig(session: Session, player_id: int) -> None:
    """Gives a player who has no rig yet a first one, to be named and changed."""
    if (
        session.exec(select(RigRow.id).where(RigRow.player_id == player_id).limit(1)).first()
        is None
    ):
        add_rig(session, player_id, FIRST)


def add_rig(session: Session, player_id: int, new: NewRig) -> Rig:
    """Stores a rig, which is the one in use from now on."""
    now = datetime.now(UTC)
    row = RigRow(
        player_id=player_id,
        created_at=now,
        used_at=now,
        **_values(new) | {"tuning": list(new.tuning)},
    )
    session.add(row)
    session.flush()
    return _made(Rig, row)


def change_rig(session: Session, player_id: int, rig_id: int, new: NewRig) -> Rig:
    """Replaces what a rig is; its tones stay. Raises NotFound."""
    row = _rig(session, player_id, rig_id, lock=True)
    for name, value in (_values(new) | {"tuning": list(new.tuning)}).items():
        setattr(row, name, value)
    session.flush()
    return _made(Rig, row)


def use_rig(session: Session, player_id: int, rig_id: int) -> None:
    """Makes a rig the one in use. Raises NotFound."""
    _rig(session, player_id, rig_id, lock=True).used_at = datetime.now(UTC)
    session.flush()


def delete_rig(session: Session, player_id: int, rig_id: int) -> None:
    """Removes a rig with its tones and their examples; takes played on it stay. Raises NotFound."""
    session.delete(_rig(session, player_id, rig_id, lock=True))
    session.flush()


def get_rig(session: Session, player_id: int, rig_id: int) -> Rig:
    """A rig. Raises NotFound."""
    return _made(Rig, _rig(session, player_id, rig_id))


def rigs_of(session: Session, player_id: int) -> list[Rig]:
    """All rigs of a player, the one in use first, then the oldest first."""
    query = (
        select(RigRow)
        .where(RigRow.player_id == player_id)
        .order_by(col(RigRow.used_at).desc().nulls_last(), col(RigRow.id))
    )
    return [_made(Rig, row) for row in session.exec(query).all()]


def own_instrument(session: Session, player_id: int) -> Instrument:
    """The player's own instrument in its own tuning: the rig in use; a usual one without any."""
    rig = next(iter(rigs_of(session, player_id)), None)
    if rig is None:
        return Instrument()
    return Instrument(
        tuning=tuple(rig.tuning),
        capo=rig.capo,
        scale_mm=float(rig.scale_mm),
        left_handed=rig.left_handed,
    )


def instrument_for(session: Session, player_id: int, rig_id: int | None, riff: Riff) -> Instrument:
    """What a riff was played on: the rig in the riff's tuning; without one the riff's own with
    strings of the usual length.
    """
    if rig_id is None:
        return riff.instrument
    return get_rig(session, player_id, rig_id).tuned_for(riff)


def add_tone(session: Session, player_id: int, rig_id: int, name: str, sound: str) -> ToneProfile:
    """Stores a tone of a rig. Raises NotFound for the rig, NotAllowed for a name it has already."""
    _rig(session, player_id, rig_id, lock=True)
    if (
        session.exec(
            select(ToneRow.id).where(ToneRow.rig_id == rig_id, ToneRow.name == name)
        ).first()
        is not None
    ):
        raise NotAllowed(f"this rig has a tone named {name} already: choose another name")
    row = ToneRow(
        player_id=player_id, rig_id=rig_id, name=name, sound=sound, created_at=datetime.now(UTC)
    )
    session.add(row)
    session.flush()
    return _made(ToneProfile, row)


def get_tone(session: Session, player_id: int, tone_id: int) -> ToneProfile:
    """A tone. Raises NotFound."""
    return _made(ToneProfile, _tone(session, player_id, tone_id))


def find_tone(session: Session, player_id: int, tone_id: int) -> ToneProfile | None:
    """A tone, or None if it was deleted meanwhile."""
    row = session.get(ToneRow, tone_id)
    return None if row is None or row.player_id != player_id else _made(ToneProfile, row)


def tones_of(session: Session, player_id: int, rig_id: int | None = None) -> list[ToneProfile]:
    """The tones of a rig, or of all rigs."""
    query = select(ToneRow).where(ToneRow.player_id == player_id).order_by(col(ToneRow.id))
    rows = session.exec(query if rig_id is None else query.where(ToneRow.rig_id == rig_id)).all()
    return [_made(ToneProfile, row) for row in rows]


def delete_tone(session: Session, player_id: int, tone_id: int) -> None:
    """Removes a tone with its examples. Raises NotFound."""
    session.delete(_tone(session, player_id, tone_id, lock=True))
    session.flush()


def set_level(session: Session, player_id: int, tone_id: int, level: dict[str, Any]) -> ToneProfile:
    """Keeps the last level check of a tone."""
    row = _tone(session, player_id, tone_id, lock=True)
    row.level = level
    session.flush()
    return _made(ToneProfile, row)


def add_calibration(session: Session, player_id: int, new: NewCalibration) -> Calibration:
    """Keeps a measured delay; earlier ones stay."""
    row = CalibrationRow(player_id=player_id, created_at=datetime.now(UTC), **_values(new))
    session.add(row)
    session.flush()
    return _made(Calibration, row)


def newest_calibration(
    session: Session,
    player_id: int,
    *,
    browser: str,
    device: str,
    rate_hz: int,
    until: datetime | None = None,
) -> Calibration | None:
    """The last one of exactly this browser, device and rate; None if there is none: another's is
    never used. `until`: as it stood then.
    """
    query = select(CalibrationRow).where(
        CalibrationRow.player_id == player_id,
        CalibrationRow.browser == browser,
        CalibrationRow.device == device,
        CalibrationRow.rate_hz == rate_hz,
    )
    if until is not None:
        query = query.where(CalibrationRow.created_at <= until)
    row = session.exec(query.order_by(col(CalibrationRow.id).desc())).first()
    return None if row is None else _made(Calibration, row)


def calibrations_of(session: Session, player_id: int, limit: int = 20) -> list[Calibration]:
    """The newest first."""
    query = (
        select(CalibrationRow)
        .where(CalibrationRow.player_id == player_id)
        .order_by(col(CalibrationRow.id).desc())
        .limit(limit)
    )
    return [_made(Calibration, row) for row in session.exec(query).all()]


def add_example(
    session: Session,
    player_id: int,
    tone_id: int,
    *,
    kind: str,
    data: bytes,
    rate_hz: int,
    depth: float,
    origin: str,
) -> Example:
    """Keeps a hit as an example of a tone. Raises NotFound."""
    _tone(session, player_id, tone_id)
    row = ExampleRow(
        player_id=player_id,
        tone_id=tone_id,
        kind=kind,
        rate_hz=rate_hz,
        depth=depth,
        origin=origin,
        data=data,
        created_at=datetime.now(UTC),
    )
    session.add(row)
    session.flush()
    return _made(Example, row)


def examples_of(session: Session, player_id: int, tone_id: int) -> list[Example]:
    """A tone's examples without their sound, the oldest first."""
    columns = [getattr(ExampleRow, name) for name in Example.__slots__]
    query = (
        sa.select(*columns)
        .where(col(ExampleRow.tone_id) == tone_id, col(ExampleRow.player_id) == player_id)
        .order_by(col(ExampleRow.id))
    )
    return [Example(**row._mapping) for row in session.execute(query).all()]


def all_examples(session: Session, player_id: int) -> Iterator[tuple[int, bytes]]:
    """Every example of a player with its FLAC, one after the other."""
    numbers = session.exec(select(ExampleRow.id).where(ExampleRow.player_id == player_id)).all()
    for number in numbers:
        row = session.exec(select(ExampleRow.data).where(ExampleRow.id == number)).one()
        yield number or 0, row


def example_sounds(session: Session, player_id: int, tone_id: int) -> list[tuple[str, str, bytes]]:
    """Kind, origin and FLAC of every example of a tone."""
    query = select(ExampleRow.kind, ExampleRow.origin, ExampleRow.data).where(
        ExampleRow.tone_id == tone_id, ExampleRow.player_id == player_id
    )
    return [
        (kind, origin, data)
        for kind, origin, data in session.exec(query.order_by(col(ExampleRow.id))).all()
    ]


def delete_example(session: Session, player_id: int, example_id: int) -> int:
    """Removes an example and says of which tone. Raises NotFound."""
    row = session.get(ExampleRow, example_id)
    if row is None or row.player_id != player_id:
        raise NotFound("there is no such example")
    session.delete(row)
    session.flush()
    return row.tone_id


def takes_on(session: Session, player_id: int, rig_id: int) -> int:
    """How many takes were played on a rig."""
    query = select(sa.func.count()).where(TakeRow.rig_id == rig_id, TakeRow.player_id == player_id)
    return session.exec(query).one()


def _values(new: NewRig | NewCalibration) -> dict[str, Any]:
    return {name: getattr(new, name) for name in type(new).__slots__}


def _rig(session: Session, player_id: int, rig_id: int, *, lock: bool = False) -> RigRow:
    locked = {"key_share": True} if lock else None
    row = session.get(RigRow, rig_id, with_for_update=locked, populate_existing=lock)
    if row is None or row.player_id != player_id:
        raise NotFound("rig not found: it may have been deleted")
    return row


def _tone(session: Session, player_id: int, tone_id: int, *, lock: bool = False) -> ToneRow:
    locked = {"key_share": True} if lock else None
    row = session.get(ToneRow, tone_id, with_for_update=locked, populate_existing=lock)
    if row is None or row.player_id != player_id:
        raise NotFound("tone not found: it may have been deleted")
    return row

"""The form of Riff JSON, `thrumble.riff/1`: the one definition of its fields."""

from decimal import Decimal
from fractions import Fraction
from typing import Annotated, Literal

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field, PlainSerializer, WithJsonSchema

from thrumble.core.instrument import Plucking
from thrumble.core.music.meter import Meter, read_meter
from thrumble.core.riff.model import Articulation, Legato, Ramp, Stroke

MAX_NUMBER_LENGTH = 60


def _fraction(value: object) -> Fraction:
    """A reduced fraction of a whole note from its text; floats are refused, for they are not
    exact.
    """
    if isinstance(value, Fraction):
        return value
    if isinstance(value, bool) or not isinstance(value, str | int) or len(str(value)) > 24:
        raise ValueError("write a fraction of a whole note as text, such as '3/16' or '0'")
    head, slash, tail = str(value).partition("/")
    digits = head.isascii() and tail.isascii()
    if not digits or not head.isdecimal() or (slash and (not tail.isdecimal() or not int(tail))):
        raise ValueError("write a fraction of a whole note as text, such as '3/16' or '0'")
    return Fraction(int(head), int(tail) if slash else 1)


def _meter(value: object) -> Meter:
    return value if isinstance(value, Meter) else read_meter(str(value))


def _number(value: object) -> Decimal:
    """An exact decimal from a JSON number (its printed form) or text."""
    if isinstance(value, bool) or not isinstance(value, int | float | str | Decimal):
        raise ValueError("write a number")
    text = str(value)
    if len(text) > MAX_NUMBER_LENGTH:
        raise ValueError("enter a finite number")
    try:
        number = Decimal(text)
    except ArithmeticError:
        raise ValueError("write a number") from None
    # the exponent is looked at before any arithmetic: 1e400000000 would overflow it
    if not number.is_finite() or not -20 <= number.adjusted() <= 6:
        raise ValueError("enter a finite number")
    if abs(number) > 1_000_000 or len(number.as_tuple().digits) > 20:
        raise ValueError("enter a finite number")
    return number


def _plain_number(value: Decimal) -> int | float:
    return int(value) if value == int(value) else float(value)


Place = Annotated[
    Fraction,
    BeforeValidator(_fraction),
    PlainSerializer(str, return_type=str),
    WithJsonSchema({"type": "string"}),
]
MeterText = Annotated[
    Meter,
    BeforeValidator(_meter),
    PlainSerializer(str, return_type=str),
    WithJsonSchema({"type": "string"}),
]
Number = Annotated[
    Decimal,
    BeforeValidator(_number),
    PlainSerializer(_plain_number),
    WithJsonSchema({"type": "number"}),
]


class _Model(BaseModel):
    model_config = ConfigDict(extra="forbid", strict=False, arbitrary_types_allowed=True)


class NoteJson(_Model):
    string: Annotated[int, Field(strict=True)]
    fret: Annotated[int, Field(strict=True)] | None = None
    let_ring: bool = False
    plucked: Plucking | None = None


class OriginJson(_Model):
    section: str
    bar: Annotated[int, Field(strict=True, ge=0)]
    at: Place
    appearance: Annotated[int, Field(strict=True, ge=1)] = 1


class HitJson(_Model):
    model_config = ConfigDict(
        extra="forbid", arbitrary_types_allowed=True, validate_by_name=True, validate_by_alias=True
    )
    at: Place
    length: Place
    notes: list[NoteJson]
    articulation: Articulation
    depth: Number | None = None
    stroke: Stroke | None = None
    accent: bool = False
    staccato: bool = False
    stop: bool = False
    slide_from: Annotated[int, Field(strict=True)] | None = None
    legato: Legato | None = None
    bend: Number | None = None
    opens: bool = False
    arpeggio: bool = False
    ramp: Ramp | None = None
    label: str | None = None
    origin: OriginJson | None = Field(
        default=None, validation_alias="from", serialization_alias="from"
    )


class BarJson(_Model):
    meter: MeterText
    hits: list[HitJson]


class FeelJson(_Model):
    kind: Literal["straight", "shuffle"]
    unit: Place | None = None
    ratio: Number | None = None


class SectionJson(_Model):
    name: str
    bars: list[BarJson]
    endings: list[list[BarJson]] = []
    feel: FeelJson | None = None
    over: str | None = None


class PickupJson(_Model):
    length: Place
    hits: list[HitJson]


class RiffJson(_Model):
    format: Literal["thrumble.riff/1"]
    title: str
    tempo_bpm: Number
    tuning: list[str]
    capo: Annotated[int, Field(strict=True)] = 0
    feel: FeelJson = FeelJson(kind="straight")
    sections: list[SectionJson]
    play: list[str] = []
    pickup: PickupJson | None = None
    pedal: NoteJson | None = None

"""Riff JSON, `thrumble.riff/1`: the way from a document to the riff, and back."""

import json
from decimal import Decimal
from fractions import Fraction
from typing import Any

from pydantic import ValidationError

from thrumble.core.errors import RiffError
from thrumble.core.instrument import Note
from thrumble.core.music.feel import STRAIGHT, Feel
from thrumble.core.riff.checking import check_riff
from thrumble.core.riff.model import (
    DEFAULT_DEPTH,
    Articulation,
    Bar,
    Hit,
    HitIdentity,
    Pickup,
    Riff,
    Section,
    Stroke,
)
from thrumble.formats.riff_form import (
    BarJson,
    FeelJson,
    HitJson,
    NoteJson,
    OriginJson,
    PickupJson,
    RiffJson,
    SectionJson,
)

MAX_BYTES = 8_000_000


def read_riff_json(data: bytes | str) -> Riff:
    """The riff of a JSON document. Raises RiffError naming section, bar, hit and field, the value
    found and what is allowed.
    """
    if len(data) > MAX_BYTES:
        raise RiffError(
            f"a riff file has at most {MAX_BYTES // 1_000_000} MB",
            found=f"{len(data)} bytes",
            place="file",
        )
    try:
        document = json.loads(data, parse_float=str)
    except (ValueError, RecursionError) as error:  # also integers of over 4,300 digits
        line, column = getattr(error, "lineno", None), getattr(error, "colno", None)
        raise RiffError(
            "this is not JSON; send a riff saved as thrumble.riff/1",
            found=str(error)[:80],
            line=line,
            column=column,
            place="file",
        ) from None
    return riff_from_document(document)


def riff_from_document(document: Any) -> Riff:
    """The riff of parsed JSON. Raises RiffError as `read_riff_json`."""
    try:
        model = RiffJson.model_validate(document)
    except ValidationError as error:
        first = error.errors(include_url=False)[0]
        value = first["input"] if isinstance(first["input"], str | int | float) else ""
        raise RiffError(
            first["msg"].removeprefix("Value error, "),
            found=str(value)[:60],
            place=_place(first["loc"], document),
        ) from None
    return check_riff(_to_riff(model))


def riff_document(riff: Riff) -> dict[str, Any]:
    """The JSON document of a riff; reverse of `riff_from_document`."""
    model = RiffJson(
        format="thrumble.riff/1",
        title=riff.title,
        tempo_bpm=riff.tempo_bpm,
        tuning=list(riff.tuning),
        capo=riff.capo,
        feel=_feel_json(riff.feel),
        play=list(riff.play),
        sections=[
            SectionJson(
                name=s.name,
                bars=[_bar_json(b) for b in s.bars],
                endings=[[_bar_json(b) for b in e] for e in s.endings],
                feel=_feel_json(s.feel) if s.feel else None,
                over=s.over,
            )
            for s in riff.sections
        ],
        pickup=PickupJson(length=riff.pickup.length, hits=[_hit_json(h) for h in riff.pickup.hits])
        if riff.pickup
        else None,
        pedal=_note_json(riff.pedal) if riff.pedal else None,
    )
    return model.model_dump(mode="json", by_alias=True, exclude_defaults=True) | {
        "format": "thrumble.riff/1",
        "feel": _feel_json(riff.feel).model_dump(mode="json", exclude_none=True),
    }


def bar_document(bar: Bar) -> dict[str, Any]:
    """One bar as it stands in the document."""
    out: dict[str, Any] = _bar_json(bar).model_dump(
        mode="json", by_alias=True, exclude_defaults=True
    )
    return out


def bar_from_document(document: Any) -> Bar:
    """Reverse of `bar_document`; what it holds is checked with the riff it goes into. Raises
    RiffError.
    """
    try:
        return _bar(BarJson.model_validate(document))
    except ValidationError as error:
        raise RiffError(
            error.errors(include_url=False)[0]["msg"].removeprefix("Value error, "), place="bar"
        ) from None


def hit_document(hit: Hit) -> dict[str, Any]:
    """One hit as it stands in the document."""
    out: dict[str, Any] = _hit_json(hit).model_dump(
        mode="json", by_alias=True, exclude_defaults=True
    )
    return out


def _place(loc: tuple[int | str, ...], document: Any) -> str:
    """Section, bar, hit and field in a guitarist's words from a validation path."""
    words: list[str] = []
    here = document
    singular = {
        "sections": "section",
        "bars": "bar",
        "hits": "hit",
        "notes": "note",
        "endings": "ending",
    }
    for step in loc:
        if isinstance(step, int):
            here = here[step] if isinstance(here, list) and step < len(here) else None
            name = here.get("name") if isinstance(here, dict) else None
            words[-1] = f"{singular.get(words[-1], words[-1])} {repr(name) if name else step + 1}"
        else:
            here = here.get(step) if isinstance(here, dict) else None
            words.append(step)
    return ", ".join(words) or "file"


def _to_riff(model: RiffJson) -> Riff:
    return Riff(
        title=model.title,
        tempo_bpm=model.tempo_bpm,
        tuning=tuple(model.tuning),
        capo=model.capo,
        feel=_feel(model.feel),
        sections=tuple(
            Section(
                name=s.name,
                bars=tuple(_bar(b) for b in s.bars),
                endings=tuple(tuple(_bar(b) for b in e) for e in s.endings),
                feel=_feel(s.feel) if s.feel else None,
                over=s.over,
            )
            for s in model.sections
        ),
        play=tuple(model.play),
        pickup=Pickup(model.pickup.length, tuple(_hit(h) for h in model.pickup.hits))
        if model.pickup
        else None,
        pedal=_note(model.pedal) if model.pedal else None,
    )


def _feel(model: FeelJson) -> Feel:
    if model.kind == "straight":
        return STRAIGHT
    if model.ratio is None:
        raise RiffError("a shuffle needs a ratio, such as 2.0", place="feel, ratio")
    return Feel(Fraction(model.ratio), model.unit or Fraction(1, 8))


def _feel_json(feel: Feel) -> FeelJson:
    if feel.ratio is None:
        return FeelJson(kind="straight")
    return FeelJson(
        kind="shuffle",
        unit=feel.unit,
        ratio=Decimal(feel.ratio.numerator) / Decimal(feel.ratio.denominator),
    )


def _note(model: NoteJson) -> Note:
    return Note(model.string, model.fret, model.let_ring, model.plucked)


def _note_json(note: Note) -> NoteJson:
    return NoteJson(
        string=note.string, fret=note.fret, let_ring=note.let_ring, plucked=note.plucked
    )


def _bar(model: BarJson) -> Bar:
    return Bar(model.meter, tuple(_hit(h) for h in model.hits))


def _bar_json(bar: Bar) -> BarJson:
    return BarJson(meter=bar.meter, hits=[_hit_json(h) for h in bar.hits])


def _hit(model: HitJson) -> Hit:
    depth = (
        DEFAULT_DEPTH
        if model.depth is None and model.articulation is Articulation.PALM
        else model.depth
    )
    stroke = Stroke.DOWN if model.stroke is None and model.legato is None else model.stroke
    return Hit(
        at=model.at,
        length=model.length,
        notes=tuple(sorted((_note(n) for n in model.notes), key=lambda n: -n.string)),
        articulation=model.articulation,
        depth=depth,
        stroke=stroke,
        accent=model.accent,
        staccato=model.staccato,
        stop=model.stop,
        slide_from=model.slide_from,
        legato=model.legato,
        bend=model.bend,
        opens=model.opens,
        arpeggio=model.arpeggio,
        ramp=model.ramp,
        label=model.label,
        origin=_origin(model.origin),
    )


def _origin(model: OriginJson | None) -> HitIdentity | None:
    if model is None:
        return None
    return HitIdentity(model.section, model.bar, model.at, model.appearance)


def _origin_json(origin: HitIdentity | None) -> OriginJson | None:
    if origin is None:
        return None
    return OriginJson(
        section=origin.section, bar=origin.bar, at=origin.at, appearance=origin.appearance
    )


def _hit_json(hit: Hit) -> HitJson:
    return HitJson(
        at=hit.at,
        length=hit.length,
        notes=[_note_json(n) for n in hit.notes],
        articulation=hit.articulation,
        depth=hit.depth,
        stroke=hit.stroke,
        accent=hit.accent,
        staccato=hit.staccato,
        stop=hit.stop,
        slide_from=hit.slide_from,
        legato=hit.legato,
        bend=hit.bend,
        opens=hit.opens,
        arpeggio=hit.arpeggio,
        ramp=hit.ramp,
        label=hit.label,
        origin=_origin_json(hit.origin),
    )

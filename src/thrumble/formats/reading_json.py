"""Reading JSON, `thrumble.reading/1`, to and from the ear's values, and readings as CSV."""

import csv
import io
from typing import Any

from pydantic import TypeAdapter

from thrumble.core.ear.reading import HitReading, Reading

READING: TypeAdapter[Reading] = TypeAdapter(Reading)


def reading_document(reading: Reading) -> dict[str, Any]:
    """The JSON document of a reading, its format first."""
    document: dict[str, Any] = READING.dump_python(reading, mode="json")
    return {"format": document.pop("format"), "engine": document.pop("engine"), **document}


def reading_from_document(document: dict[str, Any]) -> Reading:
    """Reverse of `reading_document`."""
    return READING.validate_python(document)


def reading_csv(reading: Reading) -> str:
    """One row a hit, with the same names as in the JSON; probabilities in three columns."""
    names = [name for name in HitReading.__slots__ if name not in ("probabilities", "stray_strings")]
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow([*names, "p_open", "p_palm", "p_dead", "stray_strings"])
    for hit in reading.hits:
        chances = hit.probabilities or {}
        strays = "" if hit.stray_strings is None else " ".join(map(str, hit.stray_strings))
        writer.writerow([*(getattr(hit, name) for name in names), *(chances.get(k) for k in ("open", "palm", "dead")), strays])
    return out.getvalue()

"""Reading JSON, `thrumble.reading/1`, to and from the ear's values, and readings as CSV."""

import csv
import io
from datetime import datetime
from typing import Any

from pydantic import TypeAdapter

from thrumble.core.coach.verdict.finding import Finding
from thrumble.core.coach.verdict.judgement import Judgement
from thrumble.core.ear.reading import HitReading, Reading

READING: TypeAdapter[Reading] = TypeAdapter(Reading)


def reading_document(
    reading: Reading,
    findings: list[tuple[Finding, str]] | None = None,
    played_at: datetime | None = None,
) -> dict[str, Any]:
    """The JSON document of a reading, its format first. `findings`: each with
    its sentence; a bare reading has none. `played_at`: if that is known, in the player's zone.
    """
    document: dict[str, Any] = READING.dump_python(reading, mode="json")
    whole = {"format": document.pop("format"), "engine": document.pop("engine"), **document}
    if played_at is not None:
        whole["played_at"] = played_at.isoformat(timespec="seconds")
    return (
        whole
        if findings is None
        else whole | {"causes": [_finding(finding, text) for finding, text in findings]}
    )


def _finding(finding: Finding, text: str) -> dict[str, Any]:
    return {
        "kind": finding.kind,
        "cost": round(finding.cost, 3),
        "text": text,
        "hits": [list(key) for key in finding.hits],
        "figures": {
            name: value if isinstance(value, str) else round(value, 3)
            for name, value in finding.evidence().items()
        },
    }


def reading_from_document(document: dict[str, Any]) -> Reading:
    """Reverse of `reading_document`; causes, if there are any, are found anew from the
    reading, and when it was played is the take's.
    """
    return READING.validate_python(
        {name: value for name, value in document.items() if name not in ("causes", "played_at")}
    )


JUDGED = ("as_judged", "late_ms", "in_time", "clean")


def reading_csv(judgement: Judgement) -> str:
    """One row a hit as detected, with the same names as in the JSON; probabilities in three
    columns; then what was judged of it, corrections counted.
    """
    names = [
        name for name in HitReading.__slots__ if name not in ("probabilities", "stray_strings")
    ]
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow([*names, "p_open", "p_palm", "p_dead", "stray_strings", *JUDGED])
    for judged in judgement.hits:
        hit = judged.hit
        chances = hit.probabilities or {}
        strays = "" if hit.stray_strings is None else " ".join(map(str, hit.stray_strings))
        late_ms = None if judged.late_ms is None else round(judged.late_ms, 2)
        writer.writerow(
            [
                *(getattr(hit, name) for name in names),
                *(chances.get(k) for k in ("open", "palm", "dead")),
                strays,
                judged.articulation,
                late_ms,
                judged.in_time,
                judged.clean,
            ]
        )
    return out.getvalue()

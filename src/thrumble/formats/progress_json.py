"""Progress of a riff as JSON, `thrumble.progress/1`, from readings as they were downloaded."""

import json
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any, Literal

from pydantic import Field, ValidationError

from thrumble.core.coach.comparing.metrics import TakeHits, hits_of, hits_of_reading
from thrumble.core.coach.progress.clean_speed import (
    PROBABILITY,
    CleanSpeed,
    Estimate,
    Round,
    clean_speed,
)
from thrumble.core.coach.progress.ladder import next_step
from thrumble.core.coach.progress.passes import WHOLE, rounds_of
from thrumble.core.coach.verdict.judgement import judge
from thrumble.core.counting import counted
from thrumble.core.ear.reading import Reading
from thrumble.core.errors import BadInput
from thrumble.core.riff.expand import ExpandedRiff, expand
from thrumble.core.riff.model import Riff
from thrumble.formats.document import Document, Interval, Number
from thrumble.formats.reading_json import reading_from_document

UNKNOWN_DAY = date(1970, 1, 1)
FEW_ROUNDS = 6


class SpeedJson(Document):
    """An estimate of the clean speed."""

    clean_speed_bpm: Number | None = Field(description="null without a whole pass")
    interval_bpm: Interval | None = Field(description="90 %")


class SectionSpeedJson(SpeedJson):
    """The clean speed of one section."""

    name: str
    rounds: int


class DaySpeedJson(SpeedJson):
    """The clean speed as it stood on a day."""

    day: str | None = Field(description="ISO date; null if no day is known")


class NextTempoJson(Document):
    """The tempo to play next, and why."""

    tempo_bpm: Number
    why: str


class ProgressJson(SpeedJson):
    """Clean speed of a riff, from its takes."""

    format: Literal["thrumble.progress/1"]
    title: str
    rounds: int = Field(description="whole passes")
    clean_rounds: int
    probability: Number = Field(description="of a clean pass at the clean speed")
    sections: list[SectionSpeedJson]
    weakest_section: str | None
    by_day: list[DaySpeedJson]
    next: NextTempoJson
    cautions: list[str]


@dataclass(frozen=True, slots=True)
class PlayedReading:
    """A reading, what its file is called, and the player's own day, None if nobody says."""

    name: str
    reading: Reading
    day: date | None

    @classmethod
    def read(cls, data: bytes, name: str, day: date | None) -> "PlayedReading":
        """Parse a reading's document. `day`: when it was played, before what the document says.
        Raises BadInput for what is no reading.
        """
        try:
            document = json.loads(data)
            if not isinstance(document, dict) or document.get("format") != "thrumble.reading/1":
                raise ValueError("format")
            played_at = document.pop("played_at", None)
            own_day = None if played_at is None else datetime.fromisoformat(str(played_at)).date()
            return cls(name, reading_from_document(document), day or own_day)
        except (ValueError, ValidationError, RecursionError):
            raise BadInput(
                f"{name} isn't an analysis: give JSON files written by thrumble analyze --json"
            ) from None


def progress_document(riff: Riff, readings: list[PlayedReading]) -> dict[str, Any]:
    """Clean speed of a riff, of each of its sections, and day by day; what to play next."""
    rounds_by_section: dict[str, list[Round]] = {WHOLE: []}
    cautions: list[str] = []
    expansions: dict[float, ExpandedRiff] = {}
    for reading in sorted(readings, key=lambda reading: (reading.day or UNKNOWN_DAY, reading.name)):
        tempo = reading.reading.tempo_bpm
        expanded = expansions.setdefault(tempo, expand(riff, tempo))
        if not _fits(reading.reading, expanded):
            cautions.append(f"{reading.name} is an analysis of another riff: left out")
            continue
        day = reading.day or UNKNOWN_DAY
        for result in rounds_of(judge(reading.reading, expanded)):
            rounds = rounds_by_section.setdefault(result.section, [])
            rounds.append(Round(day, round(tempo, 1), result.clean))
    undated = sum(reading.day is None for reading in readings)
    if undated:
        cautions.append(f"no day is known for {counted(undated, 'reading')}: they count as one day")
    tempo = float(riff.tempo_bpm)
    whole = clean_speed(rounds_by_section[WHOLE], tempo)
    if whole is None:
        cautions.append("no pass played to the end yet, so there is nothing to go by")
    elif whole.rounds < FEW_ROUNDS:
        cautions.append(f"{counted(whole.rounds, 'pass', 'passes')} so far: the interval is wide")
    sections = {
        name: speed
        for name, rounds in rounds_by_section.items()
        if name != WHOLE and (speed := clean_speed(rounds, tempo)) is not None
    }
    step = next_step(rounds_by_section[WHOLE], tempo)
    return ProgressJson.checked(
        {
            "format": "thrumble.progress/1",
            "title": riff.title,
            "rounds": 0 if whole is None else whole.rounds,
            "clean_rounds": 0 if whole is None else whole.clean,
            **_estimate(None if whole is None else whole.now),
            "probability": PROBABILITY,
            "sections": [
                {"name": name, **_estimate(section.now), "rounds": section.rounds}
                for name, section in sections.items()
            ],
            "weakest_section": min(sections, key=lambda name: sections[name].now.bpm, default=None),
            "by_day": _by_day(whole),
            "next": {"tempo_bpm": step.tempo_bpm, "why": step.why},
            "cautions": cautions,
        }
    )


def hits_in(played_reading: PlayedReading, riff: Riff | None) -> TakeHits:
    """A reading's hits for a comparison. `riff`: then accents and moves are known. Raises BadInput
    if the reading is of another.
    """
    if riff is None:
        return hits_of_reading(played_reading.reading)
    expanded = expand(riff, played_reading.reading.tempo_bpm)
    if not _fits(played_reading.reading, expanded):
        raise BadInput(f"{played_reading.name} is an analysis of another riff")
    return hits_of(judge(played_reading.reading, expanded))


def _fits(reading: Reading, expanded: ExpandedRiff) -> bool:
    """Whether a reading's hits are this riff's."""
    hits = expanded.hits
    return all(
        hit.index < len(hits)
        and hits[hit.index].identity.section == hit.section
        and str(hits[hit.index].identity.at) == hit.at
        for hit in reading.hits
    )


def _estimate(estimate: Estimate | None) -> dict[str, Any]:
    if estimate is None:
        return {"clean_speed_bpm": None, "interval_bpm": None}
    return {
        "clean_speed_bpm": round(estimate.bpm, 1),
        "interval_bpm": [round(estimate.low, 1), round(estimate.high, 1)],
    }


def _by_day(whole: CleanSpeed | None) -> list[dict[str, Any]]:
    if whole is None:
        return []
    return [
        {"day": None if day == UNKNOWN_DAY else day.isoformat(), **_estimate(estimate)}
        for day, estimate in whole.by_day
    ]


def progress_lines(document: dict[str, Any]) -> list[str]:
    """The progress in a few lines of text."""
    out = []
    if document["clean_speed_bpm"] is not None:
        low, high = document["interval_bpm"]
        out.append(
            f"{document['title']}: clean at {document['clean_speed_bpm']:.0f} bpm "
            f"({low:.0f} to {high:.0f}), four passes of five; "
            f"{document['clean_rounds']} of {counted(document['rounds'], 'pass', 'passes')} clean "
            "so far"
        )
    if document["weakest_section"] is not None and len(document["sections"]) > 1:
        out.append(f"weakest: section {document['weakest_section']}")
    out.append(f"next: {document['next']['tempo_bpm']:g} bpm, {document['next']['why']}")
    return out + [f"  ({words})" for words in document["cautions"]]

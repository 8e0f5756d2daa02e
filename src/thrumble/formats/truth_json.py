"""Truth JSON, `thrumble.truth/1`: what the simulated player really did."""

from typing import Any, Literal

from pydantic import Field

from thrumble.core.player.perform import Performance
from thrumble.core.player.rendering import PlayedHit
from thrumble.formats.document import Document, Number


class TrueHit(Document):
    """What was really played for one hit. What is absent did not happen."""

    index: int | None = Field(
        description="place in the expanded riff, from 0; null for a hit that is not written"
    )
    round: int = Field(1, description="pass; absent in the first")
    expected_s: Number = Field(description="when it was due, seconds from the start of the file")
    slot_ms: Number = Field(description="time until the next hit is due")
    planned: str | None = Field(description="articulation written; null for a hit that is not")
    played: bool
    not_reached: bool = Field(False, description="the take ends before it")
    onset_s: Number | None = Field(description="null if not played")
    articulation: str | None = Field(description="open, palm or dead, as played")
    ring_s: Number | None
    ring_end: str | None = Field(description="stop, next, decay or end")
    level_db: Number | None
    depth: Number = Field(0.0, description="of a palm mute, 0 to 1")
    strum_ms: Number = Field(0.0, description="from the first string to the last")
    stop_late_ms: Number = Field(0.0, description="how late a written stop was made")
    stray_strings: list[int] = Field([], description="strings that sounded by mistake")
    fret_error: int = Field(0, description="frets off")


class TruthJson(Document):
    """The truth about a simulated take."""

    format: Literal["thrumble.truth/1"]
    riff: str = Field(description="file name of the riff")
    audio: str = Field(description="file name of the take")
    source: str
    start_s: Number = Field(description="file time of bar 1 beat 1")
    tempo_bpm: Number
    condition: dict[str, Any] = Field(description="sound, and how it was recorded")
    hits: list[TrueHit]
    click_s: list[Number] = Field([], description="clicks that bled into the take")


def truth_document(
    performance: Performance, *, riff: str, audio: str, condition: dict[str, Any] | None = None
) -> dict[str, Any]:
    """The truth about a performance, beside the names of its riff and audio files."""
    document: dict[str, Any] = {
        "format": "thrumble.truth/1",
        "riff": riff,
        "audio": audio,
        "source": "simulated",
        "start_s": round(performance.start_s, 6),
        "tempo_bpm": performance.tempo_bpm,
        "condition": {"sound": performance.tone.value.replace("-", " "), **(condition or {})},
        "hits": [_hit(hit) for hit in performance.hits],
    }
    if performance.click_s:
        document["click_s"] = [round(t, 6) for t in performance.click_s]
    return TruthJson.checked(document)


def _hit(hit: PlayedHit) -> dict[str, Any]:
    row: dict[str, Any] = {
        "index": hit.index,
        "expected_s": round(hit.expected_s, 6),
        "slot_ms": round(hit.slot_ms, 1),
        "planned": hit.planned,
        "played": hit.played,
        "onset_s": None if hit.onset_s is None else round(hit.onset_s, 6),
        "articulation": hit.articulation,
        "ring_s": hit.ring_s,
        "ring_end": hit.ring_end,
        "level_db": hit.level_db,
    }
    optional = {"depth": hit.depth, "strum_ms": hit.strum_ms, "stop_late_ms": hit.stop_late_ms}
    row |= {key: round(value, 3) for key, value in optional.items() if value is not None}
    if hit.stray_strings:
        row["stray_strings"] = list(hit.stray_strings)
    if hit.fret_error:
        row["fret_error"] = hit.fret_error
    if hit.not_reached:
        row["not_reached"] = True
    if hit.round > 1:
        row["round"] = hit.round
    return row

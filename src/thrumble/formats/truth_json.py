"""Truth JSON, `thrumble.truth/1`: what the simulated player really did."""

from typing import Any

from thrumble.core.player.perform import Performance
from thrumble.core.player.rendering import PlayedHit


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
    return document


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

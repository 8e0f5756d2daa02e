"""Readings made by hand."""

from dataclasses import replace

from thrumble.core.ear.reading import (
    HeardKind,
    HitReading,
    HitState,
    Reading,
    RingEnd,
    StartSource,
    Summary,
)
from thrumble.core.riff.expand import ExpandedRiff, expand
from thrumble.core.riff.notation.text import parse_riff

HEAD = "title: T\ntempo: 120\n"


def expanded(body: str, head: str = HEAD) -> ExpandedRiff:
    return expand(parse_riff(f"{head}[A]\n{body}\n"))


def heard(riff: ExpandedRiff, **changes: dict[int, dict[str, object]]) -> Reading:
    """A reading in which every hit is on its place and as written, but for the changes by index."""
    hits = []
    for due in riff.hits:
        hit = HitReading(
            index=due.index,
            round=1,
            section="A",
            bar=due.bar,
            at=str(due.hit.at),
            expected_s=due.due_s,
            state=HitState.PLAYED,
            expected_articulation=due.hit.articulation,
            onset_s=due.due_s,
            deviation_ms=0.0,
            heard_articulation=HeardKind(due.hit.articulation.value),
            probabilities={"open": 0.9, "palm": 0.1, "dead": 0.0},
            relative_level_db=0.0,
            ring_s=0.2,
            ring_end=RingEnd.NEXT,
        )
        hits.append(replace(hit, **changes.get("hits", {}).get(due.index, {})))  # type: ignore[arg-type]
    return Reading(
        engine="2.4",
        tempo_bpm=riff.tempo_bpm,
        start_s=0.0,
        start_source=StartSource.GIVEN,
        sample_rate=48000,
        duration_s=10.0,
        rounds=1,
        hits=hits,
        extra_onsets=[],
        summary=Summary(matched=len(hits), missed=0, extra=0, unsure=0),
        cautions=[],
    )

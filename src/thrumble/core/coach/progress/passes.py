"""The rounds of a take, each worth one word: clean or not, as a whole and for what it holds; also
for the sections of the riff, and for the riff that a drill was made from.
"""

from dataclasses import dataclass

from thrumble.core.coach.verdict.judgement import REACHED_SHARE, JudgedHit, Judgement, is_clean
from thrumble.core.ear.reading import HitState
from thrumble.core.riff.expand import ExpandedRiff
from thrumble.core.riff.model import Hit, HitIdentity

COVERED_SHARE = 0.8  # of a section's hits that a drill has to hold to say something about it
WHOLE = ""  # in place of a section


@dataclass(frozen=True, slots=True, kw_only=True)
class RoundResult:
    """One round of a riff, or of one section in it. `timing`, `muting`, `stops`: clean in that
    alone; None if nothing of it was asked, or told.
    """

    round: int
    section: str
    hits: int
    clean: bool
    timing: bool | None
    muting: bool | None
    stops: bool | None


def rounds_of(judgement: Judgement) -> list[RoundResult]:
    """Every round that the take reached, whole and section by section."""
    sections = {due.index: due.identity.section for due in judgement.expanded.hits}
    return _results(judgement, sections)


def rounds_for(judgement: Judgement, root: ExpandedRiff) -> list[RoundResult]:
    """What the rounds of a drill say about the riff it was made from: about each section of which
    it holds nearly all hits as they are written, and about the whole if it holds all of it.
    """
    written = {due.identity: due.hit for due in root.hits}
    held: dict[int, str] = {}
    spots: set[tuple[str, int, object]] = set()
    for due in judgement.expanded.hits:
        origin = due.hit.origin
        if origin in written and _same(due.hit, written[origin]):
            held[due.index] = origin.section
            spots.add(_spot(origin))
    expected: dict[str, set[tuple[str, int, object]]] = {}
    for due in root.hits:
        expected.setdefault(due.identity.section, set()).add(_spot(due.identity))
    covered = {
        section
        for section, section_spots in expected.items()
        if len(section_spots & spots) >= COVERED_SHARE * len(section_spots)
    }
    sections = {index: section for index, section in held.items() if section in covered}
    results = _results(judgement, sections) if sections else []
    if covered == set(expected):
        return results
    return [result for result in results if result.section != WHOLE]


def _spot(hit_identity: HitIdentity) -> tuple[str, int, object]:
    return hit_identity.section, hit_identity.bar, hit_identity.at


def _same(hit: Hit, other: Hit) -> bool:
    """Whether both hands do the same for two hits; how long they ring aside."""
    return (hit.notes, hit.articulation, hit.stroke) == (
        other.notes,
        other.articulation,
        other.stroke,
    )


def _results(judgement: Judgement, sections: dict[int, str]) -> list[RoundResult]:
    """Of the hits in `sections`, by index: each round whole, and each section of it."""
    extras = _extras(judgement, sections)
    out = []
    for number in range(1, judgement.reading.rounds + 1):
        section_hits = [
            hit for hit in judgement.hits if hit.hit.round == number and hit.hit.index in sections
        ]
        for section in (WHOLE, *dict.fromkeys(sections.values())):
            of = [hit for hit in section_hits if section in (WHOLE, sections[hit.hit.index])]
            reached = [hit for hit in of if hit.hit.state is not HitState.NOT_REACHED]
            if not of or len(reached) < REACHED_SHARE * len(of):
                continue
            more = sum(n for (r, s), n in extras.items() if r == number and section in (WHOLE, s))
            out.append(_result(number, section, reached, more))
    return out


def _extras(judgement: Judgement, sections: dict[int, str]) -> dict[tuple[int, str], int]:
    """Extra hits by round and section."""
    reading, expanded = judgement.reading, judgement.expanded
    stretch = expanded.tempo_bpm / reading.tempo_bpm
    start_s = reading.start_s or 0.0
    out: dict[tuple[int, str], int] = {}
    for extra in reading.extra_onsets:
        section = sections.get(extra.near_index)
        if section is None:
            continue
        at = (extra.onset_s - start_s) / stretch / expanded.round_s
        number = min(reading.rounds, max(1, int(at) + 1))
        out[number, section] = out.get((number, section), 0) + 1
    return out


def _result(number: int, section: str, hits: list[JudgedHit], extra: int) -> RoundResult:
    counted = [hit for hit in hits if hit.counts]
    off = sum(not hit.clean for hit in counted)
    struck = [hit for hit in hits if hit.played or hit.missed]
    untimely = sum(not hit.in_time for hit in struck)
    return RoundResult(
        round=number,
        section=section,
        hits=len(hits),
        clean=is_clean(off + extra, len(counted)),
        timing=is_clean(untimely + extra, len(struck)),
        muting=_all_good([hit.as_written for hit in hits]),
        stops=_all_good([hit.stop_kept for hit in hits]),
    )


def _all_good(good: list[bool | None]) -> bool | None:
    """Clean in what could be measured; None if nothing could."""
    measured = [value for value in good if value is not None]
    return is_clean(measured.count(False), len(measured)) if measured else None

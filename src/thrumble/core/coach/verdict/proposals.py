"""What to play after a take: the remedies of its findings that the riff has something for."""

from collections import Counter
from dataclasses import dataclass

from thrumble.core.coach.verdict.finding import Finding
from thrumble.core.coach.verdict.judgement import Judgement
from thrumble.core.riff.drills.catalogue import TABLE, DrillKind
from thrumble.core.riff.drills.pieces import pieces_of
from thrumble.core.riff.model import TEMPO_RANGE_BPM
from thrumble.core.riff.shifts import shifts_mm

WORST_TIMES, WORST_MIN_HITS = 2.5, 3  # so much worse than the other bars, and so many hits off
MIN_TIMES_LATER = 2.0  # a move that is late so much more often than others is the cause
SLOWER = 0.9
MAX_PROPOSALS = 3


@dataclass(frozen=True, slots=True)
class Proposal:
    """A drill to play now. `drill` None: the riff itself, slower."""

    drill: DrillKind | None
    bars: tuple[int, int] | None
    tempo_bpm: float
    why: str


def propose(judgement: Judgement, findings: list[Finding]) -> list[Proposal]:
    """What to play now, the best first, three at most: a bar that is worst by far looped, or the
    change before it; then the remedies of the findings that the riff has something for. Nothing
    for a take that is clean, damaged or of another riff.
    """
    riff, tempo_bpm = judgement.expanded.riff, judgement.expanded.tempo_bpm
    first = findings[0] if findings else None
    if first is not None and not first.needs_practice:
        return []
    proposals: list[Proposal] = []
    worst = worst_bar(judgement)
    if worst is not None and (first is None or first.helped_by_loop):
        proposals.append(_around(judgement, worst, tempo_bpm))
    slowing_helps = first is None or first.helped_by_slowing
    for finding in findings:
        for remedy in finding.remedies:
            if remedy.drill is None and not slowing_helps:
                continue
            if remedy.drill is None or TABLE[remedy.drill].applies(pieces_of(riff)):
                tempo = _tempo(tempo_bpm * remedy.tempo_share)
                bars, why = None, remedy.why
                if remedy.drill is DrillKind.SHIFTS and (into := _worst_move(judgement, finding)):
                    bars = into
                    why = f"the move into bar {into[1]}, where you land late most often"
                proposals.append(Proposal(remedy.drill, bars, tempo, why))
    return _distinct(proposals)[:MAX_PROPOSALS]


def _worst_move(judgement: Judgement, finding: Finding) -> tuple[int, int] | None:
    """The bar into which the hand lands late far more often than anywhere else, with the one before
    it; None if there is none, or if these bars hold no move.
    """
    numbers = _first_numbers(judgement)
    moved = shifts_mm(judgement.expanded.hits, judgement.instrument)
    late_keys = set(finding.hits)
    landed: Counter[int] = Counter()
    late: Counter[int] = Counter()
    for hit in judgement.hits:
        number = numbers.get((hit.due.identity.section, hit.due.identity.bar))
        if number is not None and moved[hit.hit.index]:
            landed[number] += 1
            late[number] += hit.key in late_keys
    if not late or len(numbers) <= 2:
        return None
    bar = max(late, key=lambda number: late[number] / landed[number])
    elsewhere = landed.total() - landed[bar]
    share_elsewhere = (late.total() - late[bar]) / max(1, elsewhere)
    stands_out = late[bar] / landed[bar] >= MIN_TIMES_LATER * share_elsewhere
    into = (max(1, bar - 1), max(2, bar))
    pieces = pieces_of(judgement.expanded.riff, into)
    if late[bar] >= WORST_MIN_HITS and stands_out and TABLE[DrillKind.SHIFTS].applies(pieces):
        return into
    return None


def _tempo(bpm: float) -> float:
    low, high = (float(end) for end in TEMPO_RANGE_BPM)
    return float(min(high, max(low, round(bpm))))


def _distinct(proposals: list[Proposal]) -> list[Proposal]:
    """The first of each drill and its bars."""
    distinct: dict[object, Proposal] = {}
    for proposal in proposals:
        distinct.setdefault((proposal.drill, proposal.bars), proposal)
    return list(distinct.values())


def worst_bar(judgement: Judgement) -> int | None:
    """The written bar, by its first number along the play order, whose hits go wrong far more often
    than those of all others; None if none stands out.
    """
    numbers = _first_numbers(judgement)
    counts: dict[int, list[int]] = {}
    for hit in judgement.hits:
        spot = hit.due.identity
        number = numbers.get((spot.section, spot.bar))
        if number is not None and (hit.played or hit.missed):
            counts.setdefault(number, []).append(int(hit.off))
    whole = sum(map(sum, counts.values()))
    size = sum(map(len, counts.values()))
    if not counts:
        return None
    number = max(counts, key=lambda bar: sum(counts[bar]))
    wrong, due = sum(counts[number]), len(counts[number])
    elsewhere = max(0.01, (whole - wrong) / max(1, size - due))
    stands_out = wrong >= WORST_MIN_HITS and wrong / due >= WORST_TIMES * elsewhere
    return number if stands_out else None


def _first_numbers(judgement: Judgement) -> dict[tuple[str, int], int]:
    """Of each written bar, by its section and its number there, the first one along the play
    order.
    """
    numbers: dict[tuple[str, int], int] = {}
    for bar in judgement.expanded.bars:
        if bar.number > 0:
            numbers.setdefault((bar.section, bar.bar_in_section), bar.number)
    return numbers


def _around(judgement: Judgement, bar: int, tempo: float) -> Proposal:
    """The worst bar looped; if it is the first after a change of section, with the one
    before.
    """
    sections = {bar.number: bar.section for bar in judgement.expanded.bars}
    if bar > 1 and sections.get(bar - 1) not in (None, sections[bar]):
        why = f"bar {bar} goes wrong most, right after the change: play into it"
        return Proposal(DrillKind.TRANSITION, (bar - 1, bar), _tempo(tempo * SLOWER), why)
    why = f"bar {bar} goes wrong far more often than the others"
    return Proposal(DrillKind.LOOP, (bar, bar), _tempo(tempo * SLOWER), why)

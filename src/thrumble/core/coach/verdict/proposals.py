"""Which drill answers which cause, and why. One table; what it holds is proposed where the riff has
something for it.
"""

from dataclasses import dataclass

from thrumble.core.coach.verdict.cause import Cause, CauseKind
from thrumble.core.coach.verdict.judgement import Judgement
from thrumble.core.riff.drills.catalogue import TABLE, DrillKind
from thrumble.core.riff.drills.pieces import pieces_of
from thrumble.core.riff.model import TEMPO_RANGE_BPM

WORST_TIMES, WORST_LEAST = 2.5, 3  # so much worse than the other bars, and so many hits off
SLOWER, MUCH_SLOWER = 0.9, 0.8
MOST = 3


@dataclass(frozen=True, slots=True)
class Remedy:
    """A drill that answers a cause. `share`: of the tempo that was played; `why`: the rest of a
    sentence that begins with the drill.
    """

    drill: DrillKind
    share: float
    why: str


@dataclass(frozen=True, slots=True)
class Proposal:
    """A drill to play now. `drill` None: the riff itself, slower."""

    drill: DrillKind | None
    bars: tuple[int, int] | None
    tempo_bpm: float
    why: str


REMEDIES: dict[CauseKind, tuple[Remedy, ...]] = {
    CauseKind.SHIFTS: (
        Remedy(DrillKind.SHIFTS, 0.75, "your hand learns each move by itself, the hardest first"),
        Remedy(DrillKind.HALF_CHANGES, 1.0, "you stay longer on each chord until changes keep up"),
        Remedy(DrillKind.TWO_STRINGS, 1.0, "two strings move faster than three"),
    ),
    CauseKind.RANG: (
        Remedy(DrillKind.MUTE_SWITCH, SLOWER, "your palm learns to be back before the mute"),
        Remedy(DrillKind.RIGHT_HAND, 1.0, "your picking hand has nothing else to think of"),
    ),
    CauseKind.CHOKED: (
        Remedy(DrillKind.MUTE_SWITCH, SLOWER, "your palm learns to lift before the open hit"),
    ),
    CauseKind.UNLIKE: (
        Remedy(DrillKind.MUTE_SWITCH, MUCH_SLOWER, "on and off in turn, until each is what it is"),
    ),
    CauseKind.DEAD_RINGS: (
        Remedy(DrillKind.GRAB_RELEASE, 0.75, "your fretting hand learns to lie on the strings"),
        Remedy(DrillKind.RIGHT_HAND, 1.0, "all dead: hear what they should sound like"),
    ),
    CauseKind.STOPS: (
        Remedy(DrillKind.STOPS, 1.0, "nothing but the stops, right on the beat"),
        Remedy(DrillKind.GRAB_RELEASE, 0.75, "the same with your fretting hand"),
    ),
    CauseKind.LEVEL: (
        Remedy(DrillKind.ACCENTS, 1.0, "accents alone, so that the rest can be one weight"),
        Remedy(DrillKind.RIGHT_HAND, SLOWER, "one weight for every stroke, nothing to fret"),
    ),
    CauseKind.SWING: (
        Remedy(DrillKind.RIGHT_HAND, SLOWER, "the shuffle in your wrist alone, with its click"),
    ),
    CauseKind.DRIFT: (
        Remedy(DrillKind.INNER_PULSE, 1.0, "two bars counted in silence show where your pulse is"),
    ),
    CauseKind.TIRING: (
        Remedy(DrillKind.RIGHT_HAND, SLOWER, "shorter rounds with rests, loose from the wrist"),
    ),
    CauseKind.MISSED: (
        Remedy(DrillKind.HALF_CHANGES, 1.0, "half the changes, so that every hit finds its time"),
        Remedy(DrillKind.PLAIN, 1.0, "without the ornaments first"),
    ),
    CauseKind.EXTRA: (Remedy(DrillKind.RIGHT_HAND, SLOWER, "only the strokes that are written"),),
    CauseKind.FRETS: (
        Remedy(DrillKind.SHIFTS, 0.75, "look, move, settle, then hit"),
        Remedy(DrillKind.HALF_CHANGES, SLOWER, "more time on each chord"),
    ),
    CauseKind.STRAYS: (
        Remedy(DrillKind.GRAB_RELEASE, 0.75, "grab each chord so that only its strings ring"),
        Remedy(DrillKind.TWO_STRINGS, 1.0, "two strings leave fewer to damp"),
    ),
    CauseKind.RAMP: (
        Remedy(DrillKind.MUTE_SWITCH, SLOWER, "first the two ends of it: muted, open"),
    ),
}


def propose(judgement: Judgement, causes: list[Cause]) -> list[Proposal]:
    """What to play now, the best first, three at most: a bar that is worst by far looped, or the
    change before it; then what answers the dearest causes; a loose take the same riff a step
    slower. Nothing for a take that is clean, damaged or of another riff.
    """
    riff, tempo = judgement.expanded.riff, judgement.expanded.tempo_bpm
    out: list[Proposal] = []
    if causes and causes[0].kind in _NOTHING:
        return out
    worst = worst_bar(judgement)
    if worst is not None and _lead(causes) not in (CauseKind.SHIFTS, CauseKind.SWING):
        out.append(_around(judgement, worst, tempo))
    for cause in causes:
        if cause.kind in (CauseKind.SPREAD, CauseKind.TIRING, CauseKind.SLOT):
            slower = _tempo(tempo * SLOWER)
            out.append(Proposal(None, None, slower, "a step slower, until it is tight"))
        for remedy in REMEDIES.get(cause.kind, ()):
            if TABLE[remedy.drill].applies(pieces_of(riff)):
                out.append(Proposal(remedy.drill, None, _tempo(tempo * remedy.share), remedy.why))
    return _once(out)[:MOST]


_NOTHING = frozenset({CauseKind.CLEAN, CauseKind.NOTHING, CauseKind.DAMAGED, CauseKind.OTHER_RIFF})


def _lead(causes: list[Cause]) -> CauseKind | None:
    return causes[0].kind if causes else None


def _tempo(bpm: float) -> float:
    low, high = (float(end) for end in TEMPO_RANGE_BPM)
    return float(min(high, max(low, round(bpm))))


def _once(found: list[Proposal]) -> list[Proposal]:
    seen: dict[object, Proposal] = {}
    for one in found:
        seen.setdefault((one.drill, one.bars), one)
    return list(seen.values())


def worst_bar(judgement: Judgement) -> int | None:
    """The written bar, by its first number along the play order, whose hits go wrong far more often
    than those of all others; None where none stands out.
    """
    first: dict[tuple[str, int], int] = {}
    for bar in judgement.expanded.bars:
        if bar.number > 0:
            first.setdefault((bar.section, bar.bar_in_section), bar.number)
    counts: dict[int, list[int]] = {}
    for hit in judgement.hits:
        one = hit.due.identity
        number = first.get((one.section, one.bar))
        if number is not None and (hit.played or hit.missed):
            counts.setdefault(number, []).append(int(hit.off))
    whole = sum(map(sum, counts.values()))
    size = sum(map(len, counts.values()))
    for number, off in sorted(counts.items(), key=lambda item: -sum(item[1])):
        rest = max(0.01, (whole - sum(off)) / max(1, size - len(off)))
        if sum(off) >= WORST_LEAST and sum(off) / len(off) >= WORST_TIMES * rest:
            return number
        break
    return None


def _around(judgement: Judgement, bar: int, tempo: float) -> Proposal:
    """The worst bar looped; where it is the first after a change of section, with the one
    before.
    """
    sections = {one.number: one.section for one in judgement.expanded.bars}
    if bar > 1 and sections.get(bar - 1) not in (None, sections[bar]):
        why = f"bar {bar} goes wrong most, right after the change: play into it"
        return Proposal(DrillKind.TRANSITION, (bar - 1, bar), _tempo(tempo * SLOWER), why)
    why = f"bar {bar} goes wrong far more often than the others"
    return Proposal(DrillKind.LOOP, (bar, bar), _tempo(tempo * SLOWER), why)

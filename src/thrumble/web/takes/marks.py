"""The marks of a first result, explained one by one on the player's own hits."""

from dataclasses import dataclass

from thrumble.core.coach.verdict.judgement import JudgedHit, Judgement
from thrumble.core.riff.model import Articulation

NEAR_MS = 5.0  # of a hit that shows what on time looks like
FIRST_TAKES = 3  # of a player: after them the marks are known


@dataclass(frozen=True, slots=True)
class MarkLine:
    """A mark: the first hit that has it, and what it says. `hit`: as the strip names it."""

    place: str
    words: str
    hit: str


def marks_of(judgement: Judgement) -> list[MarkLine]:
    """The kinds of mark that a take shows, each on the first hit that has it, in the order of the
    riff; what it doesn't show isn't explained.
    """
    first: dict[str, tuple[JudgedHit, str]] = {}
    for hit in judgement.hits:
        for mark, words in _marks(hit):
            first.setdefault(mark, (hit, words))
    return [
        MarkLine(f"bar {hit.due.bar}", words, f"{hit.key.round}-{hit.key.index}")
        for hit, words in sorted(first.values(), key=lambda pair: pair[0].key)
    ]


def _marks(hit: JudgedHit) -> list[tuple[str, str]]:
    """The marks of one hit: a key for the kind of mark, and a sentence."""
    written = hit.due.hit.articulation
    shape = {
        Articulation.OPEN: "the long block that tapers rings open",
        Articulation.PALM: "the short block with a heel is a palm mute",
        Articulation.DEAD: "the thin hatched block is a dead note",
    }.get(written)
    if hit.missed:
        return [("missed", "the dashed frame below the line is a hit that wasn't there")]
    if not hit.played:
        return []
    out = []
    if shape is not None:
        sounds = "and yours sounds like it" if hit.as_written else "but yours sounds different"
        if hit.as_written is None:
            sounds = "and we can't tell how yours sounds"
        out.append((f"{written} {hit.as_written}", f"{shape}, {sounds}"))
    late = hit.late_ms
    if late is not None and abs(late) <= NEAR_MS:
        out.append(("on time", f"the dot on the line: in time, {abs(late):.0f} ms off"))
    elif late is not None and not hit.in_time:
        side = "right: late" if late > 0 else "left: early"
        out.append((f"wedge {late > 0}", f"the wedge leans {side}, by {abs(late):.0f} ms"))
    if hit.stop_late_ms is not None:
        length = "it was silent in time" if hit.stop_kept else f"{hit.stop_late_ms:.0f} ms too long"
        out.append((f"stop {hit.stop_kept}", f"the wall is a stop: {length}"))
    return out

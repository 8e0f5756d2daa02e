"""What was asked, what was heard, and what that says of the ear on this guitar."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from thrumble.core.ear.reading import HeardKind, HitState, Reading
from thrumble.core.riff.expand import ExpandedRiff
from thrumble.core.riff.model import Articulation

SURELY = 0.9
LOST = 0.15  # share of the hits reached without a sound, from which on the take lies elsewhere
Z = 1.959964  # of 95 % of a normal distribution


@dataclass(frozen=True, slots=True, kw_only=True)
class CheckHit:
    """One hit of a sound check. `asked` is the truth, `told` what the ear was told, `heard` what it
    said, `unsure` among that; None if it heard nothing. `chance`: how sure it was of the kind it
    thought likeliest.
    """

    index: int
    section: str
    bar: int
    asked: str
    told: str
    heard: str | None
    chance: float | None
    onset_s: float | None
    depth: float | None  # asked, of a palm mute
    strings: int

    @property
    def right(self) -> bool:
        return self.heard == self.asked


def missing_hits(hits: Sequence[CheckHit]) -> int | None:
    """How many hits have no sound where they are due, if those are so many that the take began
    elsewhere or is of something else, and what was asked is the truth no more; None otherwise.
    """
    lost = sum(hit.heard is None for hit in hits)
    return lost if lost > LOST * len(hits) or not hits else None


@dataclass(frozen=True, slots=True)
class Share:
    """A share of hits that are right, with the 95 % interval of the true share."""

    name: str
    right: int
    of: int

    @property
    def interval(self) -> tuple[float, float] | None:
        """Wilson's (1927), 0 to 1; None of nothing."""
        if not self.of:
            return None
        p, n = self.right / self.of, self.of
        middle = (p + Z**2 / (2 * n)) / (1 + Z**2 / n)
        half = Z / (1 + Z**2 / n) * (p * (1 - p) / n + Z**2 / (4 * n**2)) ** 0.5
        return max(0.0, middle - half), min(1.0, middle + half)


def score_hits(script: ExpandedRiff, decoys: ExpandedRiff, reading: Reading) -> list[CheckHit]:
    """Return every hit of the first round in order: `script` is what was to be played, `decoys` the
    same riff as the analyser was shown it. Hits that the take doesn't reach are left out.
    """
    by_index = {hit.index: hit for hit in reading.hits if hit.round == 1}
    out = []
    for due, other in zip(script.hits, decoys.hits, strict=True):
        hit = by_index.get(due.index)
        if hit is None or hit.state is HitState.NOT_REACHED:
            continue
        articulation = None
        if hit.state is HitState.PLAYED:
            articulation = (hit.heard_articulation or HeardKind.UNSURE).value
        out.append(
            CheckHit(
                index=due.index,
                section=due.identity.section,
                bar=due.bar,
                asked=due.hit.articulation.value,
                told=other.hit.articulation.value,
                heard=articulation,
                chance=max(hit.probabilities.values()) if hit.probabilities else None,
                onset_s=hit.onset_s,
                depth=None if due.hit.depth is None else float(due.hit.depth),
                strings=len(due.hit.notes),
            )
        )
    return out


def _kind(kind: Articulation) -> Callable[[CheckHit], bool]:
    return lambda hit: hit.asked == kind.value


ROWS: tuple[tuple[str, Callable[[CheckHit], bool]], ...] = (
    ("open, palm or dead", lambda _: True),
    ("open notes", lambda hit: hit.asked == "open" and hit.strings == 1),
    ("open chords", lambda hit: hit.asked == "open" and hit.strings > 1),
    ("palm-muted notes", lambda hit: hit.asked == "palm" and hit.strings == 1),
    ("palm-muted chords", lambda hit: hit.asked == "palm" and hit.strings > 1),
    ("dead strings", _kind(Articulation.DEAD)),
    ("hits we were misinformed about", lambda hit: hit.asked != hit.told),
    ("where we were sure", lambda hit: (hit.chance or 0.0) >= SURELY),
)


def shares(hits: list[CheckHit], struck: frozenset[int] = frozenset()) -> list[Share]:
    """How often the ear was right, row by row, without the hits that the player struck out, by
    index. A hit it did not hear, or was unsure of, counts as wrong.
    """
    counted = [hit for hit in hits if hit.index not in struck]
    rows = [(name, [hit for hit in counted if wanted(hit)]) for name, wanted in ROWS]
    return [Share(name, sum(hit.right for hit in row), len(row)) for name, row in rows]

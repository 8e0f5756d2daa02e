"""What a finding is: one thing the analysis reports about a take, with its evidence, its sentence,
its label, its marks, what to practise against it and what suppresses it. A new finding is one
subclass in a module of this room, listed in that module's `FINDINGS`.
"""

from abc import ABC, abstractmethod
from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, fields
from functools import cached_property
from typing import ClassVar, Self

from thrumble.core.chance import poisson_binomial_sf
from thrumble.core.coach.verdict.judgement import HitKey, JudgedHit, Judgement
from thrumble.core.coach.verdict.lateness import UnexplainedLateness
from thrumble.core.riff.drills.catalogue import DrillKind

MAX_CHANCE = 0.005  # a finding is reported if it would come about so rarely by chance
MIN_SPOILED_SHARE = 0.03  # of the hits, to be worth reporting
MAX_BARS_NAMED = 4


def exceeds_errors(wrong: int, error_chances: Sequence[float]) -> bool:
    """Whether more of these measurements say that something is wrong than their own errors allow:
    the Poisson-binomial tail over all of them, each with its chance of being in error.
    """
    return wrong > 0 and poisson_binomial_sf(wrong - 1, error_chances) < MAX_CHANCE


@dataclass(frozen=True, slots=True)
class Remedy:
    """Something to practise against a finding. `drill` None: the riff itself; `tempo_share`: of
    the tempo played; `why`: the rest of a sentence that begins with the drill.
    """

    drill: DrillKind | None
    tempo_share: float
    why: str


class Review:
    """A judgement while findings are looked for. The timing findings share its `lateness`; `named`:
    the findings chosen, once they are.
    """

    def __init__(self, judgement: Judgement) -> None:
        self.judgement = judgement
        self.named: list[Finding] = []

    @cached_property
    def lateness(self) -> UnexplainedLateness:
        return UnexplainedLateness(self.judgement)


@dataclass(frozen=True, slots=True, kw_only=True)
class Finding(ABC):
    """One thing the analysis reports about a take. Subclasses add their evidence as fields, with
    the unit in the name.

    cost : share of the hits it spoils; the most costly finding comes first.
    hits : the hits it is about.
    """

    kind: ClassVar[str]  # its key in files and in the database
    label: ClassVar[str] = ""  # its name in lists
    mark_text: ClassVar[str] = ""  # its mark at a hit; empty: how early or late the hit is
    remedies: ClassVar[tuple[Remedy, ...]] = ()
    is_cause: ClassVar[bool] = True  # it names what holds a take back
    stands_alone: ClassVar[bool] = False  # nothing else can be said of such a take
    needs_practice: ClassVar[bool] = True
    helped_by_loop: ClassVar[bool] = True  # looping the worst bar trains it
    helped_by_slowing: ClassVar[bool] = True  # a slower riff is advice beside it

    cost: float
    hits: tuple[HitKey, ...] = ()

    @classmethod
    @abstractmethod
    def find(cls, review: Review) -> Self | None:
        """The finding, if a take shows it; None if it does not."""

    @abstractmethod
    def sentence(self, judgement: Judgement) -> str:
        """What is wrong, with its figure, then what to do about it."""

    def is_suppressed(self, findings: Sequence["Finding"]) -> bool:
        """Whether another finding of the same take makes this one untrue or redundant."""
        return False

    def beside(self, findings: Sequence["Finding"]) -> Self:
        """The finding as it is worded beside the others that were chosen."""
        return self

    def mark(self, hit: JudgedHit) -> str:
        """The mark shown beside one of its hits on the strip."""
        return self.mark_text or lateness_mark(hit)

    def evidence(self) -> dict[str, float | str]:
        """The finding's own evidence by name, without fields that have no value."""
        shared = {"cost", "hits", "advice"}
        named = {field.name: getattr(self, field.name) for field in fields(self)}
        return {
            name: value for name, value in named.items() if name not in shared and value is not None
        }


def keys_of(hits: Iterable[JudgedHit]) -> tuple[HitKey, ...]:
    return tuple(hit.key for hit in hits)


def early_or_late(ms: float) -> str:
    """A lateness in words."""
    return "on time" if abs(ms) < 1.5 else f"{abs(ms):.0f} ms {'late' if ms > 0 else 'early'}"


def lateness_mark(hit: JudgedHit) -> str:
    return early_or_late(hit.late_ms or 0.0).replace(" ms", "")


def sound_mark(hit: JudgedHit) -> str:
    return lateness_mark(hit) if hit.articulation is None else hit.articulation.value


def stop_mark(hit: JudgedHit) -> str:
    return "rings on" if hit.stop_late_ms is None else f"rings on {hit.stop_late_ms:.0f}"


def in_bars(keys: Iterable[HitKey], judgement: Judgement) -> str:
    """The bars that hold most of these hits: `in bars 2 and 5`, `most often in bar 5`, `all over
    the riff`; empty for no hits.
    """
    by_key = judgement.by_key()
    counts = Counter(by_key[key].hit.bar for key in keys if key in by_key)
    if not counts:
        return ""
    if len(counts) > MAX_BARS_NAMED:
        worst = sorted(counts, key=lambda bar: (-counts[bar], bar))
        stands_out = counts[worst[0]] > 1.5 * counts[worst[-1]]
        return f"most often in bar {worst[0]}" if stands_out else "all over the riff"
    return f"in {bars_named(counts)}"


def bars_named(bars: Iterable[int]) -> str:
    """`bar 2`, `bars 2, 5 and 12`, `bars 2, 5, 7, 9, 11 and 9 more`; bar 0 is the pick-up."""
    names = [str(bar) if bar else "the pick-up" for bar in sorted(set(bars))]
    if names == ["the pick-up"]:
        return "the pick-up"
    if len(names) == 1:
        return f"bar {names[0]}"
    if len(names) > 6:
        return f"bars {', '.join(names[:5])} and {len(names) - 5} more"
    return f"bars {', '.join(names[:-1])} and {names[-1]}"

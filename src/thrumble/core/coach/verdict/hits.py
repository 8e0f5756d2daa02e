"""Findings about hits that are missing, too many, or struck with uneven force."""

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from typing import ClassVar, Self

import numpy as np

from thrumble.core.chance import binom_sf
from thrumble.core.coach.verdict.finding import (
    MAX_CHANCE,
    Finding,
    Remedy,
    Review,
    in_bars,
    keys_of,
)
from thrumble.core.coach.verdict.judgement import Judgement, robust_spread
from thrumble.core.coach.verdict.tempo import drifts_far
from thrumble.core.counting import counted
from thrumble.core.riff.drills.catalogue import DrillKind

DETECTION_ERROR = 0.004  # share of the hits due that are detected wrongly, missed or extra
MIN_LEVELS = 12
UNEVEN_DB = 3.2


def exceeds_error_rate(count: int, n: int, error_rate: float) -> bool:
    """Whether `count` of `n` exceeds the detector's own error rate (binomial test)."""
    return count > 0 and binom_sf(count - 1, n, error_rate) < MAX_CHANCE


@dataclass(frozen=True, slots=True, kw_only=True)
class MissedHits(Finding):
    """Hits that weren't played."""

    kind: ClassVar[str] = "missed"
    label: ClassVar[str] = "missed hits"
    remedies: ClassVar[tuple[Remedy, ...]] = (
        Remedy(None, 0.9, "a step slower, so there's time for every hit"),
        Remedy(DrillKind.PLAIN, 1.0, "without the ornaments first"),
    )

    missed: int
    due: int

    @classmethod
    def find(cls, review: Review) -> Self | None:
        due = review.judgement.due
        missed = [hit for hit in review.judgement.hits if hit.missed]
        if not exceeds_error_rate(len(missed), due, DETECTION_ERROR):
            return None
        cost = 2 * len(missed) / due
        return cls(cost=cost, hits=keys_of(missed), missed=len(missed), due=due)

    def sentence(self, judgement: Judgement) -> str:
        where = in_bars(self.hits, judgement)
        return f"You missed {counted(self.missed, 'hit')} of {self.due}, {where}."

    def is_suppressed(self, findings: Sequence[Finding]) -> bool:
        return drifts_far(findings)


@dataclass(frozen=True, slots=True, kw_only=True)
class ExtraHits(Finding):
    """Hits that the riff doesn't have. `first_s`: from the start of the riff to the first."""

    kind: ClassVar[str] = "extra"
    label: ClassVar[str] = "extra hits"
    remedies: ClassVar[tuple[Remedy, ...]] = (
        Remedy(DrillKind.RIGHT_HAND, 0.9, "only the strokes that are written"),
        Remedy(None, 0.9, "a step slower, counting the hits of each bar"),
    )

    extra: int
    first_s: float

    @classmethod
    def find(cls, review: Review) -> Self | None:
        judgement = review.judgement
        extra = judgement.reading.extra_onsets
        if len(extra) < 2 or not exceeds_error_rate(len(extra), judgement.due, DETECTION_ERROR):
            return None
        first_s = extra[0].onset_s - (judgement.reading.start_s or 0.0)
        return cls(cost=len(extra) / judgement.due, extra=len(extra), first_s=first_s)

    def sentence(self, judgement: Judgement) -> str:
        return (
            f"You play {counted(self.extra, 'hit')} that the riff doesn't have; the first comes "
            f"{self.first_s:.1f} s in."
        )

    def is_suppressed(self, findings: Sequence[Finding]) -> bool:
        return drifts_far(findings)


@dataclass(frozen=True, slots=True, kw_only=True)
class UnevenLevel(Finding):
    """Hits of one articulation that vary in level. Accents don't count, nor do mute ramps."""

    kind: ClassVar[str] = "level"
    label: ClassVar[str] = "uneven level"
    remedies: ClassVar[tuple[Remedy, ...]] = (
        Remedy(DrillKind.RIGHT_HAND, 0.9, "the same force on every stroke, nothing to fret"),
        Remedy(DrillKind.ACCENTS, 1.0, "accents loud, everything between them even"),
    )

    spread_db: float
    articulation: str

    @classmethod
    def find(cls, review: Review) -> Self | None:
        groups: dict[tuple[str, int], list[float]] = defaultdict(list)
        for hit in review.judgement.played:
            level_db, written = hit.hit.relative_level_db, hit.due.hit
            is_plain = not written.accent and written.ramp is None
            if level_db is not None and is_plain and hit.as_written:
                string_count = min(2, len(written.notes))
                groups[hit.hit.expected_articulation.value, string_count].append(level_db)
        (articulation, _), levels_db = max(
            groups.items(), key=lambda group: len(group[1]), default=(("", 0), [])
        )
        spread_db = robust_spread(np.array(levels_db))
        if len(levels_db) < MIN_LEVELS or spread_db < UNEVEN_DB:
            return None
        return cls(cost=min(0.15, spread_db / 60), spread_db=spread_db, articulation=articulation)

    def sentence(self, judgement: Judgement) -> str:
        names = {"open": "open hits", "palm": "palm mutes", "dead": "dead hits"}
        return (
            f"Your level is uneven: {names[self.articulation]} vary by {self.spread_db:.1f} dB. "
            "Hit them all with the same force."
        )


FINDINGS: tuple[type[Finding], ...] = (MissedHits, ExtraHits, UnevenLevel)

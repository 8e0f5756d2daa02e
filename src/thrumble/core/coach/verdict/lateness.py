"""The lateness of a take that no finding has explained yet. Each timing finding takes its part away
and leaves the rest to the next one.
"""

import numpy as np
from numpy.typing import NDArray

from thrumble.core.coach.verdict.judgement import JudgedHit, Judgement
from thrumble.core.signal import Array


class UnexplainedLateness:
    """The played hits of a take in order of time, and how much of each one's lateness is left.

    hits : the n played hits.
    at_s, left_ms, limits_ms : arrays of shape (n,); when each hit was due, what is left of its
        lateness (+ is late), and how far off it may be.
    """

    def __init__(self, judgement: Judgement) -> None:
        self.judgement = judgement
        self.hits = sorted(judgement.played, key=lambda hit: hit.hit.expected_s)
        self.at_s: Array = np.array([hit.hit.expected_s for hit in self.hits])
        self.left_ms: Array = np.array([hit.late_ms for hit in self.hits], dtype=float)
        self.limits_ms: Array = np.array([hit.limit_ms for hit in self.hits])

    def explain(self, part_ms: Array) -> tuple[float, list[JudgedHit]]:
        """Takes a part away. Returns the share of hits that it had put off, and these hits: off
        with the part, and closer to the click without it. `part_ms`: shape (n,).
        """
        spoiled = self._spoiled_by(part_ms)
        self.left_ms = self.left_ms - part_ms
        hits = [hit for hit, is_spoiled in zip(self.hits, spoiled, strict=True) if is_spoiled]
        return float(spoiled.mean()), hits

    def off(self) -> list[JudgedHit]:
        """The hits that are off by what is left."""
        is_off = np.abs(self.left_ms) > self.limits_ms
        return [hit for hit, off in zip(self.hits, is_off, strict=True) if off]

    def _spoiled_by(self, part_ms: Array) -> NDArray[np.bool]:
        before, after = np.abs(self.left_ms), np.abs(self.left_ms - part_ms)
        spoiled: NDArray[np.bool] = (before > self.limits_ms) & (after < before)
        return spoiled

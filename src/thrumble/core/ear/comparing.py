"""Two readings of one take, by an older and a newer ear: what they hear differently."""

from dataclasses import dataclass

import numpy as np

from thrumble.core.ear.reading import HitState, Reading

MOVED_MS = 3.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Difference:
    """Over the hits that both know: `found` and `lost` hits, those `renamed` (another articulation)
    or `moved` by more than 3 ms.
    """

    hits: int
    found: int
    lost: int
    renamed: int
    moved: int

    @property
    def nothing(self) -> bool:
        return not (self.found or self.lost or self.renamed or self.moved)


def compare(old: Reading, new: Reading) -> Difference:
    """What the newer reading says otherwise. Times are held against each other around the median
    difference: the start may be placed anew.
    """
    before = {(hit.index, hit.round): hit for hit in old.hits}
    pairs = [(before[key], hit) for hit in new.hits if (key := (hit.index, hit.round)) in before]
    both = [(a, b) for a, b in pairs if a.state is HitState.PLAYED and b.state is HitState.PLAYED]
    off = np.array([(b.deviation_ms or 0.0) - (a.deviation_ms or 0.0) for a, b in both])
    return Difference(
        hits=len(pairs),
        found=sum(b.state is HitState.PLAYED and a.state is not HitState.PLAYED for a, b in pairs),
        lost=sum(a.state is HitState.PLAYED and b.state is not HitState.PLAYED for a, b in pairs),
        renamed=sum(a.heard_articulation != b.heard_articulation for a, b in both),
        moved=int(np.count_nonzero(np.abs(off - np.median(off)) > MOVED_MS)) if off.size else 0,
    )

"""Why a take is as it is: causes as values, what costs most first. Their sentences are made in
`words`.
"""

from collections.abc import Callable

from thrumble.core.coach import sounding
from thrumble.core.coach.another import another_riff
from thrumble.core.coach.cause import Cause, CauseKind, keys_of
from thrumble.core.coach.judgement import Judgement
from thrumble.core.coach.sounding import sounds_unlike
from thrumble.core.coach.timing import explain_timing

MOST = 4
MIXED = 0.5  # where fewer of the wrong hits have one thing in common, they are named together
FAR_MS = 120.0
FAR_TO_TELL_TIRING_MS = 80.0  # so far off, what is left of a drift grows by itself


def find_causes(judgement: Judgement) -> list[Cause]:
    """The causes of a take, dearest first, four at most; one saying that it is clean, or that
    nothing was heard, where none is left.

    Where the recording is damaged or another riff was played, that comes first, and the others are
    held back.
    """
    if not judgement.played:
        return [Cause(kind=CauseKind.NOTHING, cost=1.0)]
    if other := another_riff(judgement):
        return [other]
    if damaged := next((c for c in judgement.reading.cautions if c.code == "dropouts"), None):
        return [Cause(kind=CauseKind.DAMAGED, cost=1.0, words={"what": damaged.text})]
    found = [
        *explain_timing(judgement),
        *(cause for one in _OTHERS if (cause := one(judgement)) is not None),
    ]
    unlike = sounds_unlike(judgement)
    if unlike and sum(len(cause.hits) for cause in found if cause.kind in _SOUNDS) < MIXED * len(
        unlike.hits
    ):
        found = [unlike, *(cause for cause in found if cause.kind not in _SOUNDS)]
    away_ms = max(
        (abs(cause.figures["away_ms"]) for cause in found if cause.kind is CauseKind.DRIFT),
        default=0.0,
    )
    if away_ms > FAR_MS:
        found = [cause for cause in found if cause.kind not in _UNTOLD_WHEN_FAR]
    elif away_ms > FAR_TO_TELL_TIRING_MS:
        found = [cause for cause in found if cause.kind is not CauseKind.TIRING]
    found.sort(key=lambda cause: -cause.cost)
    return found[:MOST] or [_clean(judgement)]


_OTHERS: tuple[Callable[[Judgement], Cause | None], ...] = (
    sounding.missed,
    sounding.extra,
    sounding.rang,
    sounding.choked,
    sounding.dead_rings,
    sounding.stops,
    sounding.frets,
    sounding.strays,
    sounding.ramp,
    sounding.level,
)


# so far from the click a hit may be taken for its neighbour: what follows from that says nothing
_UNTOLD_WHEN_FAR = frozenset(
    {
        CauseKind.MISSED,
        CauseKind.EXTRA,
        CauseKind.TIRING,
        CauseKind.SPREAD,
        CauseKind.SWING,
        CauseKind.SLOT,
    }
)


_SOUNDS = frozenset({CauseKind.RANG, CauseKind.CHOKED, CauseKind.DEAD_RINGS})


def _clean(judgement: Judgement) -> Cause:
    told = [hit for hit in judgement.played if hit.as_written is not None]
    figures = {
        "in_time": float(judgement.in_time),
        "played": float(len(judgement.played)),
        "as_written": float(sum(hit.as_written is True for hit in told)),
        "told": float(len(told)),
        "tolerance_ms": judgement.limits.tolerance_ms,
        "missed": float(sum(hit.missed for hit in judgement.hits)),
    }
    return Cause(
        kind=CauseKind.CLEAN,
        cost=0.0,
        hits=keys_of(hit for hit in judgement.hits if hit.missed),
        figures=figures,
    )

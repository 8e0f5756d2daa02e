"""Why a take is as it is: causes as values, what costs most first. Their sentences are made in
`words`.
"""

from collections.abc import Callable

from thrumble.core.coach.verdict import articulation
from thrumble.core.coach.verdict.articulation import sounds_unlike
from thrumble.core.coach.verdict.cause import Cause, CauseKind, keys_of
from thrumble.core.coach.verdict.judgement import JudgedHit, Judgement
from thrumble.core.coach.verdict.timing import explain_timing
from thrumble.core.coach.verdict.wrong_riff import another_riff

MOST = 4
MIXED = 0.5  # where fewer of the wrong hits have one thing in common, they are named together
FAR_MS = 120.0
FAR_TO_TELL_TIRING_MS = 80.0  # so far off, what is left of a drift grows by itself


def find_causes(judgement: Judgement) -> list[Cause]:
    """The causes of a take, most costly first, four at most; if none is left, one saying that the
    take is clean, or what its few errors are, or that nothing was heard.

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
    largest = max((len(cause.hits) for cause in found if cause.kind in _SOUNDS), default=0)
    if unlike and largest < MIXED * len(unlike.hits):
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
    named = found[:MOST]
    if not named:
        return [_clean(judgement) if judgement.is_clean else _few(judgement)]
    unnamed = _unnamed(judgement, named)
    if unnamed and len(named) < MOST:
        named.append(Cause(kind=CauseKind.FEW, cost=0.0, hits=keys_of(unnamed)))
    return named


def _unnamed(judgement: Judgement, causes: list[Cause]) -> list[JudgedHit]:
    """Hits that surely went wrong, but for their timing, and that no cause names."""
    named = {key for cause in causes for key in cause.hits}
    return [
        hit
        for hit in judgement.hits
        if (hit.missed or hit.sounds_wrong or hit.stop_late) and hit.key not in named
    ]


def _few(judgement: Judgement) -> Cause:
    """A take that isn't clean, with too few errors, or too little of the riff, to name a cause."""
    figures = _clean(judgement).figures | {
        "reached": float(judgement.due),
        "written": float(len(judgement.hits)),
    }
    off = [hit for hit in judgement.hits if hit.off]
    return Cause(kind=CauseKind.FEW, cost=0.0, hits=keys_of(off), figures=figures)


_OTHERS: tuple[Callable[[Judgement], Cause | None], ...] = (
    articulation.missed,
    articulation.extra,
    articulation.rang,
    articulation.choked,
    articulation.dead_rings,
    articulation.stops,
    articulation.frets,
    articulation.strays,
    articulation.ramp,
    articulation.level,
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
        "as_written": float(sum(bool(hit.as_written) for hit in told)),
        "told": float(len(told)),
        "tolerance_ms": judgement.limits.tolerance_ms,
        "missed": float(sum(hit.missed for hit in judgement.hits)),
    }
    return Cause(
        kind=CauseKind.CLEAN,
        cost=0.0,
        hits=keys_of(hit for hit in judgement.hits if hit.off),
        figures=figures,
    )

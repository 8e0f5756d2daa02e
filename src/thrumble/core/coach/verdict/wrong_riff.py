"""Whether a take is of another riff than the one it was read for."""

from thrumble.core.coach.verdict.cause import Cause, CauseKind, keys_of
from thrumble.core.coach.verdict.judgement import Judgement

# shares of the hits due. Of 112 takes read as another sample riff at its tempo 96 are told by these
# and 8 by the first alone; of 64 takes of the right one, with up to 30 % missed, none
MISSED = 0.5
EXTRA = 1.0
ASTRAY = 0.15  # missed and extra together, where the chords are others too
# share of the chords heard; on takes of the right riff the ear was wrong on 0.18 at most
CHORDS = 0.35
LEAST_CHORDS = 6


def another_riff(judgement: Judgement) -> Cause | None:
    """The cause that says so; None where the take may well be of the riff. Wrong chords alone do
    not make it another: the guitar may be tuned lower.
    """
    missed = [hit for hit in judgement.hits if hit.missed]
    extra = len(judgement.reading.extra_onsets)
    told = [hit.hit.chord_ok for hit in judgement.played if hit.hit.chord_ok is not None]
    wrong = told.count(False)
    others = len(told) >= LEAST_CHORDS and wrong >= CHORDS * len(told)
    if not (
        len(missed) > MISSED * judgement.due
        or extra > EXTRA * judgement.due
        or (others and len(missed) + extra >= ASTRAY * judgement.due)
    ):
        return None
    return Cause(
        kind=CauseKind.OTHER_RIFF,
        cost=1.0,
        hits=keys_of(missed),
        figures={
            "missed": float(len(missed)),
            "due": float(judgement.due),
            "extra": float(extra),
            "wrong": float(wrong) if others else 0.0,
            "checked": float(len(told)),
        },
    )

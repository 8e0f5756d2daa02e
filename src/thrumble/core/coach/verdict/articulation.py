"""What is missing, too much, or does not sound as written, each held against what the ear itself
gets wrong now and then.
"""

from collections import defaultdict

import numpy as np

from thrumble.core.chance import binomial_above, poisson_binomial_sf
from thrumble.core.coach.verdict.cause import CHANCE, SPOILT, Cause, CauseKind, keys_of
from thrumble.core.coach.verdict.judgement import HitKey, JudgedHit, Judgement, robust_spread
from thrumble.core.ear.reading import HeardKind
from thrumble.core.neck.catalogue import easiest
from thrumble.core.neck.hand import Hand
from thrumble.core.neck.silence import silence_map
from thrumble.core.riff.model import Articulation

# How often a stop or a chord is measured wrong, at most: neither has odds of its own.
STOP_ERROR, CHORD_ERROR = 0.04, 0.01
MIN_ERROR = 0.002  # of a classified hit: no classifier is surer than its calibration could show

UNEVEN_DB = 3.2


def _beats_chance(count: int, of: int, by_itself: float) -> bool:
    """Whether `count` of `of` exceeds a detector's error rate (binomial test)."""
    return count > 0 and binomial_above(count - 1, of, by_itself) < CHANCE


def _surely_wrong(wrong: list[JudgedHit], classified: list[JudgedHit]) -> bool:
    """Whether more hits are classified as wrong than the classifier's own odds allow: the
    Poisson-binomial tail over the hits concerned, each with the chance that it was misclassified.
    """
    chances = [_misclassified(hit) for hit in classified]
    return bool(wrong) and poisson_binomial_sf(len(wrong) - 1, chances) < CHANCE


def _misclassified(hit: JudgedHit) -> float:
    """The chance that a hit sounded other than classified, by its calibrated odds."""
    odds = hit.hit.probabilities or {}
    kind = hit.articulation
    return max(MIN_ERROR, 1.0 - odds.get("" if kind is None else kind.value, 0.0))


def _share(judgement: Judgement, hits: list[JudgedHit]) -> float:
    return len(hits) / max(1, len(judgement.played))


def missed(judgement: Judgement) -> Cause | None:
    missed = [hit for hit in judgement.hits if hit.missed]
    if not _beats_chance(len(missed), judgement.due, 0.004):
        return None
    cost = 2 * len(missed) / judgement.due
    return Cause(
        kind=CauseKind.MISSED,
        cost=cost,
        hits=keys_of(missed),
        figures={"missed": float(len(missed)), "due": float(judgement.due)},
    )


def extra(judgement: Judgement) -> Cause | None:
    extras = judgement.reading.extra_onsets
    if len(extras) < 2 or not _beats_chance(len(extras), judgement.due, 0.004):
        return None
    first_s = extras[0].onset_s - (judgement.reading.start_s or 0.0)
    figures = {"extra": float(len(extras)), "first_s": first_s}
    return Cause(kind=CauseKind.EXTRA, cost=len(extras) / judgement.due, figures=figures)


def _misheard(
    judgement: Judgement, written: Articulation, heard: tuple[HeardKind, ...]
) -> tuple[list[JudgedHit], list[JudgedHit]]:
    """Hits written so that sounded as one of these, and all that were written so and classified."""
    classified = [
        hit
        for hit in judgement.played
        if hit.hit.expected_articulation is written and hit.as_written is not None
    ]
    return [hit for hit in classified if hit.articulation in heard], classified


def _wrong(
    judgement: Judgement, kind: CauseKind, written: Articulation, *heard: HeardKind
) -> Cause | None:
    wrong, classified = _misheard(judgement, written, heard)
    if _share(judgement, wrong) < SPOILT or not _surely_wrong(wrong, classified):
        return None
    figures = {"wrong": float(len(wrong)), "written": float(len(classified))}
    if kind is CauseKind.RANG:
        by_key = judgement.by_key()
        before = [by_key.get(HitKey(hit.key.round, hit.key.index - 1)) for hit in wrong]
        figures["after_open"] = float(
            sum(b is not None and b.articulation is HeardKind.OPEN for b in before)
        )
    return Cause(kind=kind, cost=_share(judgement, wrong), hits=keys_of(wrong), figures=figures)


def rang(judgement: Judgement) -> Cause | None:
    return _wrong(judgement, CauseKind.RANG, Articulation.PALM, HeardKind.OPEN)


def choked(judgement: Judgement) -> Cause | None:
    return _wrong(judgement, CauseKind.CHOKED, Articulation.OPEN, HeardKind.PALM, HeardKind.DEAD)


def dead_rings(judgement: Judgement) -> Cause | None:
    return _wrong(
        judgement, CauseKind.DEAD_RINGS, Articulation.DEAD, HeardKind.OPEN, HeardKind.PALM
    )


def sounds_unlike(judgement: Judgement) -> Cause | None:
    """Hits of all kinds that came out as another kind, where no single confusion reaches a word of
    its own.
    """
    classified = [hit for hit in judgement.played if hit.as_written is not None]
    wrong = [hit for hit in classified if hit.sounds_wrong]
    if _share(judgement, wrong) < SPOILT or not _surely_wrong(wrong, classified):
        return None
    figures = {"wrong": float(len(wrong)), "told": float(len(classified))}
    return Cause(
        kind=CauseKind.UNLIKE, cost=_share(judgement, wrong), hits=keys_of(wrong), figures=figures
    )


def stops(judgement: Judgement) -> Cause | None:
    judged = [hit for hit in judgement.played if hit.stop_kept is not None]
    late = [hit for hit in judged if hit.stop_late]
    if len(late) < 2 or not _beats_chance(len(late), len(judged), STOP_ERROR):
        return None
    figures = {
        "late": float(len(late)),
        "stops": float(len(judged)),
        "late_ms": float(
            np.median([hit.stop_late_ms for hit in late if hit.stop_late_ms is not None])
        ),
    }
    return Cause(
        kind=CauseKind.STOPS,
        cost=1.2 * _share(judgement, late),
        hits=keys_of(late),
        figures=figures,
    )


def frets(judgement: Judgement) -> Cause | None:
    checked = [hit for hit in judgement.played if hit.hit.chord_ok is not None]
    wrong = [hit for hit in checked if not hit.hit.chord_ok]
    if not wrong or not (
        _beats_chance(len(wrong), len(checked), CHORD_ERROR) or len(wrong) == 1 == len(checked)
    ):
        return None
    figures = {"wrong": float(len(wrong)), "checked": float(len(checked))}
    return Cause(
        kind=CauseKind.FRETS,
        cost=1.5 * _share(judgement, wrong),
        hits=keys_of(wrong),
        figures=figures,
    )


def strays(judgement: Judgement) -> Cause | None:
    checked = [hit for hit in judgement.played if hit.hit.stray_strings is not None]
    ringing = [hit for hit in checked if hit.hit.stray_strings]
    if len(ringing) < 2 or not _beats_chance(len(ringing), len(checked), CHORD_ERROR):
        return None
    counts: dict[int, int] = defaultdict(int)
    for hit in ringing:
        for string in hit.hit.stray_strings or ():
            counts[string] += 1
    worst = max(sorted(counts), key=lambda string: counts[string])
    figures = {"chords": float(len(ringing)), "string": float(worst)}
    return Cause(
        kind=CauseKind.STRAYS,
        cost=0.8 * _share(judgement, ringing),
        hits=keys_of(ringing),
        figures=figures,
        words=_what_damps(worst, ringing, judgement),
    )


def _what_damps(string: int, ringing: list[JudgedHit], judgement: Judgement) -> dict[str, str]:
    """What should lie on a string that rings along, in most of these chords as they are written."""
    found: dict[tuple[str, str], int] = defaultdict(int)
    for hit in ringing:
        grip = easiest(judgement.instrument, hit.due.hit.notes, Hand())
        if grip is None or string not in (hit.hit.stray_strings or ()):
            continue
        for one in silence_map(grip.notes, len(judgement.instrument.tuning)).quiet:
            if one.string == string and one.by is not None:
                found[one.by.value, str(one.finger or "")] += 1
    by, finger = max(sorted(found), key=lambda key: found[key], default=("", ""))
    return {"by": by, "finger": finger}


def ramp(judgement: Judgement) -> Cause | None:
    """The first mute ramp that did not go as written, and how many did not."""
    told = [one for one in judgement.reading.ramps if one.kept is not None]
    wrong = [one for one in told if not one.kept and one.heard is not None]
    if not wrong:
        return None
    first = wrong[0]
    assert first.heard is not None
    spans = [(one.round, range(one.first_index, one.last_index + 1)) for one in wrong]
    hits = [
        hit
        for hit in judgement.played
        if any(hit.hit.round == number and hit.hit.index in span for number, span in spans)
    ]
    figures = {
        "wrong": float(len(wrong)),
        "told": float(len(told)),
        "bar": float(first.bar),
        "heard_from": first.heard[0],
        "heard_to": first.heard[1],
        "written_from": first.written[0],
        "written_to": first.written[1],
    }
    return Cause(
        kind=CauseKind.RAMP,
        cost=0.5 * _share(judgement, hits),
        hits=keys_of(hits),
        figures=figures,
    )


def level(judgement: Judgement) -> Cause | None:
    """Evenness over hits of one kind, accents left out, so that written contrast does not count."""
    groups: dict[tuple[str, int], list[float]] = defaultdict(list)
    for hit in judgement.played:
        level, written = hit.hit.relative_level_db, hit.due.hit
        even = not written.accent and written.ramp is None
        if level is not None and even and hit.as_written:
            groups[(hit.hit.expected_articulation.value, min(2, len(written.notes)))].append(level)
    kind, levels = max(groups.items(), key=lambda item: len(item[1]), default=(("", 0), []))
    spread = robust_spread(np.array(levels))
    if len(levels) < 12 or spread < UNEVEN_DB:
        return None
    return Cause(
        kind=CauseKind.LEVEL,
        cost=min(0.15, spread / 60),
        figures={"spread_db": spread},
        words={"articulation": kind[0]},
    )

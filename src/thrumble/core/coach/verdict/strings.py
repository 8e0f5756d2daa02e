"""Findings about strings: stops that ring on, wrong frets, stray strings."""

from collections import Counter
from dataclasses import dataclass
from typing import ClassVar, Self

import numpy as np

from thrumble.core.coach.verdict.articulation import share_of_played
from thrumble.core.coach.verdict.finding import (
    Finding,
    Remedy,
    Review,
    exceeds_errors,
    in_bars,
    keys_of,
    stop_mark,
)
from thrumble.core.coach.verdict.judgement import JudgedHit, Judgement
from thrumble.core.counting import counted
from thrumble.core.ear.measure.certainty import stop_late_probability
from thrumble.core.neck.catalogue import easiest
from thrumble.core.neck.hand import Hand
from thrumble.core.neck.muting_map import muting_map
from thrumble.core.riff.drills.catalogue import DrillKind

# The chance that a chord or stop is measured as wrong although it isn't: of those measured as right
# at most this share, of the others by their own probability. What is measured as right but may be
# wrong doesn't speak against a finding.
FALSE_ALARM = 0.002
UNKNOWN_ERROR = 0.01  # of a chord measured before measurements had probabilities
FINGERS = {"1": "first finger", "2": "second finger", "3": "third finger", "4": "little finger"}


def _error_chance(probability: float | None) -> float:
    """The chance that a chord was measured wrong."""
    return UNKNOWN_ERROR if probability is None else 1 - probability


def _early_chance(hit: JudgedHit, judgement: Judgement) -> float:
    """The chance that a stop measured as late was in time."""
    late_ms, limit_ms = hit.stop_late_ms or 0.0, judgement.limits.late_stop_ms
    return 1 - stop_late_probability(late_ms, limit_ms, hit.hit.ring_end)


@dataclass(frozen=True, slots=True, kw_only=True)
class StopsRingOn(Finding):
    """Stops that ring on: `late` of `stops`, by `late_ms` in the median."""

    kind: ClassVar[str] = "stops"
    label: ClassVar[str] = "stops that ring on"
    remedies: ClassVar[tuple[Remedy, ...]] = (
        Remedy(DrillKind.STOPS, 1.0, "nothing but the stops, right on the beat"),
        Remedy(DrillKind.GRAB_RELEASE, 0.75, "the same with your fretting hand"),
    )

    late: int
    stops: int
    late_ms: float

    @classmethod
    def find(cls, review: Review) -> Self | None:
        judgement = review.judgement
        judged = [hit for hit in judgement.played if hit.stop_kept is not None]
        late = [hit for hit in judged if hit.stop_late]
        errors = [_early_chance(hit, judgement) if hit.stop_late else FALSE_ALARM for hit in judged]
        if len(late) < 2 or not exceeds_errors(len(late), errors):
            return None
        late_ms = [hit.stop_late_ms for hit in late if hit.stop_late_ms is not None]
        return cls(
            cost=1.2 * share_of_played(late, judgement),
            hits=keys_of(late),
            late=len(late),
            stops=len(judged),
            late_ms=float(np.median(late_ms)),
        )

    def mark(self, hit: JudgedHit) -> str:
        return stop_mark(hit)

    def sentence(self, judgement: Judgement) -> str:
        where = in_bars(self.hits, judgement)
        return (
            f"Your stops ring on {where}, {self.late} of {self.stops}, by {self.late_ms:.0f} ms: "
            "drop your hand on the strings right on the beat."
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class WrongFrets(Finding):
    """Chords with other notes than written."""

    kind: ClassVar[str] = "frets"
    label: ClassVar[str] = "wrong frets"
    mark_text: ClassVar[str] = "wrong fret"
    remedies: ClassVar[tuple[Remedy, ...]] = (
        Remedy(DrillKind.SHIFTS, 0.75, "look, move, settle, then hit"),
        Remedy(DrillKind.HALF_CHANGES, 0.9, "more time on each chord"),
    )

    wrong: int
    checked: int

    @classmethod
    def find(cls, review: Review) -> Self | None:
        judgement = review.judgement
        checked = [hit for hit in judgement.played if hit.hit.chord_ok is not None]
        wrong = [hit for hit in checked if not hit.hit.chord_ok]
        is_only_chord = len(wrong) == len(checked) == 1
        errors = [
            FALSE_ALARM if hit.hit.chord_ok else _error_chance(hit.hit.chord_probability)
            for hit in checked
        ]
        if not (is_only_chord or exceeds_errors(len(wrong), errors)):
            return None
        return cls(
            cost=1.5 * share_of_played(wrong, judgement),
            hits=keys_of(wrong),
            wrong=len(wrong),
            checked=len(checked),
        )

    def sentence(self, judgement: Judgement) -> str:
        return (
            f"{counted(self.wrong, 'chord is', 'chords are')} fretted wrong, "
            f"{in_bars(self.hits, judgement)}. Check the fret before you hit it."
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class StrayStrings(Finding):
    """Strings that sound in chords they don't belong to, mostly `string`; `by` and `finger`: what
    should mute it in most of these chords, empty if unknown.
    """

    kind: ClassVar[str] = "strays"
    label: ClassVar[str] = "stray strings"
    mark_text: ClassVar[str] = "string rings"
    remedies: ClassVar[tuple[Remedy, ...]] = (
        Remedy(DrillKind.GRAB_RELEASE, 0.75, "grab each chord so that only its strings ring"),
        Remedy(DrillKind.TWO_STRINGS, 1.0, "two strings leave fewer to damp"),
    )

    chords: int
    string: int
    by: str
    finger: str

    @classmethod
    def find(cls, review: Review) -> Self | None:
        judgement = review.judgement
        checked = [hit for hit in judgement.played if hit.hit.stray_strings is not None]
        ringing = [hit for hit in checked if hit.hit.stray_strings]
        errors = [
            _error_chance(hit.hit.stray_probability) if hit.hit.stray_strings else FALSE_ALARM
            for hit in checked
        ]
        if len(ringing) < 2 or not exceeds_errors(len(ringing), errors):
            return None
        counts = Counter(string for hit in ringing for string in hit.hit.stray_strings or ())
        string = max(sorted(counts), key=lambda string: counts[string])
        by, finger = _what_mutes(string, ringing, judgement)
        return cls(
            cost=0.8 * share_of_played(ringing, judgement),
            hits=keys_of(ringing),
            chords=len(ringing),
            string=string,
            by=by,
            finger=finger,
        )

    def sentence(self, judgement: Judgement) -> str:
        finger = FINGERS.get(self.finger, "first finger")
        remedies = {
            "tip": f"lean the tip of your {finger} on it",
            "flat": f"lay your {finger} flat over it",
            "underside": f"let your {finger} touch it from below",
            "thumb": "bring your thumb over the top onto it",
            "hand": "rest your fretting hand on it",
        }
        return (
            f"A stray open string is ringing in {counted(self.chords, 'chord')}, mostly string "
            f"{self.string}, {in_bars(self.hits, judgement)}: "
            f"{remedies.get(self.by, 'mute it with a spare finger')}."
        )


def _what_mutes(string: int, ringing: list[JudgedHit], judgement: Judgement) -> tuple[str, str]:
    """What should mute a string that sounds though it shouldn't, and which finger: in most of these
    chords as they are written.
    """
    counts: Counter[tuple[str, str]] = Counter()
    for hit in ringing:
        grip = easiest(judgement.instrument, hit.due.hit.notes, Hand())
        if grip is None or string not in (hit.hit.stray_strings or ()):
            continue
        for muted in muting_map(grip.notes, len(judgement.instrument.tuning)).quiet:
            if muted.string == string and muted.by is not None:
                counts[muted.by.value, str(muted.finger or "")] += 1
    return max(sorted(counts), key=lambda key: counts[key], default=("", ""))


FINDINGS: tuple[type[Finding], ...] = (StopsRingOn, WrongFrets, StrayStrings)

"""Findings about a take as a whole: nothing recorded, damaged, of another riff, clean, or with too
few errors to name a cause.
"""

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import ClassVar, Self

from thrumble.core.coach.verdict.finding import (
    Finding,
    Review,
    bars_named,
    keys_of,
    lateness_mark,
    sound_mark,
    stop_mark,
)
from thrumble.core.coach.verdict.judgement import HitKey, JudgedHit, Judgement
from thrumble.core.counting import counted
from thrumble.core.ear.cautions import NO_HITS

# Shares of the hits due, for another riff. Of 112 takes analysed as another sample riff at its
# tempo 96 are recognised by these and 8 by the first alone; of 64 takes of the right one, with up
# to 30 % missed, none.
MAX_MISSED = 0.5
MAX_EXTRA = 1.0
MAX_ASTRAY = 0.15  # missed and extra together, if the chords are others too
MAX_WRONG_CHORDS = 0.35  # of the chords checked; takes of the right riff reach 0.18 at most
MIN_CHORDS = 6


@dataclass(frozen=True, slots=True, kw_only=True)
class NothingHeard(Finding):
    """A take without a hit. `is_silent`: without any sound."""

    kind: ClassVar[str] = "nothing"
    is_cause: ClassVar[bool] = False
    stands_alone: ClassVar[bool] = True
    needs_practice: ClassVar[bool] = False

    is_silent: bool

    @classmethod
    def find(cls, review: Review) -> Self | None:
        judgement = review.judgement
        if judgement.played:
            return None
        has_sound = any(caution.code == NO_HITS.code for caution in judgement.reading.cautions)
        return cls(cost=1.0, is_silent=not has_sound)

    def sentence(self, judgement: Judgement) -> str:
        if self.is_silent:
            return (
                "We heard nothing in this take. Check your cable, input and level, then play it "
                "again."
            )
        return (
            "We heard sound in this take but no hits. Check that this input records your guitar, "
            "then play it again."
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class WrongRiff(Finding):
    """A take of another riff than the one it was analysed for. Wrong chords alone don't make it
    another: the guitar may be tuned lower. `wrong` is 0 unless the chords are others, too.
    """

    kind: ClassVar[str] = "other_riff"
    label: ClassVar[str] = "another riff"
    stands_alone: ClassVar[bool] = True
    needs_practice: ClassVar[bool] = False

    missed: int
    due: int
    extra: int
    wrong: int
    checked: int

    @classmethod
    def find(cls, review: Review) -> Self | None:
        judgement = review.judgement
        missed = [hit for hit in judgement.hits if hit.missed]
        extra = len(judgement.reading.extra_onsets)
        checked = [hit for hit in judgement.played if hit.hit.chord_ok is not None]
        wrong = sum(not hit.hit.chord_ok for hit in checked)
        has_other_chords = len(checked) >= MIN_CHORDS and wrong >= MAX_WRONG_CHORDS * len(checked)
        is_astray = len(missed) + extra >= MAX_ASTRAY * judgement.due
        if not (
            len(missed) > MAX_MISSED * judgement.due
            or extra > MAX_EXTRA * judgement.due
            or (has_other_chords and is_astray)
        ):
            return None
        return cls(
            cost=1.0,
            hits=keys_of(missed),
            missed=len(missed),
            due=judgement.due,
            extra=extra,
            wrong=wrong if has_other_chords else 0,
            checked=len(checked),
        )

    def sentence(self, judgement: Judgement) -> str:
        parts = [
            f"{self.missed} of {self.due} hits aren't there" if self.missed else "",
            f"{counted(self.extra, 'hit')} too many" if self.extra else "",
            f"{self.wrong} of {self.checked} chords don't match" if self.wrong else "",
        ]
        return (
            f"This doesn't sound like {judgement.expanded.riff.title}: "
            f"{', '.join(part for part in parts if part)}. Check that you picked the right riff "
            "and tempo, and that you're in its tuning, then play it again."
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class DamagedRecording(Finding):
    """A recording with gaps: `what` the caution says."""

    kind: ClassVar[str] = "damaged"
    label: ClassVar[str] = "a damaged recording"
    stands_alone: ClassVar[bool] = True
    needs_practice: ClassVar[bool] = False

    what: str

    @classmethod
    def find(cls, review: Review) -> Self | None:
        cautions = review.judgement.reading.cautions
        damage = next((caution for caution in cautions if caution.code == "dropouts"), None)
        return None if damage is None else cls(cost=1.0, what=damage.text)

    def sentence(self, judgement: Judgement) -> str:
        return self.what


@dataclass(frozen=True, slots=True, kw_only=True)
class _Numbers(Finding):
    """A take by its numbers and its errors, hit by hit. `told`: hits whose articulation is sure;
    `reached`: hits due before the take ended, of all `written`.
    """

    is_cause: ClassVar[bool] = False

    in_time: int
    played: int
    as_written: int
    told: int
    tolerance_ms: float
    missed: int
    reached: int
    written: int

    @classmethod
    def find(cls, review: Review) -> Self | None:
        judgement = review.judgement
        if review.named or not cls._applies(judgement):
            return None
        classified = [hit for hit in judgement.played if hit.as_written is not None]
        return cls(
            cost=0.0,
            hits=keys_of(hit for hit in judgement.hits if hit.off),
            in_time=judgement.in_time,
            played=len(judgement.played),
            as_written=sum(bool(hit.as_written) for hit in classified),
            told=len(classified),
            tolerance_ms=judgement.limits.tolerance_ms,
            missed=sum(hit.missed for hit in judgement.hits),
            reached=judgement.due,
            written=len(judgement.hits),
        )

    @classmethod
    def _applies(cls, judgement: Judgement) -> bool:
        raise NotImplementedError

    def mark(self, hit: JudgedHit) -> str:
        return error_mark(hit)

    def errors(self, judgement: Judgement) -> list[str]:
        """A sentence for each kind of error, and one for the extra hits."""
        sentences = errors_listed(self.hits, judgement)
        if extra := len(judgement.reading.extra_onsets):
            sentences.append(f"You played {counted(extra, 'extra hit')}.")
        return sentences


@dataclass(frozen=True, slots=True, kw_only=True)
class Clean(_Numbers):
    """A clean take, with what was still off in it."""

    kind: ClassVar[str] = "clean"
    needs_practice: ClassVar[bool] = False

    @classmethod
    def _applies(cls, judgement: Judgement) -> bool:
        return judgement.is_clean

    def sentence(self, judgement: Judgement) -> str:
        text = (
            f"Clean: {self.in_time} of {self.played} hits are in time (within "
            f"{self.tolerance_ms:.0f} ms), and {self.as_written} of {self.told} sound as written."
        )
        return " ".join([text, *self.errors(judgement)])


@dataclass(frozen=True, slots=True, kw_only=True)
class FewErrors(_Numbers):
    """A take that isn't clean, with too few errors, or too little of the riff, to name a cause."""

    kind: ClassVar[str] = "few"

    @classmethod
    def _applies(cls, judgement: Judgement) -> bool:
        return not judgement.is_clean

    def sentence(self, judgement: Judgement) -> str:
        text = f"In time: {self.in_time} of {self.played} hits (within {self.tolerance_ms:.0f} ms)."
        if not judgement.is_whole:
            text = f"You stopped after {self.reached} of {self.written} hits. {text}"
        return " ".join([text, *self.errors(judgement)])


@dataclass(frozen=True, slots=True, kw_only=True)
class AlsoWrong(Finding):
    """Hits that surely went wrong, but for their timing, beside the findings that name others."""

    kind: ClassVar[str] = "few"
    is_cause: ClassVar[bool] = False

    @classmethod
    def find(cls, review: Review) -> Self | None:
        named = {key for finding in review.named for key in finding.hits}
        left = [
            hit
            for hit in review.judgement.hits
            if (hit.missed or hit.sounds_wrong or hit.stop_late) and hit.key not in named
        ]
        return cls(cost=0.0, hits=keys_of(left)) if review.named and left else None

    def mark(self, hit: JudgedHit) -> str:
        return error_mark(hit)

    def sentence(self, judgement: Judgement) -> str:
        return " ".join(["Also:", *errors_listed(self.hits, judgement)])


def error_mark(hit: JudgedHit) -> str:
    """The mark of a hit with an error that no cause explains: the error itself."""
    if hit.stop_late:
        return stop_mark(hit)
    return sound_mark(hit) if hit.sounds_wrong else lateness_mark(hit)


def errors_listed(keys: tuple[HitKey, ...], judgement: Judgement) -> list[str]:
    """What went wrong with these hits, kind by kind, with the bars: `5 palm mutes ring: bars 2, 5
    and 12.`
    """
    by_key = judgement.by_key()
    hits = [by_key[key] for key in keys if key in by_key]
    return [
        f"{counted(len(bars), singular, plural)}: {bars_named(bars)}."
        for singular, plural, bars in _errors(hits)
    ]


def _errors(hits: list[JudgedHit]) -> Iterator[tuple[str, str, list[int]]]:
    """Each kind of error among hits, in words for one and for several, and the bars they are in."""
    for singular, plural, is_error in ERRORS:
        bars = [hit.hit.bar for hit in hits if is_error(hit)]
        if bars:
            yield singular, plural, bars


def _heard_as(written: str, *articulations: str) -> Callable[[JudgedHit], bool]:
    def is_error(hit: JudgedHit) -> bool:
        kind = hit.articulation
        is_wrong = hit.sounds_wrong and kind is not None and kind.value in articulations
        return is_wrong and hit.hit.expected_articulation.value == written

    return is_error


ERRORS: tuple[tuple[str, str, Callable[[JudgedHit], bool]], ...] = (
    ("hit is missing", "hits are missing", lambda hit: hit.missed),
    ("hit is early or late", "hits are early or late", lambda hit: hit.played and not hit.in_time),
    ("palm mute rings", "palm mutes ring", _heard_as("palm", "open")),
    ("dead hit rings", "dead hits ring", _heard_as("dead", "open", "palm")),
    ("open hit is choked", "open hits are choked", _heard_as("open", "palm", "dead")),
    ("palm mute has no pitch", "palm mutes have no pitch", _heard_as("palm", "dead")),
    ("stop rings on", "stops ring on", lambda hit: hit.stop_late),
)

FINDINGS: tuple[type[Finding], ...] = (NothingHeard, WrongRiff, DamagedRecording)
# looked for once the others are chosen
CLOSING: tuple[type[Finding], ...] = (Clean, FewErrors, AlsoWrong)

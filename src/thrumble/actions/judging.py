"""The one way to a judged take: its analysis with the player's corrections, judged once."""

from dataclasses import dataclass
from functools import cached_property

from sqlmodel import Session

from thrumble.core.coach.verdict.finding import Finding
from thrumble.core.coach.verdict.findings import find_findings
from thrumble.core.coach.verdict.judgement import HitKey, Judgement, judge
from thrumble.core.ear.reading import Reading
from thrumble.core.errors import NotFound
from thrumble.core.instrument import Instrument
from thrumble.core.riff.expand import expand
from thrumble.core.riff.model import Riff
from thrumble.store.practice import practice
from thrumble.store.riffs import riffs
from thrumble.store.riffs.riffs import Revision
from thrumble.store.rig import rigs
from thrumble.store.takes import corrections, readings, takes
from thrumble.store.takes.corrections import Correction
from thrumble.store.takes.takes import Take


@dataclass(frozen=True, kw_only=True)
class JudgedTake:
    """A take with all that its judgement rests on. `reading`: as analysed, without corrections."""

    take: Take
    revision: Revision
    instrument: Instrument
    reading: Reading
    corrections: dict[HitKey, Correction]
    judgement: Judgement

    @property
    def riff(self) -> Riff:
        """The riff as it stood when it was played."""
        return self.revision.riff

    @cached_property
    def findings(self) -> list[Finding]:
        """The take's findings, the most costly first."""
        return find_findings(self.judgement)

    @cached_property
    def sentences(self) -> list[str]:
        """The findings in words; the first one is the verdict."""
        return [finding.sentence(self.judgement) for finding in self.findings]

    @property
    def counts(self) -> bool:
        """Whether the take says how fast the riff is clean: not if it is damaged, empty or of
        another riff.
        """
        return not any(finding.stands_alone for finding in self.findings)


def find_judged_take(session: Session, player_id: int, take_id: int) -> JudgedTake | None:
    """A take judged; None if it has no analysis yet. Raises NotFound for an unknown take."""
    take = takes.get_take(session, player_id, take_id)
    reading = readings.get_reading(session, player_id, take_id)
    if reading is None:
        return None
    revision = riffs.get_revision(session, player_id, take.revision_id)
    instrument = rigs.instrument_for(session, player_id, take.rig_id, revision.riff)
    corrected = corrections.corrections_of(session, player_id, take_id)
    kinds = {key: correction.articulation for key, correction in corrected.items()}
    return JudgedTake(
        take=take,
        revision=revision,
        instrument=instrument,
        reading=reading,
        corrections=corrected,
        judgement=judge(
            reading,
            expand(revision.riff, take.tempo_bpm),
            instrument,
            kinds,
            tolerance_ms=practice.practice_of(session, player_id).tolerance_ms,
        ),
    )


def judged_take(session: Session, player_id: int, take_id: int) -> JudgedTake:
    """A take judged. Raises NotFound, also if it has no analysis yet."""
    judged = find_judged_take(session, player_id, take_id)
    if judged is None:
        raise NotFound("this take isn't analysed yet: wait a moment, or analyse it again")
    return judged

"""What to play next after a reading: the drill that answers it, the riff a step on, in words."""

from dataclasses import dataclass

from sqlmodel import Session

from thrumble.actions.coaching import what_next
from thrumble.core.coach.progress.drill_effect import helped_words
from thrumble.core.coach.progress.ladder import Step
from thrumble.core.coach.verdict.finding import Finding
from thrumble.core.coach.verdict.judgement import Judgement
from thrumble.core.coach.verdict.proposals import Proposal
from thrumble.core.riff.drills.catalogue import TABLE
from thrumble.store.riffs import drills
from thrumble.store.riffs.drills import DrillOf


@dataclass(frozen=True, slots=True)
class Offer:
    """Something to play. `kind`: of a drill, empty for the riff itself."""

    name: str
    tempo: str
    why: str
    kind: str
    first: str
    last: str


@dataclass(frozen=True, slots=True, kw_only=True)
class NextView:
    """What is up next, and what else there is. `riff_id`: the riff, of a drill the
    one that it was made from; `helped`: what the drills before this take changed; `step_tempo`: of
    the next take of what was played.
    """

    riff_id: int
    play_id: int
    up_next: Offer
    others: list[Offer]
    helped: list[str]
    back: bool
    step_tempo: str


def next_view(
    session: Session,
    player_id: int,
    riff_id: int,
    take_id: int,
    judgement: Judgement,
    findings: list[Finding],
) -> NextView:
    """What to play after a take of a riff, or of a drill, by what holds it back."""
    of = drills.drill_of(session, player_id, riff_id)
    proposed = what_next(session, player_id, riff_id, judgement, findings)
    title = judgement.expanded.riff.title
    step = _step(title, proposed.step)
    offers = [_offer(drill, title) for drill in proposed.drills]
    up_next, *others = [*offers, step]
    return NextView(
        riff_id=riff_id if of is None else of.riff_id,
        play_id=riff_id,
        up_next=up_next,
        others=others,
        helped=_helped(session, player_id, take_id, of),
        back=of is not None,
        step_tempo=f"{proposed.step.tempo_bpm:g}",
    )


def _offer(proposal: Proposal, title: str) -> Offer:
    if proposal.drill is None:
        return Offer(title, f"{proposal.tempo_bpm:g}", proposal.why, "", "", "")
    name = TABLE[proposal.drill].name
    first, last = (
        ("", "") if proposal.bars is None else (str(proposal.bars[0]), str(proposal.bars[1]))
    )
    if proposal.bars is not None:
        name += f", bar {first}" if first == last else f", bars {first} and {last}"
    return Offer(
        name[0].upper() + name[1:],
        f"{proposal.tempo_bpm:g}",
        proposal.why,
        proposal.drill.value,
        first,
        last,
    )


def _step(title: str, step: Step) -> Offer:
    name, kind = title, ""
    if step.drill is not None:
        name, kind = TABLE[step.drill].name.capitalize(), step.drill.value
    return Offer(name, f"{step.tempo_bpm:g}", step.why, kind, "", "")


def _helped(session: Session, player_id: int, take_id: int, of: DrillOf | None) -> list[str]:
    if of is not None:
        return []
    effects = drills.helped_of(session, player_id, take_id)
    return [helped_words(effect, TABLE[effect.kind].name) for effect in effects]

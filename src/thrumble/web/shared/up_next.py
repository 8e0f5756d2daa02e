"""The riff proposed next, or the block of the session that comes next."""

from dataclasses import dataclass
from datetime import UTC, datetime

from sqlmodel import Session

from thrumble.actions.coaching import step_of
from thrumble.core.coach.planning.next_riff import Standing, next_riff
from thrumble.core.coach.planning.plan import Block
from thrumble.core.riff.drills.catalogue import make_drill
from thrumble.core.riff.expand import expand
from thrumble.store.riffs import riff_lists, riffs
from thrumble.web.drawings.bars import BarDrawing
from thrumble.web.drawings.strip import plan_strip


@dataclass(frozen=True, slots=True)
class UpNextView:
    """What is up next. `drill`: its kind and bars, if it is a drill of the riff."""

    riff_id: int
    title: str
    tempo: str
    reason: str
    strip: list[BarDrawing]
    drill: str = ""
    first: str = ""
    last: str = ""


def up_next_view(session: Session, player_id: int) -> UpNextView | None:
    """The riff proposed next, None if there is no riff."""
    standings = [
        Standing(
            riff_id=f.riff_id,
            last_played=f.last_played,
            clean=f.clean,
            hits=f.judged,
        )
        for f in riff_lists.riff_facts(session, player_id)
    ]
    chosen = next_riff(standings, now=datetime.now(UTC))
    if not chosen:
        return None
    riff = riffs.newest_revision(session, player_id, chosen[0]).riff
    step = step_of(session, player_id, chosen[0], float(riff.tempo_bpm))
    reason = (
        step.why
        if step.why.startswith(chosen[1])
        else f"{chosen[1]}. {step.why[0].upper()}{step.why[1:]}"
    )
    return UpNextView(
        chosen[0],
        riff.title,
        f"{step.tempo_bpm:g}",
        reason,
        plan_strip(expand(riff), bars=4),
    )


def up_next_block(session: Session, player_id: int, block: Block) -> UpNextView | None:
    """A block of the session as what is up next; None for a rest."""
    if block.riff_id is None:
        return None
    riff = riffs.newest_revision(session, player_id, block.riff_id).riff
    title, drill, ends = riff.title, "", ("", "")
    if block.drill is not None:
        riff = make_drill(riff, block.drill, bars=block.bars)
        title, drill = riff.title, block.drill.value
        if block.bars is not None:
            ends = str(block.bars[0]), str(block.bars[1])
    return UpNextView(
        block.riff_id,
        title,
        f"{block.tempo_bpm or float(riff.tempo_bpm):g}",
        f"{block.minutes} min, {block.why}",
        plan_strip(expand(riff), bars=4),
        drill,
        *ends,
    )

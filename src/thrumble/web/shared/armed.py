"""The riff proposed next."""

from dataclasses import dataclass
from datetime import UTC, datetime

from sqlmodel import Session

from thrumble.actions.coaching import step_of
from thrumble.core.coach.next_riff import Standing, next_riff
from thrumble.core.riff.expand import expand
from thrumble.store import riffs
from thrumble.web.drawings.strip import BarDrawing, plan_strip


@dataclass(frozen=True, slots=True)
class ArmedView:
    """The riff proposed next."""

    riff_id: int
    title: str
    tempo: str
    reason: str
    strip: list[BarDrawing]


def armed_view(session: Session, player_id: int) -> ArmedView | None:
    """The riff proposed next, None where there is no riff."""
    standings = [
        Standing(
            riff_id=f.riff_id,
            last_played=f.last_played,
            clean_share=f.clean / f.judged if f.clean is not None and f.judged else None,
        )
        for f in riffs.riff_facts(session, player_id)
    ]
    chosen = next_riff(standings, now=datetime.now(UTC))
    if not chosen:
        return None
    riff = riffs.newest_revision(session, player_id, chosen[0]).riff
    step = step_of(session, player_id, chosen[0], float(riff.tempo_bpm))
    reason = step.why if step.why.startswith(chosen[1]) else f"{chosen[1]}; {step.why}"
    return ArmedView(
        chosen[0],
        riff.title,
        f"{step.tempo_bpm:g}",
        reason,
        plan_strip(expand(riff), bars=4),
    )

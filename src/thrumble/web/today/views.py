"""Today: the next thing armed, takes left unfinished, what was read last."""

from dataclasses import dataclass
from datetime import UTC, datetime

from thrumble.core.coach.next_riff import Standing, next_riff
from thrumble.core.riff.expand import expand
from thrumble.core.takes import TakeState
from thrumble.store.riffs import RiffStanding
from thrumble.store.takes import TakeLine
from thrumble.web.drawings.strip import BarDrawing, plan_strip
from thrumble.web.readings.views import TakeLineView, take_line

LATEST = 6


@dataclass(frozen=True, slots=True)
class ArmedView:
    """The riff proposed next."""

    riff_id: int
    title: str
    tempo: str
    reason: str
    strip: list[BarDrawing]


@dataclass(frozen=True, slots=True)
class TodayView:
    """The whole screen."""

    date: str
    armed: ArmedView | None
    unfinished: list[TakeLineView]
    latest: list[TakeLineView]


def today_view(standings: list[RiffStanding], lines: list[TakeLine]) -> TodayView:
    """Chooses the next riff and lays out the rest."""
    now = datetime.now(UTC)
    chosen = next_riff(
        [
            Standing(
                riff_id=s.revision.riff_id,
                last_played=s.last_played,
                clean_share=s.clean / s.judged if s.clean is not None and s.judged else None,
            )
            for s in standings
        ],
        now=now,
    )
    armed = None
    if chosen:
        riff = next(s.revision.riff for s in standings if s.revision.riff_id == chosen[0])
        armed = ArmedView(chosen[0], riff.title, f"{float(riff.tempo_bpm):g}", chosen[1], plan_strip(expand(riff), bars=4))
    shown = [take_line(line, now) for line in lines]
    return TodayView(
        date=f"{now:%A} {now.day} {now:%B}",
        armed=armed,
        unfinished=[line for line in shown if line.state is TakeState.RECORDING],
        latest=[line for line in shown if line.state is not TakeState.RECORDING][:LATEST],
    )

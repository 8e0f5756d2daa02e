"""Today: the next thing armed, takes left unfinished, what was read last."""

from dataclasses import dataclass
from datetime import UTC, datetime

from thrumble.store.takes import TakeLine
from thrumble.web.shared.armed import ArmedView
from thrumble.web.shared.takes import TakeLineView, take_line

LATEST, UNFINISHED = 6, 3


@dataclass(frozen=True, slots=True)
class TodayView:
    """The whole screen. `more_unfinished`: how many of those are not shown."""

    date: str
    armed: ArmedView | None
    unfinished: list[TakeLineView]
    more_unfinished: int
    latest: list[TakeLineView]


def today_view(
    armed: ArmedView | None,
    unfinished: list[TakeLine],
    unfinished_count: int,
    latest: list[TakeLine],
) -> TodayView:
    """Lays out what is armed, what waits, what was read."""
    now = datetime.now(UTC)
    return TodayView(
        date=f"{now:%A} {now.day} {now:%B}",
        armed=armed,
        unfinished=[take_line(line, now) for line in unfinished],
        more_unfinished=unfinished_count - len(unfinished),
        latest=[take_line(line, now) for line in latest],
    )

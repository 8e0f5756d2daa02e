"""What keeping time needs to know of a riff."""

from collections.abc import Callable

from thrumble.core.pulse.click import TimedBar
from thrumble.core.pulse.cues import BeatGrid
from thrumble.core.riff.counts import Counting, counts_of
from thrumble.core.riff.expand import ExpandedRiff


def beat_grid(expanded: ExpandedRiff) -> BeatGrid:
    """One round of a riff, for the click and the drummer."""
    counts = counts_of(expanded, Counting.GROUPS) or {}
    played = [due for due in expanded.hits if due.bar >= 1]
    return BeatGrid(
        bars=expanded.bars,
        begin_s=expanded.begin_s,
        round_s=expanded.round_s,
        swing=swing_of(expanded),
        accents=tuple(due.due_s for due in played if due.hit.accent),
        groups=tuple(
            (due.due_s, counts[due.index] == "1") for due in played if counts[due.index] != "&"
        ),
    )


def swing_of(expanded: ExpandedRiff) -> Callable[[TimedBar], float | None]:
    """How each bar's beats swing: a shuffle on what halves the beat does, one on less leaves the
    halves where they are.
    """
    riff = expanded.riff
    feels = {section.name: section.feel or riff.feel for section in riff.sections}
    sections = {bar.number: bar.section for bar in expanded.bars}

    def of(bar: TimedBar) -> float | None:
        feel = feels.get(sections[bar.number], riff.feel)
        halves = feel.unit * 2 == bar.meter.beat
        return float(feel.ratio) if feel.ratio is not None and halves else None

    return of

"""The life of a take: its states, and the one table of allowed changes."""

from dataclasses import asdict, dataclass
from enum import StrEnum

from thrumble.core.counting import counted
from thrumble.core.errors import NotAllowed


class TakeState(StrEnum):
    """Where a take stands."""

    RECORDING = "recording"  # sound is coming in, or was when the tab was closed
    QUEUED = "queued"
    READING = "reading"
    READ = "read"
    FAILED = "failed"


CHANGES: dict[TakeState, frozenset[TakeState]] = {
    TakeState.RECORDING: frozenset({TakeState.QUEUED}),
    TakeState.QUEUED: frozenset({TakeState.READING, TakeState.FAILED, TakeState.QUEUED}),
    TakeState.READING: frozenset(
        {TakeState.READ, TakeState.FAILED, TakeState.QUEUED, TakeState.READING}
    ),
    TakeState.READ: frozenset({TakeState.QUEUED, TakeState.READING}),
    TakeState.FAILED: frozenset({TakeState.QUEUED, TakeState.READING}),
}
FINAL = frozenset({TakeState.READ, TakeState.FAILED})


def change(before: TakeState, after: TakeState) -> TakeState:
    """The state after. Raises NotAllowed if the table has no such change."""
    if after not in CHANGES[before]:
        raise NotAllowed(
            f"a take that is {before.value} cannot become {after.value}: load the page again to "
            "see where it stands"
        )
    return after


@dataclass(frozen=True, slots=True, kw_only=True)
class RecorderReport:
    """What the browser's recorder noticed. Frames are the audio clock's; `goes_on`: another round
    followed without a break.
    """

    gap_frames: int = 0
    zero_runs: int = 0
    clock_slip_ms: float = 0.0
    underruns: int = 0
    goes_on: bool = False
    settings: dict[str, str | int | float | bool | None] | None = None

    def noted(self) -> dict[str, object]:
        """The report as it is kept with its take."""
        return asdict(self)

    def dropouts(self) -> tuple[str, ...]:
        """What a reader of the reading has to know, in words; empty for a sound recording."""
        words = []
        if self.gap_frames:
            words.append(f"{self.gap_frames} frames never arrived")
        if self.zero_runs:
            words.append(f"{counted(self.zero_runs, 'gap')} of silence inside the sound")
        if abs(self.clock_slip_ms) > 20:
            words.append(f"the audio clock slipped by {abs(self.clock_slip_ms):.0f} ms")
        if self.underruns:
            words.append(f"{counted(self.underruns, 'underrun')} of the audio output")
        return tuple(words)

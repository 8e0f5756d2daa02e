"""What was to be heard while a take was played, as it is sent and kept: JSON."""

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field, field_validator

from thrumble.core.pulse.cues import MAX_COUNT_BARS, Backing, Click, Pulse, Silence, Voice
from thrumble.core.pulse.groove import GROOVES

Level = Annotated[float, Field(ge=0, le=1)]
MAX_BARS = 100_000
MAX_SEED = 2**31 - 1


class AccompanimentSettings(BaseModel):
    """What sounded with a take. In a loop, `bars_before` is how many bars had been played when the
    take began, and `run` is the same for all takes of the loop.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    click: Click = Click.BEATS
    groove: str = ""
    backing: Backing = Backing.NONE
    silence: Silence = Silence.NONE
    seed: Annotated[int, Field(ge=0, le=MAX_SEED)] = 0
    count_bars: Annotated[int, Field(ge=0, le=MAX_COUNT_BARS)] = 1
    voice: Voice = Voice.CLICK
    click_level: Level = 1.0
    groove_level: Level = 0.7
    backing_level: Level = 0.5
    bars_before: Annotated[int, Field(ge=0, le=MAX_BARS)] = 0
    run: Annotated[str, Field(pattern=r"^[0-9a-zA-Z-]{0,64}$")] = ""

    @field_validator("groove")
    @classmethod
    def _check_choices(cls, name: str) -> str:
        if name and name not in GROOVES:
            raise ValueError(f"there is no groove {name[:40]!r}: choose {', '.join(GROOVES)}")
        return name

    def pulse(self) -> Pulse:
        """Click, groove and count-in."""
        return Pulse(
            click=self.click,
            groove=self.groove,
            silence=self.silence,
            seed=self.seed,
            count_bars=self.count_bars,
            voice=self.voice,
            click_level=self.click_level,
            groove_level=self.groove_level,
        )

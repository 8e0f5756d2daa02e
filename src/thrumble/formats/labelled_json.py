"""A sound check to hand on, `thrumble.labelled/1`: what was asked, and what was heard."""

from typing import Literal

from pydantic import Field

from thrumble.formats.document import Document, Number


class LabelledHit(Document):
    """One hit of a sound check."""

    index: int = Field(description="place in the expanded riff, from 0")
    asked: str = Field(description="articulation asked for: open, palm or dead")
    depth: Number | None = Field(description="of a palm mute, 0 to 1")
    told: str = Field(
        description="articulation the analysis was given; one in five is wrong on purpose"
    )
    heard: str | None = Field(description="articulation detected; null without a detected onset")
    chance: Number | None = Field(description="probability of what was detected")
    heard_onset_s: Number | None
    played_as_asked: bool = Field(description="false if the player struck it out")


class LabelledJson(Document):
    """The labels of a sound check, beside its riff and audio in one zip."""

    format: Literal["thrumble.labelled/1"]
    riff: str = Field(description="file name of the riff")
    audio: str = Field(description="file name of the take")
    engine: str
    tempo_bpm: Number
    start_s: Number | None = Field(description="file time of bar 1 beat 1")
    sound: str | None = Field(description="clean, crunch or high gain; null without a tone")
    hits: list[LabelledHit]

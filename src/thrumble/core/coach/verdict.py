"""From a reading to words: what costs most, first, as plain sentences with their figures. Never a score."""

from dataclasses import dataclass

from thrumble.core.ear.reading import Reading
from thrumble.core.riff.model import Riff


@dataclass(frozen=True, slots=True)
class Cause:
    """One finding."""

    text: str


def judge(reading: Reading, riff: Riff) -> list[Cause]:
    return []

"""A bank of plucked tones in place of the sampled notes, which are some hundred megabytes that only
training and measuring need.
"""

import numpy as np
import pytest
from numpy.typing import NDArray

from benchmarks import sampled


@pytest.fixture(scope="session")
def plucked() -> dict[str, NDArray[np.float32]]:
    """Notes as a bank gives them, one array a program: partials that fade, the higher ones sooner;
    muted ones much sooner.
    """
    t = np.arange(int(sampled.NOTE_S * sampled.RATE_HZ), dtype=np.float32) / sampled.RATE_HZ
    programs = {}
    for number, program in enumerate(sampled.PROGRAMS):
        fade_s = 0.12 if program == "muted" else 1.2
        notes = []
        for note in sampled.NOTES:
            pitch_hz = 440 * 2 ** ((note - 69) / 12)
            partials = [
                np.sin(2 * np.pi * pitch_hz * k * t)
                * np.exp(-t * k**0.7 / fade_s)
                / k ** (1 + 0.1 * number)
                for k in range(1, 9)
            ]
            sound = np.sum(partials, axis=0, dtype=np.float32)
            notes.append(sound / np.abs(sound).max())
        programs[program] = np.stack(notes).astype(np.float32)
    return programs


@pytest.fixture(autouse=True)
def no_sampled_notes(
    plucked: dict[str, NDArray[np.float32]], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(sampled, "bank", lambda name: plucked)

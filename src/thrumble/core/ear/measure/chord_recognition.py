"""Which of several chords a ringing hit is: each candidate's partials are laid over the spectrum,
and the one that explains most of it with the fewest partials that are not there is it.
"""

from dataclasses import dataclass

import numpy as np

from thrumble.core.ear.front.conditioning import WORK_RATE_HZ
from thrumble.core.music.pitch import frequency_hz
from thrumble.core.signal import Array, Samples
from thrumble.core.transforms import rfft

SKIP_S, MIN_S, MAX_S = 0.04, 0.2, 0.8  # after the attack; of free ringing
FFT = 1 << 16
LOW_HZ, HIGH_HZ = 60.0, 1300.0
FLOOR_DB = 45.0  # under the loudest partial nothing is counted
WIDTH_CENTS = 35.0
PARTIALS = 12
CLEAR = 0.04  # a lead over every other name that is believed


@dataclass(frozen=True, slots=True)
class Named:
    """The best of the candidates, and by how much it leads over the best of another name."""

    best: int
    lead: float


def name_chord(
    samples: Samples, onset_s: float, end_s: float, candidates: list[tuple[int, ...]]
) -> Named | None:
    """Which candidate (MIDI notes) rings from an onset on; None if it rings too short, or
    nothing is left of it. Samples of shape (n,) at the working rate.
    """
    begin = int((onset_s + SKIP_S) * WORK_RATE_HZ)
    end = int(min(end_s, onset_s + SKIP_S + MAX_S) * WORK_RATE_HZ)
    piece = samples[begin:end]
    if piece.size < MIN_S * WORK_RATE_HZ or not np.any(piece):
        return None
    spectrum = rfft(piece * np.hanning(piece.size).astype(np.float32), FFT)
    power = (spectrum.real**2 + spectrum.imag**2).astype(np.float64)
    hz = np.arange(power.size) * WORK_RATE_HZ / FFT
    level = 10 * np.log10(power + 1e-20)
    band = (hz >= LOW_HZ) & (hz <= HIGH_HZ)
    level = np.maximum(0.0, level - (level[band].max() - FLOOR_DB))
    scores = np.array([_fit(level, hz, notes) for notes in candidates])
    best = int(np.argmax(scores))
    others = [
        score
        for score, notes in zip(scores, candidates, strict=True)
        if _classes(notes) != _classes(candidates[best])
    ]
    return Named(best, float(scores[best] - max(others, default=0.0)))


def _classes(notes: tuple[int, ...]) -> frozenset[int]:
    return frozenset(note % 12 for note in notes)


def _fit(level: Array, hz: Array, notes: tuple[int, ...]) -> float:
    """How well these notes' partials and the spectrum are the same: the harmonic mean of the share
    of the spectrum that lies on them and of the share of them that is there.
    """
    mask = np.zeros(level.size, dtype=bool)
    there, expected = 0.0, 0.0
    reach = 2 ** (WIDTH_CENTS / 1200)
    for note in notes:
        base = frequency_hz(note)
        for k in range(1, PARTIALS + 1):
            at = base * k
            if at > HIGH_HZ:
                break
            low, high = np.searchsorted(hz, (at / reach, at * reach))
            mask[low:high] = True
            weight = 1 / k**0.5
            there += weight * min(1.0, float(level[low:high].max(initial=0.0)) / FLOOR_DB)
            expected += weight
    band = (hz >= LOW_HZ) & (hz <= HIGH_HZ)
    whole = float((level[band] ** 2).sum())
    explained = float((level[band & mask] ** 2).sum())
    if not whole or not expected:
        return 0.0
    a, b = explained / whole, there / expected
    return 2 * a * b / max(1e-9, a + b)

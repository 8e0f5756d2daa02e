"""Whether a ringing chord is the written one, and which open string rings along that should not.

The partials of the written notes, up to some 2 kHz, are a comb. Laid over the hit's spectrum a semitone or more off, it must catch less than in
its place; where it catches clearly more, the hand was on another fret. A stray open string is looked for only at those of its partials that no
written note shares. Distortion fills the spectrum with sums and differences of the partials: then only a wide margin is believed.
"""

from dataclasses import dataclass

import numpy as np

from thrumble.core.ear.conditioning import WORK_RATE_HZ
from thrumble.core.ear.network import Array
from thrumble.core.music.pitch import frequency_hz
from thrumble.core.signal import Samples

LEAST_S, MOST_S = 0.14, 0.5  # of free ringing: a semitone at the fifth partial of a low E needs 0.1 s
SKIP_S = 0.03  # the attack's noise
FFT = 32768
TOP_HZ = 2400.0
SHIFTS = (-3, -2, -1, 0, 1, 2, 3)  # semitones
RIGHT_DB, WRONG_DB = 1.0, 2.5  # by how much the best comb must beat its rivals to be believed
STRAY_DB = -18.0  # a stray string's own partials against the chord's loudest
STRAY_CLEAR_DB = 12.0  # and over what lies around them
APART = 0.022  # share of the frequency: closer partials count as shared


@dataclass(frozen=True, slots=True)
class ChordCheck:
    """`chord_ok` None where it could not be told; `stray_strings` None likewise, else the strings (1 is the highest) that rang along."""

    chord_ok: bool | None
    stray_strings: tuple[int, ...] | None


UNTOLD = ChordCheck(None, None)


def check_chord(samples: Samples, onset_s: float, end_s: float, midi: list[int], open_midi: dict[int, int]) -> ChordCheck:
    """Judges one ringing hit.

    midi : the written pitches. open_midi : pitch of every open string that must stay silent, by its number.
    `end_s`: where the next hit or the stop cuts it.
    """
    begin = onset_s + SKIP_S
    length_s = min(end_s - begin - 0.01, MOST_S)
    if length_s < LEAST_S or not midi:
        return UNTOLD
    piece = samples[int(begin * WORK_RATE_HZ) : int((begin + length_s) * WORK_RATE_HZ)]
    if piece.size < LEAST_S * WORK_RATE_HZ * 0.9:
        return UNTOLD
    level = _spectrum_db(piece)
    width = 1.6 / length_s  # Hz: half a main lobe and a little detuning
    scores = np.array([_comb(level, midi, shift, width) for shift in SHIFTS])
    here = SHIFTS.index(0)
    rivals = np.delete(scores, here)
    ok = True if scores[here] - rivals.max() >= RIGHT_DB else False if rivals.max() - scores[here] >= WRONG_DB else None
    return ChordCheck(ok, _strays(level, midi, open_midi, width) if ok else None)


def _spectrum_db(piece: Samples) -> Array:
    window = np.hanning(piece.size)
    spectrum = np.abs(np.fft.rfft(piece * window, FFT))[: int(TOP_HZ / WORK_RATE_HZ * FFT) + 40]
    return np.asarray(20 * np.log10(spectrum + 1e-9 * float(spectrum.max(initial=1e-9)) + 1e-12))


def _near_db(level: Array, hz: float, width_hz: float) -> float:
    """The loudest bin near a frequency."""
    low, high = (hz - width_hz) / WORK_RATE_HZ * FFT, (hz + width_hz) / WORK_RATE_HZ * FFT
    return float(level[max(0, int(low)) : int(high) + 2].max(initial=-200.0))


def _partials(midi: float) -> list[float]:
    base = frequency_hz(midi)
    return [base * n for n in range(1, int(TOP_HZ / base) + 1)]


def _comb(level: Array, midi: list[int], shift: int, width_hz: float) -> float:
    """Mean level at the partials of all notes moved by a shift, each pulled towards the loud ones by a soft floor, weighted by its sharpness."""
    floor = float(level.max()) - 50
    values, weights = [], []
    for note in midi:
        for hz in _partials(note + shift):
            reach = min(width_hz, 0.028 * hz)
            if hz * 0.058 < width_hz:  # a semitone is narrower than the lobe: this partial cannot tell
                continue
            values.append(max(_near_db(level, hz, reach), floor))
            weights.append(1.0)
    return float(np.average(values, weights=weights)) if values else -200.0


def _strays(level: Array, midi: list[int], open_midi: dict[int, int], width_hz: float) -> tuple[int, ...]:
    own = np.array(sorted(hz for note in midi for hz in _partials(note)))
    loud = max(_near_db(level, hz, width_hz) for hz in own[own < 700]) if (own < 700).any() else float(level.max())
    found = []
    for number, note in open_midi.items():
        free = [hz for hz in _partials(note)[:6] if np.min(np.abs(own - hz)) > max(APART * hz, 2.2 * width_hz)]
        if len(free) < 2:
            continue
        peaks = [_near_db(level, hz, width_hz) for hz in free]
        around = [_median_db(level, hz, width_hz) for hz in free]
        clear = [p - a >= STRAY_CLEAR_DB and p - loud >= STRAY_DB - 4 * k for k, (p, a) in enumerate(zip(peaks, around, strict=True))]
        if sum(clear[:3]) >= 2 and max(peaks) - loud >= STRAY_DB:
            found.append(number)
    return tuple(sorted(found))


def _median_db(level: Array, hz: float, width_hz: float) -> float:
    low, high = (hz - 8 * width_hz) / WORK_RATE_HZ * FFT, (hz + 8 * width_hz) / WORK_RATE_HZ * FFT
    return float(np.median(level[max(0, int(low)) : int(high) + 2]))

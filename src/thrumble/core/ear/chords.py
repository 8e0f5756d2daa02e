"""Whether a ringing chord is the written one, and which open string rings along that should not.

The partials of the written notes, up to some 2 kHz, are a comb. Laid over the hit's spectrum a semitone or more off, it must catch less than in
its place; where it catches clearly more, the hand was on another fret. A stray open string is looked for only at those of its partials that no
written note shares. Distortion adds sums and differences of the partials, for root and fifth all multiples of half the root: how strong those
are that neither note has tells a clean take from a distorted one, and there a stray's partial must keep clear of them too. Under high gain they
cover everything, and nothing is said.
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
STRAY_DB = -22.0  # a stray string's own partials against the chord's loudest, in a clean take
STRAY_GAIN_DB = -18.0  # the same under distortion
STRAY_CLEAR_DB = 12.0  # and over what lies around them
CLEAN_DB, HOPELESS_DB = -33.0, -19.0  # intermodulation under which a take is clean, and above which a stray cannot be told
ALIEN = (1, 5, 7, 11)  # multiples of half the root that neither root nor fifth has
APART = 0.022  # share of the frequency: closer partials count as shared


@dataclass(frozen=True, slots=True)
class ChordCheck:
    """`chord_ok` None where it could not be told; `stray_strings` None likewise, else the strings (1 is the highest) that rang along."""

    chord_ok: bool | None
    stray_strings: tuple[int, ...] | None


UNTOLD = ChordCheck(None, None)


@dataclass(frozen=True, slots=True)
class Ringing:
    """One ringing hit. `midi`: the written pitches; `silent`: pitch of every open string that must not sound, by its number; `end_s`: where
    the next hit or the stop cuts it."""

    onset_s: float
    end_s: float
    midi: tuple[int, ...]
    silent: dict[int, int]


@dataclass(frozen=True, slots=True)
class _Heard:
    level_db: Array
    width_hz: float  # half a main lobe and a little detuning
    chord_ok: bool | None


def check_chords(samples: Samples, hits: list[Ringing]) -> list[ChordCheck]:
    """Judges the ringing hits of a take, one answer each; strays by how distorted the take is as a whole."""
    heard = [_heard(samples, hit) for hit in hits]
    alien = [_alien_db(one, hit.midi) for one, hit in zip(heard, hits, strict=True) if one is not None and len(set(hit.midi)) > 1]
    distortion = float(np.median(alien)) if alien else CLEAN_DB + 1
    return [
        UNTOLD if one is None else ChordCheck(one.chord_ok, _strays(one, hit, distortion) if one.chord_ok else None)
        for one, hit in zip(heard, hits, strict=True)
    ]


def _heard(samples: Samples, hit: Ringing) -> _Heard | None:
    begin = hit.onset_s + SKIP_S
    length_s = min(hit.end_s - begin - 0.01, MOST_S)
    if length_s < LEAST_S or not hit.midi:
        return None
    piece = samples[int(begin * WORK_RATE_HZ) : int((begin + length_s) * WORK_RATE_HZ)]
    if piece.size < LEAST_S * WORK_RATE_HZ * 0.9:
        return None
    level, width = _spectrum_db(piece), 1.6 / length_s
    scores = np.array([_comb(level, list(hit.midi), shift, width) for shift in SHIFTS])
    here = SHIFTS.index(0)
    rivals = float(np.delete(scores, here).max())
    ok = True if scores[here] - rivals >= RIGHT_DB else False if rivals - scores[here] >= WRONG_DB else None
    return _Heard(level, width, ok)


def _alien_db(one: _Heard, midi: tuple[int, ...]) -> float:
    """How strong the multiples of half the root are that no note of a power chord has, against the loudest partial."""
    half = frequency_hz(min(midi)) / 2
    loud = max(_near_db(one.level_db, half * k, one.width_hz) for k in (2, 3, 4, 6))
    return float(np.mean([_near_db(one.level_db, half * k, one.width_hz) for k in ALIEN])) - loud


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


def _strays(one: _Heard, hit: Ringing, distortion_db: float) -> tuple[int, ...] | None:
    """The open strings that ring along; None where distortion covers them."""
    if distortion_db > HOPELESS_DB:
        return None
    clean = distortion_db < CLEAN_DB
    level, width = one.level_db, one.width_hz
    own = np.array(sorted(hz for note in hit.midi for hz in _partials(note)))
    half = frequency_hz(min(hit.midi)) / 2
    made = np.arange(1, int(TOP_HZ / half) + 1) * half if len(hit.midi) > 1 and not clean else np.zeros(0)
    loud = max((_near_db(level, hz, width) for hz in own if hz < 700), default=float(level.max()))
    least, needed = (STRAY_DB, 3) if clean else (STRAY_GAIN_DB, 2)
    found = []
    for number, note in hit.silent.items():
        free = [
            hz for hz in _partials(note)[:6]
            if np.min(np.abs(own - hz)) > max(APART * hz, 2.2 * width) and (not made.size or np.min(np.abs(made - hz)) > 1.5 * width)
        ]  # fmt: skip
        if len(free) < 2:
            continue
        peaks = [_near_db(level, hz, width) for hz in free]
        around = [_median_db(level, hz, width) for hz in free]
        clear = [p - a >= STRAY_CLEAR_DB and p - loud >= least - 4 * k for k, (p, a) in enumerate(zip(peaks, around, strict=True))]
        if sum(clear[:4]) >= min(needed, len(free)) and max(peaks) - loud >= least:
            found.append(number)
    return tuple(sorted(found))


def _median_db(level: Array, hz: float, width_hz: float) -> float:
    low, high = (hz - 8 * width_hz) / WORK_RATE_HZ * FFT, (hz + 8 * width_hz) / WORK_RATE_HZ * FFT
    return float(np.median(level[max(0, int(low)) : int(high) + 2]))

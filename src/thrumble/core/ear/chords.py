"""Whether a ringing chord is the written one, and which open string rings along that should not.

The partials of the written notes, up to some 2 kHz, are a comb. Laid over the hit's spectrum a semitone or more off, it must catch less than in
its place; where it catches clearly more, the hand was on another fret. A stray open string is looked for only at those of its partials that no
written note shares. Distortion adds sums and differences of the partials, for root and fifth all multiples of half the root: how strong those
are that neither note has tells a clean take from a distorted one, and there a stray's partial must keep clear of them too. Under high gain they
cover everything, and nothing is said.
"""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import soxr
from scipy.fft import rfft

from thrumble.core.ear.conditioning import WORK_RATE_HZ
from thrumble.core.ear.network import Array
from thrumble.core.music.pitch import frequency_hz
from thrumble.core.signal import Samples

LEAST_S, MOST_S = 0.14, 0.5  # of free ringing: a semitone at the fifth partial of a low E needs 0.1 s
SKIP_S = 0.03  # the attack's noise
RATE_HZ = WORK_RATE_HZ / 4  # enough for what is looked at
FFT = 4096
TOP_HZ = 2400.0
SHIFTS = (-3, -2, -1, 0, 1, 2, 3)  # semitones
RIGHT_DB, WRONG_DB = 1.0, 2.5  # by how much the best comb must beat its rivals to be believed
STRAY_DB = -22.0  # a stray string's own partials against the chord's loudest, in a clean take
STRAY_GAIN_DB = -18.0  # the same under distortion
STRAY_CLEAR_DB = 12.0  # and over what lies around them
CLEAN_DB, HOPELESS_DB = -33.0, -19.0  # intermodulation under which a take is clean, and above which a stray cannot be told
ALIEN = (1, 5, 7, 11)  # multiples of half the root that neither root nor fifth has
SEMITONE = 0.058  # share of the frequency
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
    near_db: Array  # the loudest bin within the width of each
    width_hz: float  # half a main lobe and a little detuning
    chord_ok: bool | None


def check_chords(samples: Samples, hits: list[Ringing]) -> list[ChordCheck]:
    """Judges the ringing hits of a take, one answer each; strays by how distorted the take is as a whole."""
    if not hits:
        return []
    slow = np.asarray(soxr.resample(samples, WORK_RATE_HZ, RATE_HZ, quality="MQ"), dtype=np.float32)
    heard = [_heard(slow, hit) for hit in hits]
    alien = [_alien_db(one, hit.midi) for one, hit in zip(heard, hits, strict=True) if one is not None and len(set(hit.midi)) > 1]
    distortion = float(np.median(alien)) if alien else CLEAN_DB + 1
    return [
        UNTOLD if one is None else ChordCheck(one.chord_ok, _strays(one, hit, distortion) if one.chord_ok else None)
        for one, hit in zip(heard, hits, strict=True)
    ]


def _heard(slow: Samples, hit: Ringing) -> _Heard | None:
    begin = hit.onset_s + SKIP_S
    length_s = min(hit.end_s - begin - 0.01, MOST_S)
    if length_s < LEAST_S or not hit.midi:
        return None
    piece = slow[int(begin * RATE_HZ) : int((begin + length_s) * RATE_HZ)]
    if piece.size < LEAST_S * RATE_HZ * 0.9:
        return None
    width = 1.6 / length_s
    level = _spectrum_db(piece)
    near = _loudest_near(level, width)
    scores = _combs(level, near, hit.midi, width)
    here = SHIFTS.index(0)
    rivals = float(np.delete(scores, here).max())
    ok = True if scores[here] - rivals >= RIGHT_DB else False if rivals - scores[here] >= WRONG_DB else None
    return _Heard(level, near, width, ok)


def _alien_db(one: _Heard, midi: tuple[int, ...]) -> float:
    """How strong the multiples of half the root are that no note of a power chord has, against the loudest partial."""
    half = frequency_hz(min(midi)) / 2
    loud = float(_at(one.near_db, half * np.array([2, 3, 4, 6])).max())
    return float(_at(one.near_db, half * np.array(ALIEN)).mean()) - loud


def _spectrum_db(piece: Samples) -> Array:
    window = np.hanning(piece.size)
    spectrum = np.abs(rfft(piece * window, FFT))[: int(TOP_HZ / RATE_HZ * FFT) + 40]
    return np.asarray(20 * np.log10(spectrum + 1e-9 * float(spectrum.max(initial=1e-9)) + 1e-12))


def _loudest_near(level: Array, width_hz: float) -> Array:
    reach = max(1, round(width_hz / RATE_HZ * FFT))
    padded = np.pad(level, reach, constant_values=-200.0)
    return np.asarray(np.lib.stride_tricks.sliding_window_view(padded, 2 * reach + 1).max(axis=1))


def _at(curve: Array, hz: Array) -> Array:
    return np.asarray(curve[np.clip(np.round(hz / RATE_HZ * FFT).astype(int), 0, curve.size - 1)])


@lru_cache(maxsize=128)
def _partials(midi: float) -> Array:
    base = frequency_hz(midi)
    return np.asarray(base * np.arange(1, int(TOP_HZ / base) + 1), dtype=np.float64)


def _combs(level: Array, near: Array, midi: tuple[int, ...], width_hz: float) -> Array:
    """For every shift the mean level at the partials of all notes, none counted lower than a floor; those too low to tell a semitone are left out."""
    hz = np.concatenate([_partials(note) for note in midi])
    hz = hz[(hz * SEMITONE >= width_hz * 1.2) & (hz < TOP_HZ / 2 ** (max(SHIFTS) / 12))]
    if not hz.size:
        return np.zeros(len(SHIFTS))
    shifted = hz * 2 ** (np.array(SHIFTS)[:, np.newaxis] / 12)
    return np.asarray(np.maximum(_at(near, shifted), float(level.max()) - 50).mean(axis=1))


def _strays(one: _Heard, hit: Ringing, distortion_db: float) -> tuple[int, ...] | None:
    """The open strings that ring along; None where distortion covers them."""
    if distortion_db > HOPELESS_DB:
        return None
    if not hit.silent:
        return ()
    clean = distortion_db < CLEAN_DB
    level, near, width = one.level_db, one.near_db, one.width_hz
    own = np.concatenate([_partials(note) for note in hit.midi])
    half = frequency_hz(min(hit.midi)) / 2
    loud = float(_at(near, own[own < 700]).max()) if (own < 700).any() else float(level.max())
    least, needed = (STRAY_DB, 3) if clean else (STRAY_GAIN_DB, 2)
    hz = np.array([_partials(note)[:6] for note in hit.silent.values()])  # strings, partials
    free = np.abs(own[:, np.newaxis, np.newaxis] - hz).min(axis=0) > np.maximum(APART * hz, 2.2 * width)
    if len(hit.midi) > 1 and not clean:  # distortion makes multiples of half the root
        free &= np.abs((hz + half / 2) % half - half / 2) > 1.5 * width
    peaks = _at(near, hz)
    nth = np.cumsum(free, axis=1) - 1  # among a string's free partials: the higher may be softer
    clear = free & (nth < 4) & (peaks - _around(level, hz, width) >= STRAY_CLEAR_DB) & (peaks - loud >= least - 4 * nth)
    count = free.sum(axis=1)
    told = (count >= 2) & (clear.sum(axis=1) >= np.minimum(needed, count)) & (np.where(free, peaks, -200.0).max(axis=1) - loud >= least)
    return tuple(sorted(np.array(list(hit.silent))[told].tolist()))


def _around(level: Array, hz: Array, width_hz: float) -> Array:
    """The middle level around each frequency."""
    reach = np.arange(-8 * width_hz, 8 * width_hz, RATE_HZ / FFT)
    return np.asarray(np.median(_at(level, hz[..., np.newaxis] + reach), axis=-1))

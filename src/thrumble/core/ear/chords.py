"""Whether a ringing chord is the written one, and which open string rings along that should not.

The partials of the written notes, up to some 2 kHz, are a comb. Laid over the hit's spectrum a semitone or more off, it must catch less than in
its place; where it catches clearly more, the hand was on another fret. A stray open string is looked for at its first partials: a small trained
network weighs how loud and how clear of their surroundings they are, and how near a written note's partial lies to each. Distortion adds sums
and differences of the partials, for root and fifth all multiples of half the root: how strong those are that neither note has tells a clean
take from a distorted one, and how near a stray's partial lies to them counts too. Where the network is of two minds, nothing is said.
"""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import soxr
from scipy.fft import rfft

from thrumble.core.ear.conditioning import WORK_RATE_HZ
from thrumble.core.ear.network import Array, Network
from thrumble.core.music.pitch import frequency_hz
from thrumble.core.signal import Samples

LEAST_S, MOST_S = 0.14, 0.5  # of free ringing: a semitone at the fifth partial of a low E needs 0.1 s
SKIP_S = 0.03  # the attack's noise
RATE_HZ = WORK_RATE_HZ / 4  # enough for what is looked at
FFT = 4096
TOP_HZ = 2400.0
SHIFTS = (-3, -2, -1, 0, 1, 2, 3)  # semitones
RIGHT_DB, WRONG_DB = 1.0, 2.5  # by how much the best comb must beat its rivals to be believed
STRAY_PARTIALS = 8
STRAY_MEASURES = 5 * STRAY_PARTIALS + 5
STRAY_SURE, STRAY_OUT = 1.0, -2.5  # log odds of a string from which on it rang, and below which it did not
CLEAN_DB = -33.0  # intermodulation under which a take is clean
ALIEN = (1, 5, 7, 11)  # multiples of half the root that neither root nor fifth has
SEMITONE = 0.058  # share of the frequency
AROUND = np.linspace(-8, 8, 33)  # widths from a partial: its surroundings


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


def check_chords(samples: Samples, hits: list[Ringing], network: Network) -> list[ChordCheck]:
    """Judges the ringing hits of a take, one answer each; `network` weighs the strays of those whose chord is the written one."""
    heard, distortion_db = _hear(samples, hits)
    out = []
    for one, hit in zip(heard, hits, strict=True):
        if one is not None and one.chord_ok:
            odds = network.outputs(_stray_measures(one, hit, distortion_db))[:, 0]
            out.append(ChordCheck(True, _strays(list(hit.silent), odds)))
        else:
            out.append(ChordCheck(one.chord_ok, None) if one is not None else UNTOLD)
    return out


def measure_strays(samples: Samples, hits: list[Ringing]) -> list[Array]:
    """What the network sees of every string that must not sound, shape (strings, STRAY_MEASURES) for each hit; no rows where the hit is too
    short."""
    heard, distortion_db = _hear(samples, hits)
    none = np.zeros((0, STRAY_MEASURES))
    return [none if one is None else _stray_measures(one, hit, distortion_db) for one, hit in zip(heard, hits, strict=True)]


def _hear(samples: Samples, hits: list[Ringing]) -> tuple[list[_Heard | None], float]:
    """The spectra of the hits, None for those too short, and how distorted the take is as a whole, dB."""
    if not hits:
        return [], CLEAN_DB
    slow = np.asarray(soxr.resample(samples, WORK_RATE_HZ, RATE_HZ, quality="MQ"), dtype=np.float32)
    heard = [_heard(slow, hit) for hit in hits]
    alien = [_alien_db(one, hit.midi) for one, hit in zip(heard, hits, strict=True) if one is not None and len(set(hit.midi)) > 1]
    return heard, float(np.median(alien)) if alien else CLEAN_DB


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
    spectrum = rfft(piece * _window(piece.size), FFT)[: int(TOP_HZ / RATE_HZ * FFT) + 40]
    power = (spectrum.real**2 + spectrum.imag**2).astype(np.float64)
    return np.asarray(10 * np.log10(power + 1e-18 * float(power.max(initial=1e-18)) + 1e-24))


@lru_cache(maxsize=512)
def _window(size: int) -> Samples:
    return np.hanning(size).astype(np.float32)


def _loudest_near(level: Array, width_hz: float) -> Array:
    reach = max(1, round(width_hz / RATE_HZ * FFT))
    edge = np.full(reach, -200.0)
    loudest, span, over = np.concatenate([edge, level, edge]), 1, 2 * reach + 1
    while span < over:  # the loudest of `span` bins from each on; twice as many with every turn
        step = min(span, over - span)
        loudest, span = np.maximum(loudest[:-step], loudest[step:]), span + step
    return loudest


def _at(curve: Array, hz: Array) -> Array:
    return np.asarray(curve[np.minimum((hz * (FFT / RATE_HZ) + 0.5).astype(np.intp), curve.size - 1)])


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


def _strays(strings: list[int], odds: Array) -> tuple[int, ...] | None:
    """The strings that surely rang along; None where one of them may have."""
    if np.any((odds > STRAY_OUT) & (odds < STRAY_SURE)):
        return None
    return tuple(sorted(number for number, odd in zip(strings, odds, strict=True) if odd >= STRAY_SURE))


def _stray_measures(one: _Heard, hit: Ringing, distortion_db: float) -> Array:
    """For every silent string and partial: how loud against the chord, how clear of its surroundings, how far from its place the peak lies, how
    far the next partial of a written note and the next multiple of half the root; levels in tens of dB, distances in widths of a peak."""
    if not hit.silent:
        return np.zeros((0, STRAY_MEASURES))
    level, near, width = one.level_db, one.near_db, one.width_hz
    own, half = np.concatenate([_partials(note) for note in hit.midi]), frequency_hz(min(hit.midi)) / 2
    hz: Array = np.array([[frequency_hz(midi)] for midi in hit.silent.values()]) * np.arange(1.0, STRAY_PARTIALS + 1)
    inside = hz < TOP_HZ
    loud = float(_at(near, own[own < 700]).max()) if (own < 700).any() else float(level.max())
    shared = np.abs(own[:, np.newaxis, np.newaxis] - hz).min(axis=0) / width
    mixed = np.abs((hz + half / 2) % half - half / 2) / width
    columns = [
        np.clip(_at(near, hz) - loud, -60, 10) / 10, np.clip(_at(near, hz) - _around(level, hz, width), 0, 40) / 10,
        _off_place(level, hz, width), np.minimum(shared, 8) / 4, np.minimum(mixed, 8) / 4,
    ]  # fmt: skip
    whole = np.array([distortion_db / 10, _alien_db(one, hit.midi) / 10, width / 10, len(hit.midi), half / 50])
    return np.concatenate([*(np.where(inside, c, 0.0) for c in columns), np.tile(whole, (len(hz), 1))], axis=1)


def _off_place(level: Array, hz: Array, width_hz: float) -> Array:
    """How far the loudest bin near each frequency lies from it, in widths."""
    reach = max(1, round(width_hz / RATE_HZ * FFT))
    centre = np.round(hz / RATE_HZ * FFT).astype(int)[..., np.newaxis] + np.arange(-reach, reach + 1)
    found = np.argmax(level[np.clip(centre, 0, level.size - 1)], axis=-1)
    return np.asarray(np.abs(found - reach) / reach)


def _around(level: Array, hz: Array, width_hz: float) -> Array:
    """The middle level around each frequency."""
    return np.asarray(np.median(_at(level, hz[..., np.newaxis] + AROUND * width_hz), axis=-1))

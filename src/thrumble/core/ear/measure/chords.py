"""Whether a ringing chord is the written one, and which open string rings along that should not.

The partials of the written notes, up to some 2 kHz, are a comb. Laid over the hit's spectrum a
semitone or more off, it must catch less than in
its place; if it catches clearly more, the hand was on another fret. A stray open string is
looked for at its first partials: a small trained
network weighs how loud and how clear of their surroundings they are, and how near a written note's
partial lies to each. Distortion adds sums
and differences of the partials, for root and fifth all multiples of half the root: how strong those
are that neither note has tells a clean
take from a distorted one, and how near a stray's partial lies to them counts too. If the network
is of two minds, nothing is said.
"""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import soxr
from numpy.typing import NDArray

from thrumble.core.ear.front.conditioning import WORK_RATE_HZ
from thrumble.core.ear.measure.certainty import chord_probability, stray_probability
from thrumble.core.ear.model.ear import Decisions, Ear
from thrumble.core.ear.model.layout import Layout
from thrumble.core.ear.model.network import Array
from thrumble.core.music.pitch import frequency_hz
from thrumble.core.signal import Samples
from thrumble.core.transforms import rfft

MIN_S, MAX_S = (
    0.14,
    0.5,
)  # of free ringing: a semitone at the fifth partial of a low E needs 0.1 s
SKIP_S = 0.03  # the attack's noise
RATE_HZ = WORK_RATE_HZ / 4  # enough for what is looked at
FFT = 4096
TOP_HZ = 2400.0
SHIFTS = (-3, -2, -1, 0, 1, 2, 3)  # semitones
STRAY_PARTIALS = 8
STRAYS = Layout(
    (
        *(
            (name, STRAY_PARTIALS)
            for name in (
                "level",
                "clearance",
                "off its place",
                "to a written partial",
                "to an intermodulation product",
            )
        ),
        *(
            (name, 1)
            for name in (
                "take's intermodulation",
                "chord's intermodulation",
                "width of a peak",
                "written notes",
                "half the root",
            )
        ),
    )
)  # of every string that must not sound; the first five by partial
CLEAN_DB = -33.0  # intermodulation under which a take is clean
PRODUCTS = (1, 5, 7, 11)  # multiples of half the root that neither root nor fifth has
SEMITONE = 0.058  # share of the frequency
AROUND = np.linspace(-8, 8, 33)  # widths from a partial: its surroundings


@dataclass(frozen=True, slots=True)
class ChordCheck:
    """`chord_ok` None if it could not be told; `stray_strings` None likewise, else the strings
    (1 is the highest) that rang along. With each the chance that it is right.
    """

    chord_ok: bool | None = None
    stray_strings: tuple[int, ...] | None = None
    chord_probability: float | None = None
    stray_probability: float | None = None


UNTOLD = ChordCheck()


@dataclass(frozen=True, slots=True)
class Ringing:
    """One ringing hit. `midi`: the written pitches; `silent`: pitch of every open string that must
    not sound, by its number; `end_s`: where
    the next hit or the stop cuts it."""

    onset_s: float
    end_s: float
    midi: tuple[int, ...]
    silent: dict[int, int]


@dataclass(frozen=True, slots=True)
class _Spectra:
    """The spectra of the hits that ring long enough: which of the hits asked each is; `level_db`
    and, of the loudest bin within the width of
    each, `near_db`, shape (n, bins); `width_hz` half a main lobe and a little detuning; the written
    notes' frequencies, shape (n, most notes),
    NaN if there are fewer; `combs` as of `_combs`; `distortion_db` of the take as a whole."""

    which: NDArray[np.intp]
    level_db: Array
    near_db: Array
    width_hz: Array
    notes_hz: Array
    combs: Array
    distortion_db: float


def check_chords(samples: Samples, hits: list[Ringing], ear: Ear) -> list[ChordCheck]:
    """Judges the ringing hits of a take, one answer each; strays are looked for if the chord is
    the written one. No hits give no answers. Samples of shape (n,) at the working rate.
    """
    out = [UNTOLD] * len(hits)
    spectra = _hear(samples, hits)
    if spectra is None:
        return out
    leads_db = _leads_db(spectra)
    fits = _right(leads_db, ear.decisions)
    right = [row for row, ok in enumerate(fits) if ok]
    measures, owner = _stray_measures(spectra, hits, np.array(right, dtype=np.intp))
    log_odds = ear.strays.outputs(measures)[:, 0]
    for row, (k, ok) in enumerate(zip(spectra.which, fits, strict=True)):
        hit_odds = log_odds[owner == row]
        strays = _strays(list(hits[k].silent), hit_odds, ear.decisions) if ok else None
        lead_db = float(leads_db[row])
        out[k] = ChordCheck(
            chord_ok=ok,
            stray_strings=strays,
            chord_probability=None if ok is None else chord_probability(lead_db, ok),
            stray_probability=(
                None if strays is None else stray_probability(hit_odds.tolist(), bool(strays))
            ),
        )
    return out


def measure_strays(samples: Samples, hits: list[Ringing]) -> list[Array]:
    """What the network sees of every string that must not sound, shape (strings, STRAYS.size)
    for each hit; no rows if the hit is too
    short."""
    out = [np.zeros((0, STRAYS.size))] * len(hits)
    spectra = _hear(samples, hits)
    if spectra is not None:
        measures, owner = _stray_measures(spectra, hits, np.arange(spectra.which.size))
        for row, k in enumerate(spectra.which):
            out[k] = measures[owner == row]
    return out


def _hear(samples: Samples, hits: list[Ringing]) -> _Spectra | None:
    """The spectra of all hits that are long enough; None if none is."""
    slow = (
        np.asarray(soxr.resample(samples, WORK_RATE_HZ, RATE_HZ, quality="MQ"), dtype=np.float32)
        if hits
        else samples
    )
    which, levels, widths = [], [], []
    for k, hit in enumerate(hits):
        begin = hit.onset_s + SKIP_S
        length_s = min(hit.end_s - begin - 0.01, MAX_S)
        piece = slow[int(begin * RATE_HZ) : int((begin + max(0.0, length_s)) * RATE_HZ)]
        if hit.midi and length_s >= MIN_S and piece.size >= MIN_S * RATE_HZ * 0.9:
            which.append(k)
            levels.append(_spectrum_db(piece))
            widths.append(1.6 / length_s)
    if not which:
        return None
    level, width = np.stack(levels), np.array(widths)
    near = _loudest_near(level, width)
    notes = np.full((len(which), max(len(hits[k].midi) for k in which)), np.nan)
    for row, k in enumerate(which):
        notes[row, : len(hits[k].midi)] = [frequency_hz(note) for note in hits[k].midi]
    chords = np.array([len(set(hits[k].midi)) > 1 for k in which])
    distortion_db = (
        float(np.median(_intermodulation_db(near, notes)[chords])) if chords.any() else CLEAN_DB
    )
    return _Spectra(
        np.array(which),
        level,
        near,
        width,
        notes,
        _combs(level, near, notes, width),
        distortion_db,
    )


def _leads_db(spectra: _Spectra) -> Array:
    """By how much each comb in its place beats the best beside it, dB, shape (hits,)."""
    here = SHIFTS.index(0)
    return np.asarray(spectra.combs[:, here] - np.delete(spectra.combs, here, axis=1).max(axis=1))


def _right(leads_db: Array, decisions: Decisions) -> list[bool | None]:
    """Whether the comb fits best in its place, for each hit; None if it cannot be told."""
    out: list[bool | None] = [None] * leads_db.size
    for row, by in enumerate(leads_db):
        if by >= decisions.right_chord_db:
            out[row] = True
        elif by <= -decisions.wrong_chord_db:
            out[row] = False
    return out


def _intermodulation_db(near: Array, notes_hz: Array) -> Array:
    """How strong the multiples of half the root are that no note of a power chord has, against the
    loudest partial; shape (n,).
    """
    half, rows = np.nanmin(notes_hz, axis=1, keepdims=True) / 2, np.arange(len(near))
    loud = _at(near, rows, half * np.array([2, 3, 4, 6])).max(axis=1)
    return np.asarray(_at(near, rows, half * np.array(PRODUCTS)).mean(axis=1) - loud)


def _spectrum_db(piece: Samples) -> Array:
    spectrum = rfft(piece * _window(piece.size), FFT)[: int(TOP_HZ / RATE_HZ * FFT) + 40]
    power = (spectrum.real**2 + spectrum.imag**2).astype(np.float64)
    return np.asarray(10 * np.log10(power + 1e-18 * float(power.max(initial=1e-18)) + 1e-24))


@lru_cache(maxsize=512)
def _window(size: int) -> Samples:
    return np.hanning(size).astype(np.float32)


def _reaches(width_hz: Array) -> NDArray[np.intp]:
    """Widths in bins, at least one."""
    return np.maximum(1, np.round(width_hz / RATE_HZ * FFT)).astype(np.intp)


def _loudest_near(level: Array, width_hz: Array) -> Array:
    out, reaches = np.empty_like(level), _reaches(width_hz)
    for reach in np.unique(reaches):
        rows = np.flatnonzero(reaches == reach)
        loudest = np.pad(level[rows], ((0, 0), (reach, reach)), constant_values=-200.0)
        span, over = 1, 2 * reach + 1
        while span < over:  # the loudest of `span` bins from each on; twice as many with every turn
            step = min(span, over - span)
            loudest, span = np.maximum(loudest[:, :-step], loudest[:, step:]), span + step
        out[rows] = loudest
    return out


def _bins(hz: Array) -> NDArray[np.intp]:
    return np.asarray(hz * (FFT / RATE_HZ) + 0.5).astype(np.intp)


def _at(curves: Array, rows: NDArray[np.intp], hz: Array) -> Array:
    """The value of each row's curve at frequencies of shape (rows, …)."""
    of = rows.reshape(-1, *(1,) * (hz.ndim - 1))
    return np.asarray(curves[of, np.minimum(_bins(hz), curves.shape[1] - 1)])


def _partials(notes_hz: Array) -> tuple[Array, NDArray[np.intp]]:
    """All partials up to TOP_HZ of all notes, and the row that each is of, in order."""
    counts = np.nan_to_num(TOP_HZ // notes_hz).astype(np.intp).ravel()
    number = np.arange(counts.sum()) - np.repeat(np.cumsum(counts) - counts, counts) + 1
    owner = np.repeat(np.repeat(np.arange(len(notes_hz)), notes_hz.shape[1]), counts)
    return np.repeat(notes_hz.ravel(), counts) * number, owner


def _combs(level: Array, near: Array, notes_hz: Array, width_hz: Array) -> Array:
    """For every hit and shift the mean level at the partials of all notes, none counted lower than
    a floor; those too low to tell a semitone are
    left out. Shape (n, shifts)."""
    hz, owner = _partials(notes_hz)
    resolved = (hz * SEMITONE >= width_hz[owner] * 1.2) & (hz < TOP_HZ / 2 ** (max(SHIFTS) / 12))
    hz, owner = hz[resolved], owner[resolved]
    floor = level.max(axis=1)[owner] - 50
    counts = np.maximum(1, np.bincount(owner, minlength=len(level)))
    combs = [
        np.bincount(owner, np.maximum(_at(near, owner, hz * 2 ** (shift / 12)), floor), len(level))
        / counts
        for shift in SHIFTS
    ]
    return np.stack(combs, axis=1)


def _strays(strings: list[int], log_odds: Array, decisions: Decisions) -> tuple[int, ...] | None:
    """The strings that surely rang along; None if one of them may have."""
    rang = log_odds >= decisions.stray_rang_log_odds
    if np.any((log_odds > decisions.stray_silent_log_odds) & ~rang):
        return None
    return tuple(sorted(number for number, did in zip(strings, rang, strict=True) if did))


def _stray_measures(
    spectra: _Spectra, hits: list[Ringing], rows: NDArray[np.intp]
) -> tuple[Array, NDArray[np.intp]]:
    """For every silent string of these rows, and every partial: how loud against the chord, how
    clear of its surroundings, how far from its place
    the peak lies, how far the next partial of a written note and the next multiple of half the
    root; levels in tens of dB, distances in widths
    of a peak. And the row that each string is of."""
    silent = [
        [frequency_hz(midi) for midi in hits[spectra.which[row]].silent.values()] for row in rows
    ]
    of = np.repeat(rows, [len(tones) for tones in silent])
    base: Array = np.array([hz for tones in silent for hz in tones], dtype=float)
    hz = base[:, np.newaxis] * np.arange(1.0, STRAY_PARTIALS + 1)
    notes, width = spectra.notes_hz[of][:, :, np.newaxis], spectra.width_hz[of][:, np.newaxis]
    level, half = _at(spectra.near_db, of, hz), np.nanmin(notes, axis=1) / 2
    next_partial = np.clip(np.round(hz[:, np.newaxis] / notes), 1, TOP_HZ // notes) * notes
    shared = np.nanmin(np.abs(next_partial - hz[:, np.newaxis]), axis=1) / width
    mixed = np.abs((hz + half / 2) % half - half / 2) / width
    by_partial = {
        "level": np.clip(level - _loud(spectra)[of][:, np.newaxis], -60, 10) / 10,
        "clearance": np.clip(level - _around(spectra, of, hz), 0, 40) / 10,
        "off its place": _off_place(spectra, of, hz),
        "to a written partial": np.minimum(shared, 8) / 4,
        "to an intermodulation product": np.minimum(mixed, 8) / 4,
    }
    whole = {
        "take's intermodulation": np.full(of.size, spectra.distortion_db / 10),
        "chord's intermodulation": _intermodulation_db(spectra.near_db, spectra.notes_hz)[of] / 10,
        "width of a peak": width[:, 0] / 10,
        "written notes": np.isfinite(spectra.notes_hz).sum(axis=1)[of],
        "half the root": half[:, 0] / 50,
    }
    parts = {name: np.where(hz < TOP_HZ, part, 0.0) for name, part in by_partial.items()}
    parts |= {name: part[:, np.newaxis] for name, part in whole.items()}
    return np.asarray(STRAYS.join(parts), dtype=np.float64), of


def _loud(spectra: _Spectra) -> Array:
    """The loudest low partial of each hit's notes."""
    hz, owner = _partials(spectra.notes_hz)
    low = hz < 700
    out = np.full(len(spectra.level_db), -np.inf)
    np.maximum.at(out, owner[low], _at(spectra.near_db, owner[low], hz[low]))
    return np.where(np.isfinite(out), out, spectra.level_db.max(axis=1))


def _off_place(spectra: _Spectra, of: NDArray[np.intp], hz: Array) -> Array:
    """How far the loudest bin near each frequency lies from it, in widths."""
    reach = _reaches(spectra.width_hz)[of][:, np.newaxis, np.newaxis]
    most = int(reach.max(initial=1))
    steps = np.arange(-most, most + 1)
    bins = np.clip(
        np.round(hz / RATE_HZ * FFT).astype(np.intp)[..., np.newaxis] + steps,
        0,
        spectra.level_db.shape[1] - 1,
    )
    near = np.where(
        np.abs(steps) <= reach, spectra.level_db[of[:, np.newaxis, np.newaxis], bins], -np.inf
    )
    return np.asarray(np.abs(steps[np.argmax(near, axis=-1)]) / reach[..., 0])


def _around(spectra: _Spectra, of: NDArray[np.intp], hz: Array) -> Array:
    """The median level around each frequency."""
    return np.asarray(
        np.median(
            _at(
                spectra.level_db,
                of,
                hz[..., np.newaxis] + AROUND * spectra.width_hz[of][:, np.newaxis, np.newaxis],
            ),
            axis=-1,
        )
    )

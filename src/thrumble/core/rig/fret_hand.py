"""The fret hand by itself: how fast and how fully a release silences the strings, and whether every string of a held chord rings clear.

The exercise is a riff like any other (grab on one, release on two), so the ear places its hits and their ends; here each fall is looked at
closely. A held chord is taken apart by the partials that no other of its notes shares: a string that dies early is half damped, one whose
upper partials stay strong against its lower ones buzzes on a fret.
"""

from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from thrumble.core.ear.conditioning import WORK_RATE_HZ, condition
from thrumble.core.ear.reading import HitState, Reading
from thrumble.core.ear.take import TakeInfo, read_take
from thrumble.core.errors import BadAudio
from thrumble.core.music.pitch import frequency_hz
from thrumble.core.riff.expand import expand
from thrumble.core.riff.text import parse_riff
from thrumble.core.signal import Array, Samples

GRABS = 8
FALL_DB = 20.0
FAST_MS, SLOW_MS = 35.0, 90.0  # of a fall by 20 dB: a hand lifted cleanly, and one that drags
SILENT_DB, RINGING_DB = -30.0, -18.0  # what is left against the hit
STEP_S = 0.0025
LEAST_RELEASES = 3
LEAST_CHORD_S = 1.0
EARLY_S, LATE_S = (0.08, 0.33), (0.45, 0.85)
DAMPED_DB = 9.0  # a string that falls so much more than its liveliest neighbour between the two is half damped
WEAK_DB = -24.0  # against the loudest string
BUZZ_DB = 14.0  # upper partials against lower ones, over the other strings' own


@dataclass(frozen=True, slots=True, kw_only=True)
class Release:
    """One release. `late_ms` after its beat; `fall_ms` to fall by 20 dB, None if it never did; `left_db` of the rest against the hit."""

    late_ms: float | None
    fall_ms: float | None
    left_db: float | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Releases:
    """All releases and their middles; `words` say what to do."""

    each: tuple[Release, ...]
    late_ms: float | None
    fall_ms: float | None
    left_db: float | None
    words: str


class StringState(StrEnum):
    """How a string of a held chord sounds."""

    RINGS = "rings"
    DAMPED = "half damped"
    BUZZES = "buzzes"
    WEAK = "hardly sounds"
    UNTOLD = "not told apart"


@dataclass(frozen=True, slots=True, kw_only=True)
class ChordString:
    """One string: its level against the loudest, its fall in dB a second, and what that says. Figures None where no partial is its own."""

    string: int
    level_db: float | None
    fall_db_per_s: float | None
    state: StringState


def exercise_text(tempo_bpm: float) -> str:
    """The exercise as riff text: a chord grabbed on one and three, released on two and four, four bars."""
    bars = "| B5@5/2 o - o - " * (GRABS // 2) + "|"
    return f"title: Grab and release\ntempo: {tempo_bpm:g}\n[A]\n{bars}\n"


def measure_releases(samples: NDArray[np.floating], rate_hz: int, *, tempo_bpm: float, start_s: float | None) -> Releases:
    """Hears the exercise. `start_s`: file time of its first beat, None to find it. Raises BadAudio where too few grabs were heard."""
    reading = read_take(samples, rate_hz, expand(parse_riff(exercise_text(tempo_bpm))), TakeInfo(start_s=start_s, rounds=1))
    heard = condition(samples, rate_hz)
    each = tuple(_release(heard.samples, reading, k) for k, hit in enumerate(reading.hits) if hit.state is HitState.PLAYED)
    told = [r for r in each if r.left_db is not None]
    if len(told) < LEAST_RELEASES:
        raise BadAudio(
            f"only {len(told)} releases were heard: grab a chord on one and three, let go on two and four, and keep the pick still"
        )
    late, fall, left = (_middle([getattr(r, name) for r in each]) for name in ("late_ms", "fall_ms", "left_db"))
    return Releases(each=each, late_ms=late, fall_ms=fall, left_db=left, words=_words(fall, left))


def _release(samples: Samples, reading: Reading, k: int) -> Release:
    hit = reading.hits[k]
    assert hit.onset_s is not None
    ended_s = hit.onset_s + (hit.ring_s or 0.0)
    following = next((h.onset_s for h in reading.hits[k + 1 :] if h.onset_s is not None), samples.size / WORK_RATE_HZ)
    return Release(
        late_ms=hit.stop_late_ms, left_db=hit.rest_db,
        fall_ms=_fall_ms(samples, hit.onset_s, ended_s, min(following, samples.size / WORK_RATE_HZ)) if hit.ring_end == "stop" else None,
    )  # fmt: skip


def _fall_ms(samples: Samples, onset_s: float, ended_s: float, until_s: float) -> float | None:
    """From 3 dB under the level just before the fall to 20 dB under it."""
    n = int(STEP_S * WORK_RATE_HZ)
    first, last = int((onset_s + 0.03) * WORK_RATE_HZ), int((until_s - 0.01) * WORK_RATE_HZ)
    count = (last - first) // n
    if count < 20:
        return None
    level = 10 * np.log10(np.mean(np.square(samples[first : first + count * n].reshape(count, n), dtype=np.float64), axis=1) + 1e-12)
    level = np.convolve(np.pad(level, 2, mode="edge"), np.ones(5) / 5, "valid")  # the beating of the strings is no fall
    about = int((ended_s - onset_s - 0.03) / STEP_S)
    before = level[max(0, about - 60) : max(1, about - 12)]
    if not before.size:
        return None
    top = float(np.median(before[-24:]))
    begun = np.flatnonzero(level[max(0, about - 60) :] > top - 3)
    gone = np.flatnonzero(level < top - FALL_DB)
    start = max(0, about - 60) + int(begun[-1]) if begun.size else about
    after = gone[gone > start]
    return None if not after.size else round(float((after[0] - start) * STEP_S * 1000), 1)


def _middle(values: list[float | None]) -> float | None:
    known = [v for v in values if v is not None]
    return round(float(np.median(known)), 1) if known else None


def _words(fall_ms: float | None, left_db: float | None) -> str:
    if left_db is not None and left_db > RINGING_DB:
        return "The strings ring on after the release: lift the finger only until the string leaves the fret, and leave it lying on the string."
    if fall_ms is None or fall_ms > SLOW_MS:
        return "The release drags: let go at once with all fingers, as if the fret were hot."
    if left_db is not None and left_db > SILENT_DB:
        return "Quick, but something rings on softly: lay a free finger over the strings that the chord leaves open."
    return "Clean: the chord is gone at once." if fall_ms <= FAST_MS else "The chord goes silent, a little slowly."


def check_strings(samples: NDArray[np.floating], rate_hz: int, notes: dict[int, float]) -> list[ChordString]:
    """Takes a held chord apart. `notes`: MIDI pitch by string number (1 is the highest). Raises BadAudio if it did not ring for a second."""
    heard = condition(samples, rate_hz)
    if heard.silent:
        raise BadAudio("nothing was heard: strike the chord once and let it ring")
    power = np.convolve(np.square(heard.samples, dtype=np.float64), np.ones(220) / 220, "same")
    begin = int(np.argmax(power > 0.25 * power.max()))
    rest = heard.samples[begin:]
    if rest.size < LEAST_CHORD_S * WORK_RATE_HZ:
        raise BadAudio("the chord must ring for a second: strike it once, hold it, and wait")
    early, late = (_spectrum_db(rest[int(a * WORK_RATE_HZ) : int(b * WORK_RATE_HZ)]) for a, b in (EARLY_S, LATE_S))
    found = {string: _partials(string, notes, early, late) for string in notes}
    loud = max((low for low, _, _ in (f for f in found.values() if f)), default=0.0)
    slowest = min((fall for _, fall, _ in (f for f in found.values() if f)), default=0.0)
    sharp = [bright for _, _, bright in (f for f in found.values() if f) if bright is not None]
    out = []
    for string, figures in found.items():
        if figures is None:
            out.append(ChordString(string=string, level_db=None, fall_db_per_s=None, state=StringState.UNTOLD))
            continue
        low, fall, bright = figures
        others = float(np.median([b for b in sharp if b != bright])) if bright is not None and len(sharp) > 1 else None
        buzzes = bright is not None and others is not None and bright - others > BUZZ_DB
        state = (
            StringState.BUZZES if buzzes else StringState.WEAK if low - loud < WEAK_DB
            else StringState.DAMPED if fall - slowest > DAMPED_DB else StringState.RINGS
        )  # fmt: skip
        seconds = (sum(LATE_S) - sum(EARLY_S)) / 2
        out.append(ChordString(string=string, level_db=round(low - loud, 1), fall_db_per_s=round(fall / seconds, 1), state=state))
    return out


def _spectrum_db(piece: Samples) -> Array:
    spectrum = np.abs(np.fft.rfft(piece * np.blackman(piece.size), 65536))
    return np.asarray(20 * np.log10(spectrum / piece.size + 1e-9))


def _partials(string: int, notes: dict[int, float], early: Array, late: Array) -> tuple[float, float, float | None] | None:
    """Level of a string's own low partials, their fall from the early to the late part, and its own upper partials against the low ones."""
    per_hz = 65536 / WORK_RATE_HZ
    base = frequency_hz(notes[string])
    others = [frequency_hz(m) * n for s, m in notes.items() if s != string for n in range(1, 40)]

    def level(spectrum: Array, hz: float) -> float:
        return float(spectrum[int((hz - 3) * per_hz) : int((hz + 3) * per_hz) + 1].max())

    own = [n for n in range(1, 25) if base * n < 6000 and min((abs(base * n - o) for o in others), default=1e9) > 9]
    low = [n for n in own if base * n < 1200][:4]
    if not low:
        return None
    at = [level(early, base * n) for n in low]
    fall = float(np.median([a - level(late, base * n) for a, n in zip(at, low, strict=True)]))
    high = [level(early, base * n) for n in own if base * n > 2000]
    return max(at), fall, float(np.mean(high)) - max(at) if len(high) >= 3 else None

"""The fret hand by itself: how fast and how fully a release silences the strings, and whether every
string of a held chord rings clear.

The exercise is a riff like any other (grab on one, release on two), so the ear places its hits and
their ends; here each fall is looked at
closely. A held chord is taken apart by the partials that no other of its notes shares: a string
that dies early is half damped. A string that
strikes a fret sends out a burst of high sound once a period for as long as it swings widely, where
a free one has lost its highs at once: highs
that last are a buzz, and the period of their bursts names the string. An amplifier's distortion
makes lasting highs too; then nothing is said.
"""

from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from thrumble.core.ear.front.conditioning import WORK_RATE_HZ, condition
from thrumble.core.ear.model.ear import Ear
from thrumble.core.ear.reading import HitState, Reading
from thrumble.core.ear.take import TakeInfo, read_take
from thrumble.core.errors import BadAudio
from thrumble.core.music.pitch import frequency_hz
from thrumble.core.riff.expand import expand
from thrumble.core.riff.notation.text import parse_riff
from thrumble.core.signal import Array, Samples, filtered, high_pass, rms_db

GRABS = 8
FALL_DB = 20.0
FAST_MS, SLOW_MS = 35.0, 90.0  # of a fall by 20 dB: a hand lifted cleanly, and one that drags
SILENT_DB, RINGING_DB = -26.0, -14.0  # what is left against the sound before
SETTLED_S = 0.2
STEP_S = 0.0025
MIN_RELEASES = 3
MIN_CHORD_S = 1.0
EARLY_S, LATE_S = (0.08, 0.33), (0.45, 0.85)
# a string that falls so much more than its liveliest neighbour between the two is half damped
DAMPED_DB = 9.0
WEAK_DB = -18.0  # against the loudest string
HIGH_HZ, HIGH_EARLY_S, HIGH_LATE_S = 3500.0, (0.0, 0.05), (0.12, 0.32)
BUZZ_FALL_DB = 12.0  # highs that fall by less than this from the attack on are made anew
BUZZ_LEVEL_DB = -55.0  # and they must be heard at all, against the whole
BUZZ_PERIODIC = 0.25


@dataclass(frozen=True, slots=True, kw_only=True)
class Release:
    """One release. `late_ms` after its beat; `fall_ms` to fall by 20 dB, None if it never did;
    `left_db` of the rest against what
    sounded before it."""

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
    WEAK = "barely sounds"
    UNTOLD = "not told apart"


@dataclass(frozen=True, slots=True, kw_only=True)
class ChordString:
    """One string: its level against the loudest, its fall in dB a second, and what that says.
    Figures None if no partial is its own.
    """

    string: int
    level_db: float | None
    fall_db_per_s: float | None
    state: StringState


def exercise_text(tempo_bpm: float) -> str:
    """The exercise as riff text: a chord grabbed on one and three, released on two and four, four
    bars.
    """
    bars = "| B5@5/2 o - o - " * (GRABS // 2) + "|"
    return f"title: Grab and release\ntempo: {tempo_bpm:g}\n[A]\n{bars}\n"


def measure_releases(
    samples: NDArray[np.floating],
    rate_hz: int,
    *,
    tempo_bpm: float,
    start_s: float | None,
    ear: Ear,
) -> Releases:
    """Hears the exercise. `start_s`: file time of its first beat, None to find it. Raises BadAudio
    if too few grabs were heard. Samples of shape (n,) or (n, channels).
    """
    reading = read_take(
        samples,
        rate_hz,
        expand(parse_riff(exercise_text(tempo_bpm))),
        TakeInfo(start_s=start_s, rounds=1),
        ear=ear,
    )
    conditioned = condition(samples, rate_hz)
    each = tuple(
        _release(conditioned.samples, reading, k, 60 / tempo_bpm)
        for k, hit in enumerate(reading.hits)
        if hit.state is HitState.PLAYED
    )
    measured = [r for r in each if r.left_db is not None]
    if len(measured) < MIN_RELEASES:
        raise BadAudio(
            f"only {len(measured)} releases were heard: grab a chord on one and three, let go "
            f"on two "
            "and four, and keep the pick still"
        )
    late, fall, left = (
        _middle([getattr(r, name) for r in each]) for name in ("late_ms", "fall_ms", "left_db")
    )
    return Releases(each=each, late_ms=late, fall_ms=fall, left_db=left, words=_words(fall, left))


def _release(samples: Samples, reading: Reading, k: int, beat_s: float) -> Release:
    hit = reading.hits[k]
    assert hit.onset_s is not None
    ended_s = (
        hit.onset_s + (hit.ring_s or 0.0) if hit.ring_end == "stop" else hit.expected_s + beat_s
    )
    following = next(
        (h.onset_s for h in reading.hits[k + 1 :] if h.onset_s is not None),
        samples.size / WORK_RATE_HZ,
    )
    return Release(
        late_ms=hit.stop_late_ms,
        left_db=_left_db(samples, ended_s, min(following, samples.size / WORK_RATE_HZ)),
        fall_ms=_fall_ms(
            samples, hit.onset_s, ended_s, min(following, samples.size / WORK_RATE_HZ)
        ),
    )


def _left_db(samples: Samples, ended_s: float, until_s: float) -> float | None:
    """The rest's level, once the hand has had time, against what sounded just before it."""
    if until_s - ended_s < SETTLED_S + 0.1:
        return None
    before = samples[int((ended_s - 0.12) * WORK_RATE_HZ) : int((ended_s - 0.04) * WORK_RATE_HZ)]
    after = samples[
        int((ended_s + SETTLED_S) * WORK_RATE_HZ) : int((until_s - 0.03) * WORK_RATE_HZ)
    ]
    return round(rms_db(after) - rms_db(before), 1)


def _fall_ms(samples: Samples, onset_s: float, ended_s: float, until_s: float) -> float | None:
    """The time from 3 dB under the level before a fall to 20 dB under it, ms."""
    n = int(STEP_S * WORK_RATE_HZ)
    first, last = int((onset_s + 0.03) * WORK_RATE_HZ), int((until_s - 0.01) * WORK_RATE_HZ)
    count = (last - first) // n
    if count < 20:
        return None
    level = 10 * np.log10(
        np.mean(
            np.square(samples[first : first + count * n].reshape(count, n), dtype=np.float64),
            axis=1,
        )
        + 1e-12
    )
    level = np.convolve(
        np.pad(level, 2, mode="edge"), np.ones(5) / 5, "valid"
    )  # the beating of the strings is no fall
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
    measured = [v for v in values if v is not None]
    return round(float(np.median(measured)), 1) if measured else None


def _words(fall_ms: float | None, left_db: float | None) -> str:
    if left_db is not None and left_db > RINGING_DB:
        return (
            "The strings ring on after the release: lift the finger only until the string leaves "
            "the fret, and leave it lying on the string."
        )
    if fall_ms is None or fall_ms > SLOW_MS:
        return "Your release is slow: let go with all fingers at once, as if the fret were hot."
    if left_db is not None and left_db > SILENT_DB:
        return (
            "Quick, but something rings on softly: lay a free finger over the strings that the "
            "chord leaves open."
        )
    return (
        "Clean: the chord is gone at once."
        if fall_ms <= FAST_MS
        else "The chord goes silent, a little slowly."
    )


def check_strings(
    samples: NDArray[np.floating], rate_hz: int, notes: dict[int, float]
) -> list[ChordString]:
    """Takes a held chord apart. `notes`: MIDI pitch by string number (1 is the highest). Raises
    BadAudio if it did not ring for a second. Samples of shape (n,) or (n, channels).
    """
    conditioned = condition(samples, rate_hz)
    if conditioned.silent:
        raise BadAudio("nothing was heard: strike the chord once and let it ring")
    power = np.convolve(
        np.square(conditioned.samples, dtype=np.float64), np.ones(220) / 220, "same"
    )
    begin = int(np.argmax(power > 0.25 * power.max()))
    rest = conditioned.samples[begin:]
    if rest.size < MIN_CHORD_S * WORK_RATE_HZ:
        raise BadAudio("the chord must ring for a second: strike it once, hold it, and wait")
    early, late = (
        _spectrum_db(rest[int(a * WORK_RATE_HZ) : int(b * WORK_RATE_HZ)])
        for a, b in (EARLY_S, LATE_S)
    )
    partials = {string: _partials(string, notes, early, late) for string in notes}
    loud = max((low for low, _ in (f for f in partials.values() if f)), default=0.0)
    slowest = min((fall for _, fall in (f for f in partials.values() if f)), default=0.0)
    buzzing = _buzzing(rest, notes)
    seconds = (sum(LATE_S) - sum(EARLY_S)) / 2
    out = []
    for string, figures in partials.items():
        if figures is None:
            state = StringState.BUZZES if string == buzzing else StringState.UNTOLD
            out.append(ChordString(string=string, level_db=None, fall_db_per_s=None, state=state))
            continue
        low, fall = figures
        state = StringState.RINGS
        if string == buzzing:
            state = StringState.BUZZES
        elif fall - slowest > DAMPED_DB:
            state = StringState.DAMPED
        elif low - loud < WEAK_DB:
            state = StringState.WEAK
        out.append(
            ChordString(
                string=string,
                level_db=round(low - loud, 1),
                fall_db_per_s=round(fall / seconds, 1),
                state=state,
            )
        )
    return out


def _buzzing(rest: Samples, notes: dict[int, float]) -> int | None:
    """The string whose period the lasting high bursts keep; None if the highs die away as they
    should, or are as even as distortion's.
    """
    highs = filtered(rest, WORK_RATE_HZ, high_pass(HIGH_HZ))

    def level(samples: Samples, span: tuple[float, float]) -> float:
        return rms_db(samples[int(span[0] * WORK_RATE_HZ) : int(span[1] * WORK_RATE_HZ)])

    lasting = level(highs, HIGH_LATE_S)
    if (
        level(highs, HIGH_EARLY_S) - lasting > BUZZ_FALL_DB
        or lasting - level(rest, HIGH_LATE_S) < BUZZ_LEVEL_DB
    ):
        return None
    envelope = np.abs(
        highs[int(HIGH_LATE_S[0] * WORK_RATE_HZ) : int(HIGH_LATE_S[1] * WORK_RATE_HZ)]
    ).astype(np.float64)
    envelope = np.convolve(envelope, np.ones(9) / 9, "same")
    envelope -= envelope.mean()
    size = 1 << (2 * envelope.size).bit_length()
    auto = np.fft.irfft(np.abs(np.fft.rfft(envelope, size)) ** 2, size)
    auto /= auto[0] + 1e-20
    scores = {}
    for string, midi in notes.items():
        period = WORK_RATE_HZ / frequency_hz(midi)
        scores[string] = float(
            np.mean([auto[round(k * period) - 2 : round(k * period) + 3].max() for k in (1, 3, 5)])
        )
    best = max(scores, key=lambda string: scores[string])
    return best if scores[best] > BUZZ_PERIODIC else None


def _spectrum_db(piece: Samples) -> Array:
    spectrum = np.abs(np.fft.rfft(piece * np.blackman(piece.size), 65536))
    return np.asarray(20 * np.log10(spectrum / piece.size + 1e-9))


def _partials(
    string: int, notes: dict[int, float], early: Array, late: Array
) -> tuple[float, float] | None:
    """Level of a string's own low partials, and their fall from the early to the late part; None
    if it has none of its own.
    """
    per_hz = 65536 / WORK_RATE_HZ
    base = frequency_hz(notes[string])
    others = [frequency_hz(m) * n for s, m in notes.items() if s != string for n in range(1, 40)]

    def level(spectrum: Array, hz: float) -> float:
        return float(spectrum[int((hz - 3) * per_hz) : int((hz + 3) * per_hz) + 1].max())

    low = [
        n
        for n in range(1, 25)
        if base * n < 1200 and min((abs(base * n - o) for o in others), default=1e9) > 9
    ][:4]
    if not low:
        return None
    at = [level(early, base * n) for n in low]
    return max(at), float(
        np.median([a - level(late, base * n) for a, n in zip(at, low, strict=True)])
    )

"""The recall drill: chord names are called in time to the click, the player hits them; which were
right, by pitch, and how long each took from call to hit.
"""

from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from thrumble.core.ear.align.clicks import find_clicks, without
from thrumble.core.ear.align.onsets import find_candidates, likely
from thrumble.core.ear.front.conditioning import condition
from thrumble.core.ear.front.envelope import Envelope
from thrumble.core.ear.front.spectrum import bands_of
from thrumble.core.ear.measure.chord_recognition import CLEAR, name_chord
from thrumble.core.ear.model.ear import Ear
from thrumble.core.errors import BadInput
from thrumble.core.instrument import Instrument
from thrumble.core.music.pitch import spell

MAX_CALLS = 24
LAST_FRET = 12
FIFTH = 7
REACTION_S = 0.12  # nobody answers a call faster: what comes before belongs to the call before
NEW_MS = 3000.0  # what a chord that was never asked counts as, so that weak ones come up


class Order(StrEnum):
    """In which order roots are called."""

    RANDOM = "random"
    CIRCLE = "circle"  # of fifths, from a random one on
    WEAK = "weak"  # the slow and the wrong ones more often


@dataclass(frozen=True, slots=True, order=True)
class Call:
    """A power chord to hit: its root in semitones above C, and the string the root lies on."""

    root: int
    string: int

    def name(self, *, flats: bool = False) -> str:
        """The chord as it is called out, such as `F#5`."""
        return spell(self.root, flats=flats) + "5"


@dataclass(frozen=True, slots=True)
class Recalled:
    """An answer. `right` None and `recall_ms` None if nothing clear was heard before the next
    call; `heard`: the notes that were.
    """

    call: Call
    right: bool | None
    recall_ms: float | None
    heard: tuple[int, ...] = ()


def draw_calls(
    roots: tuple[int, ...],
    strings: tuple[int, ...],
    order: Order,
    count: int,
    *,
    seed: int,
    times_ms: dict[Call, float] | None = None,
) -> list[Call]:
    """The calls of one drill, the same for the same seed; never the same one twice in a row if
    there are two. `times_ms`: what each took so far, wrong answers counted as slow. Raises
    BadInput for no roots, no strings and too many calls.
    """
    if not roots or not strings:
        raise BadInput("choose at least one root and one string")
    if not 1 <= count <= MAX_CALLS:
        raise BadInput(f"a drill calls 1 to {MAX_CALLS} chords; found {count}")
    rng = np.random.default_rng(seed)
    if order is Order.CIRCLE:
        turn = [root for root in _circle(int(rng.integers(12))) if root in roots]
        return [Call(turn[k % len(turn)], int(rng.choice(strings))) for k in range(count)]
    every = [Call(root, string) for root in roots for string in strings]
    history = times_ms or {}
    weights = np.ones(len(every))
    if order is Order.WEAK:
        weights = np.array([history.get(call, NEW_MS) for call in every]) ** 2
    out: list[Call] = []
    for _ in range(count):
        biased = weights.copy()
        if out and len(every) > 1:
            biased[every.index(out[-1])] = 0.0
        out.append(every[int(rng.choice(len(every), p=biased / biased.sum()))])
    return out


def _circle(first: int) -> list[int]:
    return [(first + FIFTH * k) % 12 for k in range(12)]


def hear_calls(
    samples: NDArray[np.floating],
    rate_hz: int,
    calls: list[Call],
    times_s: list[float],
    end_s: float,
    instrument: Instrument,
    *,
    ear: Ear,
) -> list[Recalled]:
    """The answers to calls made at times of the sound, the last one waited for until `end_s`. The
    first hit after a call that is clearly some chord is its answer. Samples of shape (n,) or
    (n, channels). Raises BadAudio for sound that cannot be used.
    """
    conditioned = condition(samples, rate_hz)
    if conditioned.silent:
        return [Recalled(call, None, None) for call in calls]
    bands = bands_of(conditioned.samples)
    candidates = find_candidates(Envelope(conditioned.samples), bands, ear)
    clicks = find_clicks(conditioned.samples, bands, candidates)
    onsets = likely(without(candidates, clicks), ear.decisions)
    struck = onsets.times_s[onsets.log_odds > 0]
    every = every_chord(instrument)
    out = []
    for k, (call, at) in enumerate(zip(calls, times_s, strict=True)):
        until = times_s[k + 1] + REACTION_S if k + 1 < len(calls) else end_s
        answer = Recalled(call, None, None)
        for onset in struck[(struck >= at + REACTION_S) & (struck < until)]:
            later = struck[struck > onset + 1e-6]
            ends = float(later[0]) if later.size else conditioned.duration_s
            named = name_chord(conditioned.samples, float(onset), ends, every)
            if named is not None and named.lead >= CLEAR:
                notes = every[named.best]
                right = notes == _place_of(call, instrument)
                answer = Recalled(call, right, round((float(onset) - at) * 1000, 1), notes)
                break
        out.append(answer)
    return out


def every_chord(instrument: Instrument) -> list[tuple[int, ...]]:
    """Every power chord with its root up to the twelfth fret of any but the two highest strings."""
    roots = {
        instrument.open_midi(string) + fret
        for string in instrument.strings
        if string > 2
        for fret in range(LAST_FRET + 1)
    }
    return [(root, root + FIFTH) for root in sorted(roots)]


def _place_of(call: Call, instrument: Instrument) -> tuple[int, int]:
    """The notes of a call: the root's lowest place on its string."""
    low = instrument.open_midi(call.string)
    root = low + (call.root - low) % 12
    return root, root + FIFTH

"""How late the recorder hears what the application plays: the delay of the sound card, from clicks
that went out and came back.

Each click is looked for with the very sound that was sent (a matched filter on the analytic signal,
so that a loudspeaker's phase does no
harm), its peak placed between samples by a parabola. The delay is the median over the clicks; how
well it repeats is their robust spread.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from thrumble.core.ear.align.onsets import find_candidates
from thrumble.core.ear.front.conditioning import condition
from thrumble.core.ear.front.envelope import Envelope
from thrumble.core.ear.front.spectrum import bands_of
from thrumble.core.ear.model.ear import Ear
from thrumble.core.errors import BadAudio
from thrumble.core.pulse.click import click_sound
from thrumble.core.signal import Array, Samples, analytic, filtered, high_pass

MIN_SHARE = 0.75  # of the clicks must have been heard
RETURN_SPREAD_MS = 3.0  # clicks that come back more scattered than this are not the clicks
MAX_DELAY_S = 0.45
CLEAR_DB = 14.0  # a click must stand this far over what the filter gives elsewhere
SOUND_MS_PER_M = 1000 / 343.0
DRUM_SPREAD_MS = 25.0  # a hand on the beat that scatters more than this was not with the click
_RIVAL_S = 0.004


@dataclass(frozen=True, slots=True, kw_only=True)
class Returned:
    """What one opening of the stream gave. `delays_ms` of the clicks that were heard; `delay_ms`
    their median, `repeat_ms` their robust
    spread (1.4826 times the median absolute deviation)."""

    delays_ms: tuple[float, ...]
    delay_ms: float
    repeat_ms: float


def measure_return(samples: Samples, rate_hz: int, click_frames: list[int]) -> Returned:
    """The delay of clicks that were played at `click_frames` of the recording. Raises BadAudio
    saying what was wrong and what to do. Samples of shape (n,), within [-1, 1].
    """
    template = analytic(click_sound(rate_hz, accent=False))
    reach = int(MAX_DELAY_S * rate_hz)
    sharp = filtered(np.asarray(samples, dtype=np.float32), rate_hz, high_pass(300.0))
    delays = []
    for frame in click_frames:
        piece = sharp[max(0, frame) : frame + reach + template.size]
        if piece.size < template.size + rate_hz // 50:
            continue
        strength = _matched(piece, template)
        delay, over_db = _peak(strength, rate_hz)
        if over_db >= CLEAR_DB:
            delays.append(delay / rate_hz * 1000)
    if len(delays) < MIN_SHARE * len(click_frames):
        raise BadAudio(
            f"only {len(delays)} of {len(click_frames)} clicks came back: turn the loudspeaker up "
            "or hold the microphone to it, "
            "switch echo cancelling off, and measure again"
        )
    returned = _returned(delays)
    if returned.repeat_ms > RETURN_SPREAD_MS:
        raise BadAudio(
            f"what came back scatters by {returned.repeat_ms:.0f} ms: something else was "
            f"louder than "
            "the click; keep the room quiet, and measure again"
        )
    return returned


def hear_strikes(samples: Samples, rate_hz: int, *, ear: Ear) -> Array:
    """The sure onsets in a sound, seconds; none in silence. Samples of shape (n,); strikes of shape
    (k,).
    """
    conditioned = condition(samples, rate_hz)
    if conditioned.silent:
        return np.zeros(0)
    candidates = find_candidates(Envelope(conditioned.samples), bands_of(conditioned.samples), ear)
    return candidates.times_s[candidates.log_odds > 0]


def measure_drum(onsets_s: Array, click_s: Array) -> Returned:
    """The lateness of strikes made with the click; includes the player. Raises BadAudio if too
    few lie near a click. Both of shape (n,), seconds, increasing.
    """
    if not onsets_s.size:
        raise BadAudio("we heard no tap: tap the body close to the pickup, once with every click")
    nearest = onsets_s[np.argmin(np.abs(onsets_s[np.newaxis, :] - click_s[:, np.newaxis]), axis=1)]
    late_ms = (nearest - click_s) * 1000
    plausible = late_ms[(late_ms > -150) & (late_ms < MAX_DELAY_S * 1000)]
    if plausible.size < MIN_SHARE * click_s.size:
        raise BadAudio(
            f"only {plausible.size} of {click_s.size} strikes came with their click: strike "
            f"once with "
            "every click, and measure again"
        )
    returned = _returned([float(x) for x in plausible])
    if returned.repeat_ms > DRUM_SPREAD_MS:
        raise BadAudio(
            f"the strikes scatter by {returned.repeat_ms:.0f} ms: wait until you have the "
            f"beat, then "
            "strike with every click"
        )
    return returned


def openings_spread_ms(delays_ms: list[float]) -> float | None:
    """How far the delay moves from one opening of the stream to the next: the whole range; None
    below two openings.
    """
    return round(max(delays_ms) - min(delays_ms), 3) if len(delays_ms) > 1 else None


def _returned(delays: list[float]) -> Returned:
    values = np.array(delays)
    middle = float(np.median(values))
    return Returned(
        delays_ms=tuple(round(d, 4) for d in delays),
        delay_ms=round(middle, 4),
        repeat_ms=round(float(1.4826 * np.median(np.abs(values - middle))), 4),
    )


def _matched(piece: Samples, template: NDArray[np.complex128]) -> Array:
    """Strength of the template at every shift."""
    size = 1 << (piece.size + template.size).bit_length()
    both = np.fft.fft(piece, size) * np.conj(np.fft.fft(template, size))
    return np.abs(np.fft.ifft(both))[: piece.size - template.size + 1]


def _peak(strength: Array, rate_hz: int) -> tuple[float, float]:
    """The place of the first strong peak, in frames and their fractions, and how far it stands over
    the rest in dB.

    An echo may be as strong as the click itself but never comes before it.
    """
    best = int(np.argmax(strength))
    early = np.flatnonzero(strength[:best] > 0.7 * strength[best])
    if early.size:
        first = int(early[0])
        best = first + int(np.argmax(strength[first : first + int(_RIVAL_S * rate_hz)]))
    place = float(best)
    if 0 < best < strength.size - 1:
        left, middle, right = (
            float(np.log(strength[k] + 1e-20)) for k in (best - 1, best, best + 1)
        )
        bend = left - 2 * middle + right
        place += 0.5 * (left - right) / bend if bend < 0 else 0.0
    floor = float(np.median(strength)) + 1e-12
    return place, 20 * float(np.log10(max(strength[best], 1e-12) / floor))

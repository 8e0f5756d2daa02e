"""A guitar as the player's hands find it: one string struck in, its sound out. The modelled guitar
is the one that ships.

Another source of sound (sampled notes, say) serves as well, if it keeps to `Guitar`.
"""

from dataclasses import dataclass
from typing import Protocol

import numpy as np

from thrumble.core.music.pitch import frequency_hz
from thrumble.core.player.sound import Setup
from thrumble.core.player.strings import STEP_S, Damping, Pluck, glide, pluck, worn
from thrumble.core.riff.model import Articulation
from thrumble.core.signal import Samples

# a hand laid on a ringing string this long before the stroke at most: the pick's noise comes before
# the note
CONTACT_S = 0.020
STIFF_AT_HZ = 82.4  # of the stiffness named; a shorter or thinner string's grows with its pitch
BEND_BEGINS = 0.25  # of the time that a bend takes: first the note is heard where it was struck


@dataclass(frozen=True, slots=True, kw_only=True)
class StringHit:
    """What one string is asked: `depth` of a palm mute 0 to 1; `gain_db` of the stroke; `release_s`
    after which the hand damps it;
    `leading` for the first string of a stroke, which carries the noise of pick and palm; `legato`
    when no pick strikes; `lift_s` after which a palm lifts; `slide` from so many semitones off
    and `bend` by so many, both within the time given; `wound` strings age, plain ones hardly."""

    midi: float
    articulation: Articulation
    depth: float
    gain_db: float
    release_s: float
    length_s: float
    leading: bool
    legato: bool = False
    lift_s: float | None = None
    slide: tuple[float, float] | None = None  # semitones, seconds
    bend: tuple[float, float] | None = None
    wound: bool = True

    @property
    def pitch(self) -> list[tuple[float, float]]:
        """How its pitch moves: seconds from the attack, semitones from then on."""
        moves = [(0.0, 0.0)]
        if self.slide is not None:
            offset, long_s = self.slide
            moves = glide(0.0, long_s, offset, 0.0)
        if self.bend is not None:
            offset, long_s = self.bend
            begin = max(BEND_BEGINS * long_s, moves[-1][0])
            moves += glide(begin, max(begin + STEP_S, long_s), 0.0, offset)
        return moves


class Guitar(Protocol):
    """Anything that sounds strings."""

    def string(self, hit: StringHit, rate_hz: int, rng: np.random.Generator) -> Samples:
        """One string from the touch of the pick on, at least one sample."""


@dataclass(frozen=True, slots=True, kw_only=True)
class _Hands:
    """The player's hands and strings in this take."""

    pick_place: float
    pick_width_s: float
    scrape: float
    palm_low: float  # factor on the palm's decay times
    palm_high: float
    palm_soft: float  # factor on the pick's contact under the palm
    contact_s: float  # the pick's noise before a muted note
    contact_level: float
    thump: float
    pitch_rise_cents: float
    sustain_s: float
    bright_s: float
    release: Damping
    twin_cents: float  # the string's two planes of swing are this far apart, 0 for one plane
    dead_s: float


def _draw_hands(rng: np.random.Generator) -> _Hands:
    """Wide on purpose: dull old strings, bright new ones, hands that mute by a breath or like a
    clamp, that let go at once or slowly.
    """

    def between(low: float, high: float) -> float:
        return float(np.exp(rng.uniform(np.log(low), np.log(high))))

    early = rng.random() < 0.4
    return _Hands(
        pick_place=float(rng.uniform(0.05, 0.24)),
        pick_width_s=between(0.0003, 0.0022),
        scrape=float(rng.uniform(0.05, 1.2)),
        palm_low=between(0.55, 2.0),
        palm_high=between(0.45, 2.0),
        palm_soft=between(1.0, 4.0),
        contact_s=float(rng.uniform(0.003, CONTACT_S)) if early else 0.0,
        contact_level=between(0.12, 1.0),
        thump=float(rng.uniform(0.0, 0.6)),
        pitch_rise_cents=float(rng.uniform(0, 18)),
        sustain_s=between(1.2, 7.0),
        bright_s=between(0.22, 1.7),
        release=Damping(between(0.02, 0.09), between(0.01, 0.06)),
        twin_cents=float(rng.uniform(0.5, 4)) if rng.random() < 0.35 else 0.0,
        dead_s=between(0.6, 1.6),
    )


class ModelGuitar:
    """Delay-line strings under hands drawn once a take."""

    def __init__(self, setup: Setup, rng: np.random.Generator) -> None:
        self.hands = _draw_hands(rng)
        self._setup = setup

    def damping(self, articulation: Articulation, depth: float) -> Damping:
        """What holds a string for an articulation; a palm from light (depth 0) to tight (1)."""
        hands = self.hands
        if articulation is Articulation.OPEN:
            return Damping(hands.sustain_s, hands.bright_s)
        if articulation is Articulation.PALM:
            return Damping(1.3 * hands.palm_low * 0.11**depth, 0.22 * hands.palm_high * 0.16**depth)
        return Damping(
            0.075 * hands.dead_s * hands.palm_low**0.5, 0.05 * hands.dead_s * hands.palm_high**0.5
        )

    def _on_string(self, hit: StringHit, articulation: Articulation, depth: float) -> Damping:
        """The hand's losses and those of the string's age together."""
        return worn(self.damping(articulation, depth), self._setup.wear, wound=hit.wound)

    def string(self, hit: StringHit, rate_hz: int, rng: np.random.Generator) -> Samples:
        """One string's vibration at the pickup."""
        hands, palm = self.hands, hit.articulation is Articulation.PALM
        rise = hands.pitch_rise_cents * hit.depth / 100 if palm else 0.0
        width = hands.pick_width_s * (2.5 if hit.legato else float(rng.uniform(0.85, 1.2)))
        hit_hz = frequency_hz(hit.midi + rise + float(rng.normal(0, 0.03)))
        how = Pluck(
            frequency_hz=hit_hz,
            strength=10 ** (hit.gain_db / 20) * float(rng.uniform(0.85, 1.15)),
            pick_place=float(np.clip(hands.pick_place * rng.uniform(0.85, 1.15), 0.03, 0.4)),
            pick_width_s=width * (1 + (hands.palm_soft - 1) * hit.depth) if palm else width,
            scrape=0.05 if hit.legato else hands.scrape,
            stiffness=self._setup.stiffness * (hit_hz / STIFF_AT_HZ),
        )
        early_s = (
            hands.contact_s * float(rng.uniform(0.5, 1.0))
            if hit.leading and palm and not hit.legato
            else 0.0
        )
        wave = self._swing(how, hit, early_s, rate_hz, rng)
        for place in self._setup.pickup_places:
            comb = max(1, int(place * rate_hz / how.frequency_hz))
            if comb < wave.size:
                copy = wave.copy()
                copy[comb:] -= wave[:-comb]
                wave = copy
        if hit.leading and hit.articulation is not Articulation.OPEN:
            self._add_knock(wave, hit, rate_hz, rng)
        if early_s:
            wave = self._with_touch(wave, round(early_s * rate_hz), rate_hz, rng)
        return wave

    def _swing(
        self, how: Pluck, hit: StringHit, early_s: float, rate_hz: int, rng: np.random.Generator
    ) -> Samples:
        """The string in one plane or in two that beat against each other, the second one nearly
        along the body and longer-lived.
        """
        damping = self._on_string(hit, hit.articulation, hit.depth)
        hands = [(0.0, damping), (max(0.005, hit.release_s - early_s), self.hands.release)]
        if hit.lift_s is not None and hit.lift_s < hit.release_s:
            hands.insert(1, (hit.lift_s, self._on_string(hit, Articulation.OPEN, 0.0)))
        pitch = hit.pitch
        wave = pluck(how, hands, pitch=pitch, length_s=hit.length_s, rate_hz=rate_hz, rng=rng)
        if self.hands.twin_cents and hit.articulation is Articulation.OPEN:
            other = Pluck(
                frequency_hz=how.frequency_hz * 2 ** (self.hands.twin_cents / 1200),
                strength=how.strength * 0.35,
                pick_place=how.pick_place,
                pick_width_s=how.pick_width_s,
                scrape=how.scrape,
                stiffness=how.stiffness,
            )
            longer = Damping(damping.low_t60_s * 1.6, damping.high_t60_s * 1.4, damping.power)
            hands[0] = (0.0, longer)
            wave = wave + pluck(
                other, hands, pitch=pitch, length_s=hit.length_s, rate_hz=rate_hz, rng=rng
            )
        return wave

    def _add_knock(
        self, wave: Samples, hit: StringHit, rate_hz: int, rng: np.random.Generator
    ) -> None:
        """The palm's thump, or the click of dead strings against the frets."""
        n = min(wave.size, int(0.04 * rate_hz))
        t = np.arange(n) / rate_hz
        level = 10 ** (hit.gain_db / 20)
        if hit.articulation is Articulation.PALM:
            knock = (
                level * self.hands.thump * 0.25 * np.sin(2 * np.pi * 90 * t) * np.exp(-t / 0.012)
            )
        else:
            knock = (
                level
                * 0.2
                * np.convolve(rng.standard_normal(n), np.hanning(9) / 4.5, "same")
                * np.exp(-t / 0.008)
            )
        wave[:n] += knock.astype(np.float32)

    def _with_touch(
        self, wave: Samples, lead: int, rate_hz: int, rng: np.random.Generator
    ) -> Samples:
        """The note after the short noise of a pick that touches the muted string first."""
        out = np.concatenate([np.zeros(lead, np.float32), wave])[: wave.size]
        n = min(out.size, int(0.02 * rate_hz))
        noise = np.convolve(
            rng.standard_normal(n + 4), np.array([-1, 1, 0, 0, 0.0]), "valid"
        ) * np.exp(-np.arange(n) / (0.003 * rate_hz))
        peak = float(np.max(np.abs(wave[: int(0.2 * rate_hz)]), initial=0.0))
        out[:n] += (self.hands.contact_level * peak * 0.4 * noise).astype(np.float32)
        return out

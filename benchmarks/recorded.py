"""An electric guitar that was really recorded, worn strings and all, behind amplifiers that nobody
here wrote: what the ear is measured on and never trained on.

The notes are those of `sampled.RECORDED["recorded-electric"]` (samples CC BY 3.0). No package holds
its palm mutes: a hand is laid on the open notes, as losses that grow with frequency.
"""

import numpy as np
from scipy.signal import istft, stft

from benchmarks.sampled import HOP, WINDOW, SampledGuitar
from thrumble.core.player.guitars import StringHit
from thrumble.core.player.sound import Setup
from thrumble.core.riff.model import Articulation
from thrumble.core.signal import Samples

NOTES = "recorded-electric"
# a palm's losses in dB a second at 100 Hz and at 2 kHz, light and tight
LIGHT_DB_S, TIGHT_DB_S = (30.0, 110.0), (220.0, 700.0)
LANDS_S = 0.002  # from when on the palm is on the string: it lay there when it was struck


class RecordedGuitar(SampledGuitar):
    """The recorded notes under a palm of its own kind, drawn once a take."""

    def __init__(self, setup: Setup, rng: np.random.Generator) -> None:
        super().__init__(setup, rng, NOTES)
        self._hand = float(np.exp(rng.uniform(np.log(0.7), np.log(1.5))))
        self._slope = float(rng.uniform(0.8, 1.6))
        self._thump = float(rng.uniform(0.0, 0.3))
        self._dull_hz = float(rng.uniform(1800, 6000))

    def string(self, hit: StringHit, rate_hz: int, rng: np.random.Generator) -> Samples:
        """One string; see Guitar."""
        wave = super().string(hit, rate_hz, rng)
        if hit.articulation is Articulation.PALM and hit.leading and not hit.legato:
            t = np.arange(wave.size) / rate_hz
            level = self._thump * 10 ** (hit.gain_db / 20)
            wave = wave + (level * np.sin(2 * np.pi * 80 * t) * np.exp(-t / 0.015)).astype(
                np.float32
            )
        return np.asarray(wave, dtype=np.float32)

    def _palm(self, hit: StringHit, frames: int, rate_hz: int) -> Samples:
        note = self._string(self._open, hit, frames, rate_hz)
        frequencies, times, spectrum = stft(
            note, rate_hz, nperseg=WINDOW, noverlap=WINDOW - HOP, boundary="even"
        )
        low, high = (
            self._hand * light * (tight / light) ** hit.depth
            for light, tight in zip(LIGHT_DB_S, TIGHT_DB_S, strict=True)
        )
        share = np.clip(frequencies / 2000, 0, 2) ** self._slope
        lost_db = (low + (high - low) * share)[:, np.newaxis] * np.maximum(0, times - LANDS_S)
        dull_db = 10 * hit.depth * np.log10(1 + (frequencies / self._dull_hz) ** 2)
        gain = 10 ** (-np.minimum(lost_db + dull_db[:, np.newaxis], 200) / 20)
        _, out = istft(
            spectrum * gain, rate_hz, nperseg=WINDOW, noverlap=WINDOW - HOP, boundary=True
        )
        damped = np.zeros(frames, dtype=np.float32)
        damped[: out.size] = out[:frames]
        return damped

"""The same sounds through other pickups, amplifiers and microphones: measures as a smooth equaliser
drawn at random would have left them. For
training only: a network that hears every example in another colour each time must go by what
changes within a hit.
"""

import numpy as np

from thrumble.core.ear.front.spectrum import BAND_EDGES_HZ
from thrumble.core.ear.measure.articulation import (
    GROUP_OF,
    HITS,
    MOMENTS,
    SHAPED,
    TOGETHER,
)
from training.fit import Matrix

SPREAD_DB = 8.0  # standard deviation of the equaliser
WAVES = np.arange(
    1, 5
)  # half waves from the lowest band to the highest; the slow ones are the larger
SHAPES = HITS.columns(*(f"shape in window {SHAPED[k]}" for k in (0, -1)))
SPECTRA = HITS.columns("spectra")
_BANDS = BAND_EDGES_HZ.size - 1
_GROUPS = np.stack([group / group.sum() for group in GROUP_OF], axis=1)


def equalisers(count: int, bands: int, rng: np.random.Generator) -> Matrix:
    """Gains of neighbouring bands, in tens of dB, shape (count, bands)."""
    height = (
        rng.normal(0, 1, (count, WAVES.size))
        / np.sqrt(WAVES)
        * (SPREAD_DB / 10)
        / np.sqrt((1 / WAVES).sum() / 2)
    )
    phase = rng.uniform(0, 2 * np.pi, (count, WAVES.size, 1))
    waves = np.cos(np.pi * WAVES[:, np.newaxis] * np.linspace(0, 1, bands) + phase)
    return np.einsum("nw,nwb->nb", height, waves).astype(np.float32)


def recoloured_hits(measures: Matrix, rng: np.random.Generator) -> Matrix:
    """Measures of hits (`articulation.measure_hits`), each through an equaliser of its own."""
    gains = equalisers(len(measures), _BANDS, rng)
    out = measures.copy()
    shapes = out[:, SHAPES].reshape(len(out), len(SHAPED), -1)
    shapes = shapes + (gains @ _GROUPS)[:, np.newaxis]
    shapes -= np.log10(np.power(10, shapes).sum(axis=2, keepdims=True))
    out[:, SHAPES] = shapes.reshape(len(out), -1)
    pairs = gains.reshape(len(out), -1, TOGETHER).mean(axis=2)
    pairs -= pairs.mean(axis=1, keepdims=True)
    out[:, SPECTRA] += np.tile(pairs, (1, MOMENTS.size))
    return out

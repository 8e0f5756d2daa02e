"""How loud the take is from moment to moment, finer than any spectrum: running energies on a grid of 0.36 ms."""

import numpy as np

from thrumble.core.ear.conditioning import WORK_RATE_HZ
from thrumble.core.ear.network import Array
from thrumble.core.signal import Samples, filtered, high_pass

FLOOR_POWER = 1e-9
GRID = 8  # samples
GRID_S = GRID / WORK_RATE_HZ
PIECE = GRID << 17  # samples
LOW_TAPS = 15  # of a 2.8 kHz signal: passes up to some 250 Hz


class Envelope:
    """The sharp envelope (above 900 Hz with a little of the rest), sample by sample, and the running energy of four views of the take:
    all of it, the sharp envelope, what lies under 250 Hz, and what lies over some 4 kHz."""

    def __init__(self, samples: Samples) -> None:
        self.sharp = np.abs(filtered(samples, WORK_RATE_HZ, high_pass(900.0)))
        self.sharp += np.float32(0.15) * np.abs(samples)
        self.size = samples.size
        self.energy, self.sharp_energy = _running(samples), _running(self.sharp)
        self.low_energy, self.bright_energy = _running_low(samples), _running_bright(samples)
        self.mean_sharp = float(self.sharp_energy[-1] / max(1, self.size))

    def level_db(self, energy: Array, start_s: Array, end_s: Array) -> Array:
        """Mean power in dB over spans; clipped to the take."""
        last = energy.size - 1
        low = np.clip(np.round(start_s / GRID_S).astype(int), 0, last - 1)
        high = np.clip(np.round(end_s / GRID_S).astype(int), low + 1, last)
        return np.asarray(10 * np.log10(np.maximum(energy[high] - energy[low], 0.0) / ((high - low) * GRID) + FLOOR_POWER))


def _running(samples: Samples) -> Array:
    """Energy from the start on to every GRID-th sample."""
    blocks = _blocks(samples)
    return np.concatenate([[0.0], np.cumsum(np.einsum("ij,ij->i", blocks, blocks), dtype=np.float64)])


def _running_bright(samples: Samples) -> Array:
    """The same of the second difference, which grows with the frequency's square; in pieces, for the whole would be made three times over."""
    parts = []
    for start in range(0, samples.size, PIECE):
        piece = samples[start : start + PIECE + 2]
        piece = np.concatenate([piece, np.zeros(max(0, min(PIECE, samples.size - start) + 2 - piece.size), np.float32)])
        blocks = _blocks(np.diff(piece, n=2))
        parts.append(np.einsum("ij,ij->i", blocks, blocks).astype(np.float64))
    return np.concatenate([[0.0], np.cumsum(np.concatenate(parts))])


def _running_low(samples: Samples) -> Array:
    """The same of what lies low, from block means through a short smoothing filter; no more exact than that."""
    window = np.hanning(LOW_TAPS + 2)[1:-1].astype(np.float32)
    low = np.convolve(_blocks(samples).mean(axis=1), window / window.sum(), "same")
    return np.concatenate([[0.0], np.cumsum(np.square(low) * GRID, dtype=np.float64)])


def _blocks(samples: Samples) -> Samples:
    count = -(-samples.size // GRID)
    return np.concatenate([samples, np.zeros(count * GRID - samples.size, np.float32)]).reshape(count, GRID)

"""How loud the take is from moment to moment, finer than any spectrum: running energies on a grid
of 0.36 ms.
"""

import numpy as np

from thrumble.core.ear.front.conditioning import WORK_RATE_HZ
from thrumble.core.ear.model.network import Array
from thrumble.core.signal import Samples, filtered, high_pass

FLOOR_POWER = 1e-9
GRID = 8  # samples
GRID_S = GRID / WORK_RATE_HZ
PIECE = GRID << 17  # samples


class Envelope:
    """The sharp envelope (above 900 Hz with a little of the rest), sample by sample, and the
    running energy of three views of the take:
    all of it, the sharp envelope, and what lies over some 4 kHz."""

    def __init__(self, samples: Samples) -> None:
        self.sharp = filtered(samples, WORK_RATE_HZ, high_pass(900.0))
        np.abs(self.sharp, out=self.sharp)
        for start in range(
            0, samples.size, PIECE
        ):  # ten minutes of temporaries are never made at once
            self.sharp[start : start + PIECE] += np.float32(0.15) * np.abs(
                samples[start : start + PIECE]
            )
        self.size = samples.size
        self.energy, self.sharp_energy = _running(samples), _running(self.sharp)
        self.bright_energy = _running_bright(samples)
        self.mean_sharp = float(self.sharp_energy[-1] / max(1, self.size))

    def level_db(self, energy: Array, start_s: Array, end_s: Array) -> Array:
        """Mean power in dB over spans; clipped to the take. `start_s`, `end_s` and the answer of
        shape (n,).
        """
        last = energy.size - 1
        low = np.clip(np.round(start_s / GRID_S).astype(int), 0, last - 1)
        high = np.clip(np.round(end_s / GRID_S).astype(int), low + 1, last)
        return np.asarray(
            10
            * np.log10(
                np.maximum(energy[high] - energy[low], 0.0) / ((high - low) * GRID) + FLOOR_POWER
            )
        )


def _running(samples: Samples) -> Array:
    """Energy from the start on to every GRID-th sample."""
    blocks, rest = _blocks(samples)
    energies = np.einsum("ij,ij->i", blocks, blocks)
    return np.concatenate(
        [
            [0.0],
            np.cumsum(
                np.append(energies, np.square(rest).sum()) if rest.size else energies,
                dtype=np.float64,
            ),
        ]
    )


def _running_bright(samples: Samples) -> Array:
    """The same of the second difference, which grows with the frequency's square; in pieces, for
    the whole would be made three times over.
    """
    parts = []
    for start in range(0, samples.size, PIECE):
        piece = samples[start : start + PIECE + 2]
        piece = np.concatenate(
            [piece, np.zeros(max(0, min(PIECE, samples.size - start) + 2 - piece.size), np.float32)]
        )
        parts.append(np.diff(_running(np.diff(piece, n=2))))
    return np.concatenate([[0.0], np.cumsum(np.concatenate(parts))])


def _blocks(samples: Samples) -> tuple[Samples, Samples]:
    """Whole blocks of GRID samples, shape (n, GRID), and what is left over; both are views, for a
    copy of ten minutes is large.
    """
    whole = samples.size // GRID * GRID
    return samples[:whole].reshape(-1, GRID), samples[whole:]

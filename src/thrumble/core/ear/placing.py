"""Where exactly a matched hit began. A candidate may stand on a later string, on the body of a note whose pick noise came first, or, for a palm
landing on a ringing chord, on the first rise that the collapsing chord lets through. A small trained network scores every millisecond around
the candidate from the levels of four views of the sound before and after it; the best stretch of three wins, and the sharp envelope says where
in it the attack stands. What the riff expects plays no part.
"""

import numpy as np
from numpy.typing import NDArray

from thrumble.core.ear.envelope import GRID_S, Envelope
from thrumble.core.ear.network import Array, Network
from thrumble.core.ear.onsets import attack_near

EDGES_S = np.array([-0.026, -0.018, -0.012, -0.008, -0.005, -0.003, -0.0014, 0.0, 0.0014, 0.003, 0.005, 0.008, 0.012, 0.018, 0.026, 0.036])
BEFORE_S, AFTER_S = 0.026, 0.012  # how far from its candidate a hit may have begun
STEP_S = 0.001
LAGS_S = np.arange(-round(BEFORE_S / STEP_S), round(AFTER_S / STEP_S) + 1) * STEP_S
KEEP_S = 0.003  # a candidate this near the best place keeps its own


def measure_places(envelope: Envelope, about_s: Array) -> NDArray[np.float32]:
    """What the network sees of every place around each candidate, shape (n, LAGS_S.size, inputs)."""
    times = about_s[:, np.newaxis] + LAGS_S
    edges = np.round((times[:, :, np.newaxis] + EDGES_S) / GRID_S).astype(np.intp)
    views = []
    for energy in (envelope.energy, envelope.sharp_energy, envelope.low_energy, envelope.bright_energy):
        at = energy[np.clip(edges, 0, energy.size - 1)]
        spans = np.maximum(np.diff(np.clip(edges, 0, energy.size - 1), axis=2), 1)
        views.append(np.log10(np.maximum(np.diff(at, axis=2), 0.0) / spans + 1e-8).astype(np.float32))
    whole = views[0].mean(axis=2, keepdims=True)
    return np.concatenate([view - whole for view in views], axis=2)


def place_hits(envelope: Envelope, about_s: Array, network: Network) -> Array:
    """The onset of every matched candidate, seconds."""
    if not about_s.size:
        return about_s
    measures = measure_places(envelope, about_s)
    scores = network.outputs(measures.reshape(-1, measures.shape[2])).reshape(measures.shape[:2])
    chances = np.exp(scores - scores.max(axis=1, keepdims=True))
    chances /= chances.sum(axis=1, keepdims=True)
    summed = np.cumsum(np.pad(chances, ((0, 0), (2, 1))), axis=1)
    near = summed[:, 3:] - summed[:, :-3]
    best_s = LAGS_S[np.argmax(near, axis=1)]
    moved = np.abs(best_s) > KEEP_S
    out = np.array(about_s)
    out[moved] = attack_near(envelope, about_s[moved] + best_s[moved], reach_s=KEEP_S)
    return out

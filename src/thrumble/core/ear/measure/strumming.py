"""How far apart the strings of one stroke were struck. Every string's own attack lifts the sharp
envelope anew; a small trained network reads the
time from the first lift to the last out of the first 18 ms, and says how sure it is. Under gain, or
if a ringing chord covers the attack,
the lifts run together: then it is not sure, and nothing is said.
"""

import numpy as np
from numpy.typing import NDArray

from thrumble.core.ear.front.envelope import GRID_S, Envelope
from thrumble.core.ear.model.ear import Ear
from thrumble.core.ear.model.layout import Layout
from thrumble.core.ear.model.network import Array, softmax

STEPS_S = np.arange(-0.004, 0.0181, 2 * GRID_S)
CLASSES_MS = np.array(
    [1.0, 2.5, 4.0, 5.5, 7.0, 8.5, 10.0, 11.5]
)  # what the network tells apart; the answer lies between
STRUMS = Layout(
    tuple(
        (f"{what} of {view} energy", STEPS_S.size - 1)
        for view in ("sharp", "bright")
        for what in ("growth", "steps")
    )
)


def measure_strums(envelope: Envelope, onsets_s: Array) -> NDArray[np.float32]:
    """What the network sees of each stroke, shape (n, inputs): how the energy of two views builds
    up, and how each stands from step to step.
    """
    edges = np.round((onsets_s[:, np.newaxis] + STEPS_S) / GRID_S).astype(np.intp)
    columns = {}
    for view, energy in (
        ("sharp", envelope.sharp_energy),
        ("bright", envelope.bright_energy),
    ):
        at = energy[np.clip(edges, 0, energy.size - 1)]
        steps = np.maximum(np.diff(at, axis=1), 0.0) + 1e-10
        total = steps.sum(axis=1, keepdims=True)
        columns[f"growth of {view} energy"] = np.cumsum(steps, axis=1) / total
        columns[f"steps of {view} energy"] = np.log10(steps / total + 1e-6)
    return STRUMS.join(columns).astype(np.float32)


def strum_times(envelope: Envelope, onsets_s: Array, ear: Ear) -> Array:
    """Time between first and last string of each stroke, ms, shape (n,); NaN if the sound does
    not tell.
    """
    if not onsets_s.size:
        return np.zeros(0)
    scores = ear.strum.outputs(measure_strums(envelope, onsets_s))
    probabilities = softmax(scores)
    middle = probabilities @ CLASSES_MS
    spread = np.sqrt(np.maximum(probabilities @ CLASSES_MS**2 - middle**2, 0.0))
    return np.where(spread <= ear.decisions.strum_spread_ms, middle, np.nan)

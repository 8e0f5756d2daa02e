"""How far a take's sound lies from all that the ear was trained on: then what it says of open and
muted deserves less trust, and the player's own examples are worth asking for.
"""

import numpy as np

from thrumble.core.ear.model.ear import Ear
from thrumble.core.ear.model.network import Array


def novelty(measures: Array, ear: Ear) -> float:
    """The middle distance of the take's hits from the hits of the training, in units of the spread
    there: about 1 on guitars like those. `measures`: of `measure_hits`, shape (n, HITS.size); 0 of
    none.
    """
    if not len(measures):
        return 0.0
    return float(np.median(np.mean(np.square(ear.sound.outputs(measures)), axis=1)))

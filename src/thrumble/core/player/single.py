"""One stroke by itself, as the palm finder hears it: a note or a chord of the simulated guitar in
about a second of sound.
"""

import numpy as np

from thrumble.core.player.guitars import Guitar, StringHit
from thrumble.core.player.sound import Setup, amplify
from thrumble.core.riff.model import Articulation
from thrumble.core.signal import Samples

LENGTH_S, LEAD_S, STRUM_S = 1.15, 0.12, 0.004


def strike(
    guitar: Guitar,
    setup: Setup,
    kind: Articulation,
    *,
    depth: float,
    midi: list[float],
    rng: np.random.Generator,
    rate_hz: int = 48000,
) -> Samples:
    """The stroke through the amplifier, peak 0.5. `depth` of a palm, 0 light to 1 tight; `midi`:
    the strings struck, in order. Shape (frames,).
    """
    sound = np.zeros(int(LENGTH_S * rate_hz), dtype=np.float32)
    gain = float(rng.normal(0, 1.5))
    for k, note in enumerate(midi):
        string_hit = StringHit(
            midi=note,
            articulation=kind,
            depth=depth,
            gain_db=gain,
            release_s=1.5,
            length_s=1.0,
            leading=k == 0,
        )
        wave = guitar.string(string_hit, rate_hz, rng)
        at = int((LEAD_S + STRUM_S * k) * rate_hz)
        sound[at : at + wave.size] += wave[: sound.size - at]
    out = amplify(sound, setup, rate_hz=rate_hz, rng=rng)
    return np.asarray(out * (0.5 / max(1e-6, float(np.abs(out).max()))), dtype=np.float32)

"""The sample scenario: a trio rehearses for the reopening of a boat lift on a canal. Eight riffs,
newly written for it, as text.
"""

from dataclasses import dataclass
from importlib.resources import files

import numpy as np

from thrumble.core.player.flaws import Flaws
from thrumble.core.player.guitars import Guitar, ModelGuitar
from thrumble.core.player.sound import Setup, Tone, draw_setup
from thrumble.core.riff.drills.catalogue import DrillKind
from thrumble.core.riff.model import Articulation


@dataclass(frozen=True, slots=True)
class DemoTake:
    """One take of the demo's guitarist: which riff, or drill of it, what goes wrong, in which tone,
    how many days ago; at the riff's tempo if none is given.
    """

    riff: str
    flaws: Flaws
    tone: Tone
    days_ago: int
    seed: int
    tempo_bpm: float | None = None
    rounds: int = 1
    drill: DrillKind | None = None


def riff_texts() -> dict[str, str]:
    """Riff text by file name, in order."""
    paths = sorted(
        (f for f in files(__package__).iterdir() if f.name.endswith(".riff.txt")),
        key=lambda f: f.name,
    )
    return {f.name.removesuffix(".riff.txt"): f.read_text(encoding="utf-8") for f in paths}


RIG, CHAIN = (
    "Lock-keeper's six-string",
    "interface input 1, small amplifier beside the winding drum, one microphone",
)
TONES = {Tone.CLEAN: "towpath clean", Tone.CRUNCH: "gatehouse crunch", Tone.HIGH_GAIN: "full flood"}
EXAMPLES = {
    "open": (Articulation.OPEN, 0.0, 4),
    "light": (Articulation.PALM, 0.25, 2),
    "full": (Articulation.PALM, 0.6, 4),
    "dead": (Articulation.DEAD, 0.0, 2),
}
GUITAR_SEED = 18


def setup_of(tone: Tone) -> Setup:
    """The trio's amplifier in one tone, the same in every take."""
    return draw_setup(tone, np.random.default_rng(GUITAR_SEED))


def guitar(setup: Setup, _: np.random.Generator) -> Guitar:
    """The trio's one guitar, in the same hands in every take."""
    return ModelGuitar(setup, np.random.default_rng(GUITAR_SEED))


PRACTISED, PRACTISED_BPM = "4-winding-gear", 132.0
DAYS, EVERY = 40, 4
FIRST_CEILING, LEARNT, LOOSE_MS = 0.74, 0.025, 5.0  # of the tempo; a take; where it is easy
DRILLED = {5: DrillKind.MUTE_SWITCH, 9: DrillKind.RIGHT_HAND}


def _practice() -> list[DemoTake]:
    """Six weeks at one riff by a guitarist who learns: the tempo that is easy rises from day to
    day, the tempo played follows it, and above it the timing gets loose.
    """
    out = []
    for number, ago in enumerate(range(DAYS, 0, -EVERY)):
        ceiling = FIRST_CEILING + LEARNT * number
        wanted = ceiling * (1.06 if number % 3 == 2 else 0.99)
        tempo = round(PRACTISED_BPM * min(1.0, wanted))
        beyond = max(0.0, tempo / PRACTISED_BPM / ceiling - 0.97)
        flaws = Flaws(timing=LOOSE_MS + 130 * beyond, ringing=0.6 * beyond)
        seed = 100 + number
        if number in DRILLED:
            drill = DRILLED[number]
            out.append(
                DemoTake(PRACTISED, flaws, Tone.CRUNCH, ago, seed + 50, tempo * 0.9, 1, drill)
            )
        out.append(DemoTake(PRACTISED, flaws, Tone.CRUNCH, ago, seed, float(tempo)))
    return out


# how the hands felt before and after, 0 to 10, so many days ago; the long day tells
FELT = {1: (1, 2), 2: (2, 3), 4: (1, 4), 8: (1, 1), 12: (0, 1), 16: (1, 2), 20: (0, 1)}

TAKES = (
    *_practice(),
    DemoTake(
        "1-sluice-gate", Flaws(timing=13, missed=0.02, ringing=0.08, extra=0.01), Tone.CRUNCH, 6, 11
    ),
    DemoTake("1-sluice-gate", Flaws(timing=7, ringing=0.1), Tone.CRUNCH, 1, 12),
    DemoTake("3-towpath-shuffle", Flaws(timing=9, swing=1.6), Tone.CLEAN, 5, 13),
    DemoTake("4-winding-gear", Flaws(timing=9, tiring=16, missed=0.03), Tone.HIGH_GAIN, 4, 14),
    DemoTake("6-stop-planks", Flaws(timing=8, stop=110, stop_spread=40), Tone.CRUNCH, 3, 15),
    DemoTake("8-nine-locks-down", Flaws(timing=6, shift=34, ringing=0.03), Tone.CRUNCH, 2, 16),
    DemoTake("2-ballast", Flaws(timing=8, choked=0.12), Tone.CLEAN, 2, 17),
)

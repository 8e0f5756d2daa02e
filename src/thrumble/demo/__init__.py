"""The sample scenario: a trio rehearses for the reopening of a boat lift on a canal. Eight riffs,
newly written for it, as text.
"""

from dataclasses import dataclass
from datetime import time
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
    how many days ago and at what time; at the riff's tempo if none is given.
    """

    riff: str
    flaws: Flaws
    tone: Tone
    days_ago: int
    seed: int
    tempo_bpm: float | None = None
    rounds: int = 1
    drill: DrillKind | None = None
    at: time = time(21, 15)


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
# sessions so many days ago, at that time; the week in which nobody came up to the lift is missing
SESSIONS = (
    (41, time(19, 40)),
    (39, time(18, 15)),
    (38, time(20, 5)),
    (35, time(10, 30)),
    (34, time(19, 20)),
    (31, time(18, 50)),
    (21, time(19, 35)),
    (20, time(20, 10)),
    (17, time(18, 30)),
    (15, time(19, 45)),
    (14, time(11, 10)),
    (11, time(19, 5)),
    (8, time(20, 20)),
    (7, time(10, 45)),
    (5, time(19, 30)),
    (4, time(18, 40)),
    (2, time(19, 50)),
    (1, time(18, 25)),
)
FIRST_CEILING, LEARNT, LOOSE_MS = 0.74, 0.017, 5.0  # of the tempo; a session; where it is easy
SETBACKS = {6: 0.05, 10: 0.03}  # after the weeks off; a bad day
DRILLED = {4: DrillKind.MUTE_SWITCH, 8: DrillKind.RIGHT_HAND, 12: DrillKind.MUTE_SWITCH}
MINUTES = (0, 4, 8, 13, 18, 24)  # of a session at which its takes begin
BESIDE = ("1-sluice-gate", "6-stop-planks", "3-towpath-shuffle", "2-ballast", "8-nine-locks-down")


def _practice() -> list[DemoTake]:
    """Six weeks by a guitarist who learns: the tempo that is easy rises from session to session,
    but for setbacks; the tempo played follows it, and above it the timing gets loose.
    """
    takes = []
    for number, (ago, begins) in enumerate(SESSIONS):
        ceiling = FIRST_CEILING + LEARNT * number - SETBACKS.get(number, 0.0)
        loose = 9.0 - 0.3 * number

        def take(
            k: int,
            riff: str,
            flaws: Flaws,
            tempo: float | None,
            rounds: int = 1,
            drill: DrillKind | None = None,
            *,
            session: tuple[int, time] = (ago, begins),
            seed: int = 100 + 10 * number,
        ) -> None:
            takes.append(
                DemoTake(
                    riff,
                    flaws,
                    Tone.CRUNCH,
                    session[0],
                    seed + k,
                    tempo,
                    rounds,
                    drill,
                    _later(session[1], MINUTES[k]),
                )
            )

        take(0, PRACTISED, Flaws(timing=LOOSE_MS), round(PRACTISED_BPM * 0.85 * ceiling))
        for k, pace in ((1, 0.98), (3, 1.06)):
            tempo = round(PRACTISED_BPM * min(1.0, pace * ceiling))
            beyond = max(0.0, tempo / PRACTISED_BPM / ceiling - 0.97)
            flaws = Flaws(timing=LOOSE_MS + 110 * beyond, ringing=0.5 * beyond)
            take(k, PRACTISED, flaws, float(tempo), 1 if ago == 1 else 2)
            if k == 1 and number in DRILLED:
                take(2, PRACTISED, flaws, tempo * 0.9, 2, DRILLED[number])
        flaws = Flaws(timing=loose, ringing=0.08 - 0.003 * number, missed=0.01)
        take(4, BESIDE[number % 5], flaws, None)
        take(5, BESIDE[(number + 3) % 5], flaws, None)
    return takes


def _later(begins: time, minutes: int) -> time:
    total = begins.hour * 60 + begins.minute + minutes
    return time(total // 60, total % 60)


# how the hands felt before and after, 0 to 10, so many days ago; the long day tells
FELT = {1: (1, 1), 2: (1, 2), 4: (1, 1), 5: (2, 4), 8: (1, 1), 14: (0, 1), 20: (0, 1)}

TAKES = (
    *_practice(),
    DemoTake(
        "1-sluice-gate", Flaws(timing=13, missed=0.02, ringing=0.08, extra=0.01), Tone.CRUNCH, 7, 11
    ),
    DemoTake("3-towpath-shuffle", Flaws(timing=9, swing=1.6), Tone.CLEAN, 5, 13),
    DemoTake("4-winding-gear", Flaws(timing=9, tiring=16, missed=0.03), Tone.HIGH_GAIN, 4, 14),
    DemoTake("6-stop-planks", Flaws(timing=8, stop=110, stop_spread=40), Tone.CRUNCH, 4, 15),
    DemoTake("8-nine-locks-down", Flaws(timing=6, shift=34, ringing=0.03), Tone.CRUNCH, 2, 16),
    DemoTake("2-ballast", Flaws(timing=8, choked=0.12), Tone.CLEAN, 2, 17),
    DemoTake("1-sluice-gate", Flaws(timing=7, ringing=0.1), Tone.CRUNCH, 1, 12),
)

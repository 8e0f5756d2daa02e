"""Mute ramps: how often one that was played is heard as one, and how often mutes all alike, or a
ramp the other way, are taken for it.

    python -m benchmarks.ramps [--takes 20]
"""

import argparse
from dataclasses import replace
from decimal import Decimal
from functools import partial
from multiprocessing import Pool

from benchmarks.tables import share, table
from thrumble.core.ear.take import TakeInfo, read_take
from thrumble.core.player.flaws import Flaws
from thrumble.core.player.perform import perform
from thrumble.core.player.sound import Tone
from thrumble.core.riff.expand import expand
from thrumble.core.riff.model import Riff
from thrumble.core.riff.notation.text import parse_riff
from thrumble.trained import EAR

TEXT = """title: Winch
tempo: {tempo}
pedal: 6:0
[A]
| E5@5/7 o ~ m m o ~ m m | {{ m={first} m m m m m m m | m m m m m m m m={last} }} | o ~ ~ - |
"""
WAYS = ("as written", "all alike", "the other way")


def written(tempo: int, first: float, last: float) -> Riff:
    return parse_riff(TEXT.format(tempo=tempo, first=first, last=last))


def played(riff: Riff, way: str) -> Riff:
    """The riff as somebody plays it who does or does not do the ramp."""
    section = riff.sections[0]
    depths = [h.depth for bar in section.bars for h in bar.hits if h.ramp]
    if way == "all alike":
        depths = [Decimal("0.6")] * len(depths)
    elif way == "the other way":
        depths = depths[::-1]
    left = iter(depths)
    bars = tuple(
        replace(
            bar,
            hits=tuple(
                replace(hit, depth=next(left), ramp=None) if hit.ramp else hit for hit in bar.hits
            ),
        )
        for bar in section.bars
    )
    return replace(riff, sections=(replace(section, bars=bars),))


def one(number: int, *, tone: Tone, way: str) -> str:
    """What the ear says about the ramp of one take: kept, not kept, nothing."""
    first, last = ((0.95, 0.2), (0.9, 0.4), (0.2, 0.9))[number % 3]
    riff = written(90 + 15 * (number % 4), first, last)
    doing = riff if way == "as written" else played(riff, way)
    take = perform(doing, tone=tone, seed=900 + number, flaws=Flaws(timing=8, level=1.5))
    info = TakeInfo(start_s=take.start_s, delay_ms=0.0)
    (ramp,) = read_take(take.samples, take.rate_hz, expand(riff), info, ear=EAR).ramps
    return {True: "kept", False: "not kept", None: "nothing said"}[ramp.kept]


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--takes", type=int, default=20)
    takes = parser.parse_args().takes
    rows = []
    with Pool() as pool:
        for tone in Tone:
            for way in WAYS:
                said = pool.map(partial(one, tone=tone, way=way), range(takes))
                counts = [share(said.count(w), takes) for w in ("kept", "not kept", "nothing said")]
                rows.append((tone.value, way, *counts))
    head = ("tone", "played", "heard as the ramp", "heard as none", "nothing said")
    print("\n".join(table(head, rows)))


if __name__ == "__main__":
    main()

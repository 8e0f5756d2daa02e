"""Mute ramps: runs of palm mutes from one depth to another, written by their ends. The hits
between get their depths from here, and whoever plays or hears a ramp finds its hits here.
"""

from collections.abc import Iterable
from dataclasses import replace
from decimal import Decimal

from thrumble.core.riff.model import Articulation, Hit, Ramp

STEP = Decimal("0.01")  # depths between the ends are rounded to it


def between(first: Decimal, last: Decimal, count: int) -> list[Decimal]:
    """`count` depths from one to the other in even steps, both included; `count` is 2 or more."""
    each = (last - first) / (count - 1)
    inner = [(first + each * k).quantize(STEP).normalize() for k in range(1, count - 1)]
    return [first, *(Decimal(f"{depth:f}") for depth in inner), last]


def ramp_runs(hits: Iterable[Hit]) -> list[list[int]]:
    """The places in `hits` that belong to each ramp, in order."""
    runs: list[list[int]] = []
    for place, hit in enumerate(hits):
        if hit.ramp is Ramp.START:
            runs.append([place])
        elif hit.ramp is Ramp.ON and runs and runs[-1][-1] == place - 1:
            runs[-1].append(place)
    return runs


def mended(hits: list[Hit]) -> list[Hit]:
    """Hits in order with whole ramps: what lost its beginning begins anew, what is no palm mute or
    stands alone belongs to none.
    """
    marked: list[Hit] = []
    for hit in hits:
        palm = hit.articulation is Articulation.PALM
        follows = bool(marked) and marked[-1].ramp is not None
        if hit.ramp is not None and not palm:
            hit = replace(hit, ramp=None)
        elif hit.ramp is Ramp.ON and not follows:
            hit = replace(hit, ramp=Ramp.START)
        marked.append(hit)
    alone = {run[0] for run in ramp_runs(marked) if len(run) == 1}
    return [replace(hit, ramp=None) if k in alone else hit for k, hit in enumerate(marked)]

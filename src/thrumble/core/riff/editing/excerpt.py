"""Some bars of a riff as a riff of its own, in the order they are played."""

from dataclasses import replace
from fractions import Fraction

from thrumble.core.errors import BadInput
from thrumble.core.music.feel import Feel
from thrumble.core.riff.checking import check_riff
from thrumble.core.riff.expand import played_bars
from thrumble.core.riff.model import Bar, Hit, Riff, Section


def take_bars(riff: Riff, first: int, last: int) -> Riff:
    """Bars `first` to `last` along the play order, counted from 1, repeats and endings as they
    come; without pick-up. A hit that rings in from before is left out, one that rings on past the
    end is cut there. Raises BadInput for bars that are not there or hold no hit.
    """
    bars = played_bars(riff)
    if not 1 <= first <= last <= len(bars):
        raise BadInput(f"the riff has bars 1 to {len(bars)}; found {first} to {last}")
    runs: list[tuple[Feel, list[Bar]]] = []
    for bar, feel in bars[first - 1 : last]:
        if not runs or runs[-1][0] != feel:
            runs.append((feel, []))
        runs[-1][1].append(bar)
    if not any(bar.hits for _, run in runs for bar in run):
        raise BadInput(f"there is no hit in bars {first} to {last}")
    name = f"bars {first}-{last}"
    sections = tuple(
        Section(
            name=name if k == 0 else f"{name} {k + 1}",
            bars=cut(run),
            feel=None if feel == riff.feel else feel,
        )
        for k, (feel, run) in enumerate(runs)
    )
    title = f"{riff.title}, {name}"
    whole = replace(riff, sections=sections, play=(), pickup=None)
    return check_riff(replace(whole, title=title if len(title) <= 120 else riff.title))


def cut(run: list[Bar]) -> tuple[Bar, ...]:
    """The bars with no hit ringing past the last of them."""
    left = sum((bar.meter.length for bar in run), Fraction(0))
    out = []
    for bar in run:
        hits = tuple(_no_longer_than(hit, left - hit.at) for hit in bar.hits)
        out.append(replace(bar, hits=hits))
        left -= bar.meter.length
    return tuple(out)


def _no_longer_than(hit: Hit, most: Fraction) -> Hit:
    """A hit that fills the rest has no silence after it that could be judged."""
    if hit.length < most:
        return hit
    return replace(hit, length=min(hit.length, most), stop=False)

"""The written bars as the desk draws them. A bar that stays as it was is not drawn again: of a long
riff one edit changes one bar or two.
"""

from collections import OrderedDict
from collections.abc import Hashable
from dataclasses import dataclass
from fractions import Fraction

from thrumble.core.music.meter import spoken_count
from thrumble.core.riff.counts import Counting, counts_of
from thrumble.core.riff.expand import ExpandedRiff, PlayedBar
from thrumble.web.drawings.bars import BarDrawing
from thrumble.web.drawings.caret import caret_places
from thrumble.web.drawings.strip import bar_hits, plan_bar
from thrumble.web.templating import environment

MAX_KEPT = 2000


@dataclass(frozen=True, slots=True)
class DeskBar:
    """A written bar. `places`: for the caret, as text for the page's script; `opens`: a section
    begins with it; `times`: then how often that is played in a row, None for the pick-up.
    """

    index: int
    section: str
    opens: bool
    times: int | None
    places: str
    drawing: BarDrawing


class _Drawn:
    """Bars drawn lately, by all that their drawing depends on."""

    def __init__(self) -> None:
        self._kept: OrderedDict[Hashable, str] = OrderedDict()

    def get(self, key: Hashable) -> str | None:
        return self._kept.get(key)

    def put(self, key: Hashable, html: str) -> None:
        self._kept[key] = html
        while len(self._kept) > MAX_KEPT:
            self._kept.popitem(last=False)


_drawn = _Drawn()


def desk_html(
    expanded: ExpandedRiff, grid: Fraction, way: Counting, times: dict[str, int]
) -> list[str]:
    """Every written bar, with the caret's places on a grid, counted one way or another. `times`:
    how often each section is played in a row.
    """
    counts = counts_of(expanded, way)
    out = []
    before = ""
    for index, bar in enumerate(expanded.bars):
        opens = bar.section != before
        before = bar.section
        played = times.get(bar.section)
        key = (_key(expanded, bar, grid, counts, opens=opens), played)
        html = _drawn.get(key)
        if html is None:
            html = _bar_html(
                expanded, bar, index, grid, counts, played if opens else None, opens=opens
            )
            _drawn.put(key, html)
        out.append(html)
    return out


def _key(
    expanded: ExpandedRiff,
    bar: PlayedBar,
    grid: Fraction,
    counts: dict[int, str] | None,
    *,
    opens: bool,
) -> Hashable:
    """A cache key: everything that a bar's drawing depends on."""
    around = bar_hits(expanded, bar)
    count_words = () if counts is None else tuple(counts.get(due.index) for due in around)
    return (
        (bar.number, bar.section, opens, bar.meter, bar.start, grid, count_words),
        tuple((due.bar, due.hit, due.due_s, due.end_s) for due in around),
        around[0].index if around else 0,
        (expanded.tempo_bpm, expanded.riff.tuning, expanded.riff.capo, expanded.riff.feel),
        next((s.feel for s in expanded.riff.sections if s.name == bar.section), None),
    )


def _bar_html(
    expanded: ExpandedRiff,
    bar: PlayedBar,
    index: int,
    grid: Fraction,
    counts: dict[int, str] | None,
    times: int | None,
    *,
    opens: bool,
) -> str:
    places = ";".join(
        f"{place.at} {place.x} {place.width} {spoken_count(place.at, bar.meter)} {place.what}"
        for place in caret_places(expanded, bar, grid)
    )
    shown = DeskBar(index, bar.section, opens, times, places, plan_bar(expanded, bar, counts))
    return environment.get_template("riffs/_desk.html").render(bar=shown)

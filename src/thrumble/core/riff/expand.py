"""From the written riff to the flat list of due hits: endings resolved, pick-up first, swing
applied, places turned into seconds.
"""

from dataclasses import dataclass
from decimal import Decimal
from fractions import Fraction

from thrumble.core.errors import RiffError
from thrumble.core.music.feel import BarFeel, Feel, bar_feel
from thrumble.core.music.meter import Meter
from thrumble.core.riff.checking import check_tempo
from thrumble.core.riff.model import Bar, Hit, HitIdentity, Riff


@dataclass(frozen=True, slots=True, kw_only=True)
class PlayedBar:
    """One bar of the expanded riff. `number` counts from 1 along the play order, 0 is the pick-up;
    seconds from bar 1 beat 1.
    """

    number: int
    section: str
    bar_in_section: int
    appearance: int
    meter: Meter
    start: Fraction  # whole notes from bar 1 beat 1
    start_s: float
    end_s: float


@dataclass(frozen=True, slots=True, kw_only=True)
class DueHit:
    """A hit of the expanded riff with its times in seconds from bar 1 beat 1."""

    index: int
    identity: HitIdentity
    bar: int
    hit: Hit
    due_s: float
    end_s: float  # when it should have stopped sounding
    slot_s: float  # to the next hit, or to the riff's end


@dataclass(frozen=True, slots=True, kw_only=True)
class ExpandedRiff:
    """A riff at a tempo: what one round of it asks for."""

    riff: Riff
    tempo_bpm: float
    bars: tuple[PlayedBar, ...]
    hits: tuple[DueHit, ...]
    round_s: float  # bar 1 beat 1 of one round to that of the next

    @property
    def begin_s(self) -> float:
        """Where the pick-up begins: 0 or negative."""
        return self.bars[0].start_s


def expand(riff: Riff, tempo_bpm: float | Decimal | None = None) -> ExpandedRiff:
    """The due hits of one round at a tempo (the riff's own if None). Raises BadTempo or, without
    any hit on the way, RiffError.
    """
    tempo = float(riff.tempo_bpm if tempo_bpm is None else tempo_bpm)
    check_tempo(tempo)
    second = 240.0 / tempo  # seconds of one whole note
    walk = _walk(riff)
    bars: list[PlayedBar] = []
    due: list[tuple[float, float, PlayedBar, Hit]] = []
    feels = [_feel_of(riff, bar, section) for bar, section, *_ in walk]
    starts = _starts(riff, walk)
    for k, (bar, section, in_section, appearance) in enumerate(walk):
        start, length = starts[k], bar.meter.length
        played = PlayedBar(
            number=k if riff.pickup else k + 1,
            section=section,
            bar_in_section=in_section,
            appearance=appearance,
            meter=bar.meter,
            start=start,
            start_s=float(start) * second,
            end_s=float(start + length) * second,
        )
        bars.append(played)
        for hit in bar.hits:
            at_s = float(start + feels[k].played(hit.at)) * second
            due.append(
                (
                    at_s,
                    float(_played(start + hit.at + hit.sounding, k, starts, feels)) * second,
                    played,
                    hit,
                )
            )
    if not due:
        raise RiffError("there is no hit on the way through it; write at least one", place="play")
    end_s = bars[-1].end_s
    nexts = [at_s for at_s, *_ in due[1:]] + [end_s]
    hits = tuple(
        DueHit(
            index=n,
            identity=HitIdentity(bar.section, bar.bar_in_section, hit.at, bar.appearance),
            bar=bar.number,
            hit=hit,
            due_s=at_s,
            end_s=stop_s,
            slot_s=nexts[n] - at_s,
        )
        for n, (at_s, stop_s, bar, hit) in enumerate(due)
    )
    return ExpandedRiff(riff=riff, tempo_bpm=tempo, bars=tuple(bars), hits=hits, round_s=end_s)


def played_bars(riff: Riff) -> list[tuple[Bar, Feel]]:
    """The bars as written, in playing order from bar 1 on, each with the feel it is played with."""
    feels = {section.name: section.feel or riff.feel for section in riff.sections}
    return [(bar, feels[name]) for bar, name, *_ in _walk(riff) if name in feels]


Step = tuple[Bar, str, int, int]  # bar, section, bar in section, appearance


def _walk(riff: Riff) -> list[Step]:
    """The bars in playing order, pick-up first."""
    steps: list[Step] = []
    if riff.pickup:
        length = riff.pickup.length
        steps.append(
            (Bar(Meter(length.numerator, length.denominator), riff.pickup.hits), "pickup", 0, 1)
        )
    by_name = {section.name: section for section in riff.sections}
    appearances: dict[str, int] = {}
    before, in_run = None, 0
    for name in riff.order:
        section = by_name[name]
        appearances[name] = appearances.get(name, 0) + 1
        in_run = in_run + 1 if name == before else 1
        before = name
        bars = section.bars
        offset = 0
        if section.endings:
            chosen = min(in_run, len(section.endings)) - 1
            offset = sum(len(e) for e in section.endings[:chosen])
            bars = bars + section.endings[chosen]
        for k, bar in enumerate(bars):
            number = k + 1 + (offset if k >= len(section.bars) else 0)
            steps.append((bar, name, number, appearances[name]))
    return steps


def _starts(riff: Riff, walk: list[Step]) -> list[Fraction]:
    """Where each bar starts; bar 1 at zero."""
    at = -riff.pickup.length if riff.pickup else Fraction(0)
    starts = []
    for bar, *_ in walk:
        starts.append(at)
        at += bar.meter.length
    return starts


def _feel_of(riff: Riff, bar: Bar, section_name: str) -> BarFeel:
    section = next((s for s in riff.sections if s.name == section_name), None)
    feel = section.feel if section and section.feel else riff.feel
    return bar_feel(feel, bar.meter.length, [hit.at for hit in bar.hits])


def _played(place: Fraction, bar: int, starts: list[Fraction], feels: list[BarFeel]) -> Fraction:
    """The played place of a written one at or after bar number `bar`; lengths may pass bar
    lines.
    """
    while bar + 1 < len(starts) and place >= starts[bar + 1]:
        bar += 1
    return starts[bar] + feels[bar].played(place - starts[bar])

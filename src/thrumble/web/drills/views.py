"""The drills of a riff in words and drawings."""

from dataclasses import dataclass

from thrumble.core.coach.progress.drill_tempo import DrillTempo
from thrumble.core.counting import counted
from thrumble.core.riff.drills.catalogue import TABLE, Drill, DrillKind
from thrumble.core.riff.expand import expand
from thrumble.core.riff.model import Riff
from thrumble.web.drawings.bars import BarDrawing
from thrumble.web.drawings.strip import plan_strip

SHOWN_BARS = 12


@dataclass(frozen=True, slots=True)
class DrillLine:
    """A drill in the list. `record`: how often it helped this player."""

    kind: str
    name: str
    trains: str
    record: str
    here: bool
    href: str


@dataclass(frozen=True, slots=True, kw_only=True)
class DrillsView:
    """The page. `problem`: why the chosen drill cannot be made of these bars."""

    riff_id: int
    title: str
    meta: str
    lines: list[DrillLine]
    name: str
    kind: str
    trains: str
    helps: str
    minutes: str
    done: str
    tempo: str
    tempo_why: str
    facts: str
    strip: list[BarDrawing]
    more_bars: int
    first: str
    last: str
    bars: int
    problem: str
    query: str


def drills_view(
    riff_id: int,
    riff: Riff,
    offered: list[Drill],
    kind: DrillKind,
    bars: tuple[int, int] | None,
    made: Riff | None,
    start: DrillTempo | None,
    *,
    records: dict[DrillKind, tuple[int, int]],
    problem: str,
) -> DrillsView:
    """The riff's drills, one of them whole. `records`: how often each helped, of how many times it
    could be told.
    """
    expanded = expand(riff)
    count = sum(bar.number > 0 for bar in expanded.bars)
    drill = TABLE[kind]
    strip: list[BarDrawing] = []
    facts, tempo, drawn = "", f"{float(riff.tempo_bpm):g}", 0
    if made is not None:
        whole = expand(made)
        drawn = len(whole.bars)
        strip = plan_strip(whole, bars=SHOWN_BARS)
        tempo = f"{float(made.tempo_bpm) if start is None else start.tempo_bpm:g}"
        facts = (
            f"{counted(drawn, 'bar')}, {counted(len(whole.hits), 'hit')}, "
            f"{whole.round_s:.0f} s a pass"
        )
    where = "" if bars is None else f"&first={bars[0]}&last={bars[1]}"
    return DrillsView(
        riff_id=riff_id,
        title=riff.title,
        meta=f"{counted(count, 'bar')} at {float(riff.tempo_bpm):g} bpm, {riff.feel}",
        lines=[_line(drill, kind, records.get(drill.kind)) for drill in offered],
        name=drill.name,
        kind=kind.value,
        trains=drill.trains,
        helps=drill.helps,
        minutes=counted(drill.minutes, "minute"),
        done=drill.done,
        tempo=tempo,
        tempo_why="" if start is None else start.why,
        facts=facts,
        strip=strip,
        more_bars=max(0, drawn - len(strip)),
        first="" if bars is None else str(bars[0]),
        last="" if bars is None else str(bars[1]),
        bars=count,
        problem=problem,
        query=f"kind={kind.value}{where}",
    )


def _line(drill: Drill, chosen: DrillKind, record: tuple[int, int] | None) -> DrillLine:
    words = ""
    if record is not None and record[1]:
        words = f"helped {record[0]} of {counted(record[1], 'time')}"
    here = drill.kind is chosen
    return DrillLine(
        drill.kind.value, drill.name, drill.trains, words, here, f"?kind={drill.kind.value}"
    )

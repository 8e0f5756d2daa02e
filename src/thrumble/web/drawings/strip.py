"""The strip's plan: one drawing a bar, so that bars wrap down the page like text.

Shape says how a hit sounds, so that colour is never needed alone: open tapers as it rings, palm has
a flat heel, dead is thin and hatched, a stop is a wall.
"""

from bisect import bisect_left, bisect_right
from dataclasses import dataclass

from thrumble.core.chords.names import name_notes
from thrumble.core.instrument import Instrument
from thrumble.core.music.meter import spoken_count
from thrumble.core.music.pitch import spell
from thrumble.core.riff.expand import DueHit, ExpandedRiff, PlayedBar
from thrumble.core.riff.model import Articulation, Hit, Ramp
from thrumble.web.drawings.bars import HALF_PX, WHOLE_PX, BarDrawing, Block, Slot, Word, place_x
from thrumble.web.drawings.blocks import block_shape, stop_wall
from thrumble.web.drawings.signs import plan_words, signs_of

RAMP_PX = 12.0  # how wide the wedge of a mute ramp opens
LIFTED_PX = 17.0  # behind the block of a mute that opens up its ringing begins


def plan_strip(
    expanded: ExpandedRiff, *, bars: int | None = None, counts: dict[int, str] | None = None
) -> list[BarDrawing]:
    """The plan alone, the first `bars` bars or all. `counts`: what stands under each hit by its
    index; None for beats.
    """
    return [plan_bar(expanded, bar, counts) for bar in expanded.bars[:bars]]


def plan_bar(
    expanded: ExpandedRiff,
    bar: PlayedBar,
    counts: dict[int, str] | None = None,
    *,
    number: int = 1,
) -> BarDrawing:
    """One bar of the plan in a round, as in `plan_strip`."""
    width = round(float(bar.meter.length) * WHOLE_PX, 1)
    around = bar_hits(expanded, bar)
    hits = [due for due in around if due.bar == bar.number]
    drawing = BarDrawing(
        number=bar.number,
        round=number,
        section=bar.section,
        width=width,
        start_s=bar.start_s + (number - 1) * expanded.round_s,
        slots=_slots(bar, hits, width, counts),
        chords=_chords(bar, hits, width, expanded.riff.instrument),
        plan=[],
    )
    base = drawing.line_y
    for due in around:
        if due.end_s <= bar.start_s + 1e-6:
            continue
        x, end_x = (
            place_x(bar, max(due.due_s, bar.start_s), width),
            place_x(bar, min(due.end_s, bar.end_s), width),
        )
        held = due.bar < bar.number
        title = plan_words(due.hit, bar.meter) + (" held on" if held else "")
        depth = float(due.hit.depth) if due.hit.depth is not None else 0.6
        height = HALF_PX * (0.92 if due.hit.accent else 0.74)
        path = block_shape(due.hit.articulation.value, x, end_x, base, -height, depth, held=held)
        stop = (
            stop_wall(end_x, base, -height)
            if due.hit.stop and due.end_s <= bar.end_s + 1e-6
            else ""
        )
        kind, top = due.hit.articulation.value, base - height
        drawn = "" if held else signs_of(due.hit, x, end_x, base, top)
        drawing.plan.append(Block(kind, path, title, f"{number}-{due.index}", stop, drawn))
        if due.hit.opens and not held:
            lifted = min((x + end_x) / 2, x + LIFTED_PX)
            path = block_shape("open", lifted, end_x, base, -height * 0.8, depth, held=True)
            drawing.plan.append(Block("open", path, "opens up", f"{number}-{due.index}"))
    drawing.ramps = _ramp_lines(hits, bar, width, base)
    return drawing


def bar_hits(expanded: ExpandedRiff, bar: PlayedBar) -> tuple[DueHit, ...]:
    """The hits of a bar, and the one before them, which may ring on into it."""
    first = bisect_left(expanded.hits, bar.number, key=lambda due: due.bar)
    end = bisect_right(expanded.hits, bar.number, key=lambda due: due.bar)
    return expanded.hits[max(0, first - 1) : end]


def _ramp_lines(hits: list[DueHit], bar: PlayedBar, width: float, base: float) -> list[str]:
    """A wedge over each mute ramp's hits in this bar, which widens as the mute opens."""
    out = []
    runs: list[list[DueHit]] = []
    for before, due in zip([None, *hits], hits, strict=False):
        if due.hit.ramp is None:
            continue
        goes_on = due.hit.ramp is Ramp.ON and before is not None and before.hit.ramp is not None
        if goes_on:
            runs[-1].append(due)
        else:
            runs.append([due])
    for run in runs:
        ends = (run[0], run[-1])
        x, end = (place_x(bar, due.due_s, width) for due in ends)
        top = base - HALF_PX * 0.8
        from_y, to_y = (RAMP_PX * (1 - float(due.hit.depth or 0)) / 2 for due in ends)
        out.append(
            f"M{x:.1f} {top - from_y:.1f}L{end + 8:.1f} {top - to_y:.1f}"
            f"M{x:.1f} {top + from_y:.1f}L{end + 8:.1f} {top + to_y:.1f}"
        )
    return out


def _slots(
    bar: PlayedBar, hits: list[DueHit], width: float, counts: dict[int, str] | None
) -> list[Slot]:
    """The count under the bar: every beat, and between beats every hit."""
    count_words = {} if counts is None else {due.hit.at: counts.get(due.index, "") for due in hits}
    places = {k * bar.meter.beat: float(k) for k in range(bar.meter.beats)}
    length_s = bar.end_s - bar.start_s
    starts = {at: at / bar.meter.length * length_s for at in places} | {
        due.hit.at: due.due_s - bar.start_s for due in hits
    }
    ordered = sorted(starts.items(), key=lambda item: item[1])
    ends = [float(s) for _, s in ordered[1:]] + [length_s]
    return [
        Slot(
            float(s) / length_s * width,
            (e - float(s)) / length_s * width,
            spoken_count(at, bar.meter) if counts is None else count_words.get(at, ""),
            round(float(s), 4),
            round(e, 4),
        )
        for (at, s), e in zip(ordered, ends, strict=True)
    ]


@dataclass(frozen=True, slots=True)
class _LabelStyle:
    """A way to set the names over a bar. Widths in pixels."""

    css: str
    letter_px: float
    place_px: float  # of the string and fret behind the name; 0 without
    rows: int


# from roomy to dense: the places go first, then the type gets smaller, then two rows
LABEL_STYLES = (
    _LabelStyle("", 8.0, 22.0, 1),
    _LabelStyle("", 8.0, 0.0, 1),
    _LabelStyle("small", 6.6, 0.0, 1),
    _LabelStyle("small", 6.6, 0.0, 2),
)
LABEL_GAP_PX, NUMBER_PX = 3.0, 17.0


def _chords(bar: PlayedBar, hits: list[DueHit], width: float, instrument: Instrument) -> list[Word]:
    """The name of every chord and note where it changes, with the root's place if there is room.
    However quick the changes are, none is left out.
    """
    changes: list[tuple[float, str, str]] = []
    last = ("", "")
    for due in hits:
        if due.hit.articulation is Articulation.DEAD and due.hit.label is None:
            continue
        called = _called(due.hit, instrument)
        if called != last:
            changes.append((place_x(bar, due.due_s, width), *called))
        last = called
    starts = [max(x, NUMBER_PX) for x, _, _ in changes]
    style = next((s for s in LABEL_STYLES if _fits(s, changes, starts, width)), LABEL_STYLES[-1])
    return [
        Word(x, name, place if style.place_px else "", row=k % style.rows, size=style.css)
        for k, (x, (_, name, place)) in enumerate(zip(starts, changes, strict=True))
    ]


def _fits(
    style: _LabelStyle, changes: list[tuple[float, str, str]], starts: list[float], width: float
) -> bool:
    """Whether no name runs into the next one of its row."""
    ends = [*starts[style.rows :], *[width] * style.rows]
    return all(
        x + len(name) * style.letter_px + bool(place) * style.place_px + LABEL_GAP_PX <= end
        for x, end, (_, name, place) in zip(starts, ends, changes, strict=False)
    )


def _called(hit: Hit, instrument: Instrument) -> tuple[str, str]:
    """A hit's name and place: as written, else the chord of its notes, else the note."""
    note = hit.notes[0]
    place = f"{note.string}/{'x' if note.fret is None else note.fret}"
    if hit.label is None and len(hit.notes) == 1:
        midi = instrument.midi(note)
        return ("" if midi is None else spell(midi), place if note.fret else "")
    named = hit.label or _name_of(hit, instrument)
    return (named, place) if named else (place, "")


def _name_of(hit: Hit, instrument: Instrument) -> str | None:
    midis = [instrument.midi(note) for note in hit.notes]
    return name_notes(tuple(midi for midi in midis if midi is not None)) if all(midis) else None

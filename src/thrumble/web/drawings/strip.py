"""The mirror strip: plan above the line, take below it, one drawing a bar, so that bars wrap down
the page like text.

Shape says how a hit sounds, so that colour is never needed alone: open tapers as it rings, palm has
a flat heel, dead is thin and hatched,
a stop is a wall. The wedge on the line leans left for early and right for late; inside tolerance it
is a dot.
"""

from bisect import bisect_left, bisect_right
from dataclasses import dataclass, field

from thrumble.core.chords.names import name_notes
from thrumble.core.coach.judgement import JudgedHit, Judgement
from thrumble.core.coach.words import early_or_late
from thrumble.core.ear.reading import HeardKind, HitReading
from thrumble.core.instrument import Instrument
from thrumble.core.music.meter import spoken_count
from thrumble.core.riff.expand import DueHit, ExpandedRiff, PlayedBar
from thrumble.core.riff.model import Hit, Ramp
from thrumble.web.drawings.blocks import block_shape, stop_wall
from thrumble.web.drawings.signs import plan_words, signs_of

WHOLE_PX = 272.0  # a whole note; four such bars fill the page of a laptop
HALF_PX = 64.0  # height of the plan, and of the take
BAND_PX = 20.0
HEAD_PX = 22.0
FOOT_PX = 18.0
SECOND_BAND_PX = 20.0
SIDE_PX = 14.0
RAMP_PX = 12.0  # how wide the wedge of a mute ramp opens
LIFTED_PX = 17.0  # behind the block of a mute that opens up its ringing begins
NOTE_CHAR_PX, NOTE_GAP_PX = 6.2, 3.0


@dataclass(frozen=True, slots=True)
class Block:
    """One hit as a shape. `css`: open, palm, dead, missed, extra; `path` is SVG path data; `stop_x`
    where a wall stands.
    """

    css: str
    path: str
    title: str
    hit: str  # round-index, for scripts
    stop: str = ""
    signs: str = ""  # lines over the block: slide, bend, hammer-on, one string after another
    question_x: float | None = None


@dataclass(frozen=True, slots=True)
class Wedge:
    """Early or late on the line."""

    css: str
    path: str
    title: str


@dataclass(frozen=True, slots=True)
class Word:
    """A text at a place."""

    x: float
    text: str
    css: str = ""


@dataclass(frozen=True, slots=True)
class Slot:
    """A place of the count: `from_s` and `to_s` in seconds from the bar's start."""

    x: float
    width: float
    text: str
    from_s: float
    to_s: float


@dataclass(slots=True)
class BarDrawing:
    """Everything a bar's template places."""

    number: int
    round: int
    section: str
    width: float
    start_s: float
    slots: list[Slot]
    chords: list[Word]
    plan: list[Block]
    take: list[Block] = field(default_factory=list)
    wedges: list[Wedge] = field(default_factory=list)
    notes: list[Word] = field(default_factory=list)
    mirrored: bool = False
    ramps: list[str] = field(default_factory=list)
    second: "BarDrawing | None" = None  # another take of the same bar

    @property
    def line_y(self) -> float:
        return HEAD_PX + HALF_PX

    @property
    def height(self) -> float:
        taken = HALF_PX + FOOT_PX if self.mirrored else 2
        return HEAD_PX + HALF_PX + BAND_PX + taken + (self.second_y if self.second else 0)

    @property
    def second_y(self) -> float:
        """How far under the first the second take lies."""
        return HALF_PX + SECOND_BAND_PX

    @property
    def side_dy(self) -> float:
        """From the line to the words between the two takes."""
        return self.second_y + SIDE_PX

    @property
    def foot_y(self) -> float:
        """Where the words under the take stand."""
        return self.height - (self.second_y if self.second else 0)

    @property
    def label(self) -> str:
        """The bar in words, for screen readers."""
        return f"Bar {self.number}, section {self.section}: " + "; ".join(
            b.title for b in [*self.plan, *self.take, *(self.second.take if self.second else [])]
        )


def plan_strip(
    expanded: ExpandedRiff, *, bars: int | None = None, counts: dict[int, str] | None = None
) -> list[BarDrawing]:
    """The plan alone, the first `bars` bars or all. `counts`: what stands under each hit by its
    index; None for beats.
    """
    return [plan_bar(expanded, bar, counts) for bar in expanded.bars[:bars]]


def plan_bar(
    expanded: ExpandedRiff, bar: PlayedBar, counts: dict[int, str] | None = None
) -> BarDrawing:
    """One bar of the plan, as in `plan_strip`."""
    return _plan_bar(expanded, bar, 1, counts)


def bar_hits(expanded: ExpandedRiff, bar: PlayedBar) -> tuple[DueHit, ...]:
    """The hits of a bar, and the one before them, which may ring on into it."""
    first = bisect_left(expanded.hits, bar.number, key=lambda due: due.bar)
    end = bisect_right(expanded.hits, bar.number, key=lambda due: due.bar)
    return expanded.hits[max(0, first - 1) : end]


def reading_strip(
    judgement: Judgement, named: dict[tuple[int, int], str], *, rounds: int | None = None
) -> list[BarDrawing]:
    """Plan and take of the first `rounds` rounds, or of all. `named`: words under the hits that
    matter.
    """
    reading, expanded = judgement.reading, judgement.expanded
    by_key = judgement.by_key()
    start_s = reading.start_s or 0.0
    stretch = expanded.tempo_bpm / reading.tempo_bpm
    drawings = []
    for number in range(1, min(reading.rounds, rounds or reading.rounds) + 1):
        for bar in expanded.bars:
            if bar.number == 0 and number > 1:
                continue
            drawing = _plan_bar(expanded, bar, number)
            drawing.mirrored = True
            offset_s = (number - 1) * expanded.round_s
            for due in expanded.hits:
                if due.bar == bar.number and (hit := by_key.get((number, due.index))):
                    _add_heard(drawing, bar, hit, named.get(hit.key, ""))
            for extra in reading.extra_onsets:
                at_s = (extra.onset_s - start_s - judgement.around_ms / 1000) / stretch - offset_s
                if bar.start_s <= at_s < bar.end_s:
                    x = _x(bar, at_s, drawing.width)
                    y = drawing.line_y + BAND_PX
                    drawing.take.append(
                        Block("extra", f"M{x:.1f} {y:.1f}l4 8l-4 8l-4 -8z", "an extra hit", "")
                    )
                    drawing.notes.append(Word(x, "extra"))
            drawing.notes = spaced(drawing.notes, drawing.width)
            drawings.append(drawing)
    return drawings


def paired_strip(a: Judgement, b: Judgement) -> list[BarDrawing]:
    """The first round of two takes of a riff in one strip: the plan, A's take under it, and B's
    under that.
    """
    seconds = {bar.number: bar for bar in reading_strip(b, {}, rounds=1)}
    out = []
    for bar in reading_strip(a, {}, rounds=1):
        if bar.number in seconds:
            bar.second = seconds[bar.number]
            out.append(bar)
    return out


def spaced(notes: list[Word], width: float) -> list[Word]:
    """Labels under the take that neither overlap nor run over the bar's end; the same word again
    nearby is counted with the one that stands.
    """
    kept: list[Word] = []
    counts: list[int] = []
    for note in sorted(notes, key=lambda word: word.x):
        long = _word_px(note.text)
        x = max(0.0, min(note.x, width - long))
        if kept and x < kept[-1].x + _word_px(kept[-1].text) + NOTE_GAP_PX:
            if kept[-1].text.split(" ×")[0] == note.text:
                counts[-1] += 1
                kept[-1] = Word(kept[-1].x, f"{note.text} ×{counts[-1]}", note.css)
                over = kept[-1].x + _word_px(kept[-1].text) - width
                kept[-1] = Word(max(0.0, kept[-1].x - max(0.0, over)), kept[-1].text, note.css)
            continue
        kept.append(Word(round(x, 1), note.text, note.css))
        counts.append(1)
    return _without_overlaps(kept)


def _without_overlaps(notes: list[Word]) -> list[Word]:
    """A label that grew may have come upon its neighbours: the later of two gives way."""
    out: list[Word] = []
    for note in notes:
        if not out or note.x >= out[-1].x + _word_px(out[-1].text):
            out.append(note)
    return out


def _word_px(text: str) -> float:
    """About how wide a label is."""
    return len(text) * NOTE_CHAR_PX


def _x(bar: PlayedBar, at_s: float, width: float) -> float:
    return (at_s - bar.start_s) / (bar.end_s - bar.start_s) * width


def _plan_bar(
    expanded: ExpandedRiff, bar: PlayedBar, number: int, counts: dict[int, str] | None = None
) -> BarDrawing:
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
            _x(bar, max(due.due_s, bar.start_s), width),
            _x(bar, min(due.end_s, bar.end_s), width),
        )
        held = due.bar < bar.number
        title = plan_words(due.hit) + (" held on" if held else "")
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
        x, end = (_x(bar, due.due_s, width) for due in ends)
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
    said = {} if counts is None else {due.hit.at: counts.get(due.index, "") for due in hits}
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
            spoken_count(at, bar.meter) if counts is None else said.get(at, ""),
            round(float(s), 4),
            round(e, 4),
        )
        for (at, s), e in zip(ordered, ends, strict=True)
    ]


def _chords(bar: PlayedBar, hits: list[DueHit], width: float, instrument: Instrument) -> list[Word]:
    """Chord names where they change, with the root's place: as written, else after their notes."""
    words: list[Word] = []
    last = ""
    for due in hits:
        note = due.hit.notes[0]
        if due.hit.label is None and len(due.hit.notes) == 1:
            continue
        spot = f"{note.string}/{'x' if note.fret is None else note.fret}"
        named = due.hit.label or _name_of(due.hit, instrument)
        name, place = (named, spot) if named else (spot, "")
        key = f"{name} {spot}"
        x = _x(bar, due.due_s, width)
        if key != last and (not words or x - words[-1].x > 44):
            words.append(Word(x, name, place))
        last = key
    return words


def _name_of(hit: Hit, instrument: Instrument) -> str | None:
    midis = [instrument.midi(note) for note in hit.notes]
    return name_notes(tuple(midi for midi in midis if midi is not None)) if all(midis) else None


def _add_heard(drawing: BarDrawing, bar: PlayedBar, judged: JudgedHit, name: str) -> None:
    base = drawing.line_y + BAND_PX
    hit, due = judged.hit, judged.due
    mark = f"{hit.round}-{hit.index}"
    due_x = _x(bar, due.due_s, drawing.width)
    if judged.late_ms is None:
        if judged.missed:
            drawing.take.append(
                Block(
                    "missed",
                    f"M{due_x:.1f} {base:.1f}v{HALF_PX * 0.6:.1f}h10V{base:.1f}z",
                    "missed",
                    mark,
                )
            )
            drawing.notes.append(Word(due_x, "missed"))
        return
    late_ms = judged.late_ms
    x = max(0.0, _x(bar, due.due_s + late_ms / 1000, drawing.width))
    unsure = hit.heard_articulation is HeardKind.UNSURE
    kind = hit.heard_articulation.value if hit.heard_articulation else HeardKind.UNSURE.value
    shown = _likeliest(hit) if unsure else kind
    ring_s = hit.ring_s if hit.ring_s is not None else due.slot_s * 0.5
    rings_until_s = due.due_s + late_ms / 1000 + max(0.03, min(ring_s, due.slot_s * 4))
    end = min(_x(bar, rings_until_s, drawing.width), drawing.width)
    level = hit.relative_level_db if hit.relative_level_db is not None else 0.0
    height = HALF_PX * min(0.95, max(0.4, 0.74 + level / 40))
    stop = (
        stop_wall(end, base, height)
        if hit.ring_end == "stop" and shown == "open" and due.hit.stop
        else ""
    )
    depth = 0.6 if hit.mute_depth is None else hit.mute_depth
    drawing.take.append(
        Block(
            css=f"{shown} unsure" if unsure else shown,
            path=block_shape(shown, x, end, base, height, depth),
            title=f"heard {'palm-muted' if kind == 'palm' else kind}, {early_or_late(late_ms)}",
            hit=mark,
            stop=stop,
            question_x=x + 4 if unsure else None,
        )
    )
    drawing.wedges.append(_wedge(due_x, drawing.line_y, judged))
    if name:
        drawing.notes.append(Word(x, name))


def _likeliest(hit: HitReading) -> str:
    chances = hit.probabilities or {"open": 1.0}
    return max(chances, key=lambda kind: chances[kind])


def _wedge(x: float, line_y: float, judged: JudgedHit) -> Wedge:
    middle, late_ms = line_y + BAND_PX / 2, judged.late_ms or 0.0
    title = early_or_late(late_ms)
    if judged.in_time:
        return Wedge("dot", f"M{x - 2:.1f} {middle + 6:.1f}a2 2 0 1 0 4 0a2 2 0 1 0 -4 0z", title)
    size = min(26.0, 5.0 + abs(late_ms) * 0.42)
    lean = size if late_ms > 0 else -size
    return Wedge(
        "late" if late_ms > 0 else "early",
        f"M{x:.1f} {line_y + 1:.1f}V{line_y + BAND_PX - 1:.1f}H{x + lean:.1f}z",
        title,
    )

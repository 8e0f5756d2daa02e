"""The mirror strip: the plan above the line, and the take below it as a shadow of the same shapes.

The wedge on the line leans left for early and right for late; inside tolerance it is a dot.
"""

from thrumble.core.coach.verdict.finding import early_or_late
from thrumble.core.coach.verdict.judgement import HitKey, JudgedHit, Judgement
from thrumble.core.ear.reading import HeardKind, HitReading
from thrumble.core.riff.expand import PlayedBar
from thrumble.web.drawings.bars import BAND_PX, HALF_PX, BarDrawing, Block, Wedge, Word, place_x
from thrumble.web.drawings.blocks import block_shape, stop_wall
from thrumble.web.drawings.strip import plan_bar

NOTE_CHAR_PX, NOTE_GAP_PX = 6.2, 3.0


def reading_strip(
    judgement: Judgement, named: dict[HitKey, str], *, rounds: int | None = None
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
            drawing = plan_bar(expanded, bar, number=number)
            drawing.mirrored = True
            offset_s = (number - 1) * expanded.round_s
            for due in expanded.hits:
                if due.bar == bar.number and (hit := by_key.get(HitKey(number, due.index))):
                    _add_heard(drawing, bar, hit, named.get(hit.key, ""))
            for extra in reading.extra_onsets:
                at_s = (extra.onset_s - start_s - judgement.around_ms / 1000) / stretch - offset_s
                if bar.start_s <= at_s < bar.end_s:
                    x = place_x(bar, at_s, drawing.width)
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
    out: list[BarDrawing] = []
    for bar in reading_strip(a, {}, rounds=1):
        if bar.number in seconds:
            bar.second = seconds[bar.number]
            bar.between = "" if out else "A above, B below"
            out.append(bar)
    return out


def spaced(notes: list[Word], width: float) -> list[Word]:
    """Labels under the take that neither overlap nor run over the bar's end; the same word again
    nearby is counted with the one that stands.
    """
    words: list[Word] = []
    counts: list[int] = []
    for note in sorted(notes, key=lambda word: word.x):
        long = _word_px(note.text)
        x = max(0.0, min(note.x, width - long))
        if words and x < words[-1].x + _word_px(words[-1].text) + NOTE_GAP_PX:
            if words[-1].text.split(" ×")[0] == note.text:
                counts[-1] += 1
                words[-1] = Word(words[-1].x, f"{note.text} ×{counts[-1]}", note.css)
                over = words[-1].x + _word_px(words[-1].text) - width
                words[-1] = Word(max(0.0, words[-1].x - max(0.0, over)), words[-1].text, note.css)
            continue
        words.append(Word(round(x, 1), note.text, note.css))
        counts.append(1)
    return _without_overlaps(words)


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


def _add_heard(drawing: BarDrawing, bar: PlayedBar, judged: JudgedHit, name: str) -> None:
    base = drawing.line_y + BAND_PX
    hit, due = judged.hit, judged.due
    mark = f"{hit.round}-{hit.index}"
    due_x = place_x(bar, due.due_s, drawing.width)
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
    x = max(0.0, place_x(bar, due.due_s + late_ms / 1000, drawing.width))
    unsure = hit.heard_articulation is HeardKind.UNSURE
    kind = hit.heard_articulation.value if hit.heard_articulation else HeardKind.UNSURE.value
    shown = _likeliest(hit) if unsure else kind
    ring_s = hit.ring_s if hit.ring_s is not None else due.slot_s * 0.5
    rings_until_s = due.due_s + late_ms / 1000 + max(0.03, min(ring_s, due.slot_s * 4))
    end = min(place_x(bar, rings_until_s, drawing.width), drawing.width)
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

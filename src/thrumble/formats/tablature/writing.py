"""A riff as monospaced tablature: strings as lines, the highest on top, one column a slot; kinds of
hits, accents and counts in rows above and below. For people and for programs that read such text.
"""

from fractions import Fraction
from itertools import pairwise
from math import lcm

from thrumble.core.chords.names import read_chord_name
from thrumble.core.counting import counted
from thrumble.core.music.meter import spoken_count
from thrumble.core.music.pitch import midi_of, spell
from thrumble.core.riff.editing.edits import unrolled
from thrumble.core.riff.expand import DueHit, ExpandedRiff, PlayedBar, expand
from thrumble.core.riff.model import DEFAULT_DEPTH, Articulation, Hit, Legato, Riff, Stroke

MAX_COLUMNS = 240  # of a bar: sixteenths, triplets and fives together; finer ones are moved
MAX_LINE_COLUMNS = 64  # columns: beyond them a bar has a line of its own
BARS_A_LINE = 2


def write_tab(riff: Riff) -> bytes:
    """Every bar as written, two a line, with its section's name; UTF-8."""
    expanded = expand(unrolled(riff))
    tuning = " ".join(riff.tuning)
    meter = riff.sections[0].bars[0].meter
    lines = [
        _title_line(riff.title),
        f"{riff.tempo_bpm:f} bpm, {riff.feel}, tuning {tuning}",
        f"meter {meter}",
    ]
    if riff.capo:
        lines.append(f"capo on fret {riff.capo}")
    if riff.play:
        names = (f'"{name}"' if " " in name else name for name in riff.play)
        lines.append("play " + " ".join(names))
    bars = [bar for bar in expanded.bars if bar.number]
    by_bar: dict[int, list[DueHit]] = {bar.number: [] for bar in expanded.bars}
    for due in expanded.hits:
        by_bar[due.bar].append(due)
    widths = {bar.number: _slots(bar, by_bar[bar.number]) for bar in bars}
    before = ""
    k = 0
    while k < len(bars):
        section = bars[k].section
        line_of = (section, bars[k].meter)
        row = [b for b in bars[k : k + BARS_A_LINE] if (b.section, b.meter) == line_of]
        if sum(widths[b.number] for b in row) > MAX_LINE_COLUMNS:
            row = row[:1]
        if section != before:
            lines += ["", f"[{section}]"]
            before = section
        if row[0].meter != meter:
            meter = row[0].meter
            lines += ["", f"meter {meter}"]
        lines += ["", *_system(riff, by_bar, row)]
        k += len(row)
    return ("\n".join(lines) + "\n").encode()


def _title_line(title: str) -> str:
    """The title alone, or marked as one if it could be taken for a tempo, capo or section."""
    plain = all(c.isalpha() or c in " ,.'!?-" for c in title)
    return title if plain and len(title.split()) < 12 else f"title: {title}"


def tab_lost(riff: Riff) -> list[str]:
    """What tablature does not hold of a riff, in words."""
    expanded = expand(unrolled(riff))
    hits = [due.hit for due in expanded.hits if due.bar]
    out = []
    if any(section.endings for section in riff.sections):
        out.append("endings: their bars stand behind their section's")
    unplayed = [s.name for s in riff.sections if s.name not in riff.order and s.over is None]
    if unplayed:
        out.append(f"sections that are never played: {', '.join(unplayed)}")
    if any(hit.stop for hit in hits):
        out.append("stops: where a hit must be silent is not written")
    if any(hit.depth is not None and hit.depth != DEFAULT_DEPTH for hit in hits):
        out.append("depths of palm mutes: every mute is PM")
    if riff.pickup:
        out.append("the pick-up")
    if riff.pedal:
        out.append("which note is the pedal")
    if any(section.over is not None for section in riff.sections):
        out.append("second parts: their bars stand like those of any section")
    if any(section.feel is not None for section in riff.sections):
        out.append("feels of single sections")
    if not _rings_on(expanded):
        out.append("how long hits ring: each is read back as ringing until the next")
    if _labels_read_back(hits) != [hit.label for hit in hits]:
        out.append("chord names: they stand where they change, over chords only")
    return out + [name for name, there in _marks_lost(hits).items() if there] + _too_close(expanded)


def _marks_lost(hits: list[Hit]) -> dict[str, bool]:
    dead = [hit for hit in hits if hit.articulation is Articulation.DEAD]
    unplucked = [hit for hit in hits if hit.legato is None]
    return {
        "bends": any(hit.bend is not None for hit in hits),
        "mutes that open up": any(hit.opens for hit in hits),
        "chords struck string by string": any(hit.arpeggio for hit in hits),
        "mute ramps": any(hit.ramp for hit in hits),
        "strings that ring on": any(note.let_ring for hit in hits for note in hit.notes),
        "fingers and strokes": any(
            hit.stroke is not Stroke.DOWN or any(note.plucked for note in hit.notes)
            for hit in unplucked
        )
        or any(note.plucked for hit in hits for note in hit.notes),
        "staccato": any(hit.staccato for hit in hits),
        "slides by anything but two frets": any(
            hit.slide_from not in (None, -2, 2) for hit in hits
        ),
        "frets of dead hits": any(note.fret is not None for hit in dead for note in hit.notes),
        "slides, hammer-ons and pull-offs of dead hits": any(
            hit.slide_from is not None or hit.legato is not None for hit in dead
        ),
        "slides together with hammer-ons and pull-offs": any(
            hit.slide_from is not None and hit.legato is not None for hit in hits
        ),
    }


def _rings_on(expanded: ExpandedRiff) -> bool:
    """Whether every hit rings until the next one of its bar, or the bar's end."""
    for due, following in pairwise([*expanded.hits, None]):
        assert due is not None
        end = due.hit.at + due.hit.length
        meter = next(bar.meter for bar in expanded.bars if bar.number == due.bar)
        same_bar = following is not None and following.bar == due.bar
        if end != (following.hit.at if following and same_bar else meter.length):
            return False
    return True


def _labels_read_back(hits: list[Hit]) -> list[str | None]:
    """The chord names that a reader finds: a name holds for all chords until the next one."""
    out: list[str | None] = []
    last = None
    for hit in hits:
        named = hit.label if hit.label and read_chord_name(hit.label) else None
        last = named or last
        out.append(last if len(hit.notes) > 1 else None)
    return out


def _too_close(expanded: ExpandedRiff) -> list[str]:
    """Bars with more subdivisions than there are columns, and what falls together there."""
    out = []
    for bar in expanded.bars:
        due = [hit for hit in expanded.hits if hit.bar == bar.number]
        if not bar.number or _slots_asked(bar, due) <= MAX_COLUMNS:
            continue
        columns = {_column(due_hit, bar, _slots(bar, due)) for due_hit in due}
        lost = len(due) - len(columns)
        words = f"bar {bar.number}: its subdivisions are too fine, so hits are moved to the nearest"
        out.append(f"{words}, and {counted(lost, 'hit')} left out" if lost else words)
    return out


def _system(riff: Riff, by_bar: dict[int, list[DueHit]], row: list[PlayedBar]) -> list[str]:
    """The lines of one or two bars."""
    names = [spell(midi_of(name)) for name in reversed(riff.tuning)]
    wide = max(len(name) for name in names)
    strings = [f"{name:<{wide}}|" for name in names]
    chords, mutes, marks, counts = (" " * (wide + 1) for _ in range(4))
    for bar in row:
        due = by_bar[bar.number]
        slots = _slots(bar, due)
        columns: list[dict[int, str]] = [{} for _ in range(slots)]
        words = [["", "", "", ""] for _ in range(slots)]
        label = None
        for due_hit in due:
            k = _column(due_hit, bar, slots)
            columns[k] = _frets(due_hit)
            hit = due_hit.hit
            words[k][0] = (hit.label or "") if hit.label != label else ""
            label = hit.label or label
            words[k][1] = "PM" if hit.articulation is Articulation.PALM else ""
            words[k][2] = ">" if hit.accent else ""
        for k in range(slots):
            at = bar.meter.length * k / slots
            words[k][3] = spoken_count(at, bar.meter)
        widest = max(
            max([len(fret) for fret in column.values()] + [len(w) for w in words[k][1:]] + [1])
            for k, column in enumerate(columns)
        )
        sizes = [widest + 1] * slots  # even: a slot is as wide as another
        for number in range(len(strings)):
            for k, column in enumerate(columns):
                strings[number] += column.get(number + 1, "").ljust(sizes[k], "-")
            strings[number] += "|"
        chords += _spread([w[0] for w in words], sizes) + " "
        mutes += "".join(w[1].ljust(sizes[k]) for k, w in enumerate(words)) + " "
        marks += "".join(w[2].ljust(sizes[k]) for k, w in enumerate(words)) + " "
        counts += "".join(w[3].ljust(sizes[k]) for k, w in enumerate(words)) + " "
    above = [line.rstrip() for line in (chords, marks, mutes) if line.strip()]
    return [*above, *strings, counts.rstrip()]


def _spread(words: list[str], sizes: list[int]) -> str:
    """Words over their columns; one that is longer runs on if nothing follows."""
    line = ""
    start = 0
    for word, size in zip(words, sizes, strict=True):
        if word:
            line = line.ljust(start)
            line = f"{line} {word}" if len(line) > start else line + word
        start += size
    return line.ljust(start)


def _slots(bar: PlayedBar, due: list[DueHit]) -> int:
    """The columns of a bar: its beats in halves at least, finer if its hits ask for it."""
    slots = _slots_asked(bar, due)
    return slots if slots <= MAX_COLUMNS else MAX_COLUMNS - MAX_COLUMNS % (2 * bar.meter.beats)


def _slots_asked(bar: PlayedBar, due: list[DueHit]) -> int:
    places = [due_hit.hit.at / bar.meter.length for due_hit in due]
    return lcm(bar.meter.beats * 2, *(Fraction(place).denominator for place in places))


def _column(due: DueHit, bar: PlayedBar, slots: int) -> int:
    return min(slots - 1, int(due.hit.at / bar.meter.length * slots))


def _frets(due: DueHit) -> dict[int, str]:
    """What stands on each string: x for a dead hit; h p / and \\ before a fret come from its
    legato and slide.
    """
    hit = due.hit
    before = {Legato.HAMMER: "h", Legato.PULL: "p", None: ""}[hit.legato]
    if hit.slide_from is not None:
        before = "/" if hit.slide_from < 0 else "\\"
    dead = hit.articulation is Articulation.DEAD
    return {
        note.string: "x" if dead or note.fret is None else f"{before}{note.fret}"
        for note in hit.notes
    }

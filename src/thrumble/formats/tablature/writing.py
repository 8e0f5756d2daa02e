"""A riff as monospaced tablature: strings as lines, the highest on top, one column a slot; kinds of
hits, accents and counts in rows above and below. For people and for programs that read such text.
"""

from fractions import Fraction
from math import lcm

from thrumble.core.music.meter import spoken_count
from thrumble.core.music.pitch import midi_of, spell
from thrumble.core.riff.edits import unrolled
from thrumble.core.riff.expand import DueHit, ExpandedRiff, PlayedBar, expand
from thrumble.core.riff.model import Articulation, Legato, Riff, Stroke

MOST_COLUMNS = 32  # of a bar; finer ones are written as near as that allows
BARS_A_LINE = 2
LEAST_SLOTS = 8


def write_tab(riff: Riff) -> bytes:
    """Every bar as written, two a line, with its section's name; UTF-8."""
    expanded = expand(unrolled(riff))
    tuning = " ".join(riff.tuning)
    meter = riff.sections[0].bars[0].meter
    lines = [riff.title, f"{riff.tempo_bpm:f} bpm, {riff.feel}, tuning {tuning}", f"meter {meter}"]
    if riff.capo:
        lines.append(f"capo on fret {riff.capo}")
    if riff.play:
        lines.append("play " + " ".join(riff.play))
    bars = [bar for bar in expanded.bars if bar.number]
    before = ""
    k = 0
    while k < len(bars):
        section = bars[k].section
        alike = (section, bars[k].meter)
        row = [b for b in bars[k : k + BARS_A_LINE] if (b.section, b.meter) == alike]
        if section != before:
            lines += ["", f"[{section}]"]
            before = section
        if row[0].meter != meter:
            meter = row[0].meter
            lines += ["", f"meter {meter}"]
        lines += ["", *_system(riff, expanded, row)]
        k += len(row)
    return ("\n".join(lines) + "\n").encode()


def tab_lost(riff: Riff) -> list[str]:
    """What tablature does not hold of a riff, in words."""
    hits = [due.hit for due in expand(unrolled(riff)).hits]
    out = []
    if any(section.endings for section in riff.sections):
        out.append("endings: their bars stand behind their section's")
    if any(hit.stop for hit in hits):
        out.append("stops: where a hit must be silent is not written")
    if any(hit.depth is not None and float(hit.depth) != 0.6 for hit in hits):
        out.append("depths of palm mutes: every mute is PM")
    if riff.pickup:
        out.append("the pick-up")
    if any(section.over is not None for section in riff.sections):
        out.append("second parts: their bars stand like those of any section")
    marks = {
        "bends": any(hit.bend is not None for hit in hits),
        "mutes that open up": any(hit.opens for hit in hits),
        "chords struck string by string": any(hit.arpeggio for hit in hits),
        "mute ramps": any(hit.ramp for hit in hits),
        "strings that ring on": any(note.let_ring for hit in hits for note in hit.notes),
        "fingers and strokes": any(
            hit.stroke is not Stroke.DOWN or any(note.plucked for note in hit.notes)
            for hit in hits
            if hit.legato is None
        ),
        "staccato": any(hit.staccato for hit in hits),
    }
    return out + [name for name, there in marks.items() if there]


def _system(riff: Riff, expanded: ExpandedRiff, row: list[PlayedBar]) -> list[str]:
    """The lines of one or two bars."""
    names = [spell(midi_of(name)) for name in reversed(riff.tuning)]
    wide = max(len(name) for name in names)
    strings = [f"{name:<{wide}}|" for name in names]
    chords, mutes, marks, counts = (" " * (wide + 1) for _ in range(4))
    for bar in row:
        due = [one for one in expanded.hits if one.bar == bar.number]
        slots = _slots(bar, due)
        columns: list[dict[int, str]] = [{} for _ in range(slots)]
        words = [["", "", "", ""] for _ in range(slots)]
        label = None
        for one in due:
            k = min(slots - 1, int(one.hit.at / bar.meter.length * slots))
            columns[k] = _frets(one)
            hit = one.hit
            words[k][0] = (hit.label or "") if hit.label != label else ""
            label = hit.label or label
            words[k][1] = "PM" if hit.articulation is Articulation.PALM else ""
            words[k][2] = ">" if hit.accent else ""
        for k in range(slots):
            at = bar.meter.length * k / slots
            words[k][3] = spoken_count(at, bar.meter)
        sizes = [
            max([len(fret) for fret in column.values()] + [len(w) for w in words[k][1:]] + [1]) + 1
            for k, column in enumerate(columns)
        ]
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
    """Words over their columns; one that is longer runs on where nothing follows."""
    line = ""
    start = 0
    for word, size in zip(words, sizes, strict=True):
        if word:
            line = line.ljust(start)
            line = f"{line} {word}" if len(line) > start else line + word
        start += size
    return line.ljust(start)


def _slots(bar: PlayedBar, due: list[DueHit]) -> int:
    """The columns of a bar: its beats in halves at least, finer where its hits ask for it."""
    places = [one.hit.at / bar.meter.length for one in due]
    slots = lcm(bar.meter.beats * 2, *(Fraction(place).denominator for place in places))
    return slots if slots <= MOST_COLUMNS else max(LEAST_SLOTS, MOST_COLUMNS)


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

"""From what was read of a part to the riff: hits in bars, bars in sections."""

from bisect import bisect_left
from dataclasses import replace
from decimal import Decimal
from fractions import Fraction
from typing import Any
from xml.etree.ElementTree import Element

from thrumble.core.chords.voicing import lay_pitches
from thrumble.core.counting import counted
from thrumble.core.errors import RiffError
from thrumble.core.instrument import Instrument, Note
from thrumble.core.music.feel import STRAIGHT, Feel
from thrumble.core.riff.model import (
    DEFAULT_DEPTH,
    Articulation,
    Bar,
    Hit,
    Pickup,
    Riff,
    Section,
    Stroke,
)
from thrumble.formats.fitting import possible, section_name, whole_bars
from thrumble.formats.musicxml.part import PartRead, Struck
from thrumble.formats.musicxml.score import (
    played,
)
from thrumble.formats.musicxml.signs import (
    pedal_of,
)
from thrumble.formats.sections import merged

LOST: dict[str, tuple[str, ...]] = {
    "grace notes": ("grace note",),
    "cue notes": ("cue note",),
    "other staves": ("note on another staff", "notes on other staves"),
    "one string": ("second note on a string at once", "second notes on a string at once"),
    "off the neck": ("note that isn't on the neck", "notes that aren't on the neck"),
    "unplaced": ("note with neither pitch nor fret", "notes with neither pitch nor fret"),
    "cut short": (
        "note cut short where the next hit comes",
        "notes cut short where the next hit comes",
    ),
    "notes": (
        "note that can't be fretted together with the rest",
        "notes that can't be fretted together with the rest",
    ),
}  # what of a part is not in the riff: one, and several


def left_out(part: PartRead) -> list[str]:
    """What was in the part and is not in the riff, in words."""
    out = list(part.retuned)
    played = part.tempo or 120.0
    if round(played, 1) != round(_bpm(part), 1):
        out.append(f"a tempo of {played:g} bpm: the riff has {_bpm(part):g}, the nearest it can")
    if len({round(tempo, 1) for tempo in part.tempos}) > 1:
        out.append(f"changes of tempo: the riff keeps {_bpm(part):g} bpm all through")
    out += [counted(part.lost[name], *words) for name, words in LOST.items() if part.lost[name]]
    if part.lost["jumps"]:
        out.append("jumps such as da capo and coda: it is played straight through")
    if part.lost["feels"]:
        out.append("changes of feel: the first one holds all through")
    return out + _contradictions(part)


def _contradictions(part: PartRead) -> list[str]:
    """Frets that sound other pitches than those written. An octave is how guitars are notated, and
    the same distance throughout is a capo or another tuning.
    """
    total = sum(part.offsets.values())
    if not total:
        return []
    usual, count = part.offsets.most_common(1)[0]
    others = total - count
    out = []
    if usual % 12:
        out.append(
            f"written pitches: the frets sound {counted(abs(usual), 'semitone')} "
            f"{'higher' if usual > 0 else 'lower'} all through, and the frets are taken"
        )
    if others:
        words = ("note whose fret and pitch disagree", "notes whose fret and pitch disagree")
        out.append(f"the pitch of {counted(others, *words)}: the fret is taken")
    return out


def _bpm(part: PartRead) -> float:
    return min(400.0, max(20.0, part.tempo or 120.0))


def riff_of(part: PartRead, root: Element) -> Riff:
    """Hits in bars, bars in sections, sections in their order of play."""
    title = root.findtext("work/work-title") or root.findtext("movement-title") or ""
    title = "".join(c for c in " ".join(title.split()) if c.isprintable())[:120].strip()
    instrument = Instrument(tuning=part.tuning, capo=part.capo)
    hits = _hits(part, instrument)
    bars = [_bar(part, place, hits) for place in range(len(part.written))]
    pickup = None
    order = played(part.measures)
    if part.measures[0].implicit and part.written[0].length:
        pickup = Pickup(part.written[0].length, bars[0].hits)
        order = [place for place in order if place]
    feel = _feel(part)
    runs: list[tuple[str, Any, list[Bar]]] = []
    for place in order:
        written = part.written[place]
        if written.section is not None or not runs:
            own_feel = written.feel if written.own_feel else None
            runs.append((section_name(written.section), own_feel, []))
        runs[-1][2].append(bars[place])
    if not runs:
        raise RiffError("there is no measure but the pick-up", place="file")
    sections, play = merged(runs)
    return Riff(
        title=title or "From a score",
        tempo_bpm=Decimal(str(round(_bpm(part), 3))),
        sections=tuple(
            Section(name=name, bars=whole_bars(bars), feel=feel) for name, feel, bars in sections
        ),
        tuning=part.tuning,
        capo=part.capo,
        feel=feel,
        play=tuple(play),
        pickup=pickup,
        pedal=pedal_of(root),
    )


def _feel(part: PartRead) -> Feel:
    feels = [w.feel for w in part.written if w.feel is not None and not w.own_feel]
    part.lost["feels"] = len(set(feels)) > 1
    return feels[0] if feels else STRAIGHT


def _hits(part: PartRead, instrument: Instrument) -> list[tuple[Fraction, Hit]]:
    ordered = [part.struck[at] for at in sorted(part.struck)]
    ends = [hit.at for hit in ordered[1:]] + [part.written[-1].start + 64]
    out: list[tuple[Fraction, Hit]] = []
    near: tuple[Note, ...] = ()
    for struck, following in zip(ordered, ends, strict=True):
        notes = _notes(part, struck, instrument, near)
        if not notes:
            continue
        near = notes
        length = min(struck.end, following) - struck.at
        part.lost["cut short"] += struck.end > following
        out.append((struck.at, _hit(part, struck, notes, length)))
    return out


def _notes(
    part: PartRead, struck: Struck, instrument: Instrument, near: tuple[Note, ...]
) -> tuple[Note, ...]:
    """The strings of a hit; notes without one are laid where the hand reaches them."""
    most = len(instrument.tuning)
    notes = {s: n for s, n in struck.notes.items() if s <= most}
    part.lost["notes"] += len(struck.notes) - len(notes)
    pitches = sorted(set(struck.pitches))
    while not notes and pitches:
        laid = lay_pitches(instrument, tuple(pitches[:most]), near)
        if laid is not None:
            return laid
        part.lost["notes"] += 1
        pitches.pop()
    dead = struck.dead
    placed = [note for note in notes.values() if dead or note.fret is not None]
    part.lost["unplaced"] += len(notes) - len(placed)
    return tuple(sorted(placed, key=lambda note: -note.string))


def _hit(part: PartRead, struck: Struck, notes: tuple[Note, ...], length: Fraction) -> Hit:
    marks = dict(struck.marks)
    if marks.pop("named", False):
        part.labels[notes] = struck.label
    articulation = Articulation.PALM if struck.palm else Articulation.OPEN
    if struck.dead:
        articulation = Articulation.DEAD
    palm = articulation is Articulation.PALM
    depth = marks.pop("depth", DEFAULT_DEPTH)
    legato = marks.get("legato")
    stroke = None if legato else marks.pop("stroke", Stroke.DOWN)
    marks.pop("stroke", None)
    hit = Hit(
        at=Fraction(0),
        length=length,
        notes=notes,
        articulation=articulation,
        depth=depth if palm else None,
        stroke=stroke,
        label=part.labels.get(notes),
        **marks,
    )
    return possible(hit)


def _bar(part: PartRead, place: int, hits: list[tuple[Fraction, Hit]]) -> Bar:
    """The hits that begin in a measure."""
    written = part.written[place]
    end = written.start + written.meter.length
    if part.measures[place].implicit:
        end = written.start + written.length
    first = bisect_left(hits, written.start, key=lambda item: item[0])
    last = bisect_left(hits, end, key=lambda item: item[0])
    inside = [replace(hit, at=at - written.start) for at, hit in hits[first:last]]
    return Bar(written.meter, tuple(inside))

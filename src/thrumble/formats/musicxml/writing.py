"""A riff as MusicXML: a tablature staff with strings, frets and techniques, sections as rehearsal
marks, what is played several times in a row as repeats. What notation has no sign for stands where
the format leaves room: in `other-technical`, `other-articulation` and `other-play`.
"""

import re
from itertools import groupby
from math import lcm
from xml.etree import ElementTree as ET

from thrumble.core.chords.names import NAME
from thrumble.core.instrument import Note
from thrumble.core.music.feel import Feel
from thrumble.core.music.meter import Meter
from thrumble.core.music.pitch import name_of
from thrumble.core.riff.model import Articulation, Bar, Hit, Legato, Ramp, Riff, Section, Stroke
from thrumble.formats.musicxml.values import Piece, all_quarters, note_values, pieces_of
from thrumble.formats.musicxml.words import (
    DEPTH,
    FEEL_OF_RIFF,
    FEEL_OF_SECTION,
    FINGERS,
    HARMONY_KINDS,
    LABELLED,
    OPENS,
    PLUCKED,
    RAMP,
    SLIDE,
    STOP,
    SWING_UNITS,
    spelt,
)
from thrumble.formats.sections import lost_in_order

LEGATO_SIGNS = {Legato.HAMMER: "hammer-on", Legato.PULL: "pull-off"}


def write_musicxml(riff: Riff) -> bytes:
    """The riff in playing order; UTF-8."""
    root = ET.Element("score-partwise", version="4.0")
    _text(ET.SubElement(root, "work"), "work-title", riff.title)
    fields = ET.SubElement(ET.SubElement(root, "identification"), "miscellaneous")
    if riff.pedal is not None:
        pedal = f"{riff.pedal.string}:{riff.pedal.fret}"
        ET.SubElement(fields, "miscellaneous-field", name="pedal").text = pedal
    part = ET.SubElement(ET.SubElement(root, "part-list"), "score-part", id="P1")
    _text(part, "part-name", "Guitar")
    _Score(riff).write(ET.SubElement(root, "part", id="P1"))
    ET.indent(root)
    return bytes(ET.tostring(root, encoding="utf-8", xml_declaration=True))


def musicxml_lost(riff: Riff) -> list[str]:
    """What the file does not hold of a riff, in words."""
    out = lost_in_order(riff)
    feels = [riff.feel, *(section.feel for section in riff.sections if section.feel)]
    if any(feel.ratio is not None and feel.unit not in SWING_UNITS for feel in feels):
        out.append("a shuffle on anything but eighths or sixteenths: it is written straight")
    return out


class _Score:
    """The measures as they are written; keeps what holds from one to the next."""

    def __init__(self, riff: Riff) -> None:
        self.riff = riff
        self.meter: Meter | None = None
        self.feel: Feel | None = None
        self.number = 0
        self.labels: dict[tuple[Note, ...], str | None] = {}
        self.swelling = False  # a mute ramp's wedge is open
        self.divisions = lcm(*(value.denominator for value in all_quarters(riff)))

    def write(self, part: ET.Element) -> None:
        riff = self.riff
        if riff.pickup:
            length = riff.pickup.length
            bar = Bar(Meter(length.numerator, length.denominator), riff.pickup.hits)
            self._bars(part, (bar,), implicit=True)
        by_name = {section.name: section for section in riff.sections}
        for name, group in groupby(riff.order):
            self._section(part, by_name[name], sum(1 for _ in group))
        if self.swelling:
            part[-1].append(_wedge("stop"))

    def _section(self, part: ET.Element, section: Section, times: int) -> None:
        """A section with its repeats and endings; its first measure carries its name."""
        before = len(part)
        self._bars(part, section.bars)
        first = part[before]
        self._opening(first, section)
        endings = section.endings[:times]
        if times > 1:
            bar = ET.Element("barline", location="left")
            ET.SubElement(bar, "repeat", direction="forward")
            first.insert(0, bar)
        for number, ending in enumerate(endings, 1):
            last = number == len(endings)
            passes = range(number, times + 1) if last else range(number, number + 1)
            begin = len(part)
            self._bars(part, ending)
            called = ",".join(map(str, passes))
            left = ET.Element("barline", location="left")
            ET.SubElement(left, "ending", number=called, type="start")
            part[begin].insert(0, left)
            right = ET.SubElement(part[-1], "barline", location="right")
            ET.SubElement(right, "ending", number=called, type="stop")
            if not last or len(passes) > 1:
                ET.SubElement(right, "repeat", direction="backward")
        if times > 1 and not endings:
            right = ET.SubElement(part[-1], "barline", location="right")
            ET.SubElement(right, "repeat", direction="backward", times=str(times))

    def _opening(self, measure: ET.Element, section: Section) -> None:
        direction = ET.Element("direction", placement="above")
        _text(ET.SubElement(direction, "direction-type"), "rehearsal", section.name)
        place = 1 if measure[0].tag == "attributes" else 0
        measure.insert(place, direction)
        feel = section.feel or self.riff.feel
        if section.feel is not None or feel != self.feel:
            style = FEEL_OF_RIFF if section.feel is None else FEEL_OF_SECTION
            measure.insert(place + 1, _swing(feel, style))
        self.feel = feel

    def _bars(self, part: ET.Element, bars: tuple[Bar, ...], *, implicit: bool = False) -> None:
        for bar, pieces in zip(bars, pieces_of(bars), strict=True):
            if not implicit:
                self.number += 1
            measure = ET.SubElement(part, "measure", number=str(self.number))
            if implicit:
                measure.set("implicit", "yes")
            self._attributes(measure, bar.meter, first=len(part) == 1)
            if len(part) == 1:
                self._tempo(measure)
            for piece in pieces:
                self._piece(measure, piece)

    def _attributes(self, measure: ET.Element, meter: Meter, *, first: bool) -> None:
        if not first and meter == self.meter:
            return
        out = ET.SubElement(measure, "attributes")
        if first:
            _text(out, "divisions", str(self.divisions))
        time = ET.SubElement(out, "time")
        _text(time, "beats", str(meter.beats))
        _text(time, "beat-type", str(meter.unit))
        self.meter = meter
        if not first:
            return
        clef = ET.SubElement(out, "clef")
        _text(clef, "sign", "TAB")
        _text(clef, "line", "5")
        details = ET.SubElement(out, "staff-details")
        _text(details, "staff-lines", str(len(self.riff.tuning)))
        for line, name in enumerate(self.riff.tuning, 1):
            tuning = ET.SubElement(details, "staff-tuning", line=str(line))
            step, alter, octave = spelt(name)
            _text(tuning, "tuning-step", step)
            if alter:
                _text(tuning, "tuning-alter", str(alter))
            _text(tuning, "tuning-octave", octave)
        if self.riff.capo:
            _text(details, "capo", str(self.riff.capo))

    def _tempo(self, measure: ET.Element) -> None:
        tempo = f"{self.riff.tempo_bpm:f}"
        direction = ET.SubElement(measure, "direction", placement="above")
        metronome = ET.SubElement(ET.SubElement(direction, "direction-type"), "metronome")
        _text(metronome, "beat-unit", "quarter")
        _text(metronome, "per-minute", tempo)
        ET.SubElement(direction, "sound", tempo=tempo)

    # --- notes ---

    def _piece(self, measure: ET.Element, piece: Piece) -> None:
        if piece.hit is not None and piece.begins:
            self._before(measure, piece.hit)
        parts = list(note_values(piece.length))
        for number, (length, kind, dots, tuplet) in enumerate(parts):
            opens = piece.begins and number == 0
            closes = piece.ends and number == len(parts) - 1
            value = (str(int(length * 4 * self.divisions)), kind, dots, tuplet)
            if piece.hit is None:
                note = ET.SubElement(measure, "note")
                ET.SubElement(note, "rest")
                _value(note, value)
                continue
            for count, string in enumerate(piece.hit.notes):
                note = ET.SubElement(measure, "note")
                if count:
                    ET.SubElement(note, "chord")
                self._note(
                    note,
                    piece.hit,
                    string,
                    value,
                    opens=opens,
                    closes=closes,
                    leads=piece.leads,
                )

    def _before(self, measure: ET.Element, hit: Hit) -> None:
        """The chord's name if it is not what these notes were called last."""
        if self.labels.get(hit.notes) != hit.label:
            measure.append(_harmony(hit.label))
            self.labels[hit.notes] = hit.label
        if self.swelling and hit.ramp is not Ramp.ON:
            measure.append(_wedge("stop"))
            self.swelling = False
        if hit.ramp is Ramp.START:
            measure.append(_wedge("crescendo"))
            self.swelling = True

    def _note(
        self,
        note: ET.Element,
        hit: Hit,
        string: Note,
        value: tuple[str, str, int, tuple[int, int] | None],
        *,
        opens: bool,
        closes: bool,
        leads: Legato | None,
    ) -> None:
        instrument = self.riff.instrument
        midi = instrument.midi(string)
        step, alter, octave = spelt(
            name_of(instrument.open_midi(string.string) if midi is None else midi)
        )
        pitch = ET.SubElement(note, "pitch")
        _text(pitch, "step", step)
        if alter:
            _text(pitch, "alter", str(alter))
        _text(pitch, "octave", octave)
        _text(note, "duration", value[0])
        ties = [kind for kind, on in (("stop", not opens), ("start", not closes)) if on]
        for kind in ties:
            ET.SubElement(note, "tie", type=kind)
        _value(note, (None, *value[1:]))
        if hit.articulation is Articulation.DEAD:
            _text(note, "notehead", "x")
        notations = ET.SubElement(note, "notations")
        for kind in ties:
            ET.SubElement(notations, "tied", type=kind)
        technical = ET.SubElement(notations, "technical")
        _text(technical, "string", str(string.string))
        if string.fret is not None:
            _text(technical, "fret", str(string.fret))
        if opens:
            _techniques(notations, technical, hit, string)
            _played(note, hit)
        if closes and leads:
            ET.SubElement(technical, LEGATO_SIGNS[leads], type="start")


def _wedge(kind: str) -> ET.Element:
    direction = ET.Element("direction", placement="below")
    ET.SubElement(ET.SubElement(direction, "direction-type"), "wedge", type=kind)
    return direction


def _techniques(notations: ET.Element, technical: ET.Element, hit: Hit, string: Note) -> None:
    """All signs of the hit, on each of its notes where it begins."""
    if hit.stroke in (Stroke.DOWN, Stroke.UP):
        ET.SubElement(technical, "down-bow" if hit.stroke is Stroke.DOWN else "up-bow")
    if string.plucked:
        _text(technical, "pluck", PLUCKED[string.plucked])
    if hit.legato:
        ET.SubElement(technical, LEGATO_SIGNS[hit.legato], type="stop")
    if hit.bend is not None:
        _text(ET.SubElement(technical, "bend"), "bend-alter", f"{hit.bend:f}")
    others = [
        (hit.stroke is Stroke.FINGERS, FINGERS),
        (hit.opens, OPENS),
        (hit.slide_from is not None, f"{SLIDE} {hit.slide_from}"),
    ]
    for on, words in others:
        if on:
            _text(technical, "other-technical", words)
    signs = [
        (hit.accent, "accent"),
        (hit.staccato, "staccato"),
        (hit.slide_from is not None and hit.slide_from < 0, "scoop"),
        (hit.slide_from is not None and hit.slide_from > 0, "plop"),
    ]
    wanted = [name for on, name in signs if on]
    if wanted or hit.stop:
        articulations = ET.SubElement(notations, "articulations")
        for name in wanted:
            ET.SubElement(articulations, name)
        if hit.stop:
            _text(articulations, "other-articulation", STOP)
    if string.let_ring:
        ET.SubElement(notations, "tied", type="let-ring")
    if hit.arpeggio:
        ET.SubElement(notations, "arpeggiate")


def _played(note: ET.Element, hit: Hit) -> None:
    """How the palm lies."""
    if hit.articulation is not Articulation.PALM:
        return
    play = ET.SubElement(note, "play")
    _text(play, "mute", "palm")
    ET.SubElement(play, "other-play", type=DEPTH).text = f"{hit.depth:f}"
    if hit.ramp is not None:
        ET.SubElement(play, "other-play", type=RAMP).text = hit.ramp.value


def _harmony(label: str | None) -> ET.Element:
    """A chord symbol. A name that doesn't begin with a note, and the place from which no name
    holds any more, are written as directions instead: MusicXML has no sign for either.
    """
    match = re.fullmatch(r"([A-G])([#b]?)(.*)", label or "")
    if match is None:
        direction = ET.Element("direction")
        words = f"{LABELLED} {label or ''}".strip()
        _text(ET.SubElement(direction, "direction-type"), "other-direction", words)
        return direction
    harmony = ET.Element("harmony")
    out = ET.SubElement(harmony, "root")
    _text(out, "root-step", match[1])
    if match[2]:
        _text(out, "root-alter", "1" if match[2] == "#" else "-1")
    chord = NAME.fullmatch(label or "")
    kind = HARMONY_KINDS[chord["quality"] or ""] if chord else "other"
    ET.SubElement(harmony, "kind", text=match[3]).text = kind
    return harmony


def _swing(feel: Feel, style: str) -> ET.Element:
    sound = ET.Element("sound")
    swing = ET.SubElement(sound, "swing")
    unit = SWING_UNITS.get(feel.unit)
    if feel.ratio is None or unit is None:
        ET.SubElement(swing, "straight")
    else:
        _text(swing, "first", str(feel.ratio.numerator))
        _text(swing, "second", str(feel.ratio.denominator))
        _text(swing, "swing-type", unit)
    _text(swing, "swing-style", style)
    return sound


def _value(note: ET.Element, value: tuple[str | None, str, int, tuple[int, int] | None]) -> None:
    duration, kind, dots, tuplet = value
    if duration is not None:
        _text(note, "duration", duration)
    _text(note, "voice", "1")
    _text(note, "type", kind)
    for _ in range(dots):
        ET.SubElement(note, "dot")
    if tuplet:
        out = ET.SubElement(note, "time-modification")
        _text(out, "actual-notes", str(tuplet[0]))
        _text(out, "normal-notes", str(tuplet[1]))


def _text(parent: ET.Element, tag: str, words: str) -> ET.Element:
    child = ET.SubElement(parent, tag)
    child.text = words
    return child

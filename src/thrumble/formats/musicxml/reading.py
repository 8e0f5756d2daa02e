"""MusicXML to riffs, our own and anybody's: tablature, notation or both; repeats and endings
written out; techniques by the signs that programs use for them.
"""

import re
from dataclasses import dataclass
from decimal import Decimal
from fractions import Fraction
from xml.etree.ElementTree import Element

from thrumble.core.errors import RiffError
from thrumble.core.instrument import MAX_FRET, Instrument, Note
from thrumble.core.music.meter import Meter, read_meter
from thrumble.core.music.pitch import STANDARD_TUNING
from thrumble.core.riff.checking import check_riff, is_label
from thrumble.core.riff.model import (
    Ramp,
    Riff,
)
from thrumble.formats.fitting import instrument_reaching
from thrumble.formats.musicxml import words as ours
from thrumble.formats.musicxml.building import left_out, riff_of
from thrumble.formats.musicxml.part import PartRead, Struck, Written
from thrumble.formats.musicxml.score import (
    Measure,
    PartChoice,
    measures_of,
    number_of,
    parsed,
    parts_of,
)
from thrumble.formats.musicxml.signs import (
    beat_quarters,
    feel_of,
    finger_of,
    label_of,
    midi_of,
    pitch_name,
    rings_on,
    signs_of,
)

PALM_WORDS = re.compile(r"\b(p\.?\s?m\.?|palm.?mut\w*)(?!\w)", re.IGNORECASE)
DEAD_HEADS = ("x", "cross", "circle-x")
MAX_STRINGS = 12


@dataclass(frozen=True, slots=True)
class ScoreRiff:
    """A riff from a score. `left_out`: what was in it and is not in the riff, in words; `parts`:
    those it could have been taken from, the one taken first.
    """

    riff: Riff
    left_out: tuple[str, ...]
    parts: tuple[PartChoice, ...]


def read_musicxml(
    data: bytes, *, part: int | None = None, tuning: tuple[str, ...] | None = None
) -> ScoreRiff:
    """The riff of a score, partwise, compressed or not. `part`: which of its parts to take, from 0
    as they stand in `parts`; else the likeliest; `tuning`: of the strings if the score says
    none. Raises RiffError saying what is wrong and where.
    """
    root = parsed(data)
    parts = parts_of(root)
    if not parts:
        raise RiffError("there are no notes in this score besides drums, if any", place="file")
    if part is not None and not 0 <= part < len(parts):
        raise RiffError(f"there are parts 0 to {len(parts) - 1}", found=str(part), place="file")
    chosen = parts[part or 0]
    reader = _Reader(measures_of(root, chosen.id), tuning or STANDARD_TUNING)
    reader.read()
    riff = riff_of(reader.part, root)
    rest = tuple(part for part in parts if part is not chosen)
    left = left_out(reader.part)
    if rest:
        left.append("other parts: " + ", ".join(part.name for part in rest))
    return ScoreRiff(check_riff(riff), tuple(left), (chosen, *rest))


class _Reader:
    """Goes through the measures of one part in written order."""

    def __init__(self, measures: list[Measure], usual: tuple[str, ...]) -> None:
        self.divisions = Fraction(1)
        self.meter = Meter(4, 4)
        self.transpose = 0
        self.held: dict[tuple[int, int, int], Struck] = {}  # ties by voice, pitch and string
        self.slides: dict[str, tuple[int, int]] = {}  # string and fret they begin on
        self.harmony: str | None = None
        self.has_harmony = False
        self.palm_on = self.palm_next = False
        self.staff = _tab_staff(measures)
        stated = _strings(measures)
        self.states_strings = stated is not None
        tuning, capo = stated or (usual, 0)
        self.part = PartRead(measures, tuning, capo)
        self.instrument = Instrument(tuning=tuning, capo=capo)

    def read(self) -> None:
        start = Fraction(0)
        for measure in self.part.measures:
            here = Written(start, self.meter, Fraction(0))
            self.part.written.append(here)
            end = self._measure(measure, here)
            here.meter = self.meter
            here.length = end - start
            if end - start > self.meter.length and not measure.implicit:
                raise RiffError(
                    f"its notes last longer than its meter {self.meter}: fix it in the program "
                    "that exported it",
                    found=f"{end - start} of a whole note",
                    place=f"measure {measure.number}",
                )
            start += here.length if measure.implicit else self.meter.length
        if not self.part.struck:
            raise RiffError("there are no struck notes in this part", place="file")
        if not self.states_strings:
            self._reach_lowest()

    def _reach_lowest(self) -> None:
        """Another tuning if the score says none and its notes need lower strings."""
        pitches = [pitch for hit in self.part.struck.values() for pitch in hit.pitches]
        if not pitches:
            return
        instrument, self.part.retuned = instrument_reaching(min(pitches), self.part.tuning)
        self.part.tuning = instrument.tuning

    def _measure(self, measure: Measure, here: Written) -> Fraction:
        """Reads one measure; returns the furthest place that something reaches in it."""
        cursor = furthest = here.start
        for element in measure.element:
            if element.tag == "attributes":
                self._attributes(element, measure)
            elif element.tag in ("direction", "sound"):
                self._direction(element, here)
            elif element.tag == "harmony":
                self.harmony, self.has_harmony = label_of(element), True
            elif element.tag in ("backup", "forward"):
                step = self._length(element)
                cursor += step if element.tag == "forward" else -step
                cursor = max(here.start, cursor)
            elif element.tag == "note":
                cursor = self._note(element, cursor)
            furthest = max(furthest, cursor)
        return furthest

    def _attributes(self, element: Element, measure: Measure) -> None:
        divisions = number_of(element.findtext("divisions"), 1, 1e6)
        if divisions:
            self.divisions = Fraction(divisions).limit_denominator(1000)
        time = element.find("time")
        if time is not None and time.find("beats") is not None:
            beats = [int(n) for n in re.findall(r"\d{1,2}", time.findtext("beats") or "")]
            text = f"{sum(beats)}/{(time.findtext('beat-type') or '').strip()}"
            try:
                self.meter = read_meter(text)
            except ValueError as error:
                raise RiffError(
                    str(error), found=text, place=f"measure {measure.number}, time"
                ) from None
        for transpose in element.findall("transpose"):
            chromatic = int(number_of(transpose.findtext("chromatic"), -48, 48) or 0)
            octaves = int(number_of(transpose.findtext("octave-change"), -4, 4) or 0)
            self.transpose = chromatic + 12 * octaves

    def _direction(self, element: Element, here: Written) -> None:
        words = " ".join(w.text or "" for w in element.iter("words"))
        spans = [*element.iter("dashes"), *element.iter("bracket")]
        if PALM_WORDS.search(words):
            self.palm_next = True
        for span in spans:
            if span.get("type") == "start" and self.palm_next:
                self.palm_on = True
            elif span.get("type") == "stop":
                self.palm_on = self.palm_next = False
        for other in element.iter("other-direction"):
            head, called, label = (other.text or "").partition(ours.LABELLED)
            if called and not head:
                name = label.strip()
                self.harmony, self.has_harmony = name if is_label(name) else None, True
        for mark in element.iter("rehearsal"):
            here.section = mark.text
        for sound in [element] if element.tag == "sound" else element.iter("sound"):
            tempo = number_of(sound.get("tempo"), 1, 1000)
            if tempo:
                self._tempo(tempo)
            self.part.lost["jumps"] += any(
                sound.get(jump) for jump in ("dacapo", "dalsegno", "tocoda", "fine")
            )
            for swing in sound.findall("swing"):
                here.feel = feel_of(swing)
                here.own_feel = swing.findtext("swing-style") == ours.FEEL_OF_SECTION
        if not self.part.tempos:
            for metronome in element.iter("metronome"):
                per_minute = number_of(metronome.findtext("per-minute"), 1, 1000)
                if per_minute:
                    self._tempo(per_minute * beat_quarters(metronome))

    def _tempo(self, bpm: float) -> None:
        self.part.tempo = bpm if self.part.tempo is None else self.part.tempo
        self.part.tempos.add(bpm)

    def _length(self, element: Element) -> Fraction:
        ticks = number_of(element.findtext("duration"), 0, 1e7) or 0
        return Fraction(ticks).limit_denominator(1000) / (4 * self.divisions)

    # --- notes ---

    def _note(self, element: Element, cursor: Fraction) -> Fraction:
        """Takes up one note; returns where the next one begins."""
        if element.find("grace") is not None:
            self.part.lost["grace notes"] += 1
            return cursor
        length = self._length(element)
        at = cursor - length if element.find("chord") is not None else cursor
        at, end = max(at, Fraction(0)), max(at, Fraction(0)) + length
        staff = element.findtext("staff")
        other_staff = self.staff is not None and staff is not None and staff != self.staff
        if element.find("rest") is None:
            if element.find("cue") is not None:
                self.part.lost["cue notes"] += 1
            elif other_staff:
                self.part.lost["other staves"] += 1
            else:
                self._strike(element, at, end)
        return end

    def _strike(self, element: Element, at: Fraction, end: Fraction) -> None:
        pitch = midi_of(element)
        string = self._string(element)
        voice = int(number_of(element.findtext("voice"), 0, 1e6) or 1)
        key = (voice, pitch if pitch is not None else -1, string or 0)
        ties = {tie.get("type") for tie in element.findall("tie")}
        if "stop" in ties and key in self.held:
            hit = self.held[key]
            hit.end = max(hit.end, end)
            if "start" not in ties:
                del self.held[key]
            return
        hit = self.part.struck.setdefault(at, Struck(at, end))
        hit.end = max(hit.end, end)
        self._marks(element, hit)
        if string is not None:
            fret = self._fret(element, hit, string, pitch)
            self.part.lost["one string"] += string in hit.notes
            hit.notes[string] = Note(string, fret, rings_on(element), finger_of(element))
            self._slide(element, hit, string, fret)
        elif pitch is not None:
            hit.pitches.append(pitch + self.transpose)
        else:
            self.part.lost["unplaced"] += 1
        if "start" in ties:
            self.held[key] = hit

    def _string(self, element: Element) -> int | None:
        """The string that a note is on, if the part has it."""
        string = number_of(element.findtext("notations/technical/string"), 1, MAX_STRINGS)
        return None if string is None or string > len(self.part.tuning) else int(string)

    def _fret(self, element: Element, hit: Struck, string: int, pitch: int | None) -> int | None:
        """The fret of a note on a string: as written, else by its pitch; None if there is neither,
        or the note lies off the neck.
        """
        open_midi = self.instrument.open_midi(string)
        written = element.findtext("notations/technical/fret")
        fret = number_of(written, 0, MAX_FRET)
        sounding = None if pitch is None else pitch + self.transpose
        if fret is not None:
            if sounding is not None and not hit.dead:
                self.part.offsets[open_midi + int(fret) - sounding] += 1
            return int(fret)
        if written is not None and not hit.dead:
            self.part.lost["off the neck"] += 1
            return None
        if sounding is None or hit.dead:
            return None
        by_pitch = sounding - open_midi
        if not 0 <= by_pitch <= MAX_FRET:
            self.part.lost["off the neck"] += 1
            return None
        return by_pitch

    def _marks(self, element: Element, hit: Struck) -> None:
        """The signs on a note, for the whole hit; and what was said before it."""
        if self.has_harmony:
            hit.label, self.has_harmony = self.harmony, False
            hit.marks["named"] = True
        hit.palm = hit.palm or self.palm_on or self.palm_next
        self.palm_next = False
        hit.dead = hit.dead or element.findtext("notehead") in DEAD_HEADS
        hit.palm = hit.palm or element.findtext("play/mute") == "palm"
        for other in element.findall("play/other-play"):
            if other.get("type") == ours.DEPTH:
                if number_of(other.text, 0, 1) is not None:
                    hit.marks["depth"] = Decimal(str(other.text).strip())
            elif other.get("type") == ours.RAMP and other.text in {r.value for r in Ramp}:
                hit.marks["ramp"] = Ramp(other.text)
        hit.marks |= dict(signs_of(element))

    def _slide(self, element: Element, hit: Struck, string: int, fret: int | None) -> None:
        """A slide line between two notes of a string: the second one is slid into."""
        for tag in ("slide", "glissando"):
            for line in element.findall(f"notations/{tag}"):
                key = f"{tag} {line.get('number', '1')}"
                if line.get("type") == "stop" and key in self.slides and fret is not None:
                    _, before = self.slides.pop(key)
                    if before != fret:
                        hit.marks.setdefault("slide_from", before - fret)
                elif line.get("type") == "start" and fret is not None:
                    self.slides[key] = (string, fret)


def _tab_staff(measures: list[Measure]) -> str | None:
    """The staff to take if there are several: the one with tablature."""
    for measure in measures:
        for clef in measure.element.iter("clef"):
            if clef.findtext("sign") == "TAB":
                return clef.get("number")
    return None


def _strings(measures: list[Measure]) -> tuple[tuple[str, ...], int] | None:
    """The tuning and capo that the score states; None if it states no tuning."""
    for measure in measures:
        for details in measure.element.iter("staff-details"):
            lines = {}
            for tuning in details.findall("staff-tuning"):
                line = number_of(tuning.get("line"), 1, MAX_STRINGS)
                lines[line or 0] = pitch_name(tuning, "tuning-")
            capo = int(number_of(details.findtext("capo"), 0, 24) or 0)
            names = tuple(lines[line] for line in sorted(lines))
            if names and all(names):
                return tuple(name for name in names if name), capo
    return None

"""A riff as a MIDI file: every hit's notes as they sound, swing and all, and beside them what notes
cannot say, as text events, so that the file comes back as the riff it was.

Velocities tell other programs the kinds apart: open 96, palm 64, dead 32, 24 more for an accent.
Text events: `riff` with the head, `bar` at every bar, `hit` at every hit, each with its JSON.
"""

import json
from fractions import Fraction
from io import BytesIO
from typing import Any

from mido import Message, MetaMessage, MidiFile, MidiTrack, bpm2tempo

from thrumble.core.riff.expand import DueHit, ExpandedRiff, expand
from thrumble.core.riff.model import Articulation, Riff
from thrumble.formats.riff_json import hit_document, riff_document

TICKS = 960  # a quarter note
PROGRAM = 29  # overdriven guitar, counted from 0
VELOCITY = {Articulation.OPEN: 96, Articulation.PALM: 64, Articulation.DEAD: 32}
ACCENT = 24
DEAD_TICKS = TICKS // 8
HEAD, BAR, HIT = "thrumble riff ", "thrumble bar ", "thrumble hit "


def write_midi(riff: Riff) -> bytes:
    """The riff in playing order, repeats and endings written out, at its own tempo."""
    expanded = expand(riff)
    file = MidiFile(type=1, ticks_per_beat=TICKS, charset="utf-8")
    file.tracks += [_conductor(expanded), _guitar(expanded)]
    out = BytesIO()
    file.save(file=out)
    return out.getvalue()


def _compact(document: dict[str, Any]) -> str:
    return json.dumps(document, separators=(",", ":"))


def _ticks(expanded: ExpandedRiff, at_s: float) -> int:
    """MIDI ticks from the file's start, of a time in seconds from bar 1 beat 1."""
    quarters = (at_s - expanded.begin_s) * expanded.tempo_bpm / 60
    return round(quarters * TICKS)


def _conductor(expanded: ExpandedRiff) -> MidiTrack:
    riff = expanded.riff
    document = riff_document(riff)
    head = {name: value for name, value in document.items() if name not in ("sections", "play")}
    events: list[tuple[int, Any]] = [
        (0, MetaMessage("track_name", name=riff.title)),
        (0, MetaMessage("set_tempo", tempo=bpm2tempo(expanded.tempo_bpm))),
        (0, MetaMessage("text", text=HEAD + _compact(head | {"pickup": None}))),
    ]
    feels = {section["name"]: section.get("feel") for section in document["sections"]}
    before = None
    for bar in expanded.bars:
        at = _ticks(expanded, bar.start_s)
        fields = {"section": bar.section, "appearance": bar.appearance, "meter": str(bar.meter)}
        if bar.number == 0:
            fields["pickup"] = str(bar.meter.length)
        if feel := feels.get(bar.section):
            fields["feel"] = feel
        if bar.meter != before:
            meter = MetaMessage(
                "time_signature", numerator=bar.meter.beats, denominator=bar.meter.unit
            )
            events.append((at, meter))
        before = bar.meter
        events.append((at, MetaMessage("text", text=BAR + _compact(fields))))
    return _track(events)


def _guitar(expanded: ExpandedRiff) -> MidiTrack:
    events: list[tuple[int, Any]] = [
        (0, MetaMessage("track_name", name="guitar")),
        (0, Message("program_change", program=PROGRAM)),
    ]
    sounding: dict[int, int] = {}  # pitch: where its note-off stands among the events
    for due in expanded.hits:
        begin = _ticks(expanded, due.due_s)
        events.append((begin, MetaMessage("text", text=HIT + _compact(hit_document(due.hit)))))
        end = begin + DEAD_TICKS
        if due.hit.articulation is not Articulation.DEAD:
            end = max(begin + 1, _ticks(expanded, due.end_s))
        for midi in hit_pitches(expanded.riff, due):
            last = sounding.get(midi)
            if last is not None and events[last][0] > begin:
                events[last] = (begin, events[last][1])  # the same pitch again ends the one before
            velocity = VELOCITY[due.hit.articulation] + ACCENT * due.hit.accent
            events.append((begin, Message("note_on", note=midi, velocity=velocity)))
            sounding[midi] = len(events)
            events.append((end, Message("note_off", note=midi)))
    return _track(events)


def hit_pitches(riff: Riff, due: DueHit) -> list[int]:
    """What stands in the file for a hit: its pitches, an unpressed string as the open one."""
    instrument = riff.instrument
    pitches = {
        instrument.open_midi(note.string) if note.fret is None else instrument.midi(note)
        for note in due.hit.notes
    }
    return sorted(pitch for pitch in pitches if pitch is not None and 0 <= pitch <= 127)


def _track(events: list[tuple[int, Any]]) -> MidiTrack:
    """Events with their ticks from the start, as a track; ends stand before beginnings."""
    order = {"note_off": 0, "note_on": 2}
    track, now = MidiTrack(), 0
    for at, event in sorted(events, key=lambda timed: (timed[0], order.get(timed[1].type, 1))):
        track.append(event.copy(time=at - now))
        now = at
    return track


def whole_notes(ticks: int, per_quarter: int) -> Fraction:
    """Ticks as a fraction of a whole note."""
    return Fraction(ticks, 4 * per_quarter)

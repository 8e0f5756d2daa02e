"""The tempo and the bars of a take as a MIDI file: beside the take in an audio editor, every bar
line falls where it was due.
"""

from io import BytesIO

from mido import MetaMessage, MidiFile, MidiTrack, bpm2tempo

from thrumble.core.ear.reading import Reading
from thrumble.core.riff.expand import ExpandedRiff

TICKS = 960  # a quarter note
SLOWEST_US = 0xFFFFFF  # of a quarter note, that a file can hold


def tempo_map(reading: Reading, expanded: ExpandedRiff) -> bytes:
    """From the take's first frame on: one stretch up to bar 1, in quarter notes just so long that
    bar 1 beat 1 lies where it lies in the sound, then the tempo and the meters of every round.
    """
    track = MidiTrack([MetaMessage("track_name", name=expanded.riff.title)])
    events: list[tuple[int, MetaMessage]] = []
    begin = 0
    lead_s = reading.start_s or 0.0
    if lead_s > 0:
        quarters = max(1, round(lead_s * expanded.tempo_bpm / 60))
        begin = quarters * TICKS
        lead_us = min(SLOWEST_US, round(lead_s * 1e6 / quarters))
        events.append((0, MetaMessage("set_tempo", tempo=lead_us)))
        events.append((0, MetaMessage("time_signature", numerator=quarters, denominator=4)))
    events.append((begin, MetaMessage("set_tempo", tempo=bpm2tempo(reading.tempo_bpm))))
    before = None
    for number in range(reading.rounds):
        for bar in expanded.bars:
            if bar.number < 1:
                continue
            at = begin + _ticks(expanded, number * expanded.round_s + bar.start_s)
            if bar.meter != before:
                meter = MetaMessage(
                    "time_signature", numerator=bar.meter.beats, denominator=bar.meter.unit
                )
                events.append((at, meter))
                before = bar.meter
            name = f"{bar.section}, bar {bar.number}, pass {number + 1}"
            events.append((at, MetaMessage("marker", text=name)))
    now = 0
    for at, event in events:
        track.append(event.copy(time=at - now))
        now = at
    end = begin + _ticks(expanded, reading.rounds * expanded.round_s)
    track.append(MetaMessage("end_of_track", time=end - now))
    file = MidiFile(type=0, ticks_per_beat=TICKS, charset="utf-8")
    file.tracks.append(track)
    out = BytesIO()
    file.save(file=out)
    return out.getvalue()


def _ticks(expanded: ExpandedRiff, at_s: float) -> int:
    return round(at_s * expanded.tempo_bpm / 60 * TICKS)

"""Single numbers and signs in every format: one digit, one dot or one character to either side."""

import json
from dataclasses import replace
from datetime import date
from io import BytesIO

import pytest
from defusedxml.ElementTree import fromstring
from mido import MidiFile

from tests.core.hand_made import expanded, heard
from tests.formats.files import DEMO, midi, notes
from tests.formats.test_tab_reading import hits, read, sheet
from thrumble.core.coach.comparing.comparison import Difference
from thrumble.core.coach.comparing.metrics import METRICS
from thrumble.core.errors import RiffError
from thrumble.core.riff.notation.text import parse_riff
from thrumble.formats.comparison_json import difference_line
from thrumble.formats.midi.reading import read_midi
from thrumble.formats.midi.writing import TICKS, write_midi
from thrumble.formats.musicxml.writing import write_musicxml
from thrumble.formats.progress_json import PlayedReading, progress_document
from thrumble.formats.riff_json import read_riff_json, riff_document
from thrumble.formats.tablature.writing import write_tab

HEAD = "title: T\ntempo: 120\npedal: 6:0\n"


# --- MIDI ----------------------------------------------------------------------------------------


def test_a_meter_stands_in_a_midi_file_where_it_changes_and_nowhere_else() -> None:
    riff = parse_riff(
        f"{HEAD}meter: 4/4\n[A]\n| 6:2 o . . . | o . . . | 7/8: o . . . . . . | o . . . . . . |\n"
    )
    changes, now = [], 0
    for event in MidiFile(file=BytesIO(write_midi(riff))).tracks[0]:
        now += event.time
        if event.type == "time_signature":
            changes.append((now / TICKS, event.numerator, event.denominator))
    assert changes == [(0, 4, 4), (8, 7, 8)]


def test_a_note_that_ends_where_the_next_begins_ends_first() -> None:
    riff = parse_riff(f"{HEAD}[A]\n| 6:2 o o o o |\n")
    events, now = [], 0
    for event in MidiFile(file=BytesIO(write_midi(riff))).tracks[1]:
        now += event.time
        if event.type in ("note_on", "note_off"):
            events.append((now, event.type))
    assert events == sorted(events, key=lambda e: (e[0], e[1] == "note_on"))
    assert [kind for _, kind in events] == ["note_on", "note_off"] * 4


def test_midi_files_that_have_no_bars_are_refused() -> None:
    track = notes((0, 480, 40), (480, 480, 40))
    for kind in (0, 1):
        assert read_midi(midi(track, type_=kind)).riff.sections
    with pytest.raises(RiffError, match="no bars: export it as type 0 or 1"):
        read_midi(midi(track, type_=2))


# --- MusicXML ------------------------------------------------------------------------------------


def test_dots_and_slides_stand_in_a_score_as_they_are_written() -> None:
    riff = parse_riff(f"{HEAD}[A]\n| 6:2 o ~ ~ o ~ ~ o ~ |\n| /o ~ ~ ~ \\o ~ ~ ~ |\n")
    first, second = fromstring(write_musicxml(riff)).iter("measure")
    kinds = [
        (note.findtext("type"), len(note.findall("dot")))
        for note in first.iter("note")
        if note.find("rest") is None
    ]
    assert kinds == [("quarter", 1), ("quarter", 1), ("quarter", 0)]
    signs = [
        sign.tag for group in second.iter("articulations") for sign in group if sign.tag != "accent"
    ]
    assert signs == ["scoop", "plop"]  # from below, from above


# --- tablature -----------------------------------------------------------------------------------


@pytest.mark.parametrize("word", ["eighth", "8th", "Eighth"])
def test_letters_over_a_row_mean_what_their_legend_says(word: str) -> None:
    row = "E|-0-0-0-0-0-0-0-0-|"
    above = "   " + "z " * 8 + "\n"
    text = sheet(row, above=above, head=f"z = {word}\n\n")
    lengths = {hit.length for hit in hits(read(text))}
    assert {str(length) for length in lengths} == {"1/8"}


def test_the_last_place_of_a_bar_has_its_column_in_a_tablature() -> None:
    riff = parse_riff(f"{HEAD}[A]\n| 6:2 o o o o o o o 6:5 o |\n")
    low = [line for line in write_tab(riff).decode().splitlines() if line.startswith("E|")][1]
    assert [c for c in low if c.isdigit()] == ["2"] * 7 + ["5"]


# --- JSON ----------------------------------------------------------------------------------------


def with_tempo(value: object) -> str:
    document = riff_document(DEMO["1-sluice-gate"])
    return json.dumps(document | {"tempo": value})


@pytest.mark.parametrize("tempo", ["1e400000000", "1e7", "1e-21", "inf", "nan", "x" * 200])
def test_numbers_beyond_all_sense_are_refused_with_what_was_found(tempo: str) -> None:
    with pytest.raises(RiffError) as refused:
        read_riff_json(with_tempo(tempo))
    assert tempo[:60] in str(refused.value) and tempo[:61] not in (
        str(refused.value) if len(tempo) > 60 else ""
    )
    assert len(str(refused.value)) < 400


# --- comparisons and progress --------------------------------------------------------------------


@pytest.mark.parametrize(
    ("unit", "words"),
    [("ms", "1.2 and 3.5 ms, B +2.2 ms (+1.0 to +3.5)"), ("dB", "1.23 and 3.46 dB")],
)
def test_milliseconds_have_one_digit_and_decibels_two(unit: str, words: str) -> None:
    metric = next(metric for metric in METRICS if metric.unit == unit)
    line = difference_line(
        Difference(metric=metric, a=1.234, b=3.456, value=2.222, interval=(1.0, 3.456))
    )
    assert words in line


def test_progress_counts_passes_and_their_tempo() -> None:
    riff = expanded("| 6:2 o o o o o o o o |")
    assert progress_document(riff.riff, [])["rounds"] == 0
    late = {k: {"deviation_ms": 90.0 * (-1) ** k} for k in range(8)}
    played = [
        PlayedReading(name="a", reading=heard(riff), day=date(2026, 12, 1)),
        PlayedReading(name="b", reading=heard(riff, hits=late), day=date(2026, 12, 1)),
    ]
    document = progress_document(riff.riff, played)
    assert (document["rounds"], document["clean_rounds"]) == (2, 1)
    odd = [replace(p, reading=replace(p.reading, tempo_bpm=120.04)) for p in played]
    assert (
        progress_document(riff.riff, odd)["clean_speed_bpm"] == document["clean_speed_bpm"]
    )  # as close as a click is set

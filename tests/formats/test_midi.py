"""MIDI out and in: our own files come back as the riffs they were; other programs' files are laid
on a grid and on strings, and what notes do not tell is said.
"""

from contextlib import suppress
from fractions import Fraction
from io import BytesIO
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from mido import Message, MetaMessage, MidiFile, MidiTrack, bpm2tempo
from typer.testing import CliRunner

from tests.core.strategies import riffs
from tests.formats.files import DEMO, midi, notes, played
from thrumble.cli import app
from thrumble.core.errors import RiffError
from thrumble.core.riff.expand import expand
from thrumble.core.riff.model import Riff
from thrumble.core.riff.notation.text import parse_riff
from thrumble.demo import riff_texts
from thrumble.formats.exchange import FORMATS, format_of, read_any
from thrumble.formats.midi.reading import read_midi
from thrumble.formats.midi.writing import TICKS, write_midi
from thrumble.formats.sections import lost_in_order


@pytest.mark.parametrize("name", list(DEMO))
def test_the_demo_riffs_come_back_whole(name: str) -> None:
    back = read_midi(write_midi(DEMO[name])).riff
    assert (
        back == DEMO[name] if not lost_in_order(DEMO[name]) else played(back) == played(DEMO[name])
    )


@settings(max_examples=50, deadline=None)
@given(riffs())
def test_any_riff_comes_back_as_it_is_played(riff: Riff) -> None:
    try:
        asked = played(riff)
    except RiffError:
        return  # nothing in its order of play
    data = write_midi(riff)
    back = read_midi(data)
    assert back.left_out == () and played(back.riff) == asked
    assert (back.riff.title, back.riff.tempo_bpm) == (riff.title, riff.tempo_bpm)
    assert [bar.start_s for bar in expand(back.riff).bars] == pytest.approx(
        [bar.start_s for bar in expand(riff).bars]
    )


def test_other_programs_hear_notes_of_the_right_length_and_loudness() -> None:
    file = MidiFile(file=BytesIO(write_midi(DEMO["1-sluice-gate"])))
    assert file.type == 1 and [track.name for track in file.tracks] == ["Sluice Gate", "guitar"]
    events, now = [], 0
    for event in file.tracks[1]:
        now += event.time
        if event.type in ("note_on", "note_off"):
            events.append((now, event.type, event.note, event.velocity))
    assert events[:2] == [(0, "note_on", 42, 120), (0, "note_on", 49, 120)], "F# and C#, accented"
    assert (TICKS // 2, "note_off", 42, 64) in events
    assert (TICKS // 2, "note_on", 40, 64) in events, "a palm mute on the open low string"
    swung = MidiFile(file=BytesIO(write_midi(DEMO["3-towpath-shuffle"])))
    now, begins = 0, set()
    for event in swung.tracks[1]:
        now += event.time
        if event.type == "note_on" and event.velocity:
            begins.add(now)
    assert TICKS * 2 // 3 in begins and TICKS // 2 not in begins, "the swing is in the notes"


def test_another_programs_file_is_laid_on_grid_and_strings() -> None:
    """A bar of power chords, one of its notes seven ticks late, then a gallop and triplets."""
    chords = [(480 * k, 470, 42) for k in range(4)] + [(480 * k + 7, 470, 49) for k in range(4)]
    gallop = [(1920, 230, 40), (2160, 115, 40), (2280, 115, 40)]
    triplets = [(2400 + 160 * k, 150, 40) for k in range(3)]
    conductor = [MetaMessage("set_tempo", tempo=bpm2tempo(132))]
    found = read_midi(midi(conductor, notes(*chords, *gallop, *triplets, name="Gtr 1")))
    first, second = found.riff.sections[0].bars
    assert found.riff.title == "Gtr 1" and found.riff.tempo_bpm == 132
    assert [hit.at for hit in first.hits] == [Fraction(k, 4) for k in range(4)]
    assert [(n.string, n.fret) for n in first.hits[0].notes] == [(6, 2), (5, 4)]
    assert [hit.at for hit in second.hits] == [
        *(Fraction(k, 16) for k in (0, 2, 3)),
        *(Fraction(1, 4) + Fraction(k, 12) for k in range(3)),
    ]
    assert any("palm mutes" in words for words in found.left_out)


def test_a_shuffle_is_recognised() -> None:
    eighths = [(480 * k + off, 150, 45) for k in range(8) for off in (0, 320)]
    riff = read_midi(midi(notes(*eighths))).riff
    assert riff.feel.ratio == 2 and riff.feel.unit == Fraction(1, 8)
    assert [hit.at for hit in riff.sections[0].bars[0].hits] == [Fraction(k, 8) for k in range(8)]


def test_the_guitars_track_is_taken_and_the_others_are_named() -> None:
    bass = notes(*((480 * k, 400, 33) for k in range(16)), name="Bass")
    guitar = notes((0, 400, 45), (480, 400, 45), name="Rhythm Guitar")
    drums = [Message("note_on", channel=9, note=36, velocity=99)]
    found = read_midi(midi(drums, bass, guitar))
    assert found.tracks[0].name == "Rhythm Guitar" and found.tracks[0].number == 2
    assert any("other tracks: 1 (Bass)" in words for words in found.left_out)
    low = read_midi(midi(drums, bass, guitar), track=1)
    assert low.riff.tuning[0] == "F#1" and any("eight strings" in w for w in low.left_out)
    with pytest.raises(RiffError, match="track 7 has no notes"):
        read_midi(midi(drums, bass, guitar), track=7)


def test_meters_and_tempos_that_change() -> None:
    conductor = [
        MetaMessage("time_signature", numerator=3, denominator=4),
        MetaMessage("set_tempo", tempo=bpm2tempo(100)),
        MetaMessage("time_signature", numerator=4, denominator=4, time=1440),
        MetaMessage("set_tempo", tempo=bpm2tempo(140), time=480),
    ]
    found = read_midi(midi(conductor, notes((0, 400, 45), (1440, 400, 45))))
    assert [str(bar.meter) for bar in found.riff.sections[0].bars] == ["3/4", "4/4"]
    assert found.riff.tempo_bpm == 100 and "changes of tempo" in found.left_out[0]


def test_an_edited_file_of_ours_is_read_by_its_notes() -> None:
    file = MidiFile(file=BytesIO(write_midi(DEMO["2-ballast"])))
    for track in file.tracks:
        for k, event in enumerate(track):
            if event.type in ("note_on", "note_off"):
                track[k] = event.copy(note=event.note + 2)
    out = BytesIO()
    file.save(file=out)
    found = read_midi(out.getvalue())
    assert found.left_out and found.riff != DEMO["2-ballast"]
    assert found.riff.instrument.midi(found.riff.sections[0].bars[0].hits[0].notes[0]) == 42


@pytest.mark.parametrize(
    "data", [b"", b"MThd", b"MThd\0\0\0\6\0\1\0\1\1\xe0", b"RIFF....", midi([]), midi(notes())]
)
def test_what_is_no_music_gets_one_clear_error(data: bytes) -> None:
    with pytest.raises(RiffError) as caught:
        read_midi(data)
    assert "\n" not in str(caught.value) and len(str(caught.value)) < 200


@settings(max_examples=50, deadline=None)
@given(st.binary(max_size=300), st.integers(0, 400), st.binary(max_size=6))
def test_damaged_files_are_refused_or_read_and_nothing_else(
    noise: bytes, at: int, more: bytes
) -> None:
    whole = write_midi(DEMO["6-stop-planks"])
    for data in (b"MThd" + noise, whole[:at], whole[:at] + more + whole[at + len(more) :]):
        with suppress(RiffError):
            assert expand(read_midi(data).riff).hits


def test_every_format_is_in_the_table_and_keeps_what_it_says(tmp_path: Path) -> None:
    """What a format's row does not name as lost comes back."""
    for one in FORMATS:
        for riff in DEMO.values():
            back = read_any(one.write(riff)).riff
            lost = one.loses(riff)
            assert back == riff or lost, f"{one.name} lost something of {riff.title}"
            assert len(set(lost)) == len(lost) and all(words.strip() for words in lost)
            assert [h.notes for _, h in played(back)] or back.title == riff.title
    assert format_of("A.RIFF.JSON").name == "json" and format_of("x.mid").name == "midi"
    assert format_of("a.mxl").name == "musicxml" and format_of("a.xml").name == "musicxml"
    assert format_of("x.tab.txt").name == "tab" and format_of("x.riff.txt").name == "text"
    with pytest.raises(RiffError, match="no riff format"):
        format_of("riff.docx")


def test_the_shell_converts_and_says_what_is_left_out(tmp_path: Path) -> None:
    run = CliRunner()
    text = tmp_path / "gate.riff.txt"
    text.write_text(riff_texts()["1-sluice-gate"])
    for out in ("gate.mid", "gate.riff.json"):
        done = run.invoke(app, ["convert", str(text), str(tmp_path / out), "--strict"])
        assert done.exit_code == 0 and done.stderr == ""
    back = run.invoke(app, ["convert", str(tmp_path / "gate.mid"), str(tmp_path / "b.riff.txt")])
    assert back.exit_code == 0
    assert parse_riff((tmp_path / "b.riff.txt").read_text()) == DEMO["1-sluice-gate"]
    endings = tmp_path / "e.riff.txt"
    endings.write_text(
        "title: E\ntempo: 90\nplay: A A\n[A]\n| E5 o o o o |\n1| G5 o o o o |\n2| A5 o o o o |\n"
    )
    lossy = run.invoke(app, ["convert", str(endings), str(tmp_path / "e.mid"), "--strict"])
    assert lossy.exit_code == 3 and "left out: endings" in lossy.stderr
    foreign = tmp_path / "f.mid"
    foreign.write_bytes(midi(notes((0, 400, 45))))
    told = run.invoke(app, ["convert", str(foreign), str(tmp_path / "f.riff.txt")])
    assert told.exit_code == 0 and "left out: palm mutes" in told.stderr
    for bad in (["nothing.mid", "x.riff.txt"], [str(text), "x.docx"]):
        assert run.invoke(app, ["convert", *bad]).exit_code == 2


def test_notes_are_laid_on_the_strings_that_the_player_has() -> None:
    """A low B on a baritone's own strings; a tuning that does not reach it gives way."""
    track = MidiTrack([Message("note_on", note=35, velocity=80, time=0)])
    track.append(Message("note_off", note=35, time=480))
    file = MidiFile(type=1, ticks_per_beat=480, tracks=[track])
    out = BytesIO()
    file.save(file=out)
    baritone = ("B1", "E2", "A2", "D3", "F#3", "B3")
    found = read_midi(out.getvalue(), tuning=baritone)
    assert (
        found.riff.tuning == baritone and found.riff.sections[0].bars[0].hits[0].notes[0].fret == 0
    )
    standard = read_midi(out.getvalue(), tuning=("E2", "A2", "D3", "G3", "B3", "E4"))
    assert standard.riff.tuning != ("E2", "A2", "D3", "G3", "B3", "E4")
    assert any("standard tuning" in words for words in standard.left_out)


def test_what_a_track_holds_beside_the_riff_is_counted() -> None:
    """Drums on the track, notes doubled on a second channel, 64th notes, a tempo and a meter that a
    riff can't have: nothing of it goes without a word.
    """
    struck = [(480 * k, 400, 42) for k in range(4)]
    fast = [(1920 + 30 * k, 25, 40) for k in range(8)]
    track = notes(*struck, *fast)
    beside = [
        Message("note_on", channel=9, note=36, velocity=99),
        Message("note_on", channel=9, note=38, velocity=99),
        Message("note_on", channel=1, note=42, velocity=90),
        Message("note_off", channel=1, note=42, time=0),
    ]
    conductor = [
        MetaMessage("set_tempo", tempo=bpm2tempo(600)),
        MetaMessage("time_signature", numerator=65, denominator=4),
    ]
    found = read_midi(midi(conductor, [*beside, *track]))
    left = "; ".join(found.left_out)
    assert "2 drum hits on this track" in left
    assert "1 note doubled at the same pitch" in left
    assert "a tempo of 600 bpm: the riff has 400" in left
    assert "a meter of 65/4" in left
    second = found.riff.sections[0].bars[1]
    assert [hit.at for hit in second.hits] == [Fraction(k, 64) for k in range(8)], "64ths stay"


@pytest.mark.parametrize(("count", "words"), [(1, "1 drum hit on"), (2, "2 drum hits on")])
def test_losses_are_counted_in_plain_words(count: int, words: str) -> None:
    drums = [Message("note_on", channel=9, note=36, velocity=99) for _ in range(count)]
    found = read_midi(midi([*drums, *notes((0, 400, 42))]))
    assert any(line.startswith(words) for line in found.left_out)


def test_a_file_without_losses_names_none() -> None:
    found = read_midi(midi(notes((0, 400, 42), (480, 400, 42))))
    assert len(found.left_out) == 1 and "every hit is open" in found.left_out[0]

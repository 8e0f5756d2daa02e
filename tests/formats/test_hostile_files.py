"""Small files that ask for a lot: each gets one error in little time, whatever its format."""

import json
import time
import zipfile
from collections.abc import Callable
from decimal import Decimal
from fractions import Fraction
from io import BytesIO

import pytest
from mido import Message, MetaMessage

from tests.formats.files import DEMO, midi, notes, zipped
from thrumble.core.errors import RiffError
from thrumble.core.instrument import Note
from thrumble.core.music.meter import Meter
from thrumble.core.riff.checking import check_riff
from thrumble.core.riff.model import Articulation, Bar, Hit, Riff, Section
from thrumble.formats.exchange import format_of, read_any
from thrumble.formats.midi.reading import read_midi
from thrumble.formats.musicxml.writing import write_musicxml
from thrumble.formats.tablature.reading import read_tab

HEAD = {
    "format": "thrumble.riff/1",
    "title": "Ballast",
    "tempo_bpm": 118,
    "tuning": ["E2", "A2", "D3", "G3", "B3", "E4"],
}
HIT = {
    "at": "0",
    "length": "1/8",
    "notes": [{"string": 6, "fret": 2}],
    "articulation": "open",
    "stroke": "down",
}


def riff_json(head: dict[str, object] | None = None, **hit: object) -> bytes:
    bars = [{"meter": "4/4", "hits": [HIT | hit]}]
    return json.dumps(
        HEAD | {"sections": [{"name": "A", "bars": bars}]} | (head or {}), ensure_ascii=True
    ).encode()


def raw_json(field: str, value: str) -> bytes:
    """A riff's JSON with a number written in a way that no JSON library would write it."""
    return riff_json({field: 7777}).replace(b"7777", value.encode())


def typed(chord: str, bars: str = "| {} o |") -> bytes:
    return f"title: Ballast\ntempo: 118\n\n[A]\n{bars.format(chord)}\n".encode()


def one_byte_changed() -> bytes:
    """A compressed score whose compressed data are damaged."""
    data = bytearray(zipped(write_musicxml(DEMO["1-sluice-gate"])))
    with zipfile.ZipFile(BytesIO(bytes(data))) as archive:
        begin = archive.infolist()[-1].header_offset + 80
    for place in range(begin, begin + 40):
        data[place] ^= 0xFF
    return bytes(data)


def crowded_score() -> bytes:
    """Twenty megabytes of empty elements in a few kilobytes."""
    part = b"<a/>" * 4_900_000
    return zipped(b"<score-partwise>" + part + b"</score-partwise>")


def repeated_score(times: str) -> bytes:
    data = write_musicxml(DEMO["1-sluice-gate"])
    bar = f'<barline><repeat direction="backward" times="{times}"/></barline></measure>'
    return data.replace(b"</measure>", bar.encode(), 1)


def far_apart(ticks: int) -> bytes:
    return midi(notes((0, 100, 40), (ticks, 100, 40)))


HOSTILE: dict[str, Callable[[], bytes]] = {
    "a hit of a two-billionth": lambda: riff_json(length="1/2147483648"),
    "subdivisions that share no grid": lambda: riff_json(at="1/4093", length="1/4091"),
    "an integer of 5,000 digits": lambda: raw_json("capo", "9" * 5000),
    "a tempo of 1e400000000": lambda: raw_json("tempo_bpm", "1e400000000"),
    "a tempo of 1e-400000000": lambda: raw_json("tempo_bpm", "1e-400000000"),
    "a tempo of 10,000 digits": lambda: raw_json("tempo_bpm", "1." + "1" * 10_000),
    "half a surrogate pair in a label": lambda: riff_json(label="E5\ud800"),
    "half a surrogate pair in the tuning": lambda: riff_json({"tuning": ["\ud800"]}),
    "half a surrogate pair in the order of play": lambda: riff_json({"play": ["\udfff"]}),
    "a hundred thousand lists in each other": lambda: b'{"a":' + b"[" * 100_000,
    "an order of play of a million": lambda: riff_json({"play": ["A"] * 1_000_000}),
    "a chord at a fret of many digits": lambda: typed("A5@" + "9" * 5000),
    "a chord at a string of many digits": lambda: typed("A5@" + "9" * 5000 + "/2"),
    "a meter of many digits": lambda: typed("9" * 5000 + "/4: E5"),
    "an ending of many digits": lambda: typed("E5", "| {} o |\n" + "9" * 5000 + "| o |"),
    "groups in each other": lambda: typed("E5", "| {} " + "( " * 50_000 + "o" + " )" * 50_000),
    "groups that halve again and again": lambda: typed("E5", "| {} " + "( o " * 40 + ") " * 40),
    "a depth of many digits": lambda: typed("E5", "| {} M=0." + "1" * 100_000 + " |"),
    "notes 2^28 ticks apart": lambda: far_apart(2**28 - 1),
    "MIDI with a meter of 1/64 for long": lambda: midi(
        [MetaMessage("time_signature", numerator=1, denominator=64)],
        notes((0, 100, 40), (2**24, 100, 40)),
    ),
    "a repeat of 5,000 digits": lambda: repeated_score("9" * 5000),
    "a damaged compressed score": one_byte_changed,
    "a score of five million elements": crowded_score,
    "tablature lines of blanks": lambda: ("\n".join(["E|---" + " " * 1990 + "|"] * 300)).encode(),
    "tablature that begins with blanks": lambda: ("\n".join([" " * 1990 + "-"] * 300)).encode(),
    "tablature of open brackets": lambda: ("\n".join(["E|---" + "(" * 1990] * 600)).encode(),
}
BEARABLE = {"a repeat of 5,000 digits"}  # read as a repeat; everything else is refused


@pytest.mark.parametrize("name", list(HOSTILE))
def test_a_small_file_that_asks_for_much_gets_one_error_soon(name: str) -> None:
    data = HOSTILE[name]()
    begun = time.process_time()
    if name in BEARABLE:
        assert read_any(data).riff.sections
    else:
        with pytest.raises(RiffError) as caught:
            read_any(data)
        str(caught.value).encode()
    assert time.process_time() - begun < 4, "so long that a process of its own is ended"


def test_what_the_web_could_not_show_never_reaches_a_message() -> None:
    error = RiffError("no such thing", found="E5\ud800", place="label \udfff")
    assert str(error).encode().decode() == "label ?: found 'E5?': no such thing"


def large_riff(bars: int, hits: int) -> Riff:
    """As many different bars as there may be, each hit a chord of its own."""
    made = []
    for number in range(bars):
        struck = tuple(
            Hit(
                at=Fraction(k, hits),
                length=Fraction(1, hits),
                notes=(Note(6, (number + k) % 12), Note(5, (number + 2 * k) % 12)),
                articulation=Articulation.PALM,
                depth=Decimal("0.35"),
            )
            for k in range(hits)
        )
        made.append(Bar(Meter(4, 4), struck))
    section = Section(name="A", bars=tuple(made))
    return Riff(title="Long haul", tempo_bpm=Decimal(120), sections=(section,))


@pytest.mark.parametrize("kind", ["json", "txt"])
@pytest.mark.parametrize(("bars", "hits"), [(1500, 8), (2000, 10)])
def test_the_largest_riff_is_written_and_read_back(kind: str, bars: int, hits: int) -> None:
    riff = check_riff(large_riff(bars, hits))
    into = format_of(f"riff.{kind}")
    assert read_any(into.write(riff)).riff == riff


@pytest.mark.parametrize(("bars", "hits", "said"), [(2001, 1, "2000 bars"), (2000, 11, "20,000")])
def test_a_larger_riff_is_refused_whatever_it_comes_from(bars: int, hits: int, said: str) -> None:
    with pytest.raises(RiffError, match=said):
        check_riff(large_riff(bars, hits))


def test_notes_without_a_length_are_played_and_said() -> None:
    struck = [Message("note_on", note=40, velocity=90), Message("note_off", note=40, time=0)]
    found = read_midi(midi([*struck, Message("note_on", note=43, velocity=90, time=480)]))
    assert [hit.notes[0].fret for hit in found.riff.sections[0].bars[0].hits] == [0, 3]
    assert "2 notes without a length, written short" in found.left_out


def test_a_count_of_dots_alone_is_no_rhythm() -> None:
    empty = "\n".join(f"{name}|---------|---------|" for name in "eBGDA")
    sheet = f"  1   2     . . . .\n{empty}\nE|-0---0---|-0-0-0-0-|\n"
    assert len(read_tab(sheet.encode()).riff.sections[0].bars[1].hits) == 4


@pytest.mark.parametrize("labels", ["", "EADGBECFAD"])
def test_forty_lines_of_strings_are_no_tablature(labels: str) -> None:
    lines = [f"{labels[k % len(labels)] if labels else ''}|-0-0-0-|" for k in range(40)]
    with pytest.raises(RiffError, match=r"6 to 8 strings|strings of one tuning"):
        read_tab("\n".join(lines).encode())


def test_a_bar_that_no_meter_holds_is_refused_with_its_place() -> None:
    empty = "\n".join(f"{name}|{'-' * 1981}|" for name in "eBGDA")
    with pytest.raises(RiffError, match=r"line 6.*64 beats|line 1.*64 beats"):
        read_tab(f"{empty}\nE|-{'0-' * 990}|\n".encode())

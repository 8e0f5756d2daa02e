"""Files in: what a file leaves open is asked for, what is chosen is taken, what is lost is said."""

import html
from io import BytesIO
from urllib.parse import urlsplit

import pytest
from mido import Message, MetaMessage, MidiFile, MidiTrack

from tests.formats.files import zipped
from tests.web.conftest import Browser
from thrumble.core.riff.notation.text import parse_riff
from thrumble.demo import riff_texts
from thrumble.formats.musicxml.writing import write_musicxml

TAB = "\n".join([*["|-------------|"] * 5, "|-0-0-3-3-5-5-|"])


def two_tracks() -> bytes:
    file = MidiFile(type=1, ticks_per_beat=480)
    for name, pitch, count in (("keys", 60, 9), ("guitar", 40, 4)):
        track = MidiTrack([MetaMessage("track_name", name=name)])
        for _ in range(count):
            track.append(Message("note_on", note=pitch, velocity=80, time=0))
            track.append(Message("note_off", note=pitch, time=240))
        file.tracks.append(track)
    out = BytesIO()
    file.save(file=out)
    return out.getvalue()


def send(visitor: Browser, data: bytes, **answers: str):  # type: ignore[no-untyped-def]
    return visitor.post("/riffs/import", files={"file": ("a.bin", data)}, data=answers)


def source_of(visitor: Browser, address: str) -> str:
    page = visitor.get(address).text
    return html.unescape(page.split("<textarea")[1].split(">", 1)[1].split("</textarea>")[0])


def test_which_track_is_asked_for_and_the_one_chosen_is_taken(visitor: Browser) -> None:
    asked = send(visitor, two_tracks())
    assert asked.status_code == 200 and "hx-redirect" not in asked.headers
    assert asked.text.index(">guitar<") < asked.text.index(">keys<") and "Which part?" in asked.text
    guitar = source_of(visitor, send(visitor, two_tracks(), part="0").headers["hx-redirect"])
    keys = source_of(visitor, send(visitor, two_tracks(), part="1").headers["hx-redirect"])
    assert "title: guitar" in guitar and "title: keys" in keys
    assert send(visitor, two_tracks(), part="5").status_code == 422


def test_a_tablature_without_rhythm_asks_for_its_step(visitor: Browser) -> None:
    asked = send(visitor, TAB.encode())
    assert "No rhythm is written" in asked.text and "hx-redirect" not in asked.headers
    done = send(visitor, TAB.encode(), grid="1/16")
    riff = parse_riff(source_of(visitor, done.headers["hx-redirect"]))
    assert str(riff.sections[0].bars[0].hits[1].at) == "1/16"
    assert send(visitor, TAB.encode(), grid="1/7").status_code == 422


@pytest.mark.parametrize("pack", [False, True])
def test_a_score_comes_in_and_goes_out(visitor: Browser, pack: bool) -> None:
    riff = parse_riff(riff_texts()["1-sluice-gate"])
    data = write_musicxml(riff)
    done = send(visitor, zipped(data) if pack else data)
    address = done.headers["hx-redirect"]
    assert parse_riff(source_of(visitor, address)) == riff
    out = visitor.get(f"{urlsplit(address).path}/riff.musicxml")
    assert out.status_code == 200 and out.content == data
    assert f'filename="{riff.title}.musicxml"' in out.headers["content-disposition"]


def test_what_a_score_could_not_bring_along_is_said(visitor: Browser) -> None:
    grace = b"<note><grace/><pitch><step>F</step><octave>2</octave></pitch></note>"
    data = write_musicxml(parse_riff(riff_texts()["6-stop-planks"]))
    place = data.index(b"<note>")
    done = send(visitor, data[:place] + grace + data[place:])
    address = done.headers["hx-redirect"]
    assert "<li>1 grace note</li>" in visitor.get(address).text
    strange = visitor.get(f"{urlsplit(address).path}?left_out=send+me+your+password").text
    assert "password" not in strange


@pytest.mark.parametrize(
    "data", [b"<?xml version='1.0'?><a", b"PK\x03\x04xx", b"\xff\xfe<", b"|--|"]
)
def test_a_broken_file_gives_one_error_and_saves_nothing(visitor: Browser, data: bytes) -> None:
    before = visitor.get("/riffs").text.count("riff-row")
    answer = send(visitor, data)
    assert answer.status_code == 422 and answer.text.count("data-problem") == 1
    assert visitor.get("/riffs").text.count("riff-row") == before

"""The sheet to print: chord shapes on the player's own neck, pages as PDF."""

import re
import zlib

import pytest

from tests.web.conftest import Browser
from thrumble.core.instrument import Instrument
from thrumble.core.riff.notation.text import parse_riff
from thrumble.demo import riff_texts
from thrumble.formats.tablature.writing import write_tab
from thrumble.store import database
from thrumble.store.players import players
from thrumble.store.riffs import riffs
from thrumble.web.drawings.shapes import PX_A_MM, SIDE_PX, shapes_of

HEAD = "title: T\ntempo: 100\n[A]\n"


def shapes(bars: str, *, left_handed: bool = False):  # type: ignore[no-untyped-def]
    riff = parse_riff(HEAD + bars + "\n")
    return shapes_of(riff, riff.instrument, left_handed=left_handed)


def test_every_shape_once_with_its_places() -> None:
    found = shapes("| E5@5/7 o M 6:0 o E5@5/7 o | 6:3,5:5 o x o A5@5/0 o |")
    assert [shape.name for shape in found] == ["E5", "G5", "A5"]
    first, _, third = found
    assert len(first.strings) == 6 and len(first.dots) == 2 and first.nut is None
    assert [word.text for word in first.numbers] == ["7", "9"]
    assert len(first.mutes) == 4 and first.opens == []
    assert third.opens == [third.strings[4]] and third.nut == third.frets[0]


def test_frets_lie_where_they_lie_on_the_neck() -> None:
    (shape,) = shapes("| E5@5/7 o - - - |")
    neck = Instrument()
    asked = [SIDE_PX + (neck.fret_mm(fret) - neck.fret_mm(6)) * PX_A_MM for fret in range(6, 11)]
    assert shape.frets == pytest.approx(asked, abs=0.1)


def test_a_left_handed_neck_is_mirrored() -> None:
    (right,), (left,) = shapes("| B5@5/2 o - - - |"), shapes("| B5@5/2 o - - - |", left_handed=True)
    assert [right.width - x for x in right.frets] == pytest.approx(left.frets, abs=0.11)
    assert left.end_x > max(left.frets) and right.end_x < min(right.frets)
    assert left.strings == right.strings


def pages(pdf: bytes) -> str:
    """What stands in the streams of a PDF, unpacked."""
    out = []
    for match in re.finditer(rb"stream\r?\n(.*?)endstream", pdf, re.DOTALL):
        try:
            out.append(zlib.decompress(match[1]).decode("latin-1"))
        except zlib.error:
            continue
    return "\n".join(out)


@pytest.mark.parametrize(("paper", "size"), [("a4", "595.28 841.89"), ("letter", "612.00 792.00")])
def test_the_sheet_is_a_pdf_of_its_paper(
    visitor: Browser, riff_id: int, paper: str, size: str
) -> None:
    answer = visitor.get(f"/riffs/{riff_id}/sheet.pdf?paper={paper}")
    assert answer.status_code == 200 and answer.content.startswith(b"%PDF-")
    assert size in re.search(rb"/MediaBox \[0 0 ([\d. ]+)\]", answer.content)[1].decode()  # type: ignore[index]
    text = pages(answer.content)
    tab = write_tab(parse_riff(riff_texts()["6-stop-planks"])).decode()
    rows = [line for line in tab.split("\n") if line.startswith("E|")]
    assert rows and all(f"({line})" in text for line in rows)
    assert answer.headers["content-disposition"].endswith("Stop%20Planks.pdf")


def test_a_long_riff_takes_several_pages_and_odd_letters_break_nothing(visitor: Browser) -> None:
    text = "title: Über Ω\ntempo: 100\n[A]\n" + "| E5@5/7 (o o o o) m o x |\n" * 150
    with database.session() as session:
        number = riffs.add_riff(
            session, players.local_player(session), parse_riff(text), text
        ).riff_id
    answer = visitor.get(f"/riffs/{number}/sheet.pdf")
    assert answer.status_code == 200 and answer.content.count(b"/Type /Page\n") > 6
    assert visitor.get(f"/riffs/{number}/sheet.pdf?paper=a9").status_code == 422
    assert visitor.get("/riffs/999/sheet.pdf").status_code == 404
    assert visitor.get(f"/riffs/{number}/print").text.count('class="shape"') == 1

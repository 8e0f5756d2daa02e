"""Tablature out: strings as lines, one column a slot, what it cannot hold named."""

import pytest

from thrumble.core.riff.model import Riff
from thrumble.core.riff.notation.text import parse_riff
from thrumble.demo import riff_texts
from thrumble.formats.tablature.writing import tab_lost, write_tab

DEMO = {name: parse_riff(text) for name, text in riff_texts().items()}


def tab(riff: Riff) -> list[str]:
    return write_tab(riff).decode().split("\n")


def test_a_bar_of_chords_and_mutes() -> None:
    """Drawn by hand: chord and accent above, a mute on the pedal, a dead chord, a hold, a gap."""
    riff = parse_riff(
        "title: T\ntempo: 100\npedal: 6:0\n[A]\n| F#5@6/2 >o m x o ~ . G5@6/3 _o o |\n"
    )
    assert tab(riff)[2:] == [
        "meter 4/4",
        "",
        "[A]",
        "",
        "  F#5                  G5",
        "  >",
        "     PM",
        "E|------------------------|",
        "B|------------------------|",
        "G|------------------------|",
        "D|------------------------|",
        "A|4-----x--4-----------5--|",
        "E|2--0--x--2--------0--3--|",
        "  1  &  2  &  3  &  4  &",
        "",
    ]


@pytest.mark.parametrize("name", list(DEMO))
def test_all_lines_of_a_system_are_as_long_and_hold_every_fret(name: str) -> None:
    riff = DEMO[name]
    lines = tab(riff)
    assert lines[0] == riff.title
    strings = [line for line in lines if "|" in line and line.rstrip().endswith("|")]
    assert len(strings) % 6 == 0
    for k in range(0, len(strings), 6):
        assert len({len(line) for line in strings[k : k + 6]}) == 1
        names = [name.rstrip("0123456789") for name in reversed(riff.tuning)]
        assert [line.split("|")[0].strip() for line in strings[k : k + 6]] == names
    written = [hit for s in riff.sections for bar in s.bars for hit in bar.hits]
    digits = sum(
        len(cell.strip("hp/\\")) > 0
        for line in strings
        for bar in line.split("|")[1:-1]
        for cell in bar.split("-")
    )
    assert digits == sum(len(hit.notes) for hit in written)


def test_what_tablature_cannot_hold_is_named() -> None:
    assert any("stops" in words for words in tab_lost(DEMO["6-stop-planks"]))
    assert any("depths" in words for words in tab_lost(DEMO["1-sluice-gate"]))
    plain = parse_riff("title: T\ntempo: 100\n[A]\n| E5 o o o o |\n")
    assert tab_lost(plain) == []
    slid = parse_riff("title: T\ntempo: 100\n[A]\n| 6:5 o /o oh x |\n")
    (low,) = [line for line in tab(slid) if line.startswith("E|") and "5" in line]
    assert "/5" in low and "h5" in low and "x" in low

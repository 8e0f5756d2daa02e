"""Tablature in: the many ways people type it."""

import time
from contextlib import suppress
from fractions import Fraction

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.formats.files import DEMO
from thrumble.core.errors import RiffError
from thrumble.core.riff.editing.edits import unrolled
from thrumble.core.riff.expand import expand
from thrumble.core.riff.model import Articulation, Hit, Legato
from thrumble.formats.exchange import read_any
from thrumble.formats.tablature.reading import TabRiff, read_tab
from thrumble.formats.tablature.writing import write_tab


def sheet(low: str, five: str = "", *, above: str = "", below: str = "", head: str = "") -> str:
    """A row with something on its two lowest strings."""
    five = five or "A|" + "-" * (len(low) - 3) + "|"
    empty = "".join(f"{name}|{'-' * (len(low) - 3)}|\n" for name in "eBGD")
    return f"{head}{above}{empty}{five}\n{low}\n{below}"


def read(text: str, **more: Fraction) -> TabRiff:
    return read_tab(text.encode(), **more)  # type: ignore[arg-type]


def hits(found: TabRiff, bar: int = 0) -> tuple[Hit, ...]:
    return found.riff.sections[0].bars[bar].hits


def test_the_columns_give_the_rhythm_where_none_is_written() -> None:
    found = read(sheet("E|-0-0-3-0-0-0-5-0-|"))
    assert found.guessed and found.grid == Fraction(1, 8)
    assert [hit.at for hit in hits(found)] == [Fraction(k, 8) for k in range(8)]
    assert [hit.notes[0].fret for hit in hits(found)] == [0, 0, 3, 0, 0, 0, 5, 0]
    assert str(found.riff.sections[0].bars[0].meter) == "4/4"
    rests = hits(read(sheet("E|-0-0-----0-0-----|")))
    assert [hit.at for hit in rests] == [Fraction(k, 8) for k in (0, 1, 4, 5)]
    slower = read(sheet("E|-0-0-3-0-0-0-5-0-|"), grid=Fraction(1, 16))
    assert hits(slower)[1].at == Fraction(1, 16)
    assert str(slower.riff.sections[0].bars[0].meter) == "2/4"


def test_counts_above_or_below_give_the_rhythm() -> None:
    for place in ("above", "below"):
        count = "  1   & 2   e   4\n"
        found = read(sheet("E|-0---0-3---3---5----|", **{place: count}))  # type: ignore[arg-type]
        assert not found.guessed
        assert [hit.at for hit in hits(found)] == [
            Fraction(0), Fraction(1, 8), Fraction(1, 4), Fraction(5, 16), Fraction(3, 4),
        ]  # fmt: skip


def test_letters_above_give_the_rhythm() -> None:
    found = read(sheet("E|-0---0-3---3-5--|", above="   q.  e h   e e\n".replace("   q", "   q")))
    assert [hit.at for hit in hits(found)] == [
        Fraction(0), Fraction(3, 8), Fraction(1, 2), Fraction(1), Fraction(9, 8),
    ]  # fmt: skip
    assert str(found.riff.sections[0].bars[0].meter) == "5/4"


@pytest.mark.parametrize(
    ("line", "muted"),
    [
        ("   PM------|       ", [0, 1, 2, 3]),
        ("   P.M.- - -       ", [0, 1, 2, 3, 4]),
        ("     pm---         ", [1, 2, 3]),
        ("     PM            ", [1]),
        ("   PM    PM---|    ", [0, 3, 4, 5]),
    ],
)
def test_palm_mute_spans_as_they_are_typed(line: str, muted: list[int]) -> None:
    found = hits(read(sheet("E|-0-0-3-0-0-0-5-0-|", above=line + "\n")))
    assert [k for k, hit in enumerate(found) if hit.articulation is Articulation.PALM] == muted


def test_dead_strings_damped_strings_and_wide_frets() -> None:
    found = hits(read(sheet("E|-x-x-10-10-5-5-|", "A|-x---12-12-x-7-|")))
    assert [hit.articulation.value for hit in found] == [
        "dead",
        "dead",
        "open",
        "open",
        "open",
        "open",
    ]
    assert [[n.fret for n in hit.notes] for hit in found] == [
        [None, None], [None], [10, 12], [10, 12], [5], [5, 7],
    ]  # fmt: skip


def test_slides_hammers_pulls_and_bends() -> None:
    found = hits(read(sheet("E|-3h5---5p3---3/7---/9---7b8---7b---|")))
    assert [hit.notes[0].fret for hit in found] == [3, 5, 5, 3, 3, 7, 9, 7, 7]
    assert found[1].legato is Legato.HAMMER and found[3].legato is Legato.PULL
    assert found[5].slide_from == -4 and found[6].slide_from == -2
    assert str(found[7].bend) == "1" and str(found[8].bend) == "0.5"


def test_rows_repeats_sections_tunings_and_habits() -> None:
    head = "Winch song\nTempo: 96\ntuning: D A D G B E\ncapo 2\n\n[Verse 1]\n"
    first = sheet("D|-0-0-3-0-|-5-5-5-5-|", "A|---------|---------|")
    second = sheet("D|-0-0-3-0-| x2", "A|---------|")
    text = (head + first + "hold the last one\n\n[Chorus]\n" + second).replace("\n", "\r\n")
    found = read(text)
    riff = found.riff
    assert riff.title == "Winch song" and riff.tempo_bpm == 96 and riff.capo == 2
    assert riff.tuning == ("D2", "A2", "D3", "G3", "B3", "E4")
    assert [section.name for section in riff.sections] == ["Verse 1", "Chorus"]
    assert [len(section.bars) for section in riff.sections] == [2, 2]


def test_letters_are_optional_and_seven_strings_are_read() -> None:
    bare = "\n".join(["|-------------|"] * 5 + ["|-0-0-3-3-5-5-|"])
    assert len(hits(read(bare))) == 6
    seven = (
        "\n".join(f"{n}|-------------|" for n in "eBGDA") + "\nE|-------------|\nB|-0-0-3-3-5-5-|"
    )
    found = read(seven)
    assert len(found.riff.tuning) == 7 and found.riff.tuning[0] == "B1"


@pytest.mark.parametrize("name", list(DEMO))
def test_our_own_tablature_comes_back_with_its_rhythm(name: str) -> None:
    """What tablature holds comes back: places, strings, frets, kinds; not how long a hit rings."""
    riff = DEMO[name]
    back = read_tab(write_tab(riff))
    assert not back.guessed and back.riff.title == riff.title
    asked = [(d.bar, d.hit) for d in expand(unrolled(riff)).hits]
    found = [(d.bar, d.hit) for d in expand(unrolled(back.riff)).hits]
    assert [(bar, hit.at) for bar, hit in found] == [(bar, hit.at) for bar, hit in asked]
    assert [h.articulation for _, h in found] == [h.articulation for _, h in asked]
    for (_, got), (_, was) in zip(found, asked, strict=True):
        if was.articulation is not Articulation.DEAD:
            assert [(n.string, n.fret) for n in got.notes] == [
                (n.string, n.fret) for n in was.notes
            ]
        assert got.accent == was.accent


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("no strings here", "no tablature found"),
        ("", "no tablature found"),
        ("|-0-0-0-|\n|-0-0-0-|\n", "6 to 8 strings"),
        (sheet("E|-0-0-|") + "\n\n" + "\n".join(["|-0-0-|"] * 7), "as many strings as the first"),
        (sheet("E|-0-99-|"), "frets are 0 to 36"),
        (sheet("E|-------|"), "no hit in it"),
        (sheet("E|-0-0-|" + " x64") + ("\n\n" + sheet("E|-0-0-| x64")) * 40, "at most 2000 bars"),
    ],
)
def test_what_is_no_tablature_is_refused_with_its_place(text: str, said: str) -> None:
    with pytest.raises(RiffError, match=said):
        read(text)


def test_other_encodings_are_refused_and_a_mark_at_the_start_is_not() -> None:
    text = sheet("E|-0-0-3-3-|")
    assert read_tab(b"\xef\xbb\xbf" + text.encode()).riff.sections
    with pytest.raises(RiffError, match="UTF-8"):
        read_tab(("Gru\xdf\n" + text).encode("latin-1"))


@settings(max_examples=90, deadline=None)
@given(st.text("-|0123456789xhpb/\\~()PM. EADGBe&\n", max_size=400), st.text(max_size=60))
def test_any_text_gives_a_riff_or_one_error(text: str, more: str) -> None:
    for one in (
        text,
        sheet("E|-0-" + text.replace("\n", "") + "-3-|"),
        sheet("E|-0-3-|", head=more),
    ):
        with suppress(RiffError):
            assert read(one).riff.sections


@pytest.mark.parametrize(
    "data",
    [b" " * 3_000_000 + b"|---|", b"\n" * 3_000_000, b"|-0-" * 700_000, b"x x2 " * 400_000],
    ids=["blanks", "lines", "one row", "times"],
)
def test_huge_nonsense_takes_no_more_than_its_length_asks(data: bytes) -> None:
    """A quadratic pattern would take hours of the processor's time here, whatever runs beside."""
    begun = time.process_time()
    with suppress(RiffError):
        read_any(data)
    with suppress(RiffError):
        read_tab(data)
    assert time.process_time() - begun < 60


def test_a_section_that_comes_again_is_played_again() -> None:
    verse, chorus = sheet("E|-0-0-3-0-|"), sheet("E|-5-5-5-5-|")
    found = read(f"[A]\n{verse}\n[B]\n{chorus}\n[A]\n{verse}").riff
    assert [section.name for section in found.sections] == ["A", "B"]
    assert found.order == ("A", "B", "A") and len(expand(found).bars) == 3


def test_what_is_not_taken_up_is_said() -> None:
    found = read(sheet("E|-3-(3)-<12>-5~~-7b9r7-|", "A|-x---------5-----|"))
    assert found.left_out == (
        "1 note in brackets",
        "1 harmonic, read as the fret",
        "1 vibrato sign",
        "1 released bend, read as a bend",
        "1 damped string inside a chord",
    )
    assert read(sheet("E|-0-0-3-0-|")).left_out == ()


PEOPLE = {
    "dots under the notes are palm mutes": (
        sheet("E|-0-0-3-0-|", below="   . .   .\n"),
        [("palm", 0), ("palm", 0), ("open", 3), ("palm", 0)],
    ),
    "blanks instead of dashes": (
        "\n".join(f"{n}|               |" for n in "eBGDA") + "\nE| 0  0  3  5    |\n",
        [("open", 0), ("open", 0), ("open", 3), ("open", 5)],
    ),
    "a repeat between its signs": (
        "\n".join(f"{n}||--------||" for n in "eBGDA") + "\nE||:-0-0-3:||\n",
        [("open", 0), ("open", 0), ("open", 3)] * 2,
    ),
    "a repeat with its number": (
        "\n".join(f"{n}||--------||" for n in "eBGDA") + "\nE||:-0-0-3:|| x3\n",
        [("open", 0), ("open", 0), ("open", 3)] * 3,
    ),
    "letters for the rhythm, explained above": (
        sheet("E|-0---0-3---|", head="Q = quarter, E = eighth\n\n", above="   Q   E E\n"),
        [("open", 0), ("open", 0), ("open", 3)],
    ),
}


@pytest.mark.parametrize("habit", list(PEOPLE))
def test_what_people_type_is_understood(habit: str) -> None:
    text, wanted = PEOPLE[habit]
    found = read(text)
    played = [due.hit for due in expand(found.riff).hits]
    assert [(hit.articulation.value, hit.notes[0].fret) for hit in played] == wanted


@pytest.mark.parametrize(
    ("rows", "strings", "tuning"),
    [
        (["A|-2-2-|", "E|-0-0-|"], [[6, 5]] * 2, "E2 A2 D3 G3 B3 E4"),
        (["E|-0-0-|"], [[6]] * 2, "E2 A2 D3 G3 B3 E4"),
        (["e|-0-0-|", "B|-1-1-|"], [[2, 1]] * 2, "E2 A2 D3 G3 B3 E4"),
        (["Ab|-2-2-|", "Eb|-0-0-|"], [[6, 5]] * 2, "D#2 G#2 C#3 F#3 A#3 D#4"),
        (["A|-0-0-|", "D|-0-0-|"], [[6, 5]] * 2, "D2 A2 D3 G3 B3 E4"),
    ],
)
def test_strings_that_are_drawn_alone_are_known_by_their_letters(
    rows: list[str], strings: list[list[int]], tuning: str
) -> None:
    found = read("\n".join(rows) + "\n")
    assert [[note.string for note in hit.notes] for hit in hits(found)] == strings
    assert " ".join(found.riff.tuning) == tuning
    assert any("which strings are drawn" in words for words in found.left_out)


@pytest.mark.parametrize(
    ("sentence", "tuning"),
    [
        ("Standard tuning", "E2 A2 D3 G3 B3 E4"),
        ("Everything is tuned down a half step", "D#2 G#2 C#3 F#3 A#3 D#4"),
        ("Tune down 1/2 step", "D#2 G#2 C#3 F#3 A#3 D#4"),
        ("guitars tuned one whole step down", "D2 G2 C3 F3 A3 D4"),
        ("Drop D", "D2 A2 D3 G3 B3 E4"),
        ("Dropped C tuning", "C2 G2 C3 F3 A3 D4"),
        ("lower the low E string to D", "D2 A2 D3 G3 B3 E4"),
        ("Eb standard", "D#2 G#2 C#3 F#3 A#3 D#4"),
        ("Tuning: D A D G B E", "D2 A2 D3 G3 B3 E4"),
        ("tuned DADGBe", "D2 A2 D3 G3 B3 E4"),
        ("Tuning (low to high): Eb Ab Db Gb Bb Eb", "Eb2 Ab2 Db3 Gb3 Bb3 Eb4"),
    ],
)
def test_tunings_written_as_a_sentence(sentence: str, tuning: str) -> None:
    bare = "\n".join(["|-------------|"] * 5 + ["|-0-0-3-3-5-5-|"])
    found = read(f"Winch song\n{sentence}\n\n{bare}\n")
    assert " ".join(found.riff.tuning) == tuning and not found.left_out


def test_a_tuning_that_is_not_understood_is_said() -> None:
    bare = "\n".join(["|-------------|"] * 5 + ["|-0-0-3-3-5-5-|"])
    found = read(f"Winch song\ntuning: as on the first record\n\n{bare}\n")
    assert any("isn't understood" in words for words in found.left_out)


@pytest.mark.parametrize("count", [0, 1, 2])
def test_what_is_left_out_is_counted_in_plain_words(count: int) -> None:
    line = "--3--" + "(3)-" * count + "<12>-" * count + "9r7-" * count
    found = read(sheet(f"E|{line}|"))
    one = ("1 note in brackets", "1 harmonic, read as the fret", "1 released bend, read as a bend")
    more = ("2 notes in brackets", "2 harmonics, read as frets", "2 released bends, read as bends")
    assert found.left_out == ((), one, more)[count]

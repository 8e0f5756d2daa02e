"""One instrument for every pitch and millimetre; chord names from notes and back."""

import math
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from thrumble.core.chords.names import QUALITIES, name_notes, read_chord_name
from thrumble.core.chords.shapes import place_chord
from thrumble.core.counting import counted
from thrumble.core.errors import BadInstrument
from thrumble.core.instrument import Instrument, Note, check_instrument
from thrumble.core.music.pitch import SHARP_NAMES

DROP_D = Instrument(tuning=("D2", "A2", "D3", "G3", "B3", "E4"))


def test_pitches_and_frets_count_from_the_capo() -> None:
    guitar = Instrument(capo=2)
    assert guitar.open_midi(6) == 42 and guitar.midi(Note(6, 3)) == 45
    assert guitar.midi(Note(6, None)) is None and list(guitar.strings) == [1, 2, 3, 4, 5, 6]
    plain = Instrument()
    assert guitar.fret_mm(3) == pytest.approx(plain.fret_mm(5))
    assert plain.fret_mm(12) == pytest.approx(324) and plain.fret_mm(24) == pytest.approx(486)


@given(st.floats(480, 800), st.integers(0, 24))
def test_millimetres_grow_with_the_scale(scale_mm: float, fret: int) -> None:
    own = Instrument(scale_mm=scale_mm).fret_mm(fret)
    assert own == pytest.approx(Instrument().fret_mm(fret) * scale_mm / 648)


@pytest.mark.parametrize(
    ("changed", "part", "words"),
    [
        ({"tuning": ()}, "tuning", "1 to 12 strings"),
        ({"tuning": ("E2",) * 13}, "tuning", "1 to 12 strings"),
        ({"tuning": ("E2", "H2")}, "tuning", "no pitch"),
        ({"capo": -1}, "capo", "0 (none) to 24"),
        ({"capo": 25}, "capo", "0 (none) to 24"),
        ({"scale_mm": 479.9}, "scale length", "480 to 800 mm"),
        ({"scale_mm": math.nan}, "scale length", "480 to 800 mm"),
        ({"scale_mm": math.inf}, "scale length", "480 to 800 mm"),
    ],
)
def test_an_instrument_that_cannot_be_says_why(
    changed: dict[str, object], part: str, words: str
) -> None:
    with pytest.raises(BadInstrument) as caught:
        check_instrument(replace(Instrument(), **changed))  # type: ignore[arg-type]
    assert caught.value.part == part and words in str(caught.value)
    assert check_instrument(DROP_D) is DROP_D


@pytest.mark.parametrize(
    ("midis", "name"),
    [
        ((47, 54), "B5"),
        ((47, 54, 59), "B5+8"),
        ((40,), "E"),
        ((40, 45), "A5"),  # a fourth: the power chord upside down
        ((40, 45, 52), "A5/5"),
        ((45, 54), "A6"),
        ((45, 55), "Ab7"),
        ((40, 47, 52, 59, 64), "E5"),  # doubled all over: still root and fifth
        ((40, 47, 52, 56, 59, 64), "Emaj"),
        ((45, 52, 57, 60, 64), "Amin"),
        ((45, 64), "A5w"),
        ((40, 46), "Edim5"),
        ((40, 47, 54), "Esus2"),
        ((40, 41), None),
        ((), None),
    ],
)
def test_notes_are_called_what_players_call_them(midis: tuple[int, ...], name: str | None) -> None:
    assert name_notes(midis) == name


@given(
    st.sampled_from(SHARP_NAMES),
    st.sampled_from(sorted(QUALITIES)),
    st.sampled_from(["", "+8"]),
)
def test_a_shape_laid_from_its_name_is_called_by_that_name(
    root: str, quality: str, form: str
) -> None:
    chord = read_chord_name(root + quality + form)
    assert chord is not None
    guitar = Instrument()
    try:
        notes = place_chord(guitar, chord, string=None, fret=None, as_standard=False)
    except ValueError:
        return  # no hand reaches it
    midis = tuple(midi for note in notes if (midi := guitar.midi(note)) is not None)
    named = name_notes(midis)
    assert named is not None
    again = read_chord_name(named)
    assert again is not None
    assert (again.root + again.intervals[0]) % 12 == midis[0] % 12, "its lowest note is the same"
    assert {(again.root + i) % 12 for i in again.intervals} == {midi % 12 for midi in midis}


def test_counts_in_words() -> None:
    assert [counted(n, "hit") for n in (0, 1, 2)] == ["0 hits", "1 hit", "2 hits"]
    assert counted(1200, "miss", "misses") == "1,200 misses" and counted(0.9, "bar") == "1 bar"

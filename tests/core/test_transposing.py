"""Other keys and other tunings: what stays, what moves, and what is said to be lost."""

from dataclasses import replace
from itertools import product

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.strategies import riffs
from thrumble.core.chords.voicing import lay_pitches
from thrumble.core.errors import BadInput, BadInstrument
from thrumble.core.instrument import Instrument, Note
from thrumble.core.riff.editing.transposing import Keep, retune, transpose
from thrumble.core.riff.expand import expand
from thrumble.core.riff.model import Riff
from thrumble.core.riff.notation.printing import print_riff
from thrumble.core.riff.notation.text import parse_riff
from thrumble.demo import riff_texts

DEMO = [parse_riff(text) for text in riff_texts().values()]
DROP_D = Instrument(tuning=("D2", "A2", "D3", "G3", "B3", "E4"))
SEVEN = Instrument(tuning=("B1", "E2", "A2", "D3", "G3", "B3", "E4"))
BARITONE = Instrument(tuning=("B1", "E2", "A2", "D3", "F#3", "B3"), scale_mm=686)


def sounding(riff: Riff) -> list[list[int | None]]:
    return [[riff.instrument.midi(n) for n in due.hit.notes] for due in expand(riff).hits]


def riff(bars: str, **heads: str) -> Riff:
    lines = "".join(f"{key}: {value}\n" for key, value in heads.items())
    return parse_riff(f"title: T\ntempo: 100\n{lines}[A]\n{bars}\n")


def test_twelve_keys_there_and_back() -> None:
    """Every pitch moves by as much, unless it is said that one could not; and comes back."""
    offenders = []
    for of, semitones in product(DEMO, range(1, 13)):
        there = transpose(of, semitones)
        lost = " ".join(there.lost)
        wanted = [sorted(m + semitones for m in hit if m is not None) for hit in sounding(of)]
        moved = [sorted(m for m in hit if m is not None) for hit in sounding(there.riff)]
        cut = [all_of[: len(part)] for all_of, part in zip(wanted, moved, strict=True)]
        back = transpose(there.riff, -semitones).riff
        returned = [sorted(filter(None, hit)) for hit in sounding(back)]
        original = [sorted(filter(None, hit)) for hit in sounding(of)]
        if (
            ("octave" not in lost and moved != cut)
            or parse_riff(print_riff(there.riff)) != there.riff
            or (not ("octave" in lost or "out of reach" in lost) and returned != original)
        ):
            offenders.append((of.title, semitones))
    assert not offenders


@settings(max_examples=35, deadline=None)
@given(riffs(), st.integers(-24, 24))
def test_any_riff_moves_and_is_a_riff_again(of: Riff, semitones: int) -> None:
    moved = transpose(of, semitones)
    places = [[h.at for bar in s.bars for h in bar.hits] for s in of.sections]
    assert [[h.at for bar in s.bars for h in bar.hits] for s in moved.riff.sections] == places
    assert parse_riff(print_riff(moved.riff)) == moved.riff
    if not semitones:
        assert moved.riff is of and moved.lost == ()


def test_shapes_keep_their_strings_and_names_go_with_them() -> None:
    moved = transpose(riff("| F#5@6/2 o o B5@5/2 o o |"), 1).riff
    hits = moved.sections[0].bars[0].hits
    assert hits[0].notes == (Note(6, 3), Note(5, 5)) and hits[0].label == "G5"
    assert hits[2].notes == (Note(5, 3), Note(4, 5)) and hits[2].label == "C5"
    assert transpose(riff("| Bb5 o o o o |"), 1).riff.sections[0].bars[0].hits[0].label == "B5"
    assert transpose(riff("| Bb5 o o o o |"), 3).riff.sections[0].bars[0].hits[0].label == "Db5"


def test_open_shapes_become_movable_and_an_open_pedal_is_said_to_be_lost() -> None:
    up = transpose(riff("| A5@5/0 o m m o |", pedal="6:0"), 2)
    assert up.riff.sections[0].bars[0].hits[0].notes == (Note(5, 2), Note(4, 4))
    assert up.riff.pedal == Note(6, 2)
    assert "the open pedal string becomes a fretted note" in up.lost
    assert "2 open-string shapes must be fretted" in up.lost
    down = transpose(up.riff, -2)
    assert down.riff.pedal == Note(6, 0) and down.lost == ()


def test_below_the_lowest_string_an_octave_is_said() -> None:
    low = transpose(riff("| E5@6/0 o o o o |"), -3)
    assert low.lost[0].startswith("4 hits out of range, moved by an octave, first in bar 1 of A")
    assert sounding(low.riff)[0] == [49, 56]


def test_a_shape_that_no_longer_fits_its_strings_is_laid_anew() -> None:
    down = transpose(riff("| D5@4/0 o o o o |"), -2)
    assert down.lost == () or "open-string" in down.lost[0]
    assert sounding(down.riff)[0] == [48, 55]
    notes = down.riff.sections[0].bars[0].hits[0].notes
    assert [n.string for n in notes] == [5, 4], "one string lower"


@pytest.mark.parametrize("onto", [DROP_D, SEVEN, BARITONE])
@pytest.mark.parametrize("of", DEMO, ids=lambda r: r.title)
def test_another_tuning_keeps_the_sound(of: Riff, onto: Instrument) -> None:
    moved = retune(of, onto, Keep.SOUND)
    assert moved.riff.tuning == onto.tuning
    for before, after in zip(sounding(of), sounding(moved.riff), strict=True):
        if None not in before and "octave" not in " ".join(moved.lost):
            assert set(after) <= set(before) and min(after) == min(before)  # type: ignore[type-var]


def test_keeping_the_fingering_the_sound_goes_with_the_tuning() -> None:
    half_down = Instrument(tuning=("D#2", "G#2", "C#3", "F#3", "A#3", "D#4"))
    moved = retune(riff("| F#5@6/2 o o o o |"), half_down, Keep.FINGERING)
    hit = moved.riff.sections[0].bars[0].hits[0]
    assert hit.notes == (Note(6, 2), Note(5, 4)) and hit.label == "F5"
    dropped = retune(
        riff("| E5@6/2 o o o o |".replace("E5@6/2", "F#5@6/2")), DROP_D, Keep.FINGERING
    )
    assert dropped.riff.sections[0].bars[0].hits[0].label == "E6", "a sixth now, and called so"
    four = Instrument(tuning=("D3", "G3", "B3", "E4"))
    with pytest.raises(BadInput, match="keep the sound"):
        retune(riff("| F#5@6/2 o o o o |"), four, Keep.FINGERING)


def test_ringing_open_strings_that_are_fretted_now_are_said_to_stop() -> None:
    drones = riff("| A5=5:0,4:2,3:2,2:0,1:0 o^ o^ o o |")
    lost = transpose(drones, 1).lost
    assert any("ringing open string" in words for words in lost)


def test_nonsense_is_refused() -> None:
    with pytest.raises(BadInput, match="two octaves"):
        transpose(DEMO[0], 25)
    with pytest.raises(BadInstrument):
        retune(DEMO[0], replace(DROP_D, tuning=("H9",)), Keep.SOUND)


def test_pitches_are_laid_within_reach_and_near_the_hand() -> None:
    guitar = Instrument()
    assert lay_pitches(guitar, (), ()) == ()
    assert lay_pitches(guitar, (42, 49), (Note(6, 2),)) == (Note(6, 2), Note(5, 4))
    assert lay_pitches(guitar, (47, 54), (Note(6, 7),)) == (Note(6, 7), Note(5, 9))
    assert lay_pitches(guitar, (39,), ()) is None and lay_pitches(guitar, (89,), ()) is None
    assert lay_pitches(guitar, (40, 41), ()) is None, "two notes of one string"

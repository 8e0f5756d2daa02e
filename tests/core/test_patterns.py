"""Riffs from patterns and forms: ordinary riffs with the chords where the form has them."""

from collections import Counter
from decimal import Decimal
from fractions import Fraction
from itertools import product

import pytest

from thrumble.core.chords.names import name_notes
from thrumble.core.errors import BadInput
from thrumble.core.instrument import Instrument
from thrumble.core.music.meter import Meter
from thrumble.core.riff.expand import expand
from thrumble.core.riff.model import Articulation, Riff
from thrumble.core.riff.notation.printing import print_riff
from thrumble.core.riff.notation.text import parse_riff
from thrumble.core.riff.patterns import (
    FORMS,
    PATTERNS,
    Choices,
    make_riff,
    read_degrees,
)


def roots(riff: Riff) -> list[str]:
    out = []
    for bar in riff.sections[0].bars:
        midis = [riff.instrument.midi(note) for note in bar.hits[0].notes]
        name = name_notes(tuple(m for m in midis if m is not None))
        assert name is not None
        out.append(name.rstrip("5"))
    return out


def test_twelve_bars_in_f_sharp_have_their_chords_in_their_places() -> None:
    shuffle = make_riff(PATTERNS["shuffle"], FORMS["12"].degrees, key="F#", tempo_bpm=112)
    i, iv, v = "F#", "B", "C#"
    assert roots(shuffle) == [i, i, i, i, iv, iv, i, i, v, iv, i, i]
    assert shuffle.feel.ratio == 2 and len(expand(shuffle).hits) == 96
    first = shuffle.sections[0].bars[0].hits
    assert [hit.label for hit in first[::2]] == ["F#5", "F#6", "F#5", "F#6"]
    assert first[0].accent and first[0].notes[0].string == 6 and first[0].notes[0].fret == 2


def test_every_pattern_over_every_form_is_an_ordinary_riff() -> None:
    offenders = []
    for key, pattern, form in product(["C", "Db", "F#", "Bb", "E"], PATTERNS, FORMS):
        riff = make_riff(PATTERNS[pattern], FORMS[form].degrees, key=key, tempo_bpm=120)
        hits = [due.hit for due in expand(riff).hits]
        if not (
            parse_riff(print_riff(riff)) == riff
            and len(riff.sections[0].bars) == len(FORMS[form].degrees)
            and all(len(hit.notes) == 2 for hit in hits)
            and all((note.fret or 0) <= 17 for hit in hits for note in hit.notes)
        ):
            offenders.append((key, pattern, form))
    assert not offenders


def test_what_may_be_chosen_changes_the_bar() -> None:
    def bar(name: str, choices: Choices) -> list[tuple[Articulation, bool]]:
        riff = make_riff(PATTERNS[name], ("I",), key="E", tempo_bpm=100, choices=choices)
        return [(hit.articulation, hit.accent) for hit in riff.sections[0].bars[0].hits]

    opens = [k for k, (kind, _) in enumerate(bar("chug", Choices(mutes=2))) if kind == "open"]
    assert opens == [0, 3, 6]
    accents = [k for k, (_, loud) in enumerate(bar("backbeat", Choices(beats=(1, 3)))) if loud]
    assert accents == [0, 4]
    dead = Counter(kind for kind, _ in bar("dead-sixteenths", Choices(beats=(4,))))
    assert dead == {Articulation.DEAD: 4, Articulation.OPEN: 3, Articulation.PALM: 3}
    with pytest.raises(BadInput, match="1 to 7 mutes"):
        bar("chug", Choices(mutes=0))


def test_gallops_are_long_short_short_and_the_reverse() -> None:
    for name, lengths in (("gallop", [2, 1, 1]), ("reverse-gallop", [1, 1, 2])):
        riff = make_riff(PATTERNS[name], ("I",), key="A", tempo_bpm=100)
        hits = riff.sections[0].bars[0].hits
        assert [hit.length for hit in hits] == [Fraction(n, 16) for n in lengths * 4]


@pytest.mark.parametrize(
    ("key", "places"),
    [
        ("A", ["5/0", "4/0", "6/0"]),  # the open boogie: all at the nut
        ("Eb", ["5/6", "4/6", "6/6"]),  # neither at fret 1 nor an octave apart
        ("G", ["6/3", "5/3", "5/5"]),  # the box: the fourth beside, the fifth two frets up
        ("F", ["5/8", "4/8", "6/8"]),  # four frets at fret 1 are out of reach
    ],
)
def test_a_form_stays_in_one_position(key: str, places: list[str]) -> None:
    choices = Choices(reach_mm=112.0)
    shuffle = make_riff(
        PATTERNS["shuffle"], FORMS["12"].degrees, key=key, tempo_bpm=112, choices=choices
    )
    found = [
        f"{n.string}/{n.fret}" for n in (bar.hits[0].notes[0] for bar in shuffle.sections[0].bars)
    ]
    tonic, fourth, fifth = places
    assert found[:4] == [tonic] * 4 and found[4] == fourth and found[8:10] == [fifth, fourth]


def test_meter_ratio_and_the_string_of_the_root_are_chosen() -> None:
    def made(name: str, **choices: object) -> Riff:
        chosen = Choices(**choices)  # type: ignore[arg-type]
        return make_riff(PATTERNS[name], ("I",), key="A", tempo_bpm=100, choices=chosen)

    harder = made("shuffle", ratio=Decimal("2.6"), meter=Meter(5, 4))
    assert harder.feel.ratio == Fraction(13, 5) and len(harder.sections[0].bars[0].hits) == 10
    assert made("shuffle", ratio=Decimal(1)).feel.ratio is None
    seven = made("gallop", meter=Meter(7, 8)).sections[0].bars[0]
    assert seven.meter == Meter(7, 8) and sum(hit.length for hit in seven.hits) == Fraction(7, 8)
    low = made("chug", root_string=0).sections[0].bars[0].hits[0].notes[0]
    assert (low.string, low.fret) == (6, 5)
    for wrong in (
        {"meter": Meter(4, 2)},
        {"meter": Meter(7, 8), "ratio": Decimal(2)},
        {"root_string": 3},
    ):
        with pytest.raises(BadInput):
            made("gallop", **wrong)


def test_stop_time_asks_for_silence() -> None:
    (bar,) = make_riff(PATTERNS["stop-time"], ("I",), key="A", tempo_bpm=100).sections[0].bars
    assert len(bar.hits) == 1 and bar.hits[0].stop and bar.hits[0].length == Fraction(1, 4)


def test_free_strings_of_degrees_and_other_instruments() -> None:
    degrees = read_degrees("I, IV | bVII - bIII  bVI")
    assert degrees == ("I", "IV", "bVII", "bIII", "bVI")
    riff = make_riff(PATTERNS["four"], degrees, key="E", tempo_bpm=140)
    assert roots(riff) == ["E", "A", "D", "G", "C"]
    assert [bar.hits[0].label for bar in riff.sections[0].bars][2] == "D5"
    seven = Instrument(tuning=("B1", "E2", "A2", "D3", "G3", "B3", "E4"))
    low = make_riff(PATTERNS["four"], ("I",), key="B", tempo_bpm=140, instrument=seven)
    assert low.sections[0].bars[0].hits[0].notes[0].string == 7
    assert roots(make_riff(PATTERNS["four"], ("bVI",), key="C", tempo_bpm=90))[0] == "G#"


@pytest.mark.parametrize("text", ["", "I IX", "I " * 65, "H"])
def test_degrees_that_are_none_are_refused(text: str) -> None:
    with pytest.raises(BadInput):
        read_degrees(text)
    with pytest.raises(BadInput, match="key"):
        make_riff(PATTERNS["four"], ("I",), key=text[:1] or "x", tempo_bpm=100)

"""Due hits: order, endings, pick-up, meters, swing; all times computed by hand."""

from fractions import Fraction as F

import pytest

from thrumble.core.errors import BadTempo
from thrumble.core.instrument import Instrument
from thrumble.core.music.feel import Feel, bar_feel
from thrumble.core.music.meter import Meter, read_meter, spoken_count
from thrumble.core.music.pitch import midi_of, name_of, read_tuning
from thrumble.core.riff.editing.revisions import map_identities
from thrumble.core.riff.expand import expand
from thrumble.core.riff.model import HitIdentity
from thrumble.core.riff.notation.text import parse_riff
from thrumble.core.riff.shifts import hand_frets, shifts_mm

HEAD = "title: T\ntempo: 120\n"  # a quarter is half a second


def dues(text: str, tempo: float | None = None) -> list[float]:
    return [round(h.due_s, 6) for h in expand(parse_riff(HEAD + text), tempo).hits]


def test_quarters_come_at_the_tempo_in_any_meter() -> None:
    assert dues("[A]\n| 6:2 o o o o | 7/8: o o o o o o o |\n")[:6] == [0, 0.5, 1.0, 1.5, 2.0, 2.25]
    assert dues("[A]\n| 6:2 o o o o |", 60) == [0, 1, 2, 3]


def test_a_triplet_shuffle_puts_the_off_beat_at_two_thirds() -> None:
    assert dues("feel: shuffle 2.0 on 1/8\n[A]\n| 6:2 o o o o o o o o |")[:4] == [
        0,
        0.333333,
        0.5,
        0.833333,
    ]


def test_halvings_swing_inside_their_unit_and_triplets_keep_their_time() -> None:
    head = "feel: shuffle 3.0 on 1/8\n"
    assert dues(head + "[A]\n| 6:2 (o o) (o o) - - |") == [0, 0.375, 0.5, 0.875]
    assert dues(head + "[A]\n| 6:2 ((o o) (o o)) - - - |") == [0, 0.1875, 0.375, 0.4375]
    assert dues(head + "[A]\n| 6:2 (o o o) - - - |") == [0, 0.166667, 0.333333]


def test_an_odd_last_unit_stays_straight() -> None:
    assert dues("feel: shuffle 2.0 on 1/8\nmeter: 7/8\n[A]\n| 6:2 - - - - - - o |") == [1.5]


def test_a_shuffle_of_ratio_one_is_straight() -> None:
    feel = bar_feel(Feel(F(1)), F(1), [F(1, 8)])
    assert all(feel.played(F(k, 16)) == F(k, 16) for k in range(17))


def test_the_pickup_lies_before_zero_and_is_bar_zero() -> None:
    hits = expand(parse_riff(HEAD + "[pickup]\n| 1/4: 6:2 o o |\n[A]\n| 6:2 o ~ ~ ~ |\n")).hits
    assert [(h.bar, round(h.due_s, 4)) for h in hits] == [(0, -0.5), (0, -0.25), (1, 0.0)]
    assert hits[0].identity == HitIdentity("pickup", 0, F(0), 1)


def test_the_nth_appearance_in_an_unbroken_run_takes_ending_n() -> None:
    text = "play: A A A B A\n[A]\n| 6:2 o ~ ~ ~ |\n1| 6:3 o ~ ~ ~ |\n2| 6:4 o ~ ~ ~ |\n[B]\n| 6:5 o ~ ~ ~ |\n"
    hits = expand(parse_riff(HEAD + text)).hits
    assert [h.hit.notes[0].fret for h in hits] == [2, 3, 2, 4, 2, 4, 5, 2, 3]
    assert [(h.identity.bar, h.identity.appearance) for h in hits if h.identity.section == "A"] == [
        (1, 1),
        (2, 1),
        (1, 2),
        (3, 2),
        (1, 3),
        (3, 3),
        (1, 4),
        (2, 4),
    ]


def test_ends_and_slots_follow_lengths_staccato_and_neighbours() -> None:
    hits = expand(parse_riff(HEAD + "[A]\n| 6:2 o' o - - | o ~ . o |\n")).hits
    assert [round(h.end_s - h.due_s, 4) for h in hits] == [0.25, 0.5, 1.0, 0.5]
    assert [round(h.slot_s, 4) for h in hits] == [0.5, 1.5, 1.5, 0.5]


@pytest.mark.parametrize("tempo", [19.9, 400.1, float("nan"), -1])
def test_tempi_outside_the_range_are_refused(tempo: float) -> None:
    with pytest.raises(BadTempo, match="20 to 400"):
        expand(parse_riff(HEAD + "[A]\n| 6:2 o |"), tempo)


def test_identities_follow_a_hit_through_inserted_and_changed_bars() -> None:
    old = parse_riff(HEAD + "play: A A\n[A]\n| 6:2 o o | 6:4 o o |\n")
    new = parse_riff(HEAD + "play: A A\n[A]\n| 6:9 x x x x | 6:2 o o | 6:4 o M |\n")
    mapped = map_identities(old, new)
    assert mapped[HitIdentity("A", 1, F(1, 2), 2)] == HitIdentity("A", 2, F(1, 2), 2)
    assert mapped[HitIdentity("A", 2, F(1, 2), 1)] == HitIdentity("A", 3, F(1, 2), 1)
    gone = parse_riff(HEAD + "[A]\n| 6:2 o ~ | 6:4 o o |\n")
    assert HitIdentity("A", 1, F(1, 2), 1) not in map_identities(old, gone)


def test_frets_narrow_upward_and_shifts_are_in_millimetres() -> None:
    fret_mm = Instrument().fret_mm
    assert fret_mm(12) == pytest.approx(324) and fret_mm(0) == 0
    assert fret_mm(2) - fret_mm(1) > fret_mm(13) - fret_mm(12) > 0
    hits = expand(parse_riff(HEAD + "[A]\n| 6:2 o 6:0 o 6:7 o o |\n")).hits
    moves = shifts_mm(hits, Instrument())
    assert moves == [0, 0, pytest.approx(fret_mm(7) - fret_mm(2)), 0]


@pytest.mark.parametrize(
    ("bar", "frets"),
    [
        ("5:0,4:2 o 5:0,4:4 o 4:0,3:2 o 4:0,3:4 o", [2, 2, 2, 2]),  # an open shuffle
        ("6:5,5:7 o 6:5,5:9 o 6:6,5:8 o 6:5,5:7 o", [5, 5, 6, 5]),  # a shape moved by a fret
        ("6:0 o 6:3 o 6:5 o 5:2 o", [None, 3, 3, 3]),  # a walk in one position
        ("6:3,5:3 o 6:5,5:5 o 6:0 o 6:3,5:3 o", [3, 5, 5, 3]),  # one finger, a drop tuning
        ("6:2 o 6:9 o 6:2 o 6:1 o", [2, 9, 2, 2]),
    ],
)
def test_the_hand_moves_with_chords_and_beyond_its_reach(bar: str, frets: list[int | None]) -> None:
    hits = expand(parse_riff(HEAD + f"[A]\n| {bar} |\n")).hits
    assert hand_frets(due.hit for due in hits) == frets


def test_pitch_names_read_and_print() -> None:
    assert [midi_of(n) for n in ("E2", "A4", "C4", "B#3", "Cb4")] == [40, 69, 60, 60, 59]
    assert all(midi_of(name_of(m)) == m for m in range(12, 120))
    assert read_tuning(["Eb", "Ab", "Db", "Gb", "Bb", "Eb"]) == (
        "Eb2",
        "Ab2",
        "Db3",
        "Gb3",
        "Bb3",
        "Eb4",
    )
    for bad in ("H2", "E", "e2", "E22", ""):
        with pytest.raises(ValueError, match="is no"):
            midi_of(bad)


def test_meters_and_the_spoken_count() -> None:
    meter = Meter(4, 4)
    assert [spoken_count(F(k, 16), meter) for k in range(5)] == ["1", "e", "&", "a", "2"]
    assert [spoken_count(F(k, 12), meter) for k in range(3)] == ["1", "trip", "let"]
    assert str(read_meter("13/16")) == "13/16"
    for bad in ("4", "0/4", "4/3", "65/4", "a/b", "-1/4"):
        with pytest.raises(ValueError, match="a meter"):
            read_meter(bad)
